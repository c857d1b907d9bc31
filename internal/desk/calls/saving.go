package calls

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/call"
	"trundo/internal/core/slip"
	"trundo/internal/desk/firm"
	"trundo/internal/journal"
	"trundo/internal/optional"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// The kinds of journal entry.
const (
	kindFacts     = "facts"
	kindNotes     = "notes"
	kindRecording = "recording"
)

// factsEntry is what a call has added: its new facts and the state they lead to.
type factsEntry struct {
	Call  uuid.UUID    `json:"call"`
	Facts []storedFact `json:"facts"`
	State call.State   `json:"state"`
}

// storedFact is a fact as it is stored: what all facts have, and the rest as data.
type storedFact struct {
	Seq  int             `json:"seq"`
	At   time.Time       `json:"at"`
	Kind string          `json:"kind"`
	Data json.RawMessage `json:"data"`
}

func storeFacts(facts []call.Fact) []storedFact {
	stored := make([]storedFact, len(facts))
	for i, f := range facts {
		data, err := json.Marshal(f)
		if err != nil {
			panic(err) // a Fact is strings and numbers
		}
		stored[i] = storedFact{f.Seq, f.At, string(f.Kind), data}
	}
	return stored
}

// ReadFact reads a stored fact of a call. Error: of a kind or a form that is not known.
func ReadFact(seq int, at time.Time, kind string, data []byte) (call.Fact, error) {
	var f call.Fact
	if err := json.Unmarshal(data, &f); err != nil {
		return f, fmt.Errorf("fact %d: %w", seq, err)
	}
	f.Seq, f.At, f.Kind = seq, at, call.FactKind(kind)
	return f, nil
}

// notesEntry is a text that could not be saved at once.
type notesEntry struct {
	Slip uuid.UUID `json:"slip"`
	User uuid.UUID `json:"user"`
	Edit slip.Edit `json:"edit"`
}

// recordingEntry is that a recording began, or what it holds now that it is complete.
type recordingEntry struct {
	Call  uuid.UUID                 `json:"call"`
	Began *db.InsertRecordingParams `json:"began,omitempty"`
	Kept  *db.KeepRecordingParams   `json:"kept,omitempty"`
}

// sink saves journal entries for a desk.
type sink struct{ cs *Calls }

func (sink) Away(err error) bool { return store.Away(err) }

func (sink) Decode(kind string, data []byte) (any, error) {
	switch kind {
	case kindFacts:
		var e factsEntry
		err := json.Unmarshal(data, &e)
		return e, err
	case kindNotes:
		var e notesEntry
		err := json.Unmarshal(data, &e)
		return e, err
	case kindRecording:
		var e recordingEntry
		err := json.Unmarshal(data, &e)
		return e, err
	}
	return nil, fmt.Errorf("unknown kind of entry %q", kind)
}

// Save commits the entries in one transaction and then tells the windows concerned.
func (s sink) Save(ctx context.Context, entries []journal.Entry) error {
	var settled map[uuid.UUID]bool
	err := s.cs.Store.TxPiped(ctx, func(q *db.Queries) error {
		var facts []factsEntry
		var began []db.InsertRecordingParams
		var kept []db.KeepRecordingParams
		for _, e := range entries {
			switch v := e.Value.(type) {
			case factsEntry:
				facts = append(facts, v)
			case notesEntry:
				if err := keepNotes(ctx, q, v); err != nil {
					return err
				}
			case recordingEntry:
				if v.Began != nil {
					began = append(began, *v.Began)
				}
				if v.Kept != nil {
					kept = append(kept, *v.Kept)
				}
			}
		}
		if err := saveRecordings(ctx, q, began, kept); err != nil {
			return err
		}
		var err error
		if settled, err = saveFacts(ctx, q, facts); err != nil {
			return err
		}
		if err := s.cs.emitParties(ctx, q, facts); err != nil {
			return err
		}
		return s.cs.emitEnded(ctx, q, facts)
	})
	if err != nil {
		return err
	}
	// what was written of calls that another server has closed was not stored: they end here too, and nothing is said
	// to be saved
	if s.cs.leaseInDoubt() {
		if err := s.cs.letGoOfLost(ctx); err != nil {
			return err
		}
	}
	for _, e := range entries {
		switch v := e.Value.(type) {
		case factsEntry:
			s.cs.callSaved(v.Call, v.State, settled[v.Call])
		case notesEntry:
			s.cs.PublishSlip(v.User, v.Slip, "")
		case recordingEntry:
			if v.Kept != nil {
				s.cs.PublishHistory(&v.Call)
			} else {
				s.cs.Recordings.tellParts(v.Call)
			}
		}
	}
	return nil
}

// emitEnded tells of calls that have ended.
func (cs *Calls) emitEnded(ctx context.Context, q *db.Queries, entries []factsEntry) error {
	if wanted, err := cs.Outbox.Wanted(ctx, contract.WebhookEventCallEnded); err != nil || !wanted {
		return err
	}
	var ended []uuid.UUID
	for _, e := range entries {
		if !e.State.Ended.IsZero() && !slices.Contains(ended, e.Call) {
			ended = append(ended, e.Call)
		}
	}
	rows, err := q.EventOfCalls(ctx, ended)
	if err != nil {
		return err
	}
	for _, r := range rows {
		if err := cs.Outbox.Emit(ctx, q, contract.WebhookEventCallEnded, func() (any, error) {
			return map[string]any{"call_id": r.ID, "direction": r.Direction, "number": r.RemoteE164,
				"shown": r.CallerID, "started_at": r.StartedAt, "answered_at": r.AnsweredAt, "ended_at": r.EndedAt,
				"end_reason": r.EndReason, "ring_ms": r.RingMs, "talk_ms": r.TalkMs, "rep": r.Login,
				"records": r.Records}, nil
		}); err != nil {
			return err
		}
	}
	return nil
}

func saveRecordings(ctx context.Context, q *db.Queries, began []db.InsertRecordingParams,
	kept []db.KeepRecordingParams) error {
	if len(began) > 0 {
		if err := firm.Every(q.InsertRecording(ctx, began).Exec); err != nil {
			return fmt.Errorf("recordings that began: %w", err)
		}
	}
	if len(kept) > 0 {
		if err := firm.Every(q.KeepRecording(ctx, kept).Exec); err != nil {
			return fmt.Errorf("what recordings hold: %w", err)
		}
	}
	return nil
}

// saveFacts stores facts, and for each call the newest state with its durations. It gives the calls whose end changed
// what is owed.
func saveFacts(ctx context.Context, q *db.Queries, entries []factsEntry) (settled map[uuid.UUID]bool, err error) {
	settled = map[uuid.UUID]bool{}
	if len(entries) == 0 {
		return settled, nil
	}
	all := db.SaveFactsParams{Schema: call.Schema}
	newest := map[uuid.UUID]call.State{}
	var order []uuid.UUID
	for _, e := range entries {
		for _, f := range e.Facts {
			all.CallIds = append(all.CallIds, e.Call)
			all.Seqs = append(all.Seqs, f.Seq)
			all.Ats = append(all.Ats, f.At)
			all.Kinds = append(all.Kinds, f.Kind)
			all.Data = append(all.Data, f.Data)
		}
		if _, seen := newest[e.Call]; !seen {
			order = append(order, e.Call)
		}
		newest[e.Call] = e.State
	}
	if err := q.SaveFacts(ctx, all); err != nil {
		return nil, fmt.Errorf("facts: %w", err)
	}
	states := make([]db.SaveCallStateParams, len(order))
	for i, id := range order {
		states[i] = callStateParams(id, newest[id])
	}
	if err := firm.Every(q.SaveCallState(ctx, states).Exec); err != nil {
		return nil, fmt.Errorf("states of calls: %w", err)
	}
	return settled, settleAll(ctx, q, order, newest, settled)
}

// callStateParams flattens a state for the calls, legs and spans that are kept for reading.
func callStateParams(id uuid.UUID, s call.State) db.SaveCallStateParams {
	parts := s.PartsAt(s.Last)
	p := db.SaveCallStateParams{CallID: id, State: string(s.Phase()), LastSeq: s.Seq, RangAt: optional.Time(s.Rang()),
		AnsweredAt: optional.Time(s.Answered()),
		EndedAt:    optional.Time(s.Ended), EndReason: string(s.Reason), DialMs: parts.Dialing.Milliseconds(),
		RingMs: parts.Ringing.Milliseconds(),
		TalkMs: parts.Talking.Milliseconds(), MessageMs: s.Message().Milliseconds(), Spoke: worthOf(s).Conversation()}
	for _, l := range s.Legs {
		p.LegNos = append(p.LegNos, int(l.No))
		p.LegParties = append(p.LegParties, string(l.Party))
		p.LegUsers = append(p.LegUsers, l.User)
		p.LegDevices = append(p.LegDevices, l.Device)
		p.LegAddresses = append(p.LegAddresses, l.Address)
		p.LegStarted = append(p.LegStarted, l.Added)
		p.LegStates = append(p.LegStates, string(l.State))
		p.LegRang = append(p.LegRang, l.Rang)
		p.LegAnswered = append(p.LegAnswered, l.Answered)
		p.LegEnded = append(p.LegEnded, l.Ended)
		p.LegReasons = append(p.LegReasons, string(l.Reason))
		t := s.TimesOf(l.No, s.Last)
		p.LegRoles = append(p.LegRoles, string(l.As))
		p.LegTalkMs = append(p.LegTalkMs, t.Talk.Milliseconds())
		p.LegHoldMs = append(p.LegHoldMs, t.Hold.Milliseconds())
		p.LegConsultMs = append(p.LegConsultMs, t.Consult.Milliseconds())
		p.LegConferenceMs = append(p.LegConferenceMs, t.Conference.Milliseconds())
		for i, sp := range l.Spans {
			// A span that ends in the very microsecond in which it began is none: the next one begins there too.
			if i+1 < len(l.Spans) && l.Spans[i+
				1].From.Truncate(time.Microsecond).Equal(sp.From.Truncate(time.Microsecond)) {
				continue
			}
			p.SpanLegs = append(p.SpanLegs, int(l.No))
			p.SpanBridges = append(p.SpanBridges, int(sp.Bridge))
			p.SpanFroms = append(p.SpanFroms, sp.From)
			p.SpanTos = append(p.SpanTos, sp.To)
		}
	}
	return p
}

// CallChanged implements switchboard.Listener: it tells the windows concerned at once and hands the facts over to be
// saved.
func (cs *Calls) CallChanged(id uuid.UUID, facts []call.Fact, state call.State) {
	var changed chan struct{}
	cs.registry.change(id, func(c *liveCall) { c.state, changed = state, c.changed })
	cs.Journal.Add(journal.Entry{Kind: kindFacts, Value: factsEntry{id, storeFacts(facts), state}})
	c := cs.registry.call(id)
	if c == nil {
		return
	}
	cs.Recordings.record(id, facts, state)
	cs.Telephones.telephonesFollow(id, state)
	cs.Parties.lookAfter(id, &state)
	cs.Parties.tellListeners(id, facts, &state)
	cs.publishState(id, c, &state, false)
	if cs.router != nil {
		cs.router.Changed(id, &state)
	}
	if rung := repsIn(facts, &state); len(rung) > 0 {
		cs.Arrivals.tell(rung...)
	}
	if changed != nil {
		select {
		case changed <- struct{}{}:
		default: // it has not looked at the last change yet
		}
	}
}

// repsIn are the reps whose ring begins or ends with these facts.
func repsIn(facts []call.Fact, state *call.State) []uuid.UUID {
	var users []uuid.UUID
	for _, f := range facts {
		leg := state.Leg(f.Leg)
		if leg == nil || leg.Party != call.Rep || leg.Rang.IsZero() {
			continue
		}
		if u, err := uuid.Parse(leg.User); err == nil {
			users = append(users, u)
		}
	}
	return users
}

// callSaved tells that everything up to state is committed, and whether that changed what everybody owes.
func (cs *Calls) callSaved(id uuid.UUID, state call.State, settled bool) {
	c := cs.registry.call(id)
	if c == nil {
		return
	}
	cs.publishState(id, c, &state, true)
	if state.Phase() == call.PhaseMessage {
		cs.PublishHistory(&id, c.records...) // nobody is in it who would be told
	}
	if state.Phase() == call.PhaseEnded {
		cs.registry.drop(id)
		cs.PublishHistory(&id, c.records...)
		if c.placed != nil {
			cs.InBackground(func(ctx context.Context) { c.placed.Ended(ctx, id, state, c.parts) })
		}
		if settled {
			cs.Hub.Publish(contract.LiveEvent{Kind: contract.LiveEventKindLane})
			if cs.router != nil {
				cs.router.Waits()
			}
		} else {
			for rep := range c.parts {
				cs.PublishLane(rep)
			}
		}
		if state.Internal || state.More() { // slips on which nothing was written have been filed with it
			for rep := range c.parts {
				cs.PublishSlip(rep, id, "")
			}
		}
		if len(c.parts) > 0 {
			cs.Hub.Publish(contract.LiveEvent{Kind: contract.LiveEventKindTeam})
		}
	}
}

// publishState tells everybody who is in a call how it stands.
func (cs *Calls) publishState(id uuid.UUID, c *liveCall, state *call.State, saved bool) {
	tell := func(reader uuid.UUID) {
		view := cs.stateView(id, state, saved, reader)
		cs.Hub.Publish(contract.LiveEvent{Kind: contract.LiveEventKindCall, Call: &view}, reader)
	}
	for rep := range c.parts {
		tell(rep)
	}
}

func (cs *Calls) stateView(id uuid.UUID, s *call.State, saved bool, reader uuid.UUID) contract.CallState {
	var leftAt *time.Time
	var leftWhy *string
	if l := s.LeftAt(reader.String()); l != nil {
		leftAt, leftWhy = &l.Ended, new(string(l.Reason))
	}
	return contract.CallState{LeftAt: leftAt, LeftReason: leftWhy,
		CallID:     id,
		Place:      &s.Place,
		Parties:    cs.partiesOf(id, s, reader),
		Acts:       actsOf(s, reader),
		Seq:        s.Seq,
		Phase:      contract.Phase(s.Phase()),
		OnHold:     s.OnHold || s.Away(reader.String()),
		Muted:      s.Muted(reader.String()),
		StartedAt:  s.Started,
		RangAt:     optional.Time(s.Rang()),
		AnsweredAt: optional.Time(s.Answered()),
		EndedAt:    optional.Time(s.Ended),
		EndReason:  string(s.Reason),
		Saved:      saved,
	}
}

// keepNotes saves a text that waited in the journal. Nobody can be asked about a conflict any more, so both are kept.
func keepNotes(ctx context.Context, q *db.Queries, e notesEntry) error {
	now, err := lockNotes(ctx, q, e.Slip)
	if err != nil {
		return err
	}
	next := slip.Keep(now, e.Edit)
	if next == now {
		return nil
	}
	return q.PutNotes(ctx, db.PutNotesParams{SlipID: e.Slip, Body: next.Body, Version: next.Version,
		Writer: next.Writer, SavedAt: e.Edit.At})
}

func lockNotes(ctx context.Context, q *db.Queries, id uuid.UUID) (slip.Notes, error) {
	row, err := q.LockNotes(ctx, id)
	if store.NotFound(err) {
		return slip.Notes{}, nil
	}
	return slip.Notes{Body: row.Body, Version: row.Version, Writer: row.Writer}, err
}
