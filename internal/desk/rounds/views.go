package rounds

import (
	"context"
	"fmt"
	"io"
	"slices"
	"sync"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"trundo/internal/contract"
	"trundo/internal/core/rights"
	"trundo/internal/core/round"
	"trundo/internal/desk/filing"
	"trundo/internal/desk/firm"
	"trundo/internal/formats"
	"trundo/internal/optional"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// manyPeople is from how many people on the figures of a round are remembered for countsFresh: counting them takes
// longer than a call is worth.
const (
	manyPeople  = 5_000
	countsFresh = 5 * time.Second
	// shownReps is how many of those who work on a round are named, and everybody more than work on any.
	shownReps, everybody = 12, 10_000
)

// roundCounts are the people of a round by where they stand.
type roundCounts struct {
	waiting, later, held, done, called, reached int
	at                                          time.Time
}

// counting is what is remembered of the figures of a large round: one counts, and everybody else gets what was counted
// last.
type counting struct {
	mu    sync.Mutex
	value roundCounts
	busy  bool
}

func (rs *Rounds) countRound(ctx context.Context, id uuid.UUID, total int) (roundCounts, error) {
	if total < manyPeople {
		return rs.countNow(ctx, id)
	}
	kept, _ := rs.counts.LoadOrStore(id, &counting{})
	c := kept.(*counting)
	c.mu.Lock()
	defer c.mu.Unlock()
	known := !c.value.at.IsZero()
	if known && (c.busy || rs.Clock.Since(c.value.at) < countsFresh) {
		return c.value, nil
	}
	if known { // the others need not wait
		c.busy = true
		c.mu.Unlock()
		value, err := rs.countNow(ctx, id)
		c.mu.Lock()
		if c.busy = false; err == nil {
			c.value = value
		}
		return c.value, err
	}
	value, err := rs.countNow(ctx, id)
	if err == nil {
		c.value = value
	}
	return value, err
}

func (rs *Rounds) countNow(ctx context.Context, id uuid.UUID) (roundCounts, error) {
	c := roundCounts{at: rs.Clock.Now()}
	rows, err := rs.Store.RoundCounts(ctx, id)
	for _, r := range rows {
		switch r.State {
		case "waiting":
			c.waiting += r.People
		case "later":
			c.later += r.People
		case "done":
			c.done += r.People
		default:
			c.held += r.People
		}
		c.called += r.Called
		if round.Bead(r.Bead) == round.Spoke {
			c.reached += r.People
		}
	}
	return c, err
}

// Round is a round as a sees it, with whom a is at. Error: ErrNotFound.
func (rs *Rounds) Round(ctx context.Context, a firm.Actor, id uuid.UUID) (contract.Round, error) {
	r, err := rs.round(ctx, a, id)
	if err != nil {
		return contract.Round{}, err
	}
	view := contract.Round{ID: r.ID, Name: r.Name, ListID: r.ListID, Starter: r.Starter, StartedAt: r.StartedAt,
		Settings: r.settings, Version: r.Version, Total: r.Total,
		Preparing: string(r.Source) != "{}", Over: r.EndedAt != nil, Reps: []contract.RoundRep{}}
	counts, err := rs.countRound(ctx, id, r.Total)
	if err != nil {
		return view, err
	}
	view.Ready, view.Later, view.Called, view.Reached, view.Remaining = counts.waiting, counts.later, counts.called, counts.reached, counts.waiting+counts.later+counts.held
	if counts.later > 0 && counts.waiting == 0 {
		at, err := rs.Store.NextReady(ctx, id)
		if err != nil {
			return view, err
		}
		view.NextAt = &at
	}
	reps, err := rs.Store.RoundReps(ctx, db.RoundRepsParams{RoundID: id, Me: a.ID, Count: shownReps})
	if err != nil {
		return view, err
	}
	going := 0
	for _, x := range reps {
		view.Reps = append(view.Reps, contract.RoundRep{ID: x.UserID, Name: x.Name,
			State: contract.RoundRepState(x.State), Why: x.Why})
		going = x.Going
		if x.UserID == a.ID {
			view.Mine, view.Why, view.StopAfter = contract.RoundMine(x.State), x.Why, x.StopAfter
		}
	}
	if view.Mine == contract.RoundMineGoing && !view.Over {
		if view.Current, err = rs.roundCurrent(ctx, a, r); err != nil {
			return view, err
		}
		if view.Current == nil || view.Current.State == contract.RoundCurrentStateTaken {
			if view.Waits, err = rs.roundWaits(ctx, a, r); err != nil {
				return view, err
			}
		}
	}
	if err := rs.roundPace(ctx, id, going, &view); err != nil {
		return view, err
	}
	today := firm.DayStart(rs.Clock.Now(), a.Location())
	if view.Today, err = rs.roundDay(ctx, a, today, today.AddDate(0, 0, 1)); err != nil {
		return view, err
	}
	if view.Yesterday, err = rs.roundDay(ctx, a, today.AddDate(0, 0, -1), today); err != nil {
		return view, err
	}
	last, err := rs.Store.LastSettled(ctx,
		db.LastSettledParams{RoundID: id, UserID: a.ID, Since: optional.Time(rs.Clock.Now().Add(-filing.UndoPatience))})
	switch {
	case store.NotFound(err):
	case err != nil:
		return view, err
	case last.Outcome != "":
		view.Undo = &contract.RoundUndo{SlipID: last.SlipID, Name: last.Name, Outcome: last.Outcome,
			Until: last.SettledAt.Add(filing.UndoPatience)}
	}
	return view, nil
}

// roundCurrent is whom a is at; nil: nobody.
func (rs *Rounds) roundCurrent(ctx context.Context, a firm.Actor, r aRound) (*contract.RoundCurrent, error) {
	h, err := rs.held(ctx, rs.Store.Queries, a, r.ID)
	if err != nil || h == nil {
		return nil, err
	}
	f, err := rs.Settings(ctx)
	if err != nil {
		return nil, err
	}
	people, err := rs.roundPeople(ctx, rs.Store.Queries, a, f, []uuid.UUID{h.RecordID})
	if err != nil {
		return nil, err
	}
	x := people[h.RecordID]
	view := &contract.RoundCurrent{Position: h.Position, Record: x.record, Company: x.company, Attempt: h.Attempts,
		NumberID: h.NumberID, Numbers: []contract.PhoneNumber{}, DialAt: h.DialAt,
		State: contract.RoundCurrentState(h.State)}
	if h.State == "taken" {
		view.Attempt++
	}
	for _, n := range x.numbers {
		number := rs.Book.NumberView(n, a, f)
		view.Numbers = append(view.Numbers, number)
		if h.NumberID != nil && n.ID == *h.NumberID {
			view.Until = number.ChangesAt
		}
	}
	if i, more := round.NextAt(x.person, append(firm.IDTexts(h.Tried), optional.ID(h.NumberID)), rs.Hours,
		rs.Clock.Now()); more {
		view.NextNumberID = &x.numbers[i].ID
	}
	reach, err := rs.reachOf(ctx, rs.Store.Queries, a, x)
	if err != nil {
		return nil, err
	}
	view.Reach = x.reachText(reach, h.NumberID, rs.roundTimes(a))
	if h.State == "calling" {
		call, err := rs.Calls.CallView(ctx, a, *h.CallID)
		if err != nil {
			return nil, err
		}
		view.Call = &call
	}
	return view, nil
}

// roundPace says how long a person takes, and when the round will be done.
func (rs *Rounds) roundPace(ctx context.Context, id uuid.UUID, going int, view *contract.Round) error {
	rows, err := rs.Store.RoundSettledAt(ctx, id)
	if err != nil {
		return err
	}
	// Each rep's own pace: those of several at work would lie between each other.
	by := map[uuid.UUID][]time.Time{}
	for _, r := range slices.Backward(rows) {
		by[r.UserID] = append(by[r.UserID], *r.SettledAt)
	}
	var sum time.Duration
	n := 0
	for _, times := range by {
		if each := round.Average(times); each > 0 {
			sum += each
			n++
		}
	}
	if n == 0 {
		return nil
	}
	each := sum / time.Duration(n)
	view.AverageMs = each.Milliseconds()
	if view.Over {
		return nil
	}
	view.DoneAt = optional.Time(round.DoneAt(rs.Clock.Now(), view.Remaining, each, max(1, going)))
	return nil
}

// roundDay is what came of a's calls in rounds between two times.
func (rs *Rounds) roundDay(ctx context.Context, a firm.Actor, from, to time.Time) (contract.RoundDay, error) {
	day := contract.RoundDay{Outcomes: []contract.RoundTally{}}
	rows, err := rs.Store.AttemptsOfDay(ctx, db.AttemptsOfDayParams{UserID: a.ID, FromAt: from, ToAt: to})
	for _, r := range rows {
		day.Called += r.Calls
		if r.Reached {
			day.Reached += r.People
		}
		if r.Outcome != "" {
			day.Outcomes = append(day.Outcomes,
				contract.RoundTally{Outcome: r.Outcome, Reached: r.Reached, People: r.People})
		}
	}
	return day, err
}

// RoundPeople are the people of a round from a place on, in the order of the list. Error: ErrNotFound.
func (rs *Rounds) RoundPeople(ctx context.Context, a firm.Actor, id uuid.UUID, from,
	count int) ([]contract.RoundPerson, error) {
	if _, err := rs.round(ctx, a, id); err != nil {
		return nil, err
	}
	rows, err := rs.Store.RoundPeople(ctx, db.RoundPeopleParams{RoundID: id, FromPosition: from, Count: int32(count)})
	people := make([]contract.RoundPerson, len(rows))
	for i, r := range rows {
		p := contract.RoundPerson{Position: r.Position,
			Record: contract.RecordRef{ID: r.RecordID, Kind: contract.RecordKind(r.Kind), Name: r.Name},
			Bead:   contract.RoundPersonBead(r.Bead),
			Why:    r.Why, Attempts: r.Attempts, Rep: r.Rep, Outcome: r.Outcome,
			Left: contract.RoundPersonLeft(r.DropResult), CallID: r.CallID, At: r.SettledAt}
		if r.State == "later" {
			p.At = r.ReadyAt
		}
		people[i] = p
	}
	return people, err
}

// RoundResults are what came of a round. Error: ErrNotFound.
func (rs *Rounds) RoundResults(ctx context.Context, a firm.Actor, id uuid.UUID) (contract.RoundResults, error) {
	view := contract.RoundResults{Outcomes: []contract.RoundTally{}, Beads: []contract.RoundReason{}}
	if _, err := rs.round(ctx, a, id); err != nil {
		return view, err
	}
	rows, err := rs.Store.RoundResults(ctx, id)
	beads := map[string]int{}
	for _, r := range rows {
		view.People += r.People
		view.Attempts += int(r.Attempts)
		beads[r.Bead] += r.People
		if bead := round.Bead(r.Bead); bead == round.Spoke {
			view.Reached += r.People
		} else if bead != round.Refused {
			view.NotReached += r.People
		}
		if r.Outcome == "" {
			continue
		}
		if n := len(view.Outcomes); n > 0 && view.Outcomes[n-1].Outcome == r.Outcome {
			view.Outcomes[n-1].People += r.People
		} else {
			view.Outcomes = append(view.Outcomes,
				contract.RoundTally{Outcome: r.Outcome, Reached: r.Reached, People: r.People})
		}
	}
	for bead, n := range beads {
		view.Beads = append(view.Beads, contract.RoundReason{Reason: bead, Words: bead, Count: n})
	}
	slices.SortFunc(view.Beads, func(x, y contract.RoundReason) int { return y.Count - x.Count })
	return view, err
}

// WriteRoundResults writes what came of a round for each person, as CSV. Error: ErrNotFound.
func (rs *Rounds) WriteRoundResults(ctx context.Context, a firm.Actor, id uuid.UUID, w io.Writer) error {
	if !a.MayDo(rights.Export) {
		return firm.ErrForbidden
	}
	if _, err := rs.round(ctx, a, id); err != nil {
		return err
	}
	out, err := formats.NewCSVWriter(w,
		[]string{"Name", "Kind", "Result", "Outcome", "Attempts", "At", "Rep", "Message", "Why"})
	if err != nil {
		return err
	}
	for from := 0; ; {
		people, err := rs.RoundPeople(ctx, a, id, from, chunkOfRound)
		if err != nil {
			return err
		}
		if len(people) == 0 {
			return out.Flush()
		}
		for _, p := range people {
			at := ""
			if p.At != nil {
				at = p.At.In(a.Location()).Format(time.RFC3339)
			}
			if err := out.Write([]string{p.Record.Name, string(p.Record.Kind), string(p.Bead), p.Outcome,
				fmt.Sprint(p.Attempts), at, p.Rep, string(p.Left), p.Why}); err != nil {
				return err
			}
		}
		from = people[len(people)-1].Position + 1
	}
}

// ListRest makes a hand-made list of those whom a round did not reach. Errors: *FieldError, ErrNotFound.
func (rs *Rounds) ListRest(ctx context.Context, a firm.Actor, id uuid.UUID, name string) (contract.RecordList, error) {
	if _, err := rs.round(ctx, a, id); err != nil {
		return contract.RecordList{}, err
	}
	people, err := rs.Store.NotReached(ctx, id)
	if err != nil {
		return contract.RecordList{}, err
	}
	if len(people) == 0 {
		return contract.RecordList{}, firm.Wrong("name", "everybody was reached: there is no rest")
	}
	l, err := rs.Book.AddList(ctx, a,
		contract.ListEdit{Name: name, Type: contract.ListEditTypeHand, Kind: contract.ListEditKindPeople})
	if err != nil {
		return l, err
	}
	err = rs.Store.TxBoth(ctx, func(_ *db.Queries, tx pgx.Tx) error {
		_, err := tx.Exec(
			ctx,
			`INSERT INTO list_members (list_id, record_id, at) SELECT $1, r.id, $2 FROM records r WHERE r.id = ANY ($3) AND r.deleted_at IS NULL ON CONFLICT DO NOTHING`,
			l.ID,
			rs.Clock.Now(),
			people,
		)
		return err
	})
	if err != nil {
		return l, err
	}
	rs.BookChanged()
	return rs.Book.List(ctx, a, l.ID)
}
