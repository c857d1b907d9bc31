package desk_test

import (
	"errors"
	"fmt"
	"log/slog"
	"path/filepath"
	"sync/atomic"
	"testing"
	"time"

	"trundo/internal/desk/calls"
	"trundo/internal/desk/firm"

	"github.com/google/uuid"
	"github.com/jonboulle/clockwork"
	"github.com/stretchr/testify/require"

	"trundo/internal/blobs"
	"trundo/internal/carrier"
	"trundo/internal/carrier/sim"
	"trundo/internal/contract"
	"trundo/internal/core/call"
	"trundo/internal/core/phone"
	"trundo/internal/desk"
	"trundo/internal/post"
	"trundo/internal/store"
	"trundo/internal/store/db"
	"trundo/internal/store/pgtest"
)

func TestMain(m *testing.M) { pgtest.Main(m) }

// world is a small firm with a desk, on a clock that the test drives.
type world struct {
	*desk.Desk
	t         *testing.T
	store     *store.Store
	clock     *clockwork.FakeClock
	sim       *sim.Sim
	journal   string
	bucket    blobs.Store
	postbox   *post.StandIn
	behaviour sim.Behaviour // of everybody who is called
	refuses   atomic.Bool   // the carrier takes no call
	users     map[string]uuid.UUID

	ines, tomas, odile           firm.Actor
	berit, aron, vesper          uuid.UUID
	mobile, office, home, cannot uuid.UUID
	sold, again                  uuid.UUID // outcomes; the second needs notes
}

const (
	mobileNumber = "+14135550142"
	mainNumber   = "+14135550100"
)

var monday = time.Date(2026, 3, 2, 15, 0, 0, 0, time.UTC)

func newWorld(t *testing.T) *world {
	t.Helper()
	return openWorld(t, pgtest.URL(t), filepath.Join(t.TempDir(), "journal"))
}

func openWorld(t *testing.T, url, journal string) *world {
	t.Helper()
	s, err := store.Open(t.Context(), url, 0)
	require.NoError(t, err)
	t.Cleanup(s.Close)
	w := &world{t: t, store: s, clock: clockwork.NewFakeClockAt(monday), journal: journal,
		users: map[string]uuid.UUID{}, postbox: &post.StandIn{}}
	w.bucket, err = blobs.New(filepath.Join(filepath.Dir(journal), "kept"))
	require.NoError(t, err)
	w.fill()
	w.open()
	w.ines, w.tomas, w.odile = w.actor("ines"), w.actor("tomas"), w.actor("odile")
	return w
}

func (w *world) open() {
	w.behaviour = sim.Behaviour{RingsAfter: 2 * time.Second, RingsOn: true}
	w.sim = sim.New(w.clock, "US", func(string) sim.Behaviour { return w.behaviour })
	d, err := desk.Open(w.t.Context(),
		firm.Config{Store: w.store, Carrier: network{w.sim, w}, Clock: w.clock, Log: slog.New(slog.DiscardHandler),
			Server: "test", JournalFile: w.journal, FilesDir: filepath.Dir(w.journal), RecordingStore: w.bucket,
			Post: w.postbox, Hooks: post.NewHooks(true), MailDomain: "lindenfall.example",
			Patience: 10 * time.Second})
	require.NoError(w.t, err)
	w.Desk = d
	w.t.Cleanup(d.Close)
}

// network is the stand-in, which may refuse every call.
type network struct {
	*sim.Sim
	w *world
}

func (n network) Dial(d carrier.Dialing) error {
	if n.w.refuses.Load() {
		return errors.New("no circuit is free")
	}
	return n.Sim.Dial(d)
}

func (w *world) fill() {
	ctx, q := w.t.Context(), w.store.Queries
	exec := func(sql string, args ...any) {
		_, err := w.store.Pool.Exec(ctx, sql, args...)
		require.NoError(w.t, err)
	}
	line := store.NewID()
	exec(
		`INSERT INTO lines (id, e164, label, region, zone, main) VALUES ($1, $2, 'Main', 'US', 'America/New_York', true)`,
		line,
		mainNumber,
	)
	for _, u := range []struct {
		login, team string
		role        firm.Role
		more        []string
	}{{"ines", "Sales", firm.Rep, nil}, {"tomas", "Service", firm.Rep, nil},
		{"odile", "Sales", firm.Supervisor, []string{"Service"}}} {
		login := u.login
		w.users[login] = store.NewID()
		exec(`INSERT INTO users (id, login, name, role, team, more_teams, password_hash, zone, line_id)
			VALUES ($1, $2, $2, $3, $4, coalesce($5, '{}'::text[]), '', 'America/New_York', $6)`,
			w.users[login], login, u.role, u.team, u.more, line)
		require.NoError(w.t, q.InsertRepState(ctx,
			db.InsertRepStateParams{UserID: w.users[login], At: monday.Add(-time.Minute)}))
	}
	w.vesper, w.berit, w.aron = store.NewID(), store.NewID(), store.NewID()
	exec(`INSERT INTO records (id, kind, name) VALUES ($1, 'company', 'Vesper Hollow Nursery')`, w.vesper)
	exec(`INSERT INTO records (id, kind, name, company_id) VALUES ($1, 'contact', 'Berit Osterlund', $2)`, w.berit,
		w.vesper)
	exec(
		`INSERT INTO records (id, kind, name, dnc_at, dnc_reason) VALUES ($1, 'lead', 'Aron Pell', now(), 'asked on 3 February')`,
		w.aron,
	)
	exec(
		`UPDATE records SET given = split_part(name, ' ', 1), family = split_part(name, ' ', 2) WHERE kind <> 'company'`,
	)
	exec(`UPDATE records SET email = 'berit@vesper.example' WHERE id = $1`, w.berit)
	number := func(record uuid.UUID, label, e164, ext string) uuid.UUID {
		id := store.NewID()
		exec(`INSERT INTO phone_numbers (id, record_id, label, typed, e164, ext, digits_reversed, region, zones)
			VALUES ($1, $2, $3, $4, NULLIF($4, ''), $5, $6, 'US', '{America/New_York}')`, id, record, label, e164, ext, phone.Reverse(phone.Digits(e164)))
		return id
	}
	w.mobile, w.office = number(w.berit, "mobile", mobileNumber, ""), number(w.berit, "office", "+14135550119", "12")
	w.home, w.cannot = number(w.berit, "home", "+14135550163", ""), number(w.aron, "mobile", "+14135550177", "")
	exec(`UPDATE phone_numbers SET dnc_at = now(), dnc_reason = 'her mother lives there' WHERE id = $1`, w.home)
	w.sold, w.again = store.NewID(), store.NewID()
	exec(
		`INSERT INTO outcomes (id, label, position, reached, needs_notes) VALUES ($1, 'Visit agreed', 1, true, false), ($2, 'Wants an offer', 2, true, true)`,
		w.sold,
		w.again,
	)
	require.NoError(w.t, q.PutSetting(ctx,
		db.PutSettingParams{Key: "firm",
			Value: []byte(`{"name":"Lindenfall Cisterns","region":"US","outcome_needed":true}`)}))
}

func (w *world) actor(login string) firm.Actor {
	a, err := w.Actor(w.t.Context(), w.users[login])
	require.NoError(w.t, err)
	return a
}

func key() string { return uuid.NewString() }

// calls makes ines call Berit's mobile.
func (w *world) calls() contract.Call {
	w.t.Helper()
	c, err := w.Calls.PlaceCall(w.t.Context(), w.ines, key(), contract.NewCall{NumberID: &w.mobile})
	require.NoError(w.t, err)
	return c
}

// until waits for a condition that other goroutines bring about.
func (w *world) until(what string, ok func() bool) {
	w.t.Helper()
	require.Eventually(w.t, ok, time.Minute, 2*time.Millisecond, what)
}

func (w *world) phase(id uuid.UUID) contract.Phase {
	page, err := w.CallPage(w.t.Context(), w.ines, id)
	require.NoError(w.t, err)
	return page.Call.State.Phase
}

// ended waits until a call's end is in the database.
func (w *world) ended(id uuid.UUID) contract.Call {
	w.t.Helper()
	var c contract.Call
	w.until("the end is saved", func() bool {
		page, err := w.CallPage(w.t.Context(), w.ines, id)
		require.NoError(w.t, err)
		c = page.Call
		return w.Calls.CallsInProgress() == 0 && c.State.EndedAt != nil && len(page.Facts) > 0 && c.State.Saved &&
			page.Facts[len(page.Facts)-1].Text == calls.ReasonText(call.Reason(c.State.EndReason))
	})
	return c
}

// reps makes so many more reps.
func (w *world) reps(n int) []firm.Actor {
	w.t.Helper()
	reps := make([]firm.Actor, n)
	for i := range reps {
		id := store.NewID()
		_, err := w.store.Pool.Exec(
			w.t.Context(),
			`INSERT INTO users (id, login, name, role, password_hash, zone) VALUES ($1, $2, $2, 'rep', '', 'America/New_York')`,
			id,
			fmt.Sprint("rep", i),
		)
		require.NoError(w.t, err)
		require.NoError(w.t, w.store.InsertRepState(w.t.Context(),
			db.InsertRepStateParams{UserID: id, At: monday.Add(-time.Minute)}))
		reps[i], err = w.Actor(w.t.Context(), id)
		require.NoError(w.t, err)
	}
	return reps
}
