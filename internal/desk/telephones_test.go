package desk_test

import (
	"context"
	"regexp"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"trundo/internal/desk/calls"
	"trundo/internal/desk/firm"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/carrier"
	"trundo/internal/contract"
	"trundo/internal/media"
)

const ownNumber = "+14135550160"

// said is a speech that keeps what it is to say.
type said struct {
	mu    sync.Mutex
	texts []string
}

func (s *said) Speak(_ context.Context, _, text string) ([]byte, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.texts = append(s.texts, text)
	return []byte{0xff}, nil
}

func (s *said) all() string {
	s.mu.Lock()
	defer s.mu.Unlock()
	return strings.Join(s.texts, "\n")
}

// telephone confirms ines's telephone.
func (w *world) telephone(t contract.Telephone) {
	w.t.Helper()
	t.Number = ownNumber
	_, err := w.Telephones.SetTelephone(w.t.Context(), w.ines, t)
	require.NoError(w.t, err)
	_, err = w.store.Pool.Exec(w.t.Context(), `UPDATE telephones SET verified_at = now()`)
	require.NoError(w.t, err)
	w.clock.Advance(time.Minute) // what is known of a person is read anew after a while
	w.ines, err = w.Actor(w.t.Context(), w.ines.ID)
	require.NoError(w.t, err)
}

func (w *world) telephoneIs(state contract.TelephoneState) contract.TelephoneInUse {
	w.t.Helper()
	var now contract.TelephoneInUse
	w.until("the telephone is "+string(state), func() bool {
		now = w.Voices.Sound(w.ines).Telephone
		return now.State == state
	})
	return now
}

// legTo is the leg to a number.
func (w *world) legTo(number string) string {
	for _, l := range w.sim.OutsideLegs() {
		if l.To == number && l.FromUs {
			return l.Ref
		}
	}
	return ""
}

func TestATelephoneIsOnesOwnAfterACode(t *testing.T) {
	w := newWorld(t)
	speech := &said{}
	w.Speech = speech
	ctx := t.Context()
	var field *firm.FieldError
	for _, number := range []string{"nobody", "911", mainNumber} {
		_, err := w.Telephones.SetTelephone(ctx, w.ines, contract.Telephone{Number: number})
		require.ErrorAs(t, err, &field, number)
		assert.Equal(t, "number", field.Field)
	}
	require.ErrorIs(t, w.Telephones.CallWithCode(ctx, w.ines), calls.ErrNoTelephone)
	saved, err := w.Telephones.SetTelephone(ctx, w.ines, contract.Telephone{Number: "413 555 0160", PressOne: true})
	require.NoError(t, err)
	assert.False(t, saved.Verified)
	_, err = w.Telephones.StandTelephone(ctx, w.ines)
	require.ErrorIs(t, err, calls.ErrNotVerified)
	_, err = w.Telephones.VerifyTelephone(ctx, w.ines, "1234")
	require.ErrorAs(t, err, &field, "nobody was called yet")

	require.NoError(t, w.Telephones.CallWithCode(ctx, w.ines))
	require.ErrorIs(t, w.Telephones.CallWithCode(ctx, w.ines), calls.ErrTelephoneBusy)
	w.until("it is answered", func() bool { return w.sim.TheyAnswer(ownNumber) })
	w.until("the code is spoken", func() bool { return strings.Contains(speech.all(), "Your code") })
	code := regexp.MustCompile(`is ([0-9, ]+)\.`).FindStringSubmatch(speech.all())[1]
	w.telephoneIs(contract.TelephoneStateDown)
	_, err = w.Telephones.VerifyTelephone(ctx, w.ines, code+"0")
	require.ErrorAs(t, err, &field)
	saved, err = w.Telephones.VerifyTelephone(ctx, w.ines, code)
	require.NoError(t, err)
	assert.True(t, saved.Verified)
	saved, err = w.Telephones.SetTelephone(ctx, w.ines, contract.Telephone{Number: ownNumber, Speaks: true})
	require.NoError(t, err)
	assert.True(t, saved.Verified, "the same number stays confirmed")
	saved, err = w.Telephones.SetTelephone(ctx, w.ines, contract.Telephone{Number: "+14135550161", Speaks: true})
	require.NoError(t, err)
	assert.False(t, saved.Verified, "another one is not")
	require.NoError(t, w.Telephones.CallWithCode(ctx, w.ines))
	for range 5 {
		_, err = w.Telephones.VerifyTelephone(ctx, w.ines, "x")
		require.ErrorAs(t, err, &field)
	}
	_, err = w.Telephones.VerifyTelephone(ctx, w.ines, "x")
	require.ErrorContains(t, err, "too many")
	w.clock.Advance(11 * time.Minute)
	_, err = w.Telephones.VerifyTelephone(ctx, w.ines, "x")
	require.ErrorContains(t, err, "too old")
	saved, err = w.Telephones.SetTelephone(ctx, w.ines, contract.Telephone{})
	require.NoError(t, err)
	assert.Empty(t, saved.Number)
}

func TestTheRepsTelephoneRingsFirst(t *testing.T) {
	w := newWorld(t)
	w.telephone(contract.Telephone{Speaks: true, PressOne: true})
	place := func() error {
		_, err := w.Calls.PlaceCall(t.Context(), w.ines, key(), contract.NewCall{NumberID: &w.mobile})
		return err
	}
	require.ErrorIs(t, place(), calls.ErrTelephoneRings)
	assert.Equal(t, "Berit Osterlund", w.telephoneIs(contract.TelephoneStateRinging).For)
	require.ErrorIs(t, place(), calls.ErrTelephoneBusy, "it rings already")
	assert.Empty(t, w.legTo(mobileNumber), "nobody is called before the rep is there")
	w.until("it is answered", func() bool { return w.sim.TheyAnswer(ownNumber) })
	w.telephoneIs(contract.TelephoneStatePress)
	require.True(t, w.sim.OutsidePresses(w.legTo(ownNumber), "2"))
	assert.Empty(t, w.legTo(mobileNumber), "not with any key")
	require.True(t, w.sim.OutsidePresses(w.legTo(ownNumber), "1"))
	w.until("she is called", func() bool { return w.legTo(mobileNumber) != "" })
	var c contract.Call
	w.until("the slip lies there", func() bool {
		now, err := w.Calls.MyDesk(t.Context(), w.ines)
		require.NoError(t, err)
		if len(now.Calls) == 1 {
			c = now.Calls[0]
		}
		return len(now.Calls) == 1
	})
	assert.Equal(t, "telephone", c.Device)
	w.until("she answers", func() bool {
		return w.sim.TheyAnswer(mobileNumber) &&
			w.phase(c.ID) == contract.PhaseSpeaking
	})
	// Hung up at the telephone: the call ends with it.
	require.True(t, w.sim.OutsideHangsUp(w.legTo(ownNumber)))
	assert.Equal(t, "ended_by_us", w.ended(c.ID).State.EndReason)
	w.telephoneIs(contract.TelephoneStateDown)

	// Not answered: nobody is called, and it is said why.
	require.ErrorIs(t, place(), calls.ErrTelephoneRings)
	w.telephoneIs(contract.TelephoneStateRinging)
	require.True(t, w.sim.TheyEnd(ownNumber, carrier.Busy))
	assert.Equal(t, "Your telephone is busy.", w.telephoneIs(contract.TelephoneStateDown).Trouble)
	assert.Empty(t, w.legTo(mobileNumber))

	// Stopped from ringing at the screen.
	require.ErrorIs(t, place(), calls.ErrTelephoneRings)
	assert.Equal(t, contract.TelephoneStateDown, w.Telephones.LeaveTelephone(t.Context(), w.ines).Telephone.State)
	assert.Empty(t, w.legTo(ownNumber))
}

func TestATelephoneStaysBetweenCallsAndRingsForThoseThatComeIn(t *testing.T) {
	w := newWorld(t)
	w.telephone(contract.Telephone{Rings: true})
	w.line(func(l *contract.FirmLine) { l.Recording = contract.RecordingRuleOff })
	_, err := w.Telephones.StandTelephone(t.Context(), w.ines)
	require.NoError(t, err)
	w.until("it is answered", func() bool { return w.sim.TheyAnswer(ownNumber) })
	assert.True(t, w.telephoneIs(contract.TelephoneStateUp).Standing)
	for range 2 {
		c := w.calls()
		assert.Equal(t, "telephone", c.Device)
		require.NoError(t, w.Calls.HangUp(t.Context(), w.ines, c.ID))
		w.ended(c.ID)
		assert.Equal(t, contract.TelephoneStateUp, w.Voices.Sound(w.ines).Telephone.State, "it stays")
	}
	assert.Equal(t, contract.TelephoneStateDown, w.Telephones.LeaveTelephone(t.Context(), w.ines).Telephone.State)

	// A call that comes in rings it, though no window of hers is open.
	ref, err := w.sim.CallIn("+14135550199", mainNumber)
	require.NoError(t, err)
	w.telephoneIs(contract.TelephoneStateRinging)
	w.until("it is answered", func() bool { return w.sim.TheyAnswer(ownNumber) })
	w.telephoneIs(contract.TelephoneStateUp)
	w.until("she is in the call", func() bool {
		now, err := w.Calls.MyDesk(t.Context(), w.ines)
		require.NoError(t, err)
		return slices.ContainsFunc(now.Calls,
			func(c contract.Call) bool { return c.State.Phase == contract.PhaseSpeaking })
	})
	require.True(t, w.sim.OutsideHangsUp(ref))
	w.telephoneIs(contract.TelephoneStateDown)

	// One that nobody takes rings it no longer than the line does.
	_, err = w.sim.CallIn("+14135550198", mainNumber)
	require.NoError(t, err)
	w.telephoneIs(contract.TelephoneStateRinging)
	w.passes(
		"it rings no more",
		func() bool { return w.Voices.Sound(w.ines).Telephone.State == contract.TelephoneStateDown },
	)
}

func TestATelephoneCallsInWithACode(t *testing.T) {
	w := newWorld(t)
	ctx := t.Context()
	_, err := w.Telephones.DialIn(ctx, w.ines)
	require.ErrorIs(t, err, calls.ErrNoTelephone)
	w.telephone(contract.Telephone{})
	e, err := w.Telephones.DialIn(ctx, w.ines)
	require.NoError(t, err)
	assert.Regexp(t, `^\d{4}$`, e.Code)
	assert.Equal(t, "413 555 0100", e.Number)
	ref, err := w.sim.CallIn(ownNumber, mainNumber)
	require.NoError(t, err)
	w.telephoneIs(contract.TelephoneStatePress)
	w.until("a machine answers", func() bool { return w.sim.OutsidePresses(ref, "1") })
	require.True(t, w.sim.OutsidePresses(ref, e.Code[:2]))
	require.True(t, w.sim.OutsidePresses(ref, e.Code[2:]))
	assert.True(t, w.telephoneIs(contract.TelephoneStateUp).Standing)
	c := w.calls()
	assert.Equal(t, "telephone", c.Device)
	require.NoError(t, w.Calls.HangUp(ctx, w.ines, c.ID))
	w.ended(c.ID)
	require.True(t, w.sim.OutsideHangsUp(ref))
	w.telephoneIs(contract.TelephoneStateDown)

	// The next time, and too late, it is a call like any other.
	_, err = w.Telephones.DialIn(ctx, w.ines)
	require.NoError(t, err)
	w.clock.Advance(6 * time.Minute)
	w.sits(w.ines)
	_, err = w.sim.CallIn(ownNumber, mainNumber)
	require.NoError(t, err)
	w.rung(w.ines)
	assert.Equal(t, contract.TelephoneStateDown, w.Voices.Sound(w.ines).Telephone.State)
}

// ear is a browser's connection.
type ear struct{}

func (ear) Send(*media.Frame) {}
func (ear) Close()            {}

func TestTheTelephoneRingsARepWhoWasCutOff(t *testing.T) {
	w := newWorld(t)
	w.telephone(contract.Telephone{})
	seat := w.Studio.Seat(w.ines.ID.String())
	way := &ear{}
	seat.Sit(way, true)
	c := w.speaks()
	seat.Leave(way, w.clock.Now())
	w.passes("the telephone rings",
		func() bool { return w.Voices.Sound(w.ines).Telephone.State == contract.TelephoneStateRinging })
	w.until("it is answered", func() bool { return w.sim.TheyAnswer(ownNumber) })
	w.telephoneIs(contract.TelephoneStateUp)
	assert.Equal(t, contract.PhaseSpeaking, w.phase(c.ID), "the call has gone on")
	require.NoError(t, w.Calls.HangUp(t.Context(), w.ines, c.ID))
	w.ended(c.ID)
	w.telephoneIs(contract.TelephoneStateDown)
}

func TestWhoIsReachedByTelephoneOnlyIsThereForLinesAndColleagues(t *testing.T) {
	w := newWorld(t)
	w.telephone(contract.Telephone{Rings: true})
	team, err := w.Team.Team(t.Context())
	require.NoError(t, err)
	at := slices.IndexFunc(team, func(c contract.Colleague) bool { return c.ID == w.ines.ID })
	assert.Equal(t, []any{"Available", true, true}, []any{team[at].Availability, team[at].Free, team[at].Reached})
	w.sits(w.tomas)
	c, err := w.Calls.PlaceCall(t.Context(), w.tomas, key(), contract.NewCall{ColleagueID: &w.ines.ID})
	require.NoError(t, err)
	w.telephoneIs(contract.TelephoneStateRinging)
	w.until("she answers it", func() bool { return w.sim.TheyAnswer(ownNumber) })
	w.until("they speak", func() bool { return w.phase(c.ID) == contract.PhaseSpeaking })
	began := w.clock.Now()
	w.clock.Advance(2 * time.Minute)
	require.NoError(t, w.Calls.HangUp(t.Context(), w.ines, c.ID))
	w.until("it is over", func() bool { return w.Calls.CallsInProgress() == 0 })
	var day []string
	w.until("her day tells it", func() bool {
		changes, err := w.Team.AvailabilityHistory(t.Context(), w.odile, w.ines.ID)
		require.NoError(t, err)
		day = nil
		for _, c := range changes {
			day = append(day, c.Label)
			if c.Label == "Speaking" {
				assert.WithinDuration(t, began, c.At, time.Second)
			}
		}
		return len(day) > 2
	})
	assert.Equal(t, []string{"Available", "Speaking", "Available"}, day)
	team, err = w.Team.Team(t.Context())
	require.NoError(t, err)
	assert.WithinDuration(t, w.clock.Now(), *team[at].Since, time.Second, "free since the call ended")
}
