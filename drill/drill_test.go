package drill_test

import (
	"context"
	"fmt"
	"io"
	"math/rand/v2"
	"net"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"trundo/internal/desk/firm"

	"github.com/alexedwards/argon2id"
	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/contract"
	"trundo/internal/demo"
	"trundo/internal/program"
	"trundo/internal/store"
	"trundo/internal/store/pgcluster"
	"trundo/internal/store/pgtest"
)

const (
	password = firm.DemoPassword
	// patience is for how long a rep tries the same again: longer than any fault lasts.
	patience = 40 * time.Second
	// shortFaults are those of the drill that is a part of the tests.
	shortFaults = 11
)

func TestMain(m *testing.M) {
	program.Log = io.Discard // while the database is away it has much to say
	pgtest.Main(m)
}

// workers are those who work, by their logins: two reps, a supervisor and an admin who call, and taker, who takes what
// others hand over.
var workers = []string{"ines", "tomas", "odile", "ada", taker}

const taker = "maren"

type number struct{ id, record uuid.UUID }

// drill is a server with its database, reached through a proxy.
type drill struct {
	t                            *testing.T
	binary, database, data, addr string
	url                          string
	cluster                      *pgcluster.Cluster
	proxy                        *proxy
	server                       *program.Program
	numbers                      []number
	outcome                      uuid.UUID
	people                       map[string]uuid.UUID // who work, by their logins
	clock                        time.Duration        // by how much the server's clock is wrong
	skew                         time.Duration        // by how much it was at most
	mu                           sync.Mutex
	wrong                        []string
}

// fault keeps something that must not have been.
func (d *drill) fault(format string, args ...any) {
	d.mu.Lock()
	defer d.mu.Unlock()
	d.wrong = append(d.wrong, time.Now().Format("15:04:05.000 ")+fmt.Sprintf(format, args...))
}

func freeAddr(t *testing.T) string {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer l.Close()
	return l.Addr().String()
}

func newDrill(t *testing.T) *drill {
	d := &drill{t: t, data: filepath.Join(t.TempDir(), "data"), addr: freeAddr(t), people: map[string]uuid.UUID{}}
	var err error
	d.binary, err = program.BuildForDrill()
	require.NoError(t, err)
	d.cluster, d.database = pgtest.Own(t)
	s, err := store.Open(t.Context(), d.database, 2)
	require.NoError(t, err)
	defer s.Close()
	require.NoError(t, demo.Fill(t.Context(), s, demo.First, time.Now()))
	hash, err := argon2id.CreateHash(password,
		&argon2id.Params{Memory: 64, Iterations: 1, Parallelism: 1, SaltLength: 16, KeyLength: 32})
	require.NoError(t, err)
	_, err = s.Pool.Exec(t.Context(), `UPDATE users SET password_hash = $1`, hash)
	require.NoError(t, err)
	rows, err := s.Pool.Query(
		t.Context(),
		`SELECT n.id, n.record_id FROM phone_numbers n JOIN records r ON r.id = n.record_id LEFT JOIN records c ON c.id = r.company_id
		WHERE n.e164 IS NOT NULL AND n.dnc_at IS NULL AND r.dnc_at IS NULL AND c.dnc_at IS NULL AND r.deleted_at IS NULL
		AND NOT EXISTS (SELECT FROM do_not_call_numbers x WHERE x.e164 = n.e164) ORDER BY n.id LIMIT 60`,
	)
	require.NoError(t, err)
	d.numbers, err = pgx.CollectRows(rows,
		func(row pgx.CollectableRow) (n number, err error) { return n, row.Scan(&n.id, &n.record) })
	require.NoError(t, err)
	require.NotEmpty(t, d.numbers)
	require.NoError(
		t,
		s.Pool.QueryRow(t.Context(), `INSERT INTO outcomes (id, label, position, reached, effects) VALUES (gen_random_uuid(), 'Drilled', 99, false, '[]')
		RETURNING id`).
			Scan(&d.outcome),
	)
	for _, login := range workers {
		var id uuid.UUID
		require.NoError(t, s.Pool.QueryRow(t.Context(), `SELECT id FROM users WHERE login = $1`, login).Scan(&id))
		d.people[login] = id
	}
	// What nobody takes ends, and is not talked to a voicemail for minutes.
	_, err = s.Pool.Exec(t.Context(), `UPDATE lines SET unanswered = 'end', closed = 'announcement'`)
	require.NoError(t, err)
	d.proxy, err = newProxy(d.addr)
	require.NoError(t, err)
	d.url = "http://" + d.proxy.listener.Addr().String()
	d.begin()
	t.Cleanup(func() { d.server.Kill() })
	return d
}

// asked reads a number from the environment.
func asked(name string, usual uint64) uint64 {
	if n, err := strconv.ParseUint(os.Getenv(name), 10, 64); err == nil {
		return n
	}
	return usual
}

func TestDrill(t *testing.T) {
	seed, count := asked("TRUNDO_DRILL_SEED", uint64(time.Now().UnixNano())), asked("TRUNDO_DRILL", shortFaults)
	d := newDrill(t)
	drawn := rand.New(rand.NewPCG(seed, 1))
	var reps []*rep
	for i, login := range workers {
		r := d.newRep(login, seed+uint64(i))
		require.NoError(t, r.signIn())
		reps = append(reps, r)
	}
	working, stop := context.WithCancel(t.Context())
	var all sync.WaitGroup
	for _, r := range reps {
		all.Go(func() {
			if r.login == taker {
				r.takes(working)
			} else {
				r.works(working)
			}
		})
		all.Go(func() { r.watches(working) })
	}
	possible := faults()
	tally := map[string]int{}
	for i := range int(count) {
		d.lasts(time.Second, 4*time.Second)
		f := possible[drawn.IntN(len(possible))]
		if int(count) <= len(possible) {
			f = possible[i%len(possible)] // a short drill has each once
		}
		t.Logf("fault %d of %d: %s", i+1, count, f.name)
		tally[f.name]++
		f.do(d)
		require.Eventually(t, d.server.Ready, time.Minute, 50*time.Millisecond, "well again after: %s", f.name)
	}
	d.lasts(time.Second, 2*time.Second)
	stop()
	all.Wait()
	calls, words := d.holds(reps)
	t.Logf(
		"seed %d, %d faults %v: %d calls, %d of them taken over, listened to %d times, %d acknowledged notes",
		seed,
		count,
		tally,
		calls,
		taken(reps),
		heard(reps),
		words,
	)
	assert.Empty(t, d.wrong, "seed %d", seed)
}

// holds asks, when all is well again, whether all that was acknowledged is so.
func (d *drill) holds(reps []*rep) (calls, words int) {
	t := d.t
	s, err := store.Open(t.Context(), d.database, 2)
	require.NoError(t, err)
	defer s.Close()
	inTime := func(what string, so func() bool) bool {
		for until := time.Now().Add(patience); time.Now().Before(until); time.Sleep(100 * time.Millisecond) {
			if so() {
				return true
			}
		}
		d.fault("%s", what)
		return false
	}
	if !inTime("calls never ended", func() bool {
		var open int
		for _, r := range reps {
			r.answers() // what was given away may still ring
		}
		require.NoError(
			t,
			s.Pool.QueryRow(t.Context(), `SELECT count(*) FROM calls WHERE ended_at IS NULL`).Scan(&open),
		)
		return open == 0
	}) {
		d.facts(s)
	}
	for _, r := range reps {
		inTime(r.login+" can call again", func() bool { return r.callsOnce() })
		for _, e := range r.ledger {
			calls++
			words += len(e.said)
			d.check(r, e)
		}
	}
	inTime("nothing waits in the journal", func() bool {
		text, err := os.ReadFile(filepath.Join(d.data, "journal.jsonl"))
		return os.IsNotExist(err) || len(strings.TrimSpace(string(text))) == 0
	})
	count := func(what, sql string) {
		var n int
		require.NoError(t, s.Pool.QueryRow(t.Context(), sql).Scan(&n))
		if n > 0 {
			d.fault("%d %s", n, what)
		}
	}
	count("legs that never ended", `SELECT count(*) FROM legs WHERE ended_at IS NULL`)
	count(
		"parts in a call without a slip",
		`SELECT count(*) FROM legs l JOIN calls c ON c.id = l.call_id JOIN commands m
		ON m.action = 'place_call' AND m.response ->> 'id' = c.id::text WHERE l.party = 'rep' AND l.answered_at IS NOT NULL
		AND NOT EXISTS (SELECT FROM slips s WHERE s.call_id = l.call_id AND s.user_id = l.user_id)`,
	)
	count(
		"calls with a hole in their facts",
		`SELECT count(*) FROM calls c WHERE NOT by_hand AND EXISTS (SELECT FROM call_facts f WHERE f.call_id = c.id)
		AND (SELECT count(*) FROM call_facts f WHERE f.call_id = c.id) <> c.last_seq`,
	)
	count(
		"calls that ended before they began, or talked for longer than they were",
		`SELECT count(*) FROM calls WHERE ended_at < started_at
		OR talk_ms > 1000 + extract(epoch FROM ended_at - started_at) * 1000`,
	)
	count("reps who are still in a call", `SELECT count(*) FROM rep_state WHERE foreground_call_id IS NOT NULL`)
	var kept int
	require.NoError(
		t,
		s.Pool.QueryRow(t.Context(), `SELECT count(*) FROM audit WHERE action IN ('listen', 'whisper')`).Scan(&kept),
	)
	if kept < heard(reps) {
		d.fault("listened to %d times, and %d are kept in the trail", heard(reps), kept)
	}
	count("recordings that never ended", `SELECT count(*) FROM recordings WHERE state = 'going'`)
	count(
		"wishes that made two calls",
		`SELECT count(*) FROM (SELECT 1 FROM commands WHERE action = 'place_call' GROUP BY user_id, key HAVING count(*) > 1) x`,
	)
	return calls, words
}

// facts logs what is kept of the calls that never ended.
func (d *drill) facts(s *store.Store) {
	rows, err := s.Pool.Query(
		d.t.Context(),
		`SELECT f.call_id, f.seq, f.at::text, f.kind, f.data::text FROM call_facts f
		JOIN calls c ON c.id = f.call_id WHERE c.ended_at IS NULL ORDER BY f.call_id, f.seq`,
	)
	require.NoError(d.t, err)
	var id uuid.UUID
	var seq int
	var at, kind, data string
	_, err = pgx.ForEachRow(rows, []any{&id, &seq, &at, &kind, &data}, func() error {
		d.t.Logf("%s %d %s %s %s", id, seq, at, kind, data)
		return nil
	})
	require.NoError(d.t, err)
}

// taken is how many calls were answered that somebody else had placed.
func taken(reps []*rep) (n int) {
	for _, r := range reps {
		for _, e := range r.ledger {
			if e.key == "" {
				n++
			}
		}
	}
	return n
}

func heard(reps []*rep) (n int) {
	for _, r := range reps {
		n += r.heard
	}
	return n
}

// callsOnce places a call and ends it: nobody is stuck.
func (r *rep) callsOnce() bool {
	before := len(r.ledger)
	r.call()
	return len(r.ledger) > before && r.ledger[before].filed
}

// check compares what a rep was told of a call with what is there.
func (d *drill) check(r *rep, e *entry) {
	c, err := r.read(e.id)
	if err != nil {
		d.fault("call %s of %s is lost: %v", e.id, e.rep, err)
		return
	}
	told := func(format string, args ...any) {
		d.fault("call %s of %s: "+format, append([]any{e.id, e.rep}, args...)...)
	}
	if c.State.EndedAt == nil {
		told("never ended")
	} else if !e.ended.IsZero() && c.State.EndedAt.After(e.ended.Add(2*time.Second+d.skew)) {
		told("its end was acknowledged at %s, and it ended at %s", e.ended.Format(time.RFC3339Nano),
			c.State.EndedAt.Format(time.RFC3339Nano))
	}
	if e.key != "" && c.State.StartedAt.Before(e.asked.Add(-time.Second-d.skew)) {
		told("it began at %s, before it was asked for", c.State.StartedAt)
	}
	if n := len(e.said); n > 0 && c.Slip.Notes.Body != e.said[n-1] &&
		!strings.HasPrefix(c.Slip.Notes.Body, e.said[n-1]+" ") {
		told("%q was acknowledged, %q is there", e.said[n-1], c.Slip.Notes.Body)
	}
	if e.filed && (c.Slip.State != contract.SlipStateFiled || c.Slip.OutcomeID == nil ||
		*c.Slip.OutcomeID != d.outcome) {
		told("its filing was acknowledged, and it is %s with %v", c.Slip.State, c.Slip.OutcomeID)
	}
	if e.followUpKey != "" {
		n := r.followUps(e)
		if e.followUp != "" && n != 1 || n > 1 {
			told("a follow-up is there %d times", n)
		}
	}
	if e.key == "" {
		return
	}
	if again := r.insist("POST", "/api/calls", e.key, contract.NewCall{NumberID: &e.number}); again.ok() &&
		idOf(again.body) != e.id.String() {
		told("the same key made another call: %s", idOf(again.body))
	}
}
