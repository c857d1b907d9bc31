package desk_test

import (
	"strings"
	"testing"
	"time"

	"trundo/internal/desk/firm"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/carrier"
	"trundo/internal/contract"
)

func TestStatesOfAvailability(t *testing.T) {
	w := newWorld(t)
	w.sits(w.ines)
	id := func(u uuid.UUID) *uuid.UUID { return &u }
	states := []contract.AvailabilityState{{ID: id(availableState), Label: "Available", TakesCalls: true,
		CountsAsWork: true, Active: true},
		{Label: "In training", CountsAsWork: true, Active: true}, {ID: id(awayState), Label: "Away"}}
	wrap := 60
	_, err := w.Team.SetAvailabilityStates(t.Context(), w.ines, contract.AvailabilityStates{States: states})
	require.ErrorIs(t, err, firm.ErrForbidden)
	require.NoError(t, w.Team.SetAvailability(t.Context(), w.ines, awayState))
	saved, err := w.Team.SetAvailabilityStates(t.Context(), w.admin(),
		contract.AvailabilityStates{States: states, WrapSeconds: &wrap})
	require.NoError(t, err)
	require.Len(t, saved, 3)
	me, err := w.Me(t.Context(), w.ines)
	require.NoError(t, err)
	assert.Equal(t, "In training", me.Availability.Label, "her state is offered no longer")
	assert.Equal(t, 60, me.Firm.WrapSeconds)
	require.Error(t, w.Team.SetAvailability(t.Context(), w.ines, awayState))
	require.NoError(t, w.Team.SetAvailability(t.Context(), w.ines, availableState))
	changes, err := w.Team.AvailabilityHistory(t.Context(), w.odile, w.ines.ID)
	require.NoError(t, err)
	assert.Equal(t, "Available", changes[0].Label)
	_, err = w.Team.AvailabilityHistory(t.Context(), w.tomas, w.ines.ID)
	require.ErrorIs(t, err, firm.ErrForbidden)
	_, err = w.Team.SetAvailabilityStates(t.Context(), w.admin(), contract.AvailabilityStates{States: states[:1]})
	var field *firm.FieldError
	require.ErrorAs(t, err, &field)

	first := w.calls() // an unfiled slip keeps calls away, for a minute
	require.True(t, w.sim.TheyAnswer(mobileNumber))
	w.until("speaking", func() bool { return w.phase(first.ID) == contract.PhaseSpeaking })
	require.NoError(t, w.Calls.HangUp(t.Context(), w.ines, first.ID))
	w.ended(first.ID)
	ref := w.comesIn("+14135550199")
	w.until("not rung", func() bool {
		return strings.Contains(w.Lines.WhatIsHeard(t.Context(), carrier.Ref(ref)), "Nobody can take your call")
	})
	require.True(t, w.sim.OutsideHangsUp(ref))
	w.clock.Advance(61 * time.Second)
	w.comesIn("+14135550199")
	w.rung(w.ines)
}

func TestPreferences(t *testing.T) {
	w := newWorld(t)
	w.sits(w.ines)
	set := func(template string) error {
		_, err := w.Arrivals.SetPreferences(t.Context(), w.ines,
			contract.Preferences{Opens: contract.PreferencesOpensAddress, AddressTemplate: template,
				Greeting: "Ines here"})
		return err
	}
	for _, bad := range []string{"", "https://crm.example/{", "https://crm.example/{?secret}",
		"ftp://crm.example/{number}", "javascript:{number}"} {
		var field *firm.FieldError
		require.ErrorAs(t, set(bad), &field, bad)
		assert.Equal(t, "address_template", field.Field)
	}
	require.NoError(t, set("https://books.example/find{?number,name,contact_id}"))
	w.ines = w.actor("ines") // as the next request finds them
	w.comesIn(mobileNumber)
	assert.Equal(t, "https://books.example/find?number=%2B14135550142&name=Berit%20Osterlund&contact_id="+
		w.berit.String(), w.rung(w.ines).Address)
}

func TestLinesThatCannotBe(t *testing.T) {
	w := newWorld(t)
	lines, err := w.Lines.Lines(t.Context(), w.admin())
	require.NoError(t, err)
	_, err = w.Lines.Lines(t.Context(), w.ines)
	require.ErrorIs(t, err, firm.ErrForbidden)
	for field, change := range map[string]func(*contract.FirmLine){
		"hours":         func(l *contract.FirmLine) { l.Hours = "Mon 17:00-09:00" },
		"off":           func(l *contract.FirmLine) { l.Off = []string{"Christmas"} },
		"zone":          func(l *contract.FirmLine) { l.Zone = "Europe/Atlantis" },
		"label":         func(l *contract.FirmLine) { l.Label = " " },
		"limit_seconds": func(l *contract.FirmLine) { l.RingSeconds, l.LimitSeconds = 60, 30 },
		"reps":          func(l *contract.FirmLine) { l.Reps = []uuid.UUID{uuid.New()} },
	} {
		l := lines[0]
		change(&l)
		_, err := w.Lines.UpdateLine(t.Context(), w.admin(), l.ID, l)
		var wrong *firm.FieldError
		require.ErrorAs(t, err, &wrong, field)
		assert.Equal(t, field, wrong.Field)
	}
	stale := lines[0]
	stale.Version--
	_, err = w.Lines.UpdateLine(t.Context(), w.admin(), stale.ID, stale)
	require.ErrorIs(t, err, firm.ErrChangedElse)
	added, err := w.Lines.AddLine(t.Context(), w.admin(), contract.NewLine{Number: "+44 7700 900100", Label: "Britain"})
	require.NoError(t, err)
	assert.Contains(t, added.Zone, "Europe/")
	_, err = w.Lines.AddLine(t.Context(), w.admin(), contract.NewLine{Number: "413 555 0100", Label: "Again"})
	require.Error(t, err)
}
