package desk

import (
	"cmp"
	"context"
	"crypto/sha256"
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
	"trundo/internal/core/slip"
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
	refused                                  *RefusedError
}

// Placement is on whose behalf a rep places a call that is not theirs alone: of a round, of a campaign.
type Placement interface {
	// CallType is the type of call that its slip has from the beginning; nil: none.
	CallType() *uuid.UUID
	// Shown chooses the line that the call shows to e164; single is what would be chosen without a placement.
	Shown(ctx context.Context, a Actor, lines []callerid.Line, single callerid.Request, e164 string) (callerid.Choice, error)
	// Unrecorded is why its calls are not recorded, whatever the rules say; "" where the rules hold.
	Unrecorded() string
	// Enter writes down, in the transaction in which the call is placed, that it was. An error takes the call back.
	Enter(ctx context.Context, q *db.Queries, a Actor, call uuid.UUID, at time.Time) error
	// Ended is told in the background how the call ended, once that is committed; slips are those of the reps who were in it.
	Ended(ctx context.Context, call uuid.UUID, state call.State, slips map[uuid.UUID]uuid.UUID)
}

// Listener hears of what those who place calls look after.
type Listener interface {
	// Beat is called with every sign of life of this server; n counts them.
	Beat(ctx context.Context, n int)
	// MessageLeft is told that it is known what became of the message that a call was to leave.
	MessageLeft(ctx context.Context, call uuid.UUID)
}

// enter tells a placement that its call is placed, where there is one.
func enter(ctx context.Context, q *db.Queries, p Placement, a Actor, call uuid.UUID, at time.Time) error {
	if p == nil {
		return nil
	}
	return p.Enter(ctx, q, a, call, at)
}

// PlaceCall calls a stored or typed number for a. It answers when the call is committed and the carrier has been
// asked. The same key gets the same call. Errors: *FieldError, *InCallError, *RefusedError, *callable.OutsideError, ErrAway, ErrNotFound, ErrKeyReused.
func (d *Desk) PlaceCall(ctx context.Context, a Actor, key string, r contract.NewCall) (contract.Call, error) {
	return d.placeFor(ctx, a, key, r, nil)
}

// placeFor places a call on behalf of placement, or of the rep alone where that is nil. The same key gets the same call.
func (d *Desk) placeFor(ctx context.Context, a Actor, key string, r contract.NewCall, placement Placement) (contract.Call, error) {
	if err := d.mayBegin(); err != nil {
		return contract.Call{}, err
	}
	hash := hashRequest(r)
	id, err := d.place(ctx, a, key, hash, r, placement)
	if err != nil {
		// The same click may have come twice; its first coming is then what stands in the way.
		if earlier, found, again := d.earlierAnswer(ctx, a, key, "place_call", hash); again != nil {
			return contract.Call{}, again
		} else if found {
			return d.callView(ctx, a, earlier)
		}
		return contract.Call{}, err
	}
	ctx, cancel := carriedOut(ctx)
	defer cancel()
	return d.callView(ctx, a, id)
}

func (d *Desk) place(ctx context.Context, a Actor, key string, hash []byte, r contract.NewCall, placement Placement) (uuid.UUID, error) {
	if r.ColleagueID != nil {
		return d.placeInternal(ctx, a, key, hash, r)
	}
	f, err := d.firm(ctx)
	if err != nil {
		return uuid.Nil, err
	}
	t, err := d.target(ctx, a, f, r)
	if err != nil {
		return uuid.Nil, err
	}
	override := cleanReason(r.OverrideReason)
	switch {
	case t.refused == nil:
		override = ""
	case !a.mayDo(Override) || r.OverrideReason == nil:
		t.refused.MayOverride = a.mayDo(Override)
		return uuid.Nil, t.refused
	case override == "":
		return uuid.Nil, wrong("override_reason", "say why it is called anyway")
	}
	shown, err := d.shownFor(ctx, a, f, r, t, placement)
	if err != nil {
		return uuid.Nil, err
	}
	if value(r.AskHours) && placement == nil {
		v := callable.Check(callable.Subject{Zones: t.zones}, d.Hours, d.Clock.Now())
		if outside := callable.Ask(v, d.Clock.Now(), t.emergency, shown.Owed); outside != nil {
			return uuid.Nil, outside
		}
	}
	line, err := uuid.Parse(shown.Line.ID)
	if err != nil {
		return uuid.Nil, err
	}
	if a.Program {
		return d.placeByProgram(ctx, a, key, hash, t, override, placement)
	}
	device, err := d.speaksBy(ctx, a, key, r, t, cmp.Or(phone.Format(t.e164, t.ext, f.region, a.Style), t.typed), placement)
	if err != nil {
		return uuid.Nil, err
	}
	now := d.Clock.Now()
	state, facts, effects, err := begin(call.Place{By: a.ID.String(), Device: device, Address: t.address, CallerID: shown.Line.E164}, now)
	if err != nil {
		return uuid.Nil, err
	}
	id, slipID := store.NewID(), store.NewID()
	response, err := json.Marshal(commandAnswer{ID: id})
	if err != nil {
		return uuid.Nil, err
	}
	p := db.PlaceCallParams{CallID: &id, UserID: a.ID, LineID: &line, RemoteE164: t.e164, RemoteExt: t.ext, RemoteTyped: t.typed,
		RemoteLabel: t.label, CallerID: shown.Line.E164, CallerIDReason: shown.Reason, Device: device, OwnerServer: d.Server,
		OwnerEpoch: d.epoch, State: string(state.Phase()), LastSeq: state.Seq, At: now, RemoteAddress: t.address, FactSchema: call.Schema,
		SlipID: slipID, AsksWho: t.asksWho, OpenRecordID: t.openRecord, CommandKey: key, RequestHash: hash, Response: response,
		LinkRecords: []uuid.UUID{}, LinkRoles: []string{}, LinkReasons: []string{}}
	p.FactSeqs, p.FactKinds, p.FactData = factColumns(facts)
	for _, l := range t.links {
		p.LinkRecords = append(p.LinkRecords, uuid.MustParse(l.Record))
		p.LinkRoles = append(p.LinkRoles, string(l.Role))
		p.LinkReasons = append(p.LinkReasons, l.Reason)
	}
	live := &liveCall{parts: map[uuid.UUID]uuid.UUID{a.ID: slipID}, records: p.LinkRecords, state: state, changed: make(chan struct{}, 1), line: line, placed: placement}
	if placement != nil {
		p.CallTypeID = placement.CallType()
	}
	if err := d.commitPlaced(ctx, a, id, live, r.InsteadOf, effects, func(q *db.Queries) error {
		if override != "" {
			if err := d.audited(ctx, q, a, "call", id, "called in spite of do-not-call", map[string]string{"do-not-call": t.refused.Error()},
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
	d.publishHistory(&id, p.LinkRecords...)
	if shown.Owed { // nobody else calls them back meanwhile
		d.Hub.Publish(contract.LiveEvent{Kind: contract.LiveEventKindLane})
	}
	return id, nil
}

// shownFor chooses the line that a call shows: by hand or by the usual rule, or by that of its placement. Error: *FieldError.
func (d *Desk) shownFor(ctx context.Context, a Actor, f *firm, r contract.NewCall, t target, placement Placement) (callerid.Choice, error) {
	request := callerid.Request{ByHand: text(r.LineID), RepLine: text(a.Line), Region: t.region}
	owed, err := d.Store.LineOwed(ctx, db.LineOwedParams{E164: t.e164, Ext: t.ext})
	if err != nil {
		return callerid.Choice{}, err
	}
	if len(owed) > 0 {
		request.Owed = text(owed[0])
	}
	if placement == nil || r.LineID != nil {
		shown, err := callerid.Choose(f.lines, request)
		if err != nil {
			err = &FieldError{"line_id", err}
		}
		return shown, err
	}
	return placement.Shown(ctx, a, f.lines, request, t.e164)
}

// carryPatience is for how long what is committed and then done outside goes on without its asker.
const carryPatience = 8 * time.Second

// carriedOut is ctx for what must not end halfway because whoever asked for it has gone.
func carriedOut(ctx context.Context) (context.Context, context.CancelFunc) {
	return context.WithTimeout(context.WithoutCancel(ctx), carryPatience)
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

// commitPlaced commits a call that a places, while a's row is locked, and starts it. Errors: those of freeRep, ErrKeyReused.
//
// What is begun here is carried out whether or not the asker is still there: a commit whose answer nobody waits for any more has happened all the same.
func (d *Desk) commitPlaced(ctx context.Context, a Actor, id uuid.UUID, live *liveCall, insteadOf *uuid.UUID, effects []call.Effect, write func(*db.Queries) error) error {
	ctx, cancel := carriedOut(ctx)
	defer cancel()
	// Known here before anybody can read it from the database: until then no other click may think that
	// the rep is free.
	d.calls.add(id, live)
	if err := d.Store.Tx(ctx, func(q *db.Queries) error {
		if err := d.freeRep(ctx, q, a, insteadOf); err != nil {
			return err
		}
		return write(q)
	}); err != nil {
		d.calls.undo(id, live)
		if store.Duplicate(err) {
			return ErrKeyReused
		}
		return err
	}
	d.board.Start(id, live.state, effects)
	d.publishSlip(a.ID, id, "")
	return nil
}

// freeRep locks a's row and makes sure that a is in no other call; the one named in insteadOf is ended first.
func (d *Desk) freeRep(ctx context.Context, q *db.Queries, a Actor, insteadOf *uuid.UUID) error {
	rep, err := q.LockRep(ctx, a.ID)
	if err != nil {
		return fmt.Errorf("locking the rep: %w", err)
	}
	if rep.ForegroundCallID == nil {
		return nil
	}
	current := *rep.ForegroundCallID
	// This server knows better than the database what became of its own calls.
	if c := d.calls.call(current); c != nil && !c.in(a.ID) {
		return nil
	} else if c == nil {
		elsewhere, err := q.CallInProgress(ctx, db.CallInProgressParams{ID: current, Me: d.Server, MyEpoch: d.epoch})
		if err != nil {
			return err
		}
		if elsewhere == nil || !*elsewhere {
			return nil
		}
	}
	if insteadOf == nil || *insteadOf != current {
		return &InCallError{current}
	}
	if d.calls.call(current) == nil {
		return ErrElsewhere // it cannot be ended from here
	}
	if err := d.board.HangUp(ctx, current, a.ID.String()); err != nil && !errors.Is(err, call.ErrOver) {
		return err
	}
	return nil
}

// target finds out what r asks to be called, whether that is allowed, and which records it concerns.
func (d *Desk) target(ctx context.Context, a Actor, f *firm, r contract.NewCall) (target, error) {
	switch {
	case r.NumberID != nil && r.Typed != nil:
		return target{}, wrong("typed", "give either a stored number or a typed one")
	case r.NumberID != nil:
		t, err := d.storedTarget(ctx, *r.NumberID)
		if err == nil && r.OpenRecordID != nil {
			err = d.aboutOpen(ctx, *r.OpenRecordID, &t)
		}
		return t, err
	case r.Typed != nil:
		return d.typedTarget(ctx, a, f, *r.Typed, r.OpenRecordID)
	}
	return target{}, wrong("number_id", "a number is missing")
}

// aboutOpen puts a call on the matter whose page was open, where it is with whom is called.
func (d *Desk) aboutOpen(ctx context.Context, open uuid.UUID, t *target) error {
	m, err := d.Store.OpenMatter(ctx, open)
	if store.NotFound(err) {
		return nil
	} else if err != nil {
		return err
	}
	if l, theirs := slip.AboutOpen(subject(m.ID, m.Kind, m.CompanyID, m.PersonID), t.links); theirs {
		t.links = append(t.links, l)
	}
	return nil
}

// subject is a record as the rule about links sees it.
func subject(id uuid.UUID, kind string, company, person *uuid.UUID) slip.Subject {
	return slip.Subject{Record: id.String(), Role: slip.RoleOf(kind), Company: text(company), Person: text(person)}
}

func (d *Desk) storedTarget(ctx context.Context, id uuid.UUID) (target, error) {
	n, err := d.Store.NumberTarget(ctx, id)
	if store.NotFound(err) {
		return target{}, &FieldError{"number_id", ErrNotFound}
	} else if err != nil {
		return target{}, err
	}
	if n.E164 == "" {
		return target{}, wrong("number_id", fmt.Sprintf("“%s” cannot be dialed: it is not a telephone number", n.Typed))
	}
	t := target{e164: n.E164, ext: n.Ext, typed: n.Typed, label: n.Label, region: n.Region, zones: n.Zones}
	t.address = phone.Number{E164: n.E164, Ext: n.Ext}.Key()
	v := callable.Check(callable.Subject{NumberDoNotCall: n.DncAt != nil, PersonDoNotCall: n.RecordDncAt != nil, CompanyDoNotCall: n.CompanyDncAt != nil,
		ListedDoNotCall: n.ListedAt != nil}, d.Hours, d.Clock.Now())
	t.refused = refused(v.Refused, reasons{n.DncReason, n.RecordDncReason, n.CompanyDncReason, n.ListedReason})
	t.links = slip.LinksFor(subject(n.RecordID, n.Kind, n.CompanyID, n.PersonID), "their number was clicked")
	return t, nil
}

func (d *Desk) typedTarget(ctx context.Context, a Actor, f *firm, typed string, open *uuid.UUID) (target, error) {
	if phone.Emergency(typed, f.region) {
		digits := phone.Digits(typed)
		return target{e164: digits, typed: typed, address: digits, region: f.region, emergency: true}, nil
	}
	n, err := phone.Parse(typed, f.region)
	if err != nil {
		return target{}, &FieldError{"typed", err}
	}
	t := target{e164: n.E164, ext: n.Ext, typed: n.Typed, address: n.Key(), region: n.Region, zones: phone.Zones(n.E164)}
	matches, rows, err := d.WhoseNumber(ctx, a, n.E164, n.Ext)
	if err != nil {
		return target{}, err
	}
	if t.refused, err = d.TypedRefused(ctx, n, rows); err != nil || t.refused != nil {
		return t, err
	}
	if open != nil {
		if rec, err := d.Store.RecordName(ctx, *open); err == nil && rec.DeletedAt == nil {
			t.openRecord = open
		} else if err != nil && !store.NotFound(err) {
			return target{}, err
		}
	}
	record, ask := match.Attach(matches, text(t.openRecord))
	t.asksWho = ask
	for _, row := range rows {
		if row.RecordID.String() == record {
			t.label = row.Label
			t.links = slip.LinksFor(subject(row.RecordID, row.Kind, row.CompanyID, row.PersonID), "the number that was typed is theirs")
			break
		}
	}
	return t, nil
}

// TypedRefused tells why a typed number is not called: it is on the list, or whoever has it asked not to be called.
func (d *Desk) TypedRefused(ctx context.Context, n phone.Number, rows []db.NumberCandidatesRow) (*RefusedError, error) {
	listed, err := d.Store.DoNotCall(ctx, n.E164)
	if err != nil && !store.NotFound(err) {
		return nil, err
	}
	check := func(s callable.Subject, why reasons) *RefusedError {
		return refused(callable.Check(s, d.Hours, d.Clock.Now()).Refused, why)
	}
	if no := check(callable.Subject{ListedDoNotCall: err == nil}, reasons{listed: listed.Reason}); no != nil {
		return no, nil
	}
	for _, row := range rows {
		s := callable.Subject{NumberDoNotCall: row.DncAt != nil && row.Ext == n.Ext}
		if len(rows) == 1 {
			s.PersonDoNotCall = row.RecordDncAt != nil
		}
		var why reasons
		if s.NumberDoNotCall {
			if why.number, err = d.Store.NumberDoNotCallReason(ctx, db.NumberDoNotCallReasonParams{E164: &n.E164, Ext: n.Ext, RecordID: row.RecordID}); err != nil && !store.NotFound(err) {
				return nil, err
			}
		}
		if s.PersonDoNotCall {
			person, err := d.Store.DoNotCallOf(ctx, row.RecordID)
			if err != nil {
				return nil, err
			}
			why.person = person.DncReason
		}
		if len(rows) == 1 && row.CompanyID != nil {
			company, err := d.Store.DoNotCallOf(ctx, *row.CompanyID)
			if err != nil {
				return nil, err
			}
			s.CompanyDoNotCall, why.company = company.DncAt != nil, company.DncReason
		}
		if no := check(s, why); no != nil {
			return no, nil
		}
	}
	return nil, nil
}

// reasons are what was written down with each kind of do-not-call.
type reasons struct{ number, person, company, listed string }

// refused puts the reason that was written down beside the rule; nil where nothing was refused.
func refused(err error, why reasons) *RefusedError {
	switch {
	case err == nil:
		return nil
	case errors.Is(err, callable.ErrDoNotCall):
		return &RefusedError{Err: err, Detail: why.number}
	case errors.Is(err, callable.ErrCompanyDoNotCall):
		return &RefusedError{Err: err, Detail: why.company}
	case errors.Is(err, callable.ErrListedDoNotCall):
		return &RefusedError{Err: err, Detail: why.listed}
	}
	return &RefusedError{Err: err, Detail: why.person}
}

// HangUp takes a out of a call. It works while the database is away. Errors: ErrNotFound, call.ErrNotThere, ErrElsewhere.
func (d *Desk) HangUp(ctx context.Context, a Actor, id uuid.UUID) error {
	err := d.board.HangUp(ctx, id, a.ID.String())
	if !errors.Is(err, call.ErrOver) {
		return err
	}
	// Not in progress here: over, somebody else's, another server's, or never there. Hanging up twice is no mistake.
	if c := d.calls.call(id); c != nil && c.state.Phase() == call.PhaseEnded {
		return nil // it has just ended here; the database may not know yet
	}
	ctx, cancel := context.WithTimeout(ctx, lookupPatience)
	defer cancel()
	c, readErr := d.Store.CallByID(ctx, db.CallByIDParams{Me: a.ID, ID: id})
	switch {
	case store.NotFound(readErr):
		return ErrNotFound
	case readErr != nil:
		return readErr
	case c.RepID != a.ID: // the slip of whoever asks is read first
		return call.ErrNotThere
	case c.EndedAt == nil:
		return ErrElsewhere
	}
	return nil
}

// commandAnswer is what is remembered with an idempotency key.
type commandAnswer struct {
	ID uuid.UUID `json:"id"`
}

// remember keeps with an idempotency key what a request has made. A key that was used is store.Duplicate.
func (d *Desk) remember(ctx context.Context, q *db.Queries, a Actor, key, action string, hash []byte, made uuid.UUID) error {
	answer, err := json.Marshal(commandAnswer{ID: made})
	if err != nil {
		return err
	}
	return q.InsertCommand(ctx, db.InsertCommandParams{UserID: a.ID, Key: key, Action: action, RequestHash: hash, Response: answer, At: d.Clock.Now()})
}

func hashRequest(r any) []byte {
	text, err := json.Marshal(r)
	if err != nil {
		panic(err) // requests are plain data
	}
	sum := sha256.Sum256(text)
	return sum[:]
}

// earlierAnswer finds what the same request with the same key made. Error: ErrKeyReused for another request.
func (d *Desk) earlierAnswer(ctx context.Context, a Actor, key, action string, hash []byte) (uuid.UUID, bool, error) {
	c, err := d.Store.GetCommand(ctx, db.GetCommandParams{UserID: a.ID, Key: key})
	if err != nil {
		return uuid.Nil, false, nil // the first error says more
	}
	if c.Action != action || string(c.RequestHash) != string(hash) {
		return uuid.Nil, false, ErrKeyReused
	}
	var answer commandAnswer
	if err := json.Unmarshal(c.Response, &answer); err != nil {
		return uuid.Nil, false, err
	}
	return answer.ID, true, nil
}
