package calls

import (
	"context"
	"encoding/json"
	"log/slog"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/google/uuid"

	"trundo/internal/carrier"
	"trundo/internal/core/absence"
	"trundo/internal/core/call"
	"trundo/internal/core/phone"
	"trundo/internal/core/presence"
	"trundo/internal/core/routing"
	"trundo/internal/desk/book"
	"trundo/internal/desk/firm"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// maxFrom is how much of what the network says about a caller is kept.
const maxFrom = 64

// CallIncoming implements switchboard.Listener: somebody rings us.
func (ar *Arrivals) CallIncoming(ref carrier.Ref, from, to string) {
	if ar.draining.Load() {
		ar.board.HangUpTelephone(ref)
		return
	}
	ar.InBackground(func(ctx context.Context) {
		if f, err := ar.Settings(ctx); err == nil && ar.Telephones.dialsIn(ref, callerOf(from, f.Region).e164) {
			return
		}
		id, line, err := ar.arrive(ctx, ref, from, to)
		for store.Away(err) && ctx.Err() == nil { // the caller waits; no call is without a trace
			select {
			case <-ctx.Done():
			case <-time.After(400 * time.Millisecond):
				id, line, err = ar.arrive(ctx, ref, from, to)
			}
		}
		if err != nil {
			level := slog.LevelError
			if store.NotFound(err) {
				level = slog.LevelWarn // no line of ours
			}
			ar.Log.Log(ctx, level, "a call that came in could not be taken", "to", to, "error", err)
			ar.board.Refuse(ref)
			return
		}
		ar.InBackground(func(ctx context.Context) { ar.readAhead(ctx, id) })
		if ar.router == nil || !ar.router.Receive(ctx, id, line.ID) {
			ar.route(ctx, id, line)
		}
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
func (ar *Arrivals) arrive(ctx context.Context, ref carrier.Ref, from,
	to string) (uuid.UUID, db.LineByNumberRow, error) {
	line, err := ar.Store.LineByNumber(ctx, to)
	if err != nil {
		return uuid.Nil, line, err
	}
	f, err := ar.Settings(ctx)
	if err != nil {
		return uuid.Nil, line, err
	}
	who := callerOf(from, f.Region)
	now := ar.Clock.Now()
	state, facts, _, err := begin(call.Arrive{From: who.typed, Line: line.E164}, now)
	if err != nil {
		return uuid.Nil, line, err
	}
	id := store.NewID()
	p := db.InsertInboundParams{CallID: id, LineID: &line.ID, RemoteE164: who.e164, RemoteExt: who.ext,
		RemoteTyped: who.typed, LineE164: line.E164, OwnerServer: ar.Server,
		OwnerEpoch: ar.Epoch, State: string(state.Phase()), LastSeq: state.Seq, At: now, Withheld: who.withheld,
		FactSchema:  call.Schema,
		LinkRecords: []uuid.UUID{}, LinkRoles: []string{}, LinkReasons: []string{}}
	p.FactSeqs, p.FactKinds, p.FactData = factColumns(facts)
	if who.e164 != "" {
		matches, rows, err := ar.Book.WhoseRing(ctx, firm.Actor{}, id, who.e164, who.ext)
		if err != nil {
			return id, line, err
		}
		// One clear winner is the caller; several are offered to whoever answers.
		links, label := book.CallerLinks(matches, rows)
		p.RemoteLabel = label
		for _, l := range links {
			p.LinkRecords, p.LinkRoles, p.LinkReasons = append(p.LinkRecords,
				uuid.MustParse(l.Record)), append(p.LinkRoles, string(l.Role)), append(p.LinkReasons, l.Reason)
		}
	}
	ar.registry.add(id, &liveCall{records: p.LinkRecords, state: state, changed: make(chan struct{}, 1), line: line.ID})
	if err := ar.Store.InsertInbound(ctx, p); err != nil {
		ar.registry.drop(id)
		return id, line, err
	}
	ar.board.Take(id, ref, state)
	return id, line, nil
}

// route rings reps until one answers, the caller gives up, or nobody is left; then what follows.
func (ar *Arrivals) route(ctx context.Context, id uuid.UUID, line db.LineByNumberRow) {
	started := ar.Clock.Now()
	tried := map[string]bool{}
	// Everybody hears of the call; those whom it rings come first.
	var records []uuid.UUID
	if c := ar.registry.call(id); c != nil {
		records = c.records
	}
	everybody := sync.OnceFunc(func() { ar.PublishHistory(&id, records...) })
	defer everybody()
	hours := hoursOf(line.Hours)
	here := started.In(firm.ZoneNamed(line.Zone))
	rule := routing.Rule{Mode: routing.Mode(line.RingMode), Rings: time.Duration(line.RingSeconds) * time.Second,
		Limit: time.Duration(line.LimitSeconds) * time.Second,
		Open:  hours.Open(here), Unanswered: routing.Follow(line.Unanswered), Closed: routing.Follow(line.Closed)}
	for {
		state, there := ar.board.Snapshot(id)
		if !there || state.Phase() != call.PhaseRinging {
			return
		}
		reps, err := ar.repsOf(ctx, line.ID)
		if err != nil && ctx.Err() == nil && !store.Away(err) {
			ar.Log.Error("whom a line rings", "line", line.Label, "error", err)
		}
		step := routing.Next(rule, reps, tried, ar.Clock.Since(started))
		if step.Then != "" {
			box := boxOf(reps)
			if err := ar.Store.SetMissedWhy(ctx,
				db.SetMissedWhyParams{ID: id, Why: step.Why, BoxUserID: box}); err != nil {
				ar.Log.Warn("why a call was missed", "call", id, "error", err)
			}
			ar.follow(ctx, id, step.Then, line, box, hours.ClosedText(here, ar.Dates()))
			return
		}
		if err := ar.board.Do(ctx, id, call.Offer{To: step.Ring, Device: "browser"}); err != nil {
			return // answered or over meanwhile
		}
		ar.onceTold(everybody)
		ar.Telephones.ringTelephones(ctx, id, "a call on "+line.Label, step.Ring)
		ar.ring(ctx, id, step, tried)
	}
}

// hoursOf reads a line's opening hours. What cannot be read, which nobody could have entered, is always open.
func hoursOf(data []byte) routing.Hours {
	var h routing.Hours
	_ = json.Unmarshal(data, &h)
	return h
}

// boxOf is whose voicemail a line's is: that of the one rep whom it rings; nil is the line's own.
func boxOf(reps []presence.Rep) *uuid.UUID {
	if len(reps) != 1 {
		return nil
	}
	id, err := uuid.Parse(reps[0].ID)
	if err != nil {
		return nil
	}
	return &id
}

// ring waits until those who are rung have answered or declined, or have been rung for long enough.
func (ar *Arrivals) ring(ctx context.Context, id uuid.UUID, step routing.Step, tried map[string]bool) {
	for _, user := range step.Ring {
		tried[user] = true
	}
	ar.untilRung(ctx, id, step.For,
		func(s *call.State) bool { return s.Phase() == call.PhaseRinging && len(s.RungNow()) > 0 })
}

func (ar *Arrivals) changedOf(id uuid.UUID) chan struct{} {
	if c := ar.registry.call(id); c != nil {
		return c.changed
	}
	return nil
}

// present puts in the place of who is away who stands in for them; nobody is there twice.
func present(ids []uuid.UUID, away map[string]absence.Away) []uuid.UUID {
	there := []uuid.UUID{}
	for _, id := range ids {
		if deputy, err := uuid.Parse(absence.Deputy(away, id.String())); err == nil {
			id = deputy
		}
		if !slices.Contains(there, id) {
			there = append(there, id)
		}
	}
	return there
}

// repsOf are those whom a line may ring, in its order.
func (ar *Arrivals) repsOf(ctx context.Context, line uuid.UUID) ([]presence.Rep, error) {
	ids, err := ar.Store.RepsOfLine(ctx, line)
	if err != nil {
		return nil, err
	}
	f, err := ar.Settings(ctx)
	if err != nil {
		return nil, err
	}
	ids = present(ids, f.Away(ar.Clock.Now()))
	_, doing, err := ar.Team.presence(ctx, ids...)
	if err != nil {
		return nil, err
	}
	reps := make([]presence.Rep, len(ids))
	for i, id := range ids {
		reps[i] = doing[id]
	}
	return reps, nil
}

// elsewhere tells whether a rep is in a call on another server.
func (ar *Arrivals) elsewhere(ctx context.Context, rep uuid.UUID) bool {
	there, err := ar.Store.InCallElsewhere(ctx, db.InCallElsewhereParams{UserID: rep, Me: ar.Server, MyEpoch: ar.Epoch})
	return err != nil || there
}

// RingingFor are the calls that ring for a user on this server.
func (ar *Arrivals) RingingFor(user uuid.UUID) []uuid.UUID {
	var mine []uuid.UUID
	rung := func(s *call.State) bool { return slices.Contains(s.RungNow(), user.String()) }
	for _, id := range ar.registry.where(func(c *liveCall) bool { return rung(&c.state) }) {
		if state, there := ar.board.Snapshot(id); there && rung(&state) {
			mine = append(mine, id)
		}
	}
	return mine
}
