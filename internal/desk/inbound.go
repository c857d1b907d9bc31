package desk

import (
	"context"
	"strings"
	"time"

	"github.com/google/uuid"

	"trundo/internal/carrier"
	"trundo/internal/contract"
	"trundo/internal/core/call"
	"trundo/internal/core/match"
	"trundo/internal/core/phone"
	"trundo/internal/core/routing"
	"trundo/internal/core/slip"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// maxFrom is how much of what the network says about a caller is kept.
const maxFrom = 64

// CallIncoming implements switchboard.Listener: somebody rings us.
func (d *Desk) CallIncoming(ref carrier.Ref, from, to string) {
	d.inBackground(func(ctx context.Context) {
		id, line, err := d.arrive(ctx, ref, from, to)
		for store.Away(err) && ctx.Err() == nil { // the caller waits; no call is without a trace
			select {
			case <-ctx.Done():
			case <-time.After(400 * time.Millisecond):
				id, line, err = d.arrive(ctx, ref, from, to)
			}
		}
		if err != nil {
			d.Log.Warn("a call that came in could not be taken", "to", to, "error", err)
			d.board.Refuse(ref)
			return
		}
		d.route(ctx, id, line)
	})
}

// caller is who the network says calls.
type caller struct {
	e164, ext, typed string
	withheld         bool
}

func callerOf(from, region string) caller {
	from = strings.TrimSpace(strings.ToValidUTF8(strings.ReplaceAll(from, "\x00", ""), ""))
	if from == "" {
		return caller{withheld: true}
	}
	if r := []rune(from); len(r) > maxFrom {
		from = string(r[:maxFrom])
	}
	c := caller{typed: from}
	if n, err := phone.Parse(from, region); err == nil {
		c.e164, c.ext = n.E164, n.Ext
	}
	return c
}

// arrive writes a call that came in down, with whom it surely is from, and takes it over.
func (d *Desk) arrive(ctx context.Context, ref carrier.Ref, from, to string) (uuid.UUID, db.LineByNumberRow, error) {
	line, err := d.Store.LineByNumber(ctx, to)
	if err != nil {
		return uuid.Nil, line, err
	}
	f, err := d.firm(ctx)
	if err != nil {
		return uuid.Nil, line, err
	}
	who := callerOf(from, f.region)
	now := d.Clock.Now()
	var state call.State
	facts, _, err := call.Decide(state, call.Arrive{From: who.typed, Line: line.E164}, now)
	if err != nil {
		return uuid.Nil, line, err
	}
	for _, x := range facts {
		state = call.Evolve(state, x)
	}
	id := store.NewID()
	p := db.InsertInboundParams{CallID: id, LineID: &line.ID, RemoteE164: who.e164, RemoteExt: who.ext, RemoteTyped: who.typed, LineE164: line.E164, OwnerServer: d.Server,
		OwnerEpoch: d.epoch, State: string(state.Phase()), LastSeq: state.Seq, At: now, Withheld: who.withheld, FactSchema: call.Schema,
		LinkRecords: []uuid.UUID{}, LinkRoles: []string{}, LinkReasons: []string{}}
	for _, x := range storeFacts(facts) {
		p.FactSeqs, p.FactKinds, p.FactData = append(p.FactSeqs, x.Seq), append(p.FactKinds, x.Kind), append(p.FactData, x.Data)
	}
	if who.e164 != "" {
		matches, rows, err := d.whoseNumber(ctx, Actor{}, who.e164, who.ext)
		if err != nil {
			return id, line, err
		}
		// One clear winner is the caller; several are offered to whoever answers.
		if record, ask := match.Attach(matches, ""); !ask {
			for _, row := range rows {
				if row.RecordID.String() == record {
					p.RemoteLabel = row.Label
					for _, l := range slip.LinksFor(subject(row.RecordID, row.Kind, row.CompanyID, row.PersonID), "they called from their number") {
						p.LinkRecords, p.LinkRoles, p.LinkReasons = append(p.LinkRecords, uuid.MustParse(l.Record)), append(p.LinkRoles, string(l.Role)), append(p.LinkReasons, l.Reason)
					}
					break
				}
			}
		}
	}
	d.mu.Lock()
	d.live[id] = &liveCall{records: p.LinkRecords, changed: make(chan struct{}, 1)}
	d.mu.Unlock()
	if err := d.Store.InsertInbound(ctx, p); err != nil {
		d.mu.Lock()
		delete(d.live, id)
		d.mu.Unlock()
		return id, line, err
	}
	d.board.Take(id, ref, state)
	d.publishHistory(&id, p.LinkRecords...)
	return id, line, nil
}

// route rings reps until one answers, the caller gives up, or nobody is left.
func (d *Desk) route(ctx context.Context, id uuid.UUID, line db.LineByNumberRow) {
	started := d.Clock.Now()
	tried := map[string]bool{}
	for {
		state, there := d.board.Snapshot(id)
		if !there || state.Phase() != call.PhaseRinging {
			return
		}
		reps, err := d.repsOf(ctx, line.ID)
		if err != nil && ctx.Err() == nil && !store.Away(err) {
			d.Log.Error("whom a line rings", "line", line.Label, "error", err)
		}
		rule := routing.Rule{Mode: routing.Mode(line.RingMode), Rings: time.Duration(line.RingSeconds) * time.Second, Limit: time.Duration(line.LimitSeconds) * time.Second, Open: true}
		step := routing.Next(rule, reps, tried, d.Clock.Since(started))
		if step.Miss {
			d.miss(ctx, id, step.Why)
			return
		}
		if err := d.board.Do(ctx, id, call.Offer{To: step.Ring, Device: "browser"}); err != nil {
			return // answered or over meanwhile
		}
		d.ring(ctx, id, step, tried)
	}
}

// ring waits until those who are rung have answered or declined, or have been rung for long enough.
func (d *Desk) ring(ctx context.Context, id uuid.UUID, step routing.Step, tried map[string]bool) {
	timer := d.Clock.NewTimer(step.For)
	defer timer.Stop()
	changed := d.changedOf(id)
	// A rep who is no longer reached does not keep the caller waiting.
	pulse := d.Clock.NewTicker(time.Second)
	defer pulse.Stop()
	for _, user := range step.Ring {
		tried[user] = true
	}
	for {
		state, there := d.board.Snapshot(id)
		if !there || state.Phase() != call.PhaseRinging || len(state.RungNow()) == 0 {
			return
		}
		select {
		case <-ctx.Done():
			return
		case <-changed:
		case <-pulse.Chan():
			for _, user := range state.RungNow() {
				if u, err := uuid.Parse(user); err == nil && !d.Hub.Reached(u) {
					_ = d.board.Do(ctx, id, call.Withdraw{From: user})
				}
			}
		case <-timer.Chan():
			for _, user := range state.RungNow() {
				_ = d.board.Do(ctx, id, call.Withdraw{From: user})
			}
			return
		}
	}
}

// miss ends a call that nobody answered, and says why.
func (d *Desk) miss(ctx context.Context, id uuid.UUID, why string) {
	if err := d.Store.SetMissedWhy(ctx, db.SetMissedWhyParams{ID: id, Why: why}); err != nil {
		d.Log.Warn("why a call was missed", "call", id, "error", err)
	}
	_ = d.board.Do(ctx, id, call.Miss{})
}

func (d *Desk) changedOf(id uuid.UUID) chan struct{} {
	d.mu.Lock()
	defer d.mu.Unlock()
	if c := d.live[id]; c != nil {
		return c.changed
	}
	return nil
}

// repsOf are those whom a line may ring.
func (d *Desk) repsOf(ctx context.Context, line uuid.UUID) ([]routing.Rep, error) {
	rows, err := d.Store.RepsOfLine(ctx, line)
	if err != nil {
		return nil, err
	}
	d.mu.Lock()
	busy := map[uuid.UUID]bool{}
	for _, c := range d.live {
		if c.rep != uuid.Nil && !c.over {
			busy[c.rep] = true
		}
	}
	d.mu.Unlock()
	reps := make([]routing.Rep, len(rows))
	for i, r := range rows {
		reps[i] = routing.Rep{ID: r.ID.String(), Takes: r.Availability == availableWord, Busy: r.Busy || busy[r.ID], Reached: d.Hub.Reached(r.ID), IdleSince: r.Since}
	}
	return reps, nil
}

const (
	availableWord = "available"
	awayWord      = "away"
)

// SetAvailability says whether a takes calls. Whoever is rung and goes away is rung no longer. Error: *FieldError.
func (d *Desk) SetAvailability(ctx context.Context, a Actor, availability string) error {
	if availability != availableWord && availability != awayWord {
		return wrong("availability", "say available or away")
	}
	if err := d.Store.SetAvailability(ctx, db.SetAvailabilityParams{UserID: a.ID, Availability: availability, At: d.Clock.Now()}); err != nil {
		return err
	}
	if availability == awayWord {
		for _, id := range d.ringingFor(a.ID) {
			_ = d.board.Do(ctx, id, call.Withdraw{From: a.ID.String()})
		}
	}
	d.Hub.Publish(contract.LiveEvent{Kind: contract.LiveEventKindBook}) // colleagues see it
	return nil
}

// ringingFor are the calls that ring for a user on this server.
func (d *Desk) ringingFor(user uuid.UUID) []uuid.UUID {
	d.mu.Lock()
	var ids []uuid.UUID
	for id, c := range d.live {
		if c.changed != nil {
			ids = append(ids, id)
		}
	}
	d.mu.Unlock()
	var mine []uuid.UUID
	for _, id := range ids {
		state, there := d.board.Snapshot(id)
		if !there {
			continue
		}
		for _, u := range state.RungNow() {
			if u == user.String() {
				mine = append(mine, id)
			}
		}
	}
	return mine
}

// Rings are the calls that ring for a, each with who it probably is and what matters before the first word.
func (d *Desk) Rings(ctx context.Context, a Actor) ([]contract.Ring, error) {
	rings := []contract.Ring{}
	f, err := d.firm(ctx)
	if err != nil {
		return nil, err
	}
	for _, id := range d.ringingFor(a.ID) {
		c, err := d.Store.CallByID(ctx, id)
		if err != nil {
			return nil, err
		}
		r := contract.Ring{CallID: id, Since: c.StartedAt, Withheld: c.Withheld, Display: c.RemoteTyped, Candidates: []contract.Candidate{}, Facts: []string{}}
		if c.RemoteE164 != "" {
			r.Display = phone.Format(c.RemoteE164, c.RemoteExt, f.region, a.Style)
		}
		if c.LineID != nil {
			r.Line, r.Source = f.lineLabels[*c.LineID], f.lineSources[*c.LineID]
		}
		if c.RemoteE164 != "" {
			if r.Candidates, err = d.candidates(ctx, a, db.CallsByIDsRow(c)); err != nil {
				return nil, err
			}
		}
		if len(r.Candidates) > 0 {
			if r.Facts, err = d.beforeTheFirstWord(ctx, a, r.Candidates[0].Record); err != nil {
				return nil, err
			}
		}
		rings = append(rings, r)
	}
	return rings, nil
}

// beforeTheFirstWord is what a rep wants to know of a caller: what was promised, what is open, the last contact. Three at most.
func (d *Desk) beforeTheFirstWord(ctx context.Context, a Actor, r contract.RecordRef) ([]string, error) {
	facts := []string{}
	promises, err := d.Store.OpenPromises(ctx, r.ID)
	if err != nil {
		return nil, err
	}
	for _, p := range promises {
		text := "promised: " + p.Text
		if p.DueAt != nil {
			text += p.DueAt.In(a.Zone).Format(", 2 Jan 15:04")
		}
		facts = append(facts, text)
	}
	matters, err := d.Store.OpenMatters(ctx, &r.ID)
	if err != nil {
		return nil, err
	}
	for _, m := range matters {
		facts = append(facts, "open "+m.Kind+": "+m.Name+", "+m.Stage)
	}
	last, err := d.Store.LastContact(ctx, r.ID)
	if err != nil {
		return nil, err
	}
	for _, c := range last {
		text := "last call " + c.StartedAt.In(a.Zone).Format("2 Jan")
		switch {
		case c.Outcome != "":
			text += ": " + c.Outcome
		case c.AnsweredAt == nil:
			text += ", not answered"
		}
		// The last contact is always told; of what is open there may be more than there is room for.
		facts = append(facts[:min(len(facts), 2)], text)
	}
	return facts[:min(len(facts), 3)], nil
}
