package desk_test

import (
	"strings"
	"testing"
	"time"

	"trundo/internal/desk/firm"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/contract"
)

func TestARoundWaitsForACallThatComesIn(t *testing.T) {
	w := newWorld(t)
	w.sits(w.ines)
	nothing := w.outcome("No answer", `[]`)
	r := w.starts(w.ines, w.people(3))
	r = w.acts(w.ines, r.ID, contract.RoundActActGo)
	first := r.Current.Call
	require.NoError(t, w.Calls.HangUp(t.Context(), w.ines, first.ID))
	w.ended(first.ID)
	w.until("her line is free", func() bool { return w.Calls.CallsInProgress() == 0 })
	ref := w.comesIn("+14135550177")
	w.rung(w.ines)
	r = w.settles(w.ines, r, nothing)
	assert.Nil(t, r.Current, "nobody is called while somebody calls")
	assert.Equal(t, "a call comes in for you", r.Waits)
	require.True(t, w.sim.OutsideHangsUp(ref))
	w.until("it rings no more", func() bool {
		rings, err := w.Arrivals.Rings(t.Context(), w.ines)
		return err == nil &&
			len(rings) == 0
	})
	r = w.acts(w.ines, r.ID, contract.RoundActActGo)
	assert.Equal(t, "Person 02", r.Current.Record.Name)
}

func TestWhoWantsNoCallsBetweenIsNotRung(t *testing.T) {
	w := newWorld(t)
	w.sits(w.ines)
	r := w.starts(w.ines, w.people(2), byKey, func(s *contract.RoundSettings) { s.TakesCalls = false })
	w.acts(w.ines, r.ID, contract.RoundActActGo)
	ref := w.comesIn("+14135550177")
	w.until("it is there", func() bool { return w.Calls.CallsInProgress() == 1 })
	w.after(time.Second, "somebody else would be rung",
		func() bool { return w.Calls.CallsInProgress() == 0 || w.clock.Since(monday) > time.Minute })
	rings, err := w.Arrivals.Rings(t.Context(), w.ines)
	require.NoError(t, err)
	assert.Empty(t, rings)
	w.sim.OutsideHangsUp(ref)
	w.until("it is over", func() bool { return w.Calls.CallsInProgress() == 0 })
	w.acts(w.ines, r.ID, contract.RoundActActPause)
	w.comesIn("+14135550178")
	w.rung(w.ines)
}

func TestTheTelephoneStaysForTheWholeRound(t *testing.T) {
	w := newWorld(t)
	w.sits(w.ines)
	nothing := w.outcome("No answer", `[]`)
	w.telephone(contract.Telephone{Speaks: true})
	r := w.starts(w.ines, w.people(3))
	r = w.acts(w.ines, r.ID, contract.RoundActActGo)
	require.Nil(t, r.Current.Call, "her telephone rings first")
	w.telephoneIs(contract.TelephoneStateRinging)
	w.until("it is answered", func() bool { return w.sim.TheyAnswer(ownNumber) })
	w.until("the first one is called", func() bool {
		var err error
		r, err = w.Rounds.Round(t.Context(), w.ines, r.ID)
		return err == nil && r.Current != nil && r.Current.Call != nil
	})
	leg := w.legTo(ownNumber)
	for _, name := range []string{"Person 02", "Person 03"} {
		r = w.settles(w.ines, r, nothing)
		assert.Equal(t, name, r.Current.Record.Name)
		require.NotNil(t, r.Current.Call, "nobody rings her again")
		assert.Equal(t, "telephone", r.Current.Call.Device)
		assert.Equal(t, leg, w.legTo(ownNumber))
	}
	w.acts(w.ines, r.ID, contract.RoundActActPause)
	w.telephoneIs(contract.TelephoneStateUp) // somebody still rings
	w.settles(w.ines, r, nothing)
	w.telephoneIs(contract.TelephoneStateDown)
}

func TestEverybodyWasRemovedMeanwhile(t *testing.T) {
	w := newWorld(t)
	ids := w.people(40)
	r := w.starts(w.ines, ids, byKey)
	_, err := w.store.Pool.Exec(t.Context(), `UPDATE records SET deleted_at = now() WHERE id = ANY ($1)`, ids[:39])
	require.NoError(t, err)
	r = w.acts(w.ines, r.ID, contract.RoundActActGo)
	assert.Equal(t, "Person 40", r.Current.Record.Name)
	assert.Equal(t, 39, strings.Count(w.beads(r.ID), "cannot"))
	_, err = w.store.Pool.Exec(t.Context(), `UPDATE records SET deleted_at = now() WHERE id = $1`, ids[39])
	require.NoError(t, err)
	_, err = w.Rounds.ActOnRound(t.Context(), w.ines, r.ID, key(), contract.RoundAct{Act: contract.RoundActActSkip})
	require.NoError(t, err)
	r, err = w.Rounds.Round(t.Context(), w.ines, r.ID)
	require.NoError(t, err)
	assert.True(t, r.Over)
	assert.Zero(t, r.Called)
}

func TestWhatARepChoseLastIsOfferedAgain(t *testing.T) {
	w := newWorld(t)
	s, err := w.Rounds.RoundDefaults(t.Context(), w.tomas)
	require.NoError(t, err)
	s.PerDay, s.Pace = 5, contract.RoundSettingsPaceByKey
	_, err = w.Rounds.SetRoundDefaults(t.Context(), w.tomas, s)
	require.ErrorIs(t, err, firm.ErrForbidden)
	_, err = w.Rounds.SetRoundDefaults(t.Context(), w.odile, s)
	require.NoError(t, err)
	now, err := w.Rounds.RoundDefaults(t.Context(), w.ines)
	require.NoError(t, err)
	assert.Equal(t, 5, now.PerDay, "the team's")
	r := w.starts(w.ines, w.people(2), func(s *contract.RoundSettings) { s.PerDay = 3 })
	now, err = w.Rounds.RoundDefaults(t.Context(), w.ines)
	require.NoError(t, err)
	assert.Equal(t, 3, now.PerDay, "her own")
	assert.Equal(t, contract.RoundSettingsPaceByKey, now.Pace)

	now.PerDay, now.Order = 1, contract.RoundSettingsOrderBest
	changed, err := w.Rounds.SetRoundSettings(t.Context(), w.ines, r.ID, now)
	require.NoError(t, err)
	assert.Equal(t, contract.RoundSettingsOrderBest, changed.Settings.Order)
	_, err = w.Rounds.SetRoundSettings(t.Context(), w.tomas, r.ID, now)
	require.ErrorIs(t, err, firm.ErrForbidden)
	now.PerDay = 0
	_, err = w.Rounds.SetRoundSettings(t.Context(), w.ines, r.ID, now)
	var at *firm.FieldError
	require.ErrorAs(t, err, &at)
}

func TestARoundIsStartedForSomebodyOfAListOrTheLane(t *testing.T) {
	w := newWorld(t)
	ids := w.people(3)
	list := w.list("Spring filters")
	_, err := w.store.Pool.Exec(t.Context(),
		`INSERT INTO list_members (list_id, record_id, at) SELECT $1, unnest($2::uuid[]), now()`, list, ids)
	require.NoError(t, err)
	s, err := w.Rounds.RoundDefaults(t.Context(), w.odile)
	require.NoError(t, err)
	wish := contract.RoundStart{ListID: &list, RepID: &w.tomas.ID, Settings: s}
	_, err = w.Rounds.StartRound(t.Context(), w.ines, key(), wish)
	require.ErrorIs(t, err, firm.ErrForbidden)
	k := key()
	r, err := w.Rounds.StartRound(t.Context(), w.odile, k, wish)
	require.NoError(t, err)
	assert.Equal(t, "Spring filters", r.Name)
	assert.Equal(t, 3, r.Total)
	again, err := w.Rounds.StartRound(t.Context(), w.odile, k, wish)
	require.NoError(t, err)
	assert.Equal(t, r.ID, again.ID, "the same key makes it once")
	require.Len(t, laneOf(t, w, w.tomas), 1)
	assert.Contains(t, laneOf(t, w, w.tomas)[0], "round started for you by odile")
	preview, err := w.Rounds.PreviewRound(t.Context(), w.ines, contract.RoundStart{ListID: &list, Settings: s})
	require.NoError(t, err)
	require.Len(t, preview.Going, 1)
	assert.Equal(t, 3, preview.Going[0].Remaining)

	_, err = w.Book.AddFollowUp(t.Context(), w.ines, w.berit, key(), contract.NewFollowUp{Text: "The offer"})
	require.NoError(t, err)
	lane := true
	r, err = w.Rounds.StartRound(t.Context(), w.ines, key(), contract.RoundStart{Lane: &lane, Settings: s})
	require.NoError(t, err)
	people, err := w.Rounds.RoundPeople(t.Context(), w.ines, r.ID, 0, 10)
	require.NoError(t, err)
	require.Len(t, people, 1)
	assert.Equal(t, "Berit Osterlund", people[0].Record.Name)
	_, err = w.Rounds.Round(t.Context(), w.ines, uuid.New())
	require.ErrorIs(t, err, firm.ErrNotFound)

	// A round of somebody's own list is seen by nobody else.
	_, err = w.store.Pool.Exec(t.Context(), `UPDATE lists SET shared = false WHERE id = $1`, list)
	require.NoError(t, err)
	r, err = w.Rounds.StartRound(t.Context(), w.ines, key(), contract.RoundStart{ListID: &list, Settings: s})
	require.NoError(t, err)
	_, err = w.Rounds.Round(t.Context(), w.odile, r.ID)
	require.ErrorIs(t, err, firm.ErrNotFound)
	for login, there := range map[string]int{"ines": 2, "odile": 1} {
		all, err := w.Rounds.Rounds(t.Context(), w.actor(login))
		require.NoError(t, err)
		n := 0
		for _, x := range all {
			if x.Name == "Spring filters" && x.ID != again.ID || x.Name == "From the lane" {
				n++
			}
		}
		assert.Equal(t, there, n)
	}
}

func TestARoundTakesWhoMattersMostFirst(t *testing.T) {
	w := newWorld(t)
	ids := w.people(3)
	_, err := w.store.Pool.Exec(
		t.Context(),
		`INSERT INTO records (id, kind, name, person_id, amount_minor, currency, stage) VALUES (gen_random_uuid(), 'deal', 'Tank', $1, 90000, 'USD', 'offer')`,
		ids[2],
	)
	require.NoError(t, err)
	_, err = w.store.Pool.Exec(
		t.Context(),
		`INSERT INTO follow_ups (id, record_id, owner_id, text, due_at, created_at) VALUES (gen_random_uuid(), $1, $2, 'Call', $3, now())`,
		ids[1],
		w.tomas.ID,
		monday.AddDate(0, 0, -3),
	)
	require.NoError(t, err)
	// The first number has been answered at this hour twice, the others never.
	for i, talked := range map[int]bool{0: false, 1: true} {
		for range 3 {
			_, err = w.store.Pool.Exec(
				t.Context(),
				`INSERT INTO calls (id, direction, remote_e164, remote_typed, remote_label, caller_id, device, owner_server, owner_epoch, state, started_at, answered_at, ended_at, placed_by, spoke)
				SELECT gen_random_uuid(), 'outbound', e164, e164, 'mobile', '', 'browser', 'gone', 0, 'ended', $2::timestamptz, CASE WHEN $3 THEN $2::timestamptz END, $2::timestamptz, $4, $3 FROM phone_numbers WHERE record_id = $1`,
				ids[i],
				monday.AddDate(0, 0, -7),
				talked,
				w.tomas.ID,
			)
			require.NoError(t, err)
		}
	}
	for order, first := range map[contract.RoundSettingsOrder]string{contract.RoundSettingsOrderListed: "Person 01",
		contract.RoundSettingsOrderValuable: "Person 03", contract.RoundSettingsOrderOverdue: "Person 02",
		contract.RoundSettingsOrderBest: "Person 02"} {
		r := w.starts(w.ines, ids, byKey, func(s *contract.RoundSettings) { s.Order = order })
		r = w.acts(w.ines, r.ID, contract.RoundActActGo)
		assert.Equal(t, first, r.Current.Record.Name, order)
		if order == contract.RoundSettingsOrderBest {
			assert.Contains(t, r.Current.Reach, "best 9 to 11: 3 of 3 answered")
		}
		w.acts(w.ines, r.ID, contract.RoundActActEnd)
	}
}
