package calls

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/call"
	"trundo/internal/core/lane"
	"trundo/internal/core/phone"
	"trundo/internal/core/rights"
	"trundo/internal/core/touch"
	"trundo/internal/desk/firm"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// worthOf is a call that is over as core/touch sees it, before anybody has said what came of it.
func worthOf(s call.State) touch.Call {
	machine := slices.ContainsFunc(s.Legs, func(l call.Leg) bool { return l.Device == call.Prepared })
	return touch.Call{Inbound: s.Inbound, Internal: s.Internal, Answered: !s.Answered().IsZero(), Machine: machine,
		Left: s.Reason == call.MessageLeft}
}

// settleUnreturned keeps, with the end of a call, what it means for calls that are owed: a call that nobody answered is
// owed from now on, a conversation or a voicemail settles what is owed to its number, a try without an answer is
// counted. It tells whether anything changed.
func settleUnreturned(ctx context.Context, q *db.Queries, id uuid.UUID, s call.State) (bool, error) {
	worth := worthOf(s)
	if s.Internal {
		if _, err := q.FileEmptySlips(ctx, db.FileEmptySlipsParams{At: &s.Ended, CallID: id}); err != nil {
			return false, err
		}
		if worth.Answered {
			return false, q.SettleColleagueCalls(ctx, db.SettleColleagueCallsParams{At: &s.Ended, CallID: id})
		}
		return true, q.OwesColleague(ctx, db.OwesColleagueParams{CallID: id, Text: missedColleague(s)})
	}
	switch {
	case s.Owed():
		return true, q.OwesCall(ctx, id)
	case s.Inbound && !worth.Answered:
		return false, nil
	}
	return settleBy(ctx, q, id, worth.Returns(), s.Ended)
}

// settleBy keeps what a call means for who had called in vain from its number. It tells whether anything changed.
func settleBy(ctx context.Context, q *db.Queries, id uuid.UUID, r touch.Return, at time.Time) (bool, error) {
	if r == touch.None {
		return false, nil
	}
	if r == touch.ByTalking {
		if err := q.CancelTriesBy(ctx, id); err != nil {
			return false, err
		}
	}
	n, err := q.SettleUnreturned(ctx,
		db.SettleUnreturnedParams{CallID: id, Settles: r.Settles(), How: string(r), At: at})
	if err != nil || r != touch.ByTalking {
		return n > 0, err
	}
	backs, err := q.SettleCallbacks(ctx, db.SettleCallbacksParams{CallID: id, At: at})
	return n+backs > 0, err
}

// Weigh looks again at what a call that is over was worth, now that its outcome has been said, corrected or taken back.
func (cs *Calls) Weigh(ctx context.Context, q *db.Queries, id uuid.UUID) (touch.Call, error) {
	row, err := q.CallWorth(ctx, id)
	if err != nil || row.EndedAt == nil {
		return touch.Call{}, err
	}
	worth := touch.Call{Inbound: row.Direction == string(contract.CallDirectionInbound),
		Internal: row.Direction == string(contract.CallDirectionInternal),
		Answered: row.AnsweredAt != nil, Machine: row.Machine, Left: row.LeftMessage ||
			row.DropResult == string(contract.CallDropLeft) || call.Reason(row.EndReason) == call.MessageLeft}
	switch {
	case row.OutcomeID == nil:
	case row.Reached:
		worth.Outcome = touch.Reached
	default:
		worth.Outcome = touch.NotReached
	}
	if worth.Conversation() != row.Spoke {
		if err := q.SetSpoke(ctx, db.SetSpokeParams{CallID: id, Spoke: worth.Conversation()}); err != nil {
			return worth, err
		}
	}
	changed := false
	if r := worth.Returns(); r.Settles() {
		if row.Owes {
			changed, err = settleBy(ctx, q, id, r, *row.EndedAt)
		}
	} else {
		var n int64
		n, err = q.UnsettleBy(ctx, &id)
		changed = n > 0
	}
	if changed {
		defer cs.Hub.Publish(contract.LiveEvent{Kind: contract.LiveEventKindLane})
	}
	return worth, err
}

// settleAll does that for calls in the order in which they changed. Those that only settle something, as most do, are
// asked about together.
func settleAll(ctx context.Context, q *db.Queries, calls []uuid.UUID, states map[uuid.UUID]call.State,
	settled map[uuid.UUID]bool) error {
	var ended []uuid.UUID
	onlySettle := true
	for _, id := range calls {
		if s := states[id]; !s.Ended.IsZero() {
			ended = append(ended, id)
			onlySettle = onlySettle && !s.Internal && (!s.Inbound || !s.Answered().IsZero())
		}
	}
	if onlySettle && len(ended) > 0 {
		var err error
		if ended, err = q.CallsThatSettle(ctx, ended); err != nil {
			return fmt.Errorf("what calls settle: %w", err)
		}
	}
	for _, id := range calls {
		if err := fileAsked(ctx, q, id, states[id]); err != nil {
			return fmt.Errorf("slips of who was asked in call %s: %w", id, err)
		}
	}
	for _, id := range ended {
		var err error
		if settled[id], err = settleUnreturned(ctx, q, id, states[id]); err != nil {
			return fmt.Errorf("what call %s settles: %w", id, err)
		}
	}
	return nil
}

// fileAsked files, at the end of a call, the slips of those who were only asked something and have written nothing.
func fileAsked(ctx context.Context, q *db.Queries, id uuid.UUID, s call.State) error {
	if s.Ended.IsZero() {
		return nil
	}
	var users []uuid.UUID
	for _, user := range s.OnlyConsulted() {
		if u, err := uuid.Parse(user); err == nil {
			users = append(users, u)
		}
	}
	if len(users) == 0 {
		return nil
	}
	return q.FileEmptySlipsOf(ctx, db.FileEmptySlipsOfParams{At: &s.Ended, CallID: id, Users: users})
}

// missedColleague is what stands in the lane of a colleague who was called and did not answer.
func missedColleague(s call.State) string {
	if m := s.Message(); m > 0 {
		return fmt.Sprintf("left you a message of %s", minutesAndSeconds(m))
	}
	return "called you"
}

// minutesAndSeconds reads a duration as "0:34".
func minutesAndSeconds(d time.Duration) string {
	s := int(d.Round(time.Second).Seconds())
	return fmt.Sprintf("%d:%02d", s/60, s%60)
}

// LaneMissed are the calls that the firm owes, one entry for each number.
func (cs *Calls) LaneMissed(ctx context.Context, a firm.Actor,
	f *firm.Settings) ([]lane.Item, map[string]db.OpenUnreturnedRow, error) {
	p := db.OpenUnreturnedParams{Everything: a.Rights[rights.SeeOwed] == rights.All, Me: a.ID, Teams: []string{}}
	if a.Rights[rights.SeeOwed] == rights.Team {
		p.Teams = a.Teams
	}
	rows, err := cs.Store.OpenUnreturned(ctx, p)
	if err != nil {
		return nil, nil, err
	}
	var items []lane.Item
	of := map[string]db.OpenUnreturnedRow{}
	seen := map[string]bool{}
	for i := len(rows) - 1; i >= 0; i-- { // the newest of each number stands for all
		r := rows[i]
		number := phone.Number{E164: r.RemoteE164, Ext: r.RemoteExt}.Key()
		if r.RemoteE164 != "" && seen[number] {
			continue
		}
		seen[number] = true
		line := ""
		if r.LineID != nil {
			line = f.LineLabels[*r.LineID]
		}
		it := lane.Item{Kind: lane.MissedCall, ID: r.CallID.String(), Since: r.Since, Line: line, Times: r.Times,
			Tries: r.Tries, Voicemail: time.Duration(r.MessageMs) * time.Millisecond}
		if r.TakenBy != nil {
			if it.TakenBy = r.TakenName; *r.TakenBy == a.ID {
				it.TakenByMe = true
			}
		}
		it.CallingNow, it.OptedOut = r.CallingName, r.OptedOut
		items, of[it.ID] = append(items, it), r
	}
	return items, of, nil
}

// ChangeUnreturned takes a missed call on, gives it back, or closes it by hand with a reason; all windows are told at
// once. It holds for every missed call of the same number. Errors: ErrNotFound, *FieldError.
func (cs *Calls) ChangeUnreturned(ctx context.Context, a firm.Actor, id uuid.UUID, c contract.UnreturnedChange) error {
	reason := firm.CleanReason(c.Reason)
	err := cs.Store.Tx(ctx, func(q *db.Queries) error {
		u, err := q.LockUnreturned(ctx, id)
		switch {
		case store.NotFound(err):
			return firm.ErrNotFound
		case err != nil:
			return err
		case u.ClosedAt != nil && c.Action != contract.UnreturnedChangeActionReopen:
			return ErrSettled
		case (c.Action == contract.UnreturnedChangeActionTake || c.Action == contract.UnreturnedChangeActionGiveBack) && u.TakenBy != nil && *u.TakenBy != a.ID:
			return ErrTakenOn
		}
		now := cs.Clock.Now()
		switch c.Action {
		case contract.UnreturnedChangeActionTake:
			return q.TakeUnreturned(ctx, db.TakeUnreturnedParams{UserID: &a.ID, At: &now, RemoteE164: u.RemoteE164,
				RemoteExt: u.RemoteExt, CallID: id})
		case contract.UnreturnedChangeActionGiveBack:
			return q.TakeUnreturned(ctx, db.TakeUnreturnedParams{At: &now, RemoteE164: u.RemoteE164,
				RemoteExt: u.RemoteExt, CallID: id})
		case contract.UnreturnedChangeActionReopen:
			return q.ReopenUnreturned(ctx, id)
		}
		if reason == "" {
			return firm.Wrong("reason", "say why nobody has to call back")
		}
		if err := q.CloseUnreturned(ctx,
			db.CloseUnreturnedParams{At: &now, UserID: &a.ID, How: "by hand", Reason: reason, RemoteE164: u.RemoteE164,
				RemoteExt: u.RemoteExt, CallID: id}); err != nil {
			return err
		}
		return cs.Audited(ctx, q, a, "call", id, "closed without calling back", map[string]string{},
			map[string]string{"why": reason})
	})
	if err != nil {
		return err
	}
	cs.Hub.Publish(contract.LiveEvent{Kind: contract.LiveEventKindLane})
	return nil
}

// Errors about missed calls.
var (
	ErrSettled = errors.New("somebody has come back to this call already")
	ErrTakenOn = errors.New("a colleague has taken this call on already")
)

// MissedText is how a missed call's number is read.
func MissedText(r db.OpenUnreturnedRow, f *firm.Settings, a firm.Actor) string {
	if r.RemoteE164 == "" {
		return cmp.Or(r.RemoteTyped, "number withheld")
	}
	return phone.Format(r.RemoteE164, r.RemoteExt, f.Region, a.Style)
}
