package desk_test

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"os"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"trundo/internal/desk/filing"
	"trundo/internal/desk/firm"
	"trundo/internal/desk/rounds"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/carrier"
	"trundo/internal/carrier/sim"
	"trundo/internal/contract"
	"trundo/internal/core/call"
	"trundo/internal/core/callable"
	"trundo/internal/core/phone"
	"trundo/internal/core/slip"
	"trundo/internal/live"
	"trundo/internal/store"
)

// simulation is several rounds on which scripted reps work while things go wrong.
type simulation struct {
	*world
	gate     sync.RWMutex // held by whoever restarts the server
	rounds   []uuid.UUID
	outcomes []uuid.UUID // no answer, busy, wrong number, visit agreed
	left     atomic.Int64
	steps    atomic.Int64
	faults   [4]atomic.Int64 // restart, gone away, handed over, undone
}

// TestRoundsWithFaults runs rounds whose lists overlap: servers restart, reps go away in the middle, rounds are handed
// over, outcomes taken back. It runs small by itself; TRUNDO_ROUNDS=20x500 runs as many rounds of as many people (make
// simulate).
func TestRoundsWithFaults(t *testing.T) {
	rounds, people := 2, 7
	if size := os.Getenv("TRUNDO_ROUNDS"); size != "" {
		_, err := fmt.Sscanf(size, "%dx%d", &rounds, &people)
		require.NoError(t, err)
	}
	s := &simulation{world: newWorld(t)}
	s.behaviour = sim.Behaviour{RingsAfter: time.Second, RingsOn: true}
	s.outcomes = []uuid.UUID{s.outcome("No answer", `[{"kind":"retry","after":{"count":10,"unit":"minutes"}}]`),
		s.outcome("Busy", `[]`),
		s.outcome("Wrong number", `[{"kind":"do_not_call","value":"number","after":{}}]`), s.sold}
	pool := s.many(people * (rounds + 1) / 2)
	reps := s.reps(6)
	pick := rand.New(rand.NewPCG(7, 7))
	for i := range rounds {
		ids := make([]uuid.UUID, 0, people)
		for _, x := range pick.Perm(len(pool))[:people] { // everybody is on two lists or so
			ids = append(ids, pool[x])
		}
		s.rounds = append(s.rounds, s.starts(reps[i%len(reps)], ids, func(x *contract.RoundSettings) {
			x.PerDay, x.PerRound, x.SkipCalledToday, x.RetryMinutes = 3, 3, false, 10
			x.Then = []contract.RoundRule{{OutcomeID: s.outcomes[1], Then: contract.RoundRuleThenNextNumber}}
			if i%3 == 1 {
				x.Pace = contract.RoundSettingsPaceByKey
			}
		}).ID)
	}
	s.left.Store(int64(rounds))

	ctx, stop := context.WithTimeout(t.Context(), 50*time.Minute)
	defer stop()
	restarts := rand.New(rand.NewPCG(3, 3))
	next := int64(40)
	// the very last outcome may be taken back when everybody has gone home
	for day := uint64(1); s.left.Load() > 0 && ctx.Err() == nil; day++ {
		var group sync.WaitGroup
		for i, a := range reps {
			group.Go(func() { s.works(ctx, a, rand.New(rand.NewPCG(uint64(i), day))) })
		}
		for s.left.Load() > 0 && ctx.Err() == nil {
			s.clock.Advance(5 * time.Second)
			if s.steps.Load() > next {
				next += int64(200 + restarts.IntN(200))
				s.restart()
			}
			s.left.Store(s.unfinished())
			time.Sleep(500 * time.Microsecond) // lets a second of the simulation be about as long as a step
		}
		group.Wait()
		s.left.Store(s.unfinished())
	}
	require.NoError(t, ctx.Err(), "the rounds came to an end")
	s.check(people)
	t.Logf("%d rounds of %d people: %d steps, %d restarts, %d times a rep went away, %d rounds handed over, %d "+
		"outcomes taken back", rounds, people,
		s.steps.Load(), s.faults[0].Load(), s.faults[1].Load(), s.faults[2].Load(), s.faults[3].Load())
}

// unfinished is how many rounds are not over.
func (s *simulation) unfinished() (n int64) {
	require.NoError(s.t, s.store.Pool.QueryRow(s.t.Context(),
		`SELECT count(*) FROM rounds WHERE ended_at IS NULL`).Scan(&n))
	return n
}

// many makes so many contacts with one number each, every fifth with two.
func (s *simulation) many(n int) []uuid.UUID {
	ids := make([]uuid.UUID, n)
	for i := range ids {
		ids[i] = store.NewID()
	}
	for _, sql := range []string{
		`INSERT INTO records (id, kind, name) SELECT id, 'contact', 'Person ' || lpad(n::text, 5, '0') FROM unnest($1::uuid[]) WITH ORDINALITY x(id, n)`,
		`INSERT INTO phone_numbers (id, record_id, label, typed, e164, region) SELECT gen_random_uuid(), id, 'mobile', '', '+1518' || lpad(n::text, 7, '0'), 'US' FROM unnest($1::uuid[]) WITH ORDINALITY x(id, n)`,
		`INSERT INTO phone_numbers (id, record_id, label, typed, e164, region, position) SELECT gen_random_uuid(), id, 'office', '', '+1607' || lpad(n::text, 7, '0'), 'US', 1
			FROM unnest($1::uuid[]) WITH ORDINALITY x(id, n) WHERE n % 5 = 0`,
	} {
		_, err := s.store.Pool.Exec(s.t.Context(), sql, ids)
		require.NoError(s.t, err)
	}
	return ids
}

// restart closes the server in the middle of everything and starts it again.
func (s *simulation) restart() {
	s.gate.Lock()
	defer s.gate.Unlock()
	s.Close()
	s.open()
	s.faults[0].Add(1)
}

// works is a rep, who goes on with one round or another until all are over.
func (s *simulation) works(ctx context.Context, a firm.Actor, dice *rand.Rand) {
	var window *live.Subscription
	at := s.rounds[dice.IntN(len(s.rounds))]
	for n := 0; s.left.Load() > 0 && ctx.Err() == nil; n++ {
		s.gate.RLock()
		if window == nil || n%20 == 0 {
			window = s.Hub.Subscribe(a.ID, "", 0) // a window is open, which a restart closes
		}
		at = s.step(ctx, a, at, dice)
		if dice.IntN(60) == 0 { // the network is lost: no sign of life until the lease is over
			window.Close()
			s.faults[1].Add(1)
			s.gate.RUnlock()
			until := s.clock.Now().Add(2 * time.Minute)
			for s.clock.Now().Before(until) && s.left.Load() > 0 {
				time.Sleep(time.Millisecond)
			}
			window = nil
			continue
		}
		s.gate.RUnlock()
	}
}

// step does what a rep does next, at the round where they are, and tells at which they are then.
func (s *simulation) step(ctx context.Context, a firm.Actor, at uuid.UUID, dice *rand.Rand) uuid.UUID {
	s.steps.Add(1)
	another := s.rounds[dice.IntN(len(s.rounds))]
	r, err := s.Rounds.Round(ctx, a, at)
	if !s.fine(err) || r.Over {
		return another
	}
	do := func(act contract.RoundAct) {
		_, err := s.Rounds.ActOnRound(ctx, a, r.ID, key(), act)
		s.fine(err)
	}
	if r.Mine == "going" && dice.IntN(40) == 0 {
		s.faults[2].Add(1)
		do(contract.RoundAct{Act: contract.RoundActActHandOver, RepID: &s.tomas.ID})
		return another
	}
	c := r.Current
	switch {
	case c == nil && r.Mine == "going" && dice.IntN(3) == 0:
		do(contract.RoundAct{Act: contract.RoundActActPause})
		return another
	case c == nil:
		do(contract.RoundAct{Act: contract.RoundActActGo})
	case c.State == contract.RoundCurrentStateTaken && dice.IntN(15) == 0:
		do(contract.RoundAct{Act: contract.RoundActActSkip})
	case c.State == contract.RoundCurrentStateTaken:
		do(contract.RoundAct{Act: contract.RoundActActCall})
	case c.Call.State.Phase != contract.PhaseEnded && dice.IntN(3) == 0:
		s.sim.TheyAnswer(numberOf(c.Call))
	case c.NextNumberID != nil && dice.IntN(4) == 0:
		do(contract.RoundAct{Act: contract.RoundActActNextNumber})
	default:
		if c.Call.State.Phase != contract.PhaseEnded && dice.IntN(2) == 0 {
			s.sim.TheyEnd(numberOf(c.Call),
				[]carrier.Reason{carrier.Busy, carrier.NoAnswer, carrier.Lost}[dice.IntN(3)])
		}
		outcome := s.outcomes[dice.IntN(len(s.outcomes))]
		if outcome == s.sold {
			s.fine(s.Calls.HangUp(ctx, a, c.Call.ID)) // a conversation is ended before it is filed
		}
		_, err := s.Rounds.SettleInRound(ctx, a, r.ID, key(),
			contract.RoundSettle{SlipID: c.Call.Slip.ID, OutcomeID: &outcome})
		if !s.fine(err) {
			return at
		}
		if dice.IntN(25) == 0 {
			if _, err := s.Filing.UndoFiling(ctx, a, c.Call.Slip.ID); s.fine(err) {
				s.faults[3].Add(1)
			}
		}
	}
	return at
}

// numberOf is the number that a call goes to, in its normal form.
func numberOf(c *contract.Call) string {
	digits := phone.Digits(c.Display)
	return "+1" + digits[len(digits)-10:]
}

// fine tells whether something was done; what a rep can meet when colleagues and servers come between is no fault.
func (s *simulation) fine(err error) bool {
	var in *firm.InCallError
	var field *firm.FieldError
	switch {
	case err == nil:
		return true
	case errors.Is(err, rounds.ErrRoundOver), errors.Is(err, rounds.ErrLetGo), errors.Is(err,
		rounds.ErrNobodyNow), errors.Is(err, rounds.ErrUnfiled), errors.Is(err, filing.ErrTooLate),
		errors.Is(err, slip.ErrStillInCall), errors.Is(err, call.ErrNotThere), errors.As(err, &in),
		errors.As(err, &field), errors.Is(err, callable.ErrDoNotCall), // a colleague of another round learnt that
		errors.Is(err, context.DeadlineExceeded):
		return false
	}
	assert.NoError(s.t, err)
	return false
}

// check holds what must be so at the end.
func (s *simulation) check(people int) {
	ctx := s.t.Context()
	one := func(sql string, args ...any) (n int) {
		require.NoError(s.t, s.store.Pool.QueryRow(ctx, sql, args...).Scan(&n))
		return n
	}
	assert.Zero(
		s.t,
		one(
			`SELECT count(*) FROM round_calls x JOIN round_people p USING (round_id, position) JOIN calls c ON c.id = x.call_id
		JOIN round_calls y ON y.call_id > x.call_id AND y.user_id <> x.user_id JOIN round_people q ON q.round_id = y.round_id AND q.position = y.position AND q.record_id = p.record_id
		JOIN calls d ON d.id = y.call_id WHERE d.started_at < c.ended_at AND c.started_at < d.ended_at`,
		),
		"nobody is called by two at a time",
	)
	assert.Zero(
		s.t,
		one(
			`SELECT count(*) FROM calls c JOIN calls d ON d.placed_by = c.placed_by AND d.id > c.id AND d.started_at < c.ended_at AND c.started_at < d.started_at AND c.answered_at IS NULL`,
		),
		"no rep is in two calls",
	)
	for _, id := range s.rounds {
		assert.Equal(s.t, people, one(`SELECT count(*) FROM round_people WHERE round_id = $1 AND state = 'done'`, id),
			"nobody is lost")
		results, err := s.Rounds.RoundResults(ctx, s.ines, id)
		require.NoError(s.t, err)
		assert.Equal(s.t, people, results.People)
		assert.Equal(s.t, results.Attempts,
			one(`SELECT count(*) FROM round_calls x JOIN calls c ON c.id = x.call_id WHERE x.round_id = $1`, id),
			"the totals agree with the calls")
	}
	assert.Zero(s.t, one(`SELECT count(*) FROM held_people WHERE until > $1`, s.clock.Now().Add(time.Hour)),
		"nobody is held for ever")
	assert.Zero(
		s.t,
		one(
			`SELECT count(*) FROM round_people p WHERE attempts - (SELECT count(*) FROM round_calls x WHERE x.round_id = p.round_id AND x.position = p.position AND x.bead = 'current') > 3`,
		),
		"nobody more often than allowed, but for numbers that a rep left for another by hand",
	)
	assert.LessOrEqual(
		s.t,
		one(`SELECT count(*) FROM slips s JOIN round_calls x ON x.call_id = s.call_id WHERE s.state = 'open'`),
		int(s.faults[3].Load()),
		"no slip stays behind but one that was opened again when a colleague was at the person already",
	)
	assert.Equal(s.t, one(`SELECT count(*) FROM calls WHERE direction = 'outbound'`),
		one(`SELECT count(*) FROM round_calls`))
}
