package calls

import (
	"cmp"
	"context"
	"encoding/json"
	"strings"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/absence"
	"trundo/internal/core/call"
	"trundo/internal/core/presence"
	"trundo/internal/core/rights"
	"trundo/internal/desk/firm"
	"trundo/internal/optional"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// wrongClock is by how much a time may lie ahead; clocks of servers differ by less.
const wrongClock = time.Minute

// presence is everybody of the firm, or those of them who are among some, in the order in which they are shown, and
// what
// each of them is doing.
func (tm *Team) presence(ctx context.Context, among ...uuid.UUID) ([]db.UsersRow, map[uuid.UUID]presence.Rep, error) {
	f, err := tm.Settings(ctx)
	if err != nil {
		return nil, nil, err
	}
	now := tm.Clock.Now()
	since := now.Add(-f.Wrap)
	// What ended in the future was written by a clock that was wrong: nobody wraps up for a day.
	users, err := tm.Store.Users(ctx, db.UsersParams{WrappingSince: &since, Soon: now.Add(wrongClock), Among: among})
	if err != nil {
		return nil, nil, err
	}
	calls, away := tm.registry.counts(), f.Away(now)
	doing := make(map[uuid.UUID]presence.Rep, len(users))
	for _, u := range users {
		r := presence.Rep{
			ID:            u.ID.String(),
			AwayUntil:     away[u.ID.String()].Until,
			State:         u.Availability,
			Takes:         u.TakesCalls,
			Since:         optional.TimeOf(u.Since),
			Round:         u.InRound,
			Calls:         calls[u.ID],
			SpeakingSince: optional.TimeOf(u.SpeakingSince),
			LastEnded:     optional.TimeOf(u.LastEndedAt),
			WrappingSince: u.WrappingSince,
			Window:        tm.Hub.Reached(u.ID),
			Telephone:     u.Rings || tm.Telephones.telephoneOf(u.ID) != nil,
		}
		if r.LastEnded.After(now.Add(wrongClock)) {
			r.LastEnded = time.Time{}
		}
		if at := tm.registry.left(u.ID); at.After(r.WrappingSince) && at.After(since) {
			r.WrappingSince = at
		}
		if u.InCall && r.Calls == 0 && tm.Arrivals.elsewhere(ctx, u.ID) {
			r.Calls = 2 // on another server, which alone could hold that call
		}
		doing[u.ID] = r
	}
	return users, doing, nil
}

// Colleagues are the people of the firm, with what they are doing.
func (tm *Team) Colleagues(ctx context.Context) ([]contract.Colleague, error) {
	users, doing, err := tm.presence(ctx)
	if err != nil {
		return nil, err
	}
	f, err := tm.Settings(ctx)
	if err != nil {
		return nil, err
	}
	away, names := f.Away(tm.Clock.Now()), map[string]string{}
	for _, u := range users {
		names[u.ID.String()] = u.Name
	}
	list := make([]contract.Colleague, len(users))
	for i, u := range users {
		r := doing[u.ID]
		what, since := r.Doing()
		list[i] = contract.Colleague{ID: u.ID, Name: u.Name, Extension: u.Extension, Team: u.Team, Availability: what,
			Since:   optional.Time(since),
			Reached: r.Reached(), Free: r.Free()}
		if is, gone := away[u.ID.String()]; gone {
			list[i].AwayUntil, list[i].Deputy = &is.Until, new(names[absence.Deputy(away, u.ID.String())])
		}
	}
	return list, nil
}

// Team is everybody of the firm.
func (tm *Team) Team(ctx context.Context) ([]contract.Colleague, error) { return tm.Colleagues(ctx) }

// TeamSeenBy is everybody of the firm, with whose day a may see.
func (tm *Team) TeamSeenBy(ctx context.Context, a firm.Actor) ([]contract.Colleague, error) {
	list, err := tm.Colleagues(ctx)
	for i := range list {
		list[i].MaySeeDay = new(tm.MayOf(ctx, a, rights.SeeDays, &list[i].ID))
		list[i].ListenCallID = tm.Parties.mayListen(ctx, a, list[i].ID)
	}
	return list, err
}

// SetAvailability puts a into a state. Whoever is rung and takes no calls any more is rung no longer. Error:
// *FieldError.
func (tm *Team) SetAvailability(ctx context.Context, a firm.Actor, state uuid.UUID) error {
	_, err := tm.putInto(ctx, a.ID, state)
	return err
}

// SetAvailabilityOf puts a colleague into a state, and tells them who has. Errors: ErrForbidden, *FieldError.
func (tm *Team) SetAvailabilityOf(ctx context.Context, a firm.Actor, user, state uuid.UUID) error {
	if user != a.ID && !tm.MayOf(ctx, a, rights.LeadQueues, &user) {
		return firm.ErrForbidden
	}
	label, err := tm.putInto(ctx, user, state)
	if err != nil || user == a.ID {
		return err
	}
	tm.Hub.Publish(contract.LiveEvent{Kind: contract.LiveEventKindWord,
		Word: new(a.Name + " has set your availability to " + label)}, user)
	return tm.Store.Tx(ctx, func(q *db.Queries) error {
		return tm.Audited(ctx, q, a, "member", user, "availability", nil, map[string]string{"availability": label})
	})
}

// putInto puts somebody into a state, and tells what it is called.
func (tm *Team) putInto(ctx context.Context, user, state uuid.UUID) (label string, err error) {
	f, err := tm.Settings(ctx)
	if err != nil {
		return "", err
	}
	for _, s := range f.States {
		if s.ID != state || !s.Active {
			continue
		}
		if err := tm.Store.SetAvailability(ctx,
			db.SetAvailabilityParams{UserID: user, StateID: state, At: tm.Clock.Now()}); err != nil {
			return "", err
		}
		if !s.TakesCalls {
			for _, id := range tm.Arrivals.RingingFor(user) {
				_ = tm.board.Do(ctx, id, call.Withdraw{From: user.String()})
			}
		}
		tm.Hub.Publish(contract.LiveEvent{Kind: contract.LiveEventKindTeam}) // colleagues see it
		tm.mayBeFree()
		return s.Label, nil
	}
	return "", firm.Wrong("availability", "there is no such state")
}

// AvailabilityHistory is what somebody has done today, newest first, their calls included: one's own, or of anybody for
// those who lead. Error: ErrForbidden.
func (tm *Team) AvailabilityHistory(ctx context.Context, a firm.Actor,
	user uuid.UUID) ([]contract.AvailabilityChange, error) {
	if !tm.MayOf(ctx, a, rights.SeeDays, &user) {
		return nil, firm.ErrForbidden
	}
	f, err := tm.Settings(ctx)
	if err != nil {
		return nil, err
	}
	now := tm.Clock.Now()
	from := firm.DayStart(now, a.Location())
	rows, err := tm.Store.AvailabilityHistory(ctx, db.AvailabilityHistoryParams{UserID: user, Since: from})
	if err != nil {
		return nil, err
	}
	chosen := make([]presence.Change, len(rows))
	for i, r := range rows {
		chosen[i] = presence.Change{At: r.At, What: r.Label, Takes: r.TakesCalls, Works: r.CountsAsWork}
	}
	calls, err := tm.Store.PartsInCalls(ctx, db.PartsInCallsParams{UserID: user, Since: from})
	if err != nil {
		return nil, err
	}
	parts := make([]presence.Part, len(calls))
	for i, c := range calls {
		parts[i] = presence.Part{From: c.CreatedAt, To: optional.TimeOf(cmp.Or(c.LeftAt, c.EndedAt)),
			Filed: optional.TimeOf(c.FiledAt)}
	}
	changes := []contract.AvailabilityChange{}
	for _, c := range presence.Day(chosen, parts, from, now, f.Wrap) {
		changes = append(changes, contract.AvailabilityChange{At: c.At, Label: c.What, TakesCalls: c.Takes,
			CountsAsWork: c.Works})
	}
	return changes, nil
}

// AvailabilityStates are the firm's states, also those no longer offered. Error: ErrForbidden.
func (tm *Team) AvailabilityStates(ctx context.Context, a firm.Actor) ([]contract.AvailabilityState, error) {
	if !a.MayDo(rights.Telephony) {
		return nil, firm.ErrForbidden
	}
	f, err := tm.Settings(ctx)
	if err != nil {
		return nil, err
	}
	states := []contract.AvailabilityState{}
	for _, s := range f.States {
		states = append(states, contract.AvailabilityState{ID: &s.ID, Label: s.Label, TakesCalls: s.TakesCalls,
			CountsAsWork: s.CountsAsWork, Active: s.Active})
	}
	return states, nil
}

// SetAvailabilityStates sets the firm's states, in their order, and how long wrapping up may last. Who is in a state
// that is no longer offered is put into the first that takes no calls. Errors: ErrForbidden, *FieldError.
func (tm *Team) SetAvailabilityStates(ctx context.Context, a firm.Actor,
	e contract.AvailabilityStates) ([]contract.AvailabilityState, error) {
	if !a.MayDo(rights.Telephony) {
		return nil, firm.ErrForbidden
	}
	var takes, rests *uuid.UUID
	labels := map[string]bool{}
	for i := range e.States {
		s := &e.States[i]
		if s.ID == nil {
			id := store.NewID()
			s.ID = &id
		}
		s.Label = firm.CleanText(s.Label)
		switch {
		case s.Label == "":
			return nil, firm.Wrong("states", "a state needs a name")
		case s.Active && labels[strings.ToLower(s.Label)]:
			return nil, firm.Wrong("states", "there are two states “"+s.Label+"”")
		}
		if !s.Active {
			continue
		}
		labels[strings.ToLower(s.Label)] = true
		if s.TakesCalls && takes == nil {
			takes = s.ID
		} else if !s.TakesCalls && rests == nil {
			rests = s.ID
		}
	}
	if takes == nil || rests == nil {
		return nil, firm.Wrong("states", "there has to be a state that takes calls and one that does not")
	}
	err := tm.Store.Tx(ctx, func(q *db.Queries) error {
		for i, s := range e.States {
			if err := q.PutAvailabilityState(ctx,
				db.PutAvailabilityStateParams{ID: *s.ID, Label: s.Label, TakesCalls: s.TakesCalls,
					CountsAsWork: s.CountsAsWork, Position: i, Active: s.Active}); err != nil {
				return err
			}
			if !s.Active {
				if err := q.LeaveState(ctx, db.LeaveStateParams{Instead: *rests, StateID: *s.ID,
					At: tm.Clock.Now()}); err != nil {
					return err
				}
			}
		}
		if e.WrapSeconds == nil {
			return nil
		}
		var now firm.FirmSettings
		if err := firm.ReadSetting(ctx, q, "firm", &now); err != nil {
			return err
		}
		now.WrapSeconds = *e.WrapSeconds
		value, err := json.Marshal(now)
		if err != nil {
			return err
		}
		return q.PutSetting(ctx, db.PutSettingParams{Key: "firm", Value: value})
	})
	if err != nil {
		return nil, err
	}
	tm.BookChanged()
	tm.Hub.Publish(contract.LiveEvent{Kind: contract.LiveEventKindTeam})
	return tm.AvailabilityStates(ctx, a)
}

// LeaveNote puts a line into a colleague's lane. The same key leaves one. Errors: ErrNotFound, *FieldError,
// ErrKeyReused.
func (tm *Team) LeaveNote(ctx context.Context, a firm.Actor, to uuid.UUID, key, text string) error {
	if text = firm.CleanText(text); text == "" {
		return firm.Wrong("text", "say in a few words what it is about")
	}
	if _, err := tm.Store.User(ctx, to); store.NotFound(err) {
		return firm.ErrNotFound
	} else if err != nil {
		return err
	}
	type note struct {
		To   uuid.UUID
		Text string
	}
	if _, err := tm.Once(ctx, a, key, "leave_note", note{to, text}, func(q *db.Queries, id uuid.UUID) error {
		return q.InsertColleagueNote(ctx,
			db.InsertColleagueNoteParams{ID: id, FromID: a.ID, ToID: to, Text: text, At: tm.Clock.Now()})
	}); err != nil {
		return err
	}
	tm.PublishLane(to)
	return nil
}

// SettleNote marks a note to a as done, or open again. Error: ErrNotFound.
func (tm *Team) SettleNote(ctx context.Context, a firm.Actor, id uuid.UUID, done bool) error {
	var at *time.Time
	if done {
		now := tm.Clock.Now()
		at = &now
	}
	n, err := tm.Store.SettleColleagueNote(ctx, db.SettleColleagueNoteParams{DoneAt: at, ID: id, ToID: a.ID})
	if err == nil && n == 0 {
		return firm.ErrNotFound
	}
	tm.PublishLane(a.ID)
	return err
}

// colleagueRings is for how long a colleague is rung before voicemail takes the call.
const colleagueRings = 25 * time.Second

// placeInternal calls a colleague. Who takes no calls, or is in two already, is not rung: voicemail takes the call.
func (tm *Team) placeInternal(ctx context.Context, a firm.Actor, key string, hash []byte,
	r contract.NewCall) (uuid.UUID, error) {
	if r.NumberID != nil || r.Typed != nil {
		return uuid.Nil, firm.Wrong("colleague_id", "give either a number or a colleague")
	}
	if *r.ColleagueID == a.ID {
		return uuid.Nil, firm.Wrong("colleague_id", "this is yourself")
	}
	f, err := tm.Settings(ctx)
	if err != nil {
		return uuid.Nil, err
	}
	to := *r.ColleagueID
	// Who calls somebody that is away reaches who stands in, unless that is they.
	if there := present([]uuid.UUID{to}, f.Away(tm.Clock.Now())); there[0] != a.ID {
		to = there[0]
	}
	u, err := tm.Store.User(ctx, to)
	if store.NotFound(err) {
		return uuid.Nil, firm.About("colleague_id", firm.ErrNotFound)
	} else if err != nil {
		return uuid.Nil, err
	}
	now := tm.Clock.Now()
	state, facts, effects, err := begin(call.PlaceInternal{By: a.ID.String(), To: u.ID.String(), Device: "browser"},
		now)
	if err != nil {
		return uuid.Nil, err
	}
	id, slipID := store.NewID(), store.NewID()
	response, err := json.Marshal(firm.CommandAnswer{ID: id})
	if err != nil {
		return uuid.Nil, err
	}
	p := db.PlaceInternalParams{CallID: &id, ColleagueName: u.Name, UserID: a.ID, ColleagueID: &u.ID,
		OwnerServer: tm.Server, OwnerEpoch: tm.Epoch, State: string(state.Phase()),
		LastSeq: state.Seq, At: now, FactSchema: call.Schema, SlipID: slipID, CommandKey: key, RequestHash: hash,
		Response: response}
	p.FactSeqs, p.FactKinds, p.FactData = factColumns(facts)
	live := &liveCall{parts: map[uuid.UUID]uuid.UUID{a.ID: slipID}, state: state, changed: make(chan struct{}, 1)}
	if err := tm.commitPlaced(ctx, a, id, live, r.InsteadOf, effects,
		func(q *db.Queries) error { return q.PlaceInternal(ctx, p) }); err != nil {
		return uuid.Nil, err
	}
	tm.InBackground(func(ctx context.Context) { tm.ringColleague(ctx, id, u.ID, a.Name) })
	return id, nil
}

// ringColleague rings a colleague until they answer, decline or have been rung for long enough; then voicemail takes
// the call.
func (tm *Team) ringColleague(ctx context.Context, id, colleague uuid.UUID, caller string) {
	_, doing, err := tm.presence(ctx, colleague)
	if err == nil && doing[colleague].ForColleague() {
		tm.Telephones.ringTelephones(ctx, id, "a call of "+caller, []string{colleague.String()})
		tm.Arrivals.tell(colleague)
		timer := tm.Clock.NewTimer(colleagueRings)
		defer timer.Stop()
		changed := tm.Arrivals.changedOf(id)
		for rings := true; rings; {
			s, there := tm.board.Snapshot(id)
			if !there || s.Phase() != call.PhaseRinging {
				return
			}
			select {
			case <-ctx.Done():
				return
			case <-changed:
			case <-timer.Chan():
				rings = false
			}
		}
	}
	if tm.board.Do(ctx, id, call.MachineTakes{Device: call.Voicemail, Box: colleague.String()}) == nil {
		tm.Arrivals.greet(ctx, id, &colleague, db.LineByNumberRow{})
	}
}
