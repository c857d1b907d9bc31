package calls

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/call"
	"trundo/internal/core/callable"
	"trundo/internal/core/callerid"
	"trundo/internal/core/match"
	"trundo/internal/core/phone"
	"trundo/internal/core/rights"
	"trundo/internal/core/slip"
	"trundo/internal/core/usage"
	"trundo/internal/desk/firm"
	"trundo/internal/optional"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// target is what is going to be called.
type target struct {
	e164, ext, typed, label, address, region string
	emergency                                bool
	zones                                    []string
	links                                    []slip.Link
	openRecord                               *uuid.UUID
	asksWho                                  bool
	refused                                  *firm.RefusedError
}

// PlaceCall calls a stored or typed number for a. It answers when the call is committed and the carrier has been asked.
// The same key gets the same call. Errors: *FieldError, *InCallError, *RefusedError, *callable.OutsideError, ErrAway,
// ErrNotFound, ErrKeyReused.
func (cs *Calls) PlaceCall(ctx context.Context, a firm.Actor, key string, r contract.NewCall) (contract.Call, error) {
	return cs.PlaceFor(ctx, a, key, r, nil)
}

// PlaceFor places a call on behalf of placement, or of the rep alone where that is nil. The same key gets the same
// call.
func (cs *Calls) PlaceFor(ctx context.Context, a firm.Actor, key string, r contract.NewCall,
	placement Placement) (contract.Call, error) {
	if err := cs.mayBegin(); err != nil {
		return contract.Call{}, err
	}
	hash := firm.HashRequest(r)
	id, err := cs.place(ctx, a, key, hash, r, placement)
	if err != nil {
		// The same click may have come twice; its first coming is then what stands in the way.
		if earlier, found, again := cs.EarlierAnswer(ctx, a, key, "place_call", hash); again != nil {
			return contract.Call{}, again
		} else if found {
			return cs.CallView(ctx, a, earlier)
		}
		return contract.Call{}, err
	}
	ctx, cancel := firm.CarriedOut(ctx)
	defer cancel()
	return cs.CallView(ctx, a, id)
}

func (cs *Calls) place(ctx context.Context, a firm.Actor, key string, hash []byte, r contract.NewCall,
	placement Placement) (uuid.UUID, error) {
	if r.ColleagueID != nil {
		return cs.Team.placeInternal(ctx, a, key, hash, r)
	}
	f, err := cs.Settings(ctx)
	if err != nil {
		return uuid.Nil, err
	}
	t, err := cs.target(ctx, a, f, r)
	if err != nil {
		return uuid.Nil, err
	}
	override := firm.CleanReason(r.OverrideReason)
	switch {
	case t.refused == nil:
		override = ""
	case !a.MayDo(rights.Override) || r.OverrideReason == nil:
		t.refused.MayOverride = a.MayDo(rights.Override)
		return uuid.Nil, t.refused
	case override == "":
		return uuid.Nil, firm.Wrong("override_reason", "say why it is called anyway")
	}
	shown, err := cs.shownFor(ctx, a, f, r, t, placement)
	if err != nil {
		return uuid.Nil, err
	}
	if optional.Value(r.OwnNumber) {
		own, err := cs.Telephones.verifiedTelephone(ctx, a.ID)
		if err != nil {
			return uuid.Nil, firm.About("own_number", err)
		}
		shown.Line.E164, shown.Reason = own.E164, "your own number"
	}
	if optional.Value(r.AskHours) && placement == nil {
		v := callable.Check(callable.Subject{Zones: t.zones}, cs.Hours, cs.Clock.Now())
		if outside := callable.Ask(v, cs.Clock.Now(), t.emergency, shown.Owed); outside != nil {
			outside.Dates = cs.Dates()
			return uuid.Nil, outside
		}
	}
	line, err := uuid.Parse(shown.Line.ID)
	if err != nil {
		return uuid.Nil, err
	}
	if !t.emergency {
		if err := cs.Limits.Refuses(ctx, usage.Minutes, a, &line); err != nil {
			return uuid.Nil, err
		}
	}
	if a.Program {
		return cs.placeByProgram(ctx, a, key, hash, t, override, placement)
	}
	device, err := cs.Telephones.speaksBy(ctx, a, key, r, t,
		cmp.Or(phone.Format(t.e164, t.ext, f.Region, a.Style), t.typed), placement)
	if err != nil {
		return uuid.Nil, err
	}
	now := cs.Clock.Now()
	state, facts, effects, err := begin(call.Place{By: a.ID.String(), Device: device, Address: t.address,
		CallerID: shown.Line.E164}, now)
	if err != nil {
		return uuid.Nil, err
	}
	id, slipID := store.NewID(), store.NewID()
	response, err := json.Marshal(firm.CommandAnswer{ID: id})
	if err != nil {
		return uuid.Nil, err
	}
	p := db.PlaceCallParams{CallID: &id, UserID: a.ID, LineID: &line, RemoteE164: t.e164, RemoteExt: t.ext,
		RemoteTyped: t.typed,
		RemoteLabel: t.label, CallerID: shown.Line.E164, CallerIDReason: shown.Reason, Device: device,
		OwnerServer: cs.Server,
		OwnerEpoch:  cs.Epoch, State: string(state.Phase()), LastSeq: state.Seq, At: now, RemoteAddress: t.address,
		FactSchema: call.Schema,
		SlipID:     slipID, AsksWho: t.asksWho, OpenRecordID: t.openRecord, CommandKey: key, RequestHash: hash,
		Response:    response,
		LinkRecords: []uuid.UUID{}, LinkRoles: []string{}, LinkReasons: []string{}}
	p.FactSeqs, p.FactKinds, p.FactData = factColumns(facts)
	for _, l := range t.links {
		p.LinkRecords = append(p.LinkRecords, uuid.MustParse(l.Record))
		p.LinkRoles = append(p.LinkRoles, string(l.Role))
		p.LinkReasons = append(p.LinkReasons, l.Reason)
	}
	live := &liveCall{parts: map[uuid.UUID]uuid.UUID{a.ID: slipID}, records: p.LinkRecords, state: state,
		changed: make(chan struct{}, 1), line: line, placed: placement, unrecorded: optional.Value(r.Unrecorded)}
	if placement != nil {
		p.CallTypeID = placement.CallType()
	}
	if err := cs.commitPlaced(ctx, a, id, live, r.InsteadOf, effects, func(q *db.Queries) error {
		if override != "" {
			if err := cs.Audited(ctx, q, a, "call", id, "called in spite of do-not-call",
				map[string]string{"do-not-call": t.refused.Error()},
				map[string]string{"why": override}); err != nil {
				return err
			}
		}
		if err := q.PlaceCall(ctx, p); err != nil {
			return err
		}
		return enter(ctx, q, placement, a, id, now)
	}); err != nil {
		return uuid.Nil, err
	}
	cs.PublishHistory(&id, p.LinkRecords...)
	if shown.Owed { // nobody else calls them back meanwhile
		cs.Hub.Publish(contract.LiveEvent{Kind: contract.LiveEventKindLane})
	}
	return id, nil
}

// shownFor chooses the line that a call shows: by hand or by the usual rule, or by that of its placement. Error:
// *FieldError.
func (cs *Calls) shownFor(ctx context.Context, a firm.Actor, f *firm.Settings, r contract.NewCall, t target,
	placement Placement) (callerid.Choice, error) {
	request := callerid.Request{ByHand: optional.ID(r.LineID), RepLine: optional.ID(a.Line), Region: t.region}
	owed, err := cs.Store.LineOwed(ctx, db.LineOwedParams{E164: t.e164, Ext: t.ext})
	if err != nil {
		return callerid.Choice{}, err
	}
	if len(owed) > 0 {
		request.Owed = optional.ID(owed[0])
	}
	if placement == nil || r.LineID != nil {
		shown, err := callerid.Choose(f.Lines, request)
		if err != nil {
			err = firm.About("line_id", err)
		}
		return shown, err
	}
	return placement.Shown(ctx, a, f.Lines, request, t.e164)
}

// begin makes the first facts of a call.
func begin(in call.Input, at time.Time) (call.State, []call.Fact, []call.Effect, error) {
	var state call.State
	facts, effects, err := call.Decide(state, in, at)
	for _, f := range facts {
		state = call.Evolve(state, f)
	}
	return state, facts, effects, err
}

// factColumns are facts as the columns that a statement takes.
func factColumns(facts []call.Fact) (seqs []int, kinds []string, data []json.RawMessage) {
	for _, f := range storeFacts(facts) {
		seqs, kinds, data = append(seqs, f.Seq), append(kinds, f.Kind), append(data, f.Data)
	}
	return seqs, kinds, data
}

// commitPlaced commits a call that a places, while a's row is locked, and starts it. Errors: those of freeRep,
// ErrKeyReused.
//
// What is begun here is carried out whether or not the asker is still there: a commit whose answer nobody waits for any
// more has happened all the same.
func (cs *Calls) commitPlaced(ctx context.Context, a firm.Actor, id uuid.UUID, live *liveCall, insteadOf *uuid.UUID,
	effects []call.Effect, write func(*db.Queries) error) error {
	ctx, cancel := firm.CarriedOut(ctx)
	defer cancel()
	// Known here before anybody can read it from the database: until then no other click may think that
	// the rep is free.
	cs.registry.add(id, live)
	cs.registry.named(a.ID.String(), a.Name)
	var ends *uuid.UUID
	if err := cs.Store.TxPiped(ctx, func(q *db.Queries) (err error) {
		if ends, err = cs.freeRep(ctx, q, a, insteadOf); err != nil {
			return err
		}
		return write(q)
	}); err != nil {
		cs.registry.undo(id, live)
		if store.Duplicate(err) {
			return firm.ErrKeyReused
		}
		return err
	}
	if ends != nil {
		if err := cs.board.HangUp(ctx, *ends, a.ID.String()); err != nil && !errors.Is(err, call.ErrOver) {
			cs.Log.Error("a call that another one takes the place of was not ended", "call", *ends, "error", err)
		}
	}
	cs.board.Start(id, live.state, effects)
	cs.PublishSlip(a.ID, id, "")
	return nil
}

// freeRep locks a's row and makes sure that a is in no other call but the one named in insteadOf, which it gives where
// a is in it: it is to be ended once this is committed. Errors: *firm.InCallError, firm.ErrElsewhere.
func (cs *Calls) freeRep(ctx context.Context, q *db.Queries, a firm.Actor,
	insteadOf *uuid.UUID) (ends *uuid.UUID, err error) {
	rep, err := q.LockRep(ctx, a.ID)
	if err != nil {
		return nil, fmt.Errorf("locking the rep: %w", err)
	}
	if rep.ForegroundCallID == nil {
		return nil, nil
	}
	current := *rep.ForegroundCallID
	// This server knows better than the database what became of its own calls.
	if c := cs.registry.call(current); c != nil && !c.in(a.ID) {
		return nil, nil
	} else if c == nil {
		elsewhere, err := q.CallInProgress(ctx, db.CallInProgressParams{ID: current, Me: cs.Server, MyEpoch: cs.Epoch})
		if err != nil {
			return nil, err
		}
		if elsewhere == nil || !*elsewhere {
			return nil, nil
		}
	}
	if insteadOf == nil || *insteadOf != current {
		return nil, &firm.InCallError{Call: current}
	}
	if cs.registry.call(current) == nil {
		return nil, firm.ErrElsewhere // it cannot be ended from here
	}
	return &current, nil
}

// target finds out what r asks to be called, whether that is allowed, and which records it concerns.
func (cs *Calls) target(ctx context.Context, a firm.Actor, f *firm.Settings, r contract.NewCall) (target, error) {
	switch {
	case r.NumberID != nil && r.Typed != nil:
		return target{}, firm.Wrong("typed", "give either a stored number or a typed one")
	case r.NumberID != nil:
		t, err := cs.storedTarget(ctx, *r.NumberID)
		if err == nil && r.OpenRecordID != nil {
			err = cs.aboutOpen(ctx, *r.OpenRecordID, &t)
		}
		return t, err
	case r.Typed != nil:
		return cs.typedTarget(ctx, a, f, *r.Typed, r.OpenRecordID)
	}
	return target{}, firm.Wrong("number_id", "a number is missing")
}

// aboutOpen puts a call on the matter whose page was open, where it is with whom is called.
func (cs *Calls) aboutOpen(ctx context.Context, open uuid.UUID, t *target) error {
	m, err := cs.Store.OpenMatter(ctx, open)
	if store.NotFound(err) {
		return nil
	} else if err != nil {
		return err
	}
	if l, theirs := slip.AboutOpen(firm.Subject(m.ID, m.Kind, m.CompanyID, m.PersonID), t.links); theirs {
		t.links = append(t.links, l)
	}
	return nil
}

func (cs *Calls) storedTarget(ctx context.Context, id uuid.UUID) (target, error) {
	n, err := cs.Store.NumberTarget(ctx, id)
	if store.NotFound(err) {
		return target{}, firm.About("number_id", firm.ErrNotFound)
	} else if err != nil {
		return target{}, err
	}
	if n.E164 == "" {
		return target{}, firm.Wrong("number_id",
			fmt.Sprintf("“%s” cannot be dialed: it is not a telephone number", n.Typed))
	}
	t := target{e164: n.E164, ext: n.Ext, typed: n.Typed, label: n.Label, region: n.Region, zones: n.Zones}
	t.address = phone.Number{E164: n.E164, Ext: n.Ext}.Key()
	v := callable.Check(callable.Subject{NumberDoNotCall: n.DncAt != nil, PersonDoNotCall: n.RecordDncAt != nil,
		CompanyDoNotCall: n.CompanyDncAt != nil,
		ListedDoNotCall:  n.ListedAt != nil}, cs.Hours, cs.Clock.Now())
	t.refused = firm.Refused(v.Refused,
		firm.Reasons{Number: n.DncReason, Person: n.RecordDncReason, Company: n.CompanyDncReason,
			Listed: n.ListedReason})
	t.links = slip.LinksFor(firm.Subject(n.RecordID, n.Kind, n.CompanyID, n.PersonID), "their number was clicked")
	return t, nil
}

func (cs *Calls) typedTarget(ctx context.Context, a firm.Actor, f *firm.Settings, typed string,
	open *uuid.UUID) (target, error) {
	if phone.Emergency(typed, f.Region) {
		digits := phone.Digits(typed)
		return target{e164: digits, typed: typed, address: digits, region: f.Region, emergency: true}, nil
	}
	n, err := phone.Parse(typed, f.Region)
	if err != nil {
		return target{}, firm.About("typed", err)
	}
	t := target{e164: n.E164, ext: n.Ext, typed: n.Typed, address: n.Key(), region: n.Region,
		zones: phone.Zones(n.E164)}
	matches, rows, err := cs.Book.WhoseNumber(ctx, a, n.E164, n.Ext)
	if err != nil {
		return target{}, err
	}
	if t.refused, err = cs.Book.TypedRefused(ctx, n, rows); err != nil || t.refused != nil {
		return t, err
	}
	if open != nil {
		if rec, err := cs.Store.RecordName(ctx, *open); err == nil && rec.DeletedAt == nil {
			t.openRecord = open
		} else if err != nil && !store.NotFound(err) {
			return target{}, err
		}
	}
	record, ask := match.Attach(matches, optional.ID(t.openRecord))
	t.asksWho = ask
	for _, row := range rows {
		if row.RecordID.String() == record {
			t.label = row.Label
			t.links = slip.LinksFor(firm.Subject(row.RecordID, row.Kind, row.CompanyID, row.PersonID),
				"the number that was typed is theirs")
			break
		}
	}
	return t, nil
}

// hangUpPatience is for how long the database is waited for when it is asked what became of a call: who hangs up has an
// answer within half a second.
const hangUpPatience = 400 * time.Millisecond

// HangUp takes a out of a call. It works while the database is away. Errors: ErrNotFound, call.ErrNotThere,
// ErrElsewhere.
func (cs *Calls) HangUp(ctx context.Context, a firm.Actor, id uuid.UUID) error {
	err := cs.board.Do(ctx, id, call.HangUp{By: a.ID.String(), Survey: cs.router != nil && cs.router.Asks(id)})
	if !errors.Is(err, call.ErrOver) {
		return err
	}
	// Not in progress here: over, somebody else's, another server's, or never there. Hanging up twice is no mistake.
	if c := cs.registry.call(id); c != nil && c.state.Phase() == call.PhaseEnded {
		return nil // it has just ended here; the database may not know yet
	}
	ctx, cancel := context.WithTimeout(ctx, cmp.Or(cs.Patience, hangUpPatience))
	defer cancel()
	c, readErr := cs.Store.CallByID(ctx, db.CallByIDParams{Me: a.ID, ID: id})
	switch {
	case store.NotFound(readErr):
		return firm.ErrNotFound
	case readErr != nil:
		return readErr
	case c.RepID != a.ID: // the slip of whoever asks is read first
		return call.ErrNotThere
	case c.EndedAt == nil:
		return firm.ErrElsewhere
	}
	return nil
}

// awaitJournal waits until what an earlier run kept beside the server is in the database.
func (cs *Calls) awaitJournal(ctx context.Context) error {
	for cs.Journal.Away() {
		select {
		case <-ctx.Done():
			return fmt.Errorf("writing the journal back: %w", ctx.Err())
		case <-time.After(20 * time.Millisecond):
		}
	}
	return nil
}

// CallsInProgress is their number on this server.
func (cs *Calls) CallsInProgress() int { return cs.board.Count() }

// PhaseOf is the phase of a call in progress on this server; "" for any other.
func (cs *Calls) PhaseOf(id uuid.UUID) call.Phase {
	if s, live := cs.board.Snapshot(id); live {
		return s.Phase()
	}
	return call.PhaseNone
}

// Away tells whether what is written waits beside the server for the database.
func (cs *Calls) Away() bool { return cs.Journal.Away() }

// Ready tells whether the database answers.
func (cs *Calls) Ready(ctx context.Context) error {
	if err := cs.mayBegin(); err != nil {
		return err
	}
	return cs.Store.Pool.Ping(ctx)
}

// databaseAway tells every window that nothing new is saved, or that it is again.
func (cs *Calls) databaseAway(away bool) {
	cs.Hub.Publish(contract.LiveEvent{Kind: contract.LiveEventKindSaving, Away: &away})
}
