package desk_test

import (
	"context"
	"fmt"
	"os"
	"testing"
	"time"

	"trundo/internal/desk/firm"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/contract"
)

// onlyReads lets the database refuse every change, as after a failover to a standby, or take them again.
func (w *world) onlyReads(on bool) {
	w.t.Helper()
	tx, err := w.store.Pool.BeginTx(w.t.Context(), pgx.TxOptions{AccessMode: pgx.ReadWrite})
	require.NoError(w.t, err)
	_, err = tx.Exec(
		w.t.Context(),
		fmt.Sprintf(
			`DO $$ BEGIN EXECUTE format('ALTER DATABASE %%I SET default_transaction_read_only = %t', current_database()); END $$`,
			on,
		),
	)
	require.NoError(w.t, err)
	require.NoError(w.t, tx.Commit(w.t.Context()))
	w.store.Pool.Reset() // it holds for new connections
}

func TestACallWhoseFactsCannotBeSavedEndsAllTheSame(t *testing.T) {
	w := newWorld(t)
	c := w.calls()
	w.until("it rings or is dialed", func() bool { return w.phase(c.ID) != "" })
	// Nothing of this kind is taken any more: its entries are put aside.
	exec := func(sql string) {
		t.Helper()
		_, err := w.store.Pool.Exec(t.Context(), sql)
		require.NoError(t, err)
	}
	exec(`ALTER TABLE call_facts ADD CONSTRAINT none CHECK (kind NOT IN ('leg_ended', 'call_ended')) NOT VALID`)
	require.NoError(t, w.Calls.HangUp(t.Context(), w.ines, c.ID))
	ended := w.clock.Now()
	w.until("its end is put aside", func() bool { return w.Calls.PutAside() > 0 })
	w.until("it ends in the database", func() bool {
		w.clock.Advance(time.Second)
		return w.phase(c.ID) == contract.PhaseEnded
	})
	page, err := w.CallPage(t.Context(), w.ines, c.ID)
	require.NoError(t, err)
	assert.WithinDuration(t, ended, *page.Call.State.EndedAt, time.Second, "at its own time")
	_, err = w.Filing.ChangeSlip(t.Context(), w.ines, c.Slip.ID,
		contract.SlipChange{Version: page.Call.Slip.Version, OutcomeID: &w.sold})
	require.NoError(t, err)
	_, err = w.Filing.File(t.Context(), w.ines, c.Slip.ID, key(), nil)
	require.NoError(t, err, "nobody is stuck in it")
	_, err = w.Calls.PutAsideEntries(w.ines)
	require.ErrorIs(t, err, firm.ErrForbidden)
	aside, err := w.Calls.PutAsideEntries(w.admin())
	require.NoError(t, err)
	require.NotEmpty(t, aside)
	assert.Contains(t, aside[0].Why, "none")
	exec(`ALTER TABLE call_facts DROP CONSTRAINT none`)
	n, err := w.Calls.TakeUpPutAside(w.admin())
	require.NoError(t, err)
	assert.Equal(t, len(aside), n)
	w.until("the facts are there", func() bool {
		var facts int
		require.NoError(t, w.store.Pool.QueryRow(t.Context(),
			`SELECT count(*) FROM call_facts WHERE call_id = $1 AND kind = 'call_ended'`, c.ID).Scan(&facts))
		return facts == 1
	})
}

func TestADatabaseThatOnlyReadsIsAway(t *testing.T) {
	w := newWorld(t)
	c := w.calls()
	w.until("it is dialed", func() bool { return w.phase(c.ID) != "" })
	w.onlyReads(true)
	require.NoError(t, w.Calls.HangUp(t.Context(), w.ines, c.ID))
	notes, err := w.Calls.SaveNotes(t.Context(), w.ines, c.Slip.ID,
		contract.NotesEdit{Body: "written meanwhile", Writer: "w"})
	require.NoError(t, err)
	assert.False(t, notes.Saved, "and it is said")
	w.until("it is known", func() bool { return w.Calls.Away() })
	_, err = w.Calls.PlaceCall(t.Context(), w.ines, key(), contract.NewCall{NumberID: &w.office})
	require.ErrorIs(t, err, firm.ErrAway)
	w.onlyReads(false)
	w.until("it is back", func() bool { return !w.Calls.Away() })
	ended := w.ended(c.ID)
	assert.Equal(t, "written meanwhile", ended.Slip.Notes.Body)
	assert.Zero(t, w.Calls.PutAside())
}

func TestAnAskerWhoLeavesIsDialedFor(t *testing.T) {
	w := newWorld(t)
	for range 20 {
		ctx, leave := context.WithCancel(t.Context())
		k := key()
		go leave()
		c, err := w.Calls.PlaceCall(ctx, w.ines, k, contract.NewCall{NumberID: &w.mobile})
		if err != nil {
			// Left before it was committed: the same click again makes the call, or finds the one that was made.
			c, err = w.Calls.PlaceCall(t.Context(), w.ines, k, contract.NewCall{NumberID: &w.mobile})
		}
		require.NoError(t, err)
		w.until("it is dialed", func() bool { return len(w.sim.OutsideLegs()) == 1 })
		require.NoError(t, w.Calls.HangUp(t.Context(), w.ines, c.ID))
		w.ended(c.ID)
	}
}

func TestHangingUpWhatGoesOnElsewhereIsSaid(t *testing.T) {
	w := newWorld(t)
	c := w.calls()
	require.NoError(t, w.Calls.HangUp(t.Context(), w.ines, c.ID))
	w.ended(c.ID)
	w.until("twice is no mistake", func() bool { // unless the database takes longer than a hang-up waits for it
		return w.Calls.HangUp(t.Context(), w.ines, c.ID) == nil
	})
	_, err := w.store.Pool.Exec(t.Context(),
		`INSERT INTO servers (name, epoch, started_at, heartbeat_at) VALUES ('other', 1, now(), '2030-01-01')`)
	require.NoError(t, err)
	_, err = w.store.Pool.Exec(t.Context(),
		`UPDATE calls SET ended_at = NULL, state = 'speaking', owner_server = 'other', owner_epoch = 1 WHERE id = $1`,
		c.ID)
	require.NoError(t, err)
	w.until("forgotten here", func() bool {
		return w.Calls.HangUp(t.Context(), w.ines, c.ID) != nil
	})
	require.ErrorIs(t, w.Calls.HangUp(t.Context(), w.ines, c.ID), firm.ErrElsewhere)
}

func TestAFullDiskKeepsNewCallsAway(t *testing.T) {
	w := newWorld(t)
	c := w.calls()
	// The folder of the journal is gone, as a full disk would refuse every write; then the database goes away too.
	require.NoError(t, os.RemoveAll(w.journal))
	require.NoError(t, os.Mkdir(w.journal, 0o700))
	w.onlyReads(true)
	_, err := w.Calls.SaveNotes(t.Context(), w.ines, c.Slip.ID,
		contract.NotesEdit{Body: "kept nowhere but here", Writer: "w"})
	require.Error(t, err, "what cannot be kept is said at once")
	_, err = w.Calls.PlaceCall(t.Context(), w.ines, key(), contract.NewCall{NumberID: &w.office})
	require.ErrorIs(t, err, firm.ErrDiskFull)
	require.ErrorIs(t, w.Calls.Ready(t.Context()), firm.ErrDiskFull)
	require.NoError(t, w.Calls.HangUp(t.Context(), w.ines, c.ID), "but one can hang up")
	require.NoError(t, os.Remove(w.journal))
	w.onlyReads(false)
	w.until("it is well again", func() bool { return w.Calls.Ready(t.Context()) == nil })
	w.ended(c.ID)
}
