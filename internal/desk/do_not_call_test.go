package desk_test

import (
	"testing"
	"time"

	"trundo/internal/desk/firm"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/contract"
	"trundo/internal/core/callable"
)

func TestDoNotCallHoldsOnEveryWayToDial(t *testing.T) {
	w := newWorld(t)
	call := func(c contract.NewCall) error {
		_, err := w.Calls.PlaceCall(t.Context(), w.ines, key(), c)
		return err
	}
	// The company asked: its people are not called either.
	_, err := w.Book.MarkRecord(t.Context(), w.ines, w.vesper,
		contract.DoNotCallMark{On: true, Reason: ptr("letter of 3 May")})
	require.NoError(t, err)
	for name, c := range map[string]contract.NewCall{"stored": {NumberID: &w.mobile},
		"typed": {Typed: ptr("413 555 0142")}} {
		err := call(c)
		require.ErrorIs(t, err, callable.ErrCompanyDoNotCall, name)
		assert.Contains(t, err.Error(), "letter of 3 May")
	}
	r, err := w.Book.Record(t.Context(), w.ines, w.berit)
	require.NoError(t, err)
	assert.Contains(t, r.Refused, "this company asked not to be called")
	_, err = w.Book.MarkRecord(t.Context(), w.odile, w.vesper,
		contract.DoNotCallMark{On: false, Reason: ptr("their letter of 9 May")})
	require.NoError(t, err)

	_, err = w.Book.ImportDoNotCall(t.Context(), w.ines, contract.DoNotCallText{Text: "413 555 0142"})
	require.ErrorIs(t, err, firm.ErrForbidden)
	done, err := w.Book.ImportDoNotCall(t.Context(), w.odile,
		contract.DoNotCallText{Reason: ptr("register"),
			Text: "\ufeff(413) 555-0142\r\n\n+1 413 555 0142\nhello\n607 555 0111; by mail\n"})
	require.NoError(t, err)
	assert.Equal(t, []int{2, 0, 1}, []int{done.Added, done.Known, len(done.Rejected)})
	assert.Equal(t, int64(4), done.Rejected[0].Line)
	again, err := w.Book.ImportDoNotCall(t.Context(), w.odile, contract.DoNotCallText{Text: "413 555 0142"})
	require.NoError(t, err)
	assert.Equal(t, []int{0, 1}, []int{again.Added, again.Known})
	for name, c := range map[string]contract.NewCall{"stored": {NumberID: &w.mobile},
		"typed": {Typed: ptr("413 555 0142")}, "nobody's": {Typed: ptr("607 555 0111")}} {
		require.ErrorIs(t, call(c), callable.ErrListedDoNotCall, name)
	}
	page, err := w.Book.DoNotCallList(t.Context(), w.odile)
	require.NoError(t, err)
	assert.Equal(t, 2, page.Total)
	assert.Zero(t, w.Calls.CallsInProgress())
}

func TestWhoMayPassesOverItWithAReason(t *testing.T) {
	w := newWorld(t)
	wish := contract.NewCall{NumberID: &w.home, OverrideReason: ptr("her mother asked to be called back")}
	_, err := w.Calls.PlaceCall(t.Context(), w.ines, key(), wish)
	var no *firm.RefusedError
	require.ErrorAs(t, err, &no, "a rep may not")
	assert.False(t, no.MayOverride)
	_, err = w.Calls.PlaceCall(t.Context(), w.odile, key(), contract.NewCall{NumberID: &w.home})
	require.ErrorAs(t, err, &no)
	assert.True(t, no.MayOverride)
	_, err = w.Calls.PlaceCall(t.Context(), w.odile, key(),
		contract.NewCall{NumberID: &w.home, OverrideReason: ptr("  ")})
	var field *firm.FieldError
	require.ErrorAs(t, err, &field)
	assert.Equal(t, "override_reason", field.Field)
	c, err := w.Calls.PlaceCall(t.Context(), w.odile, key(), wish)
	require.NoError(t, err)
	var why string
	require.NoError(t, w.store.Pool.QueryRow(t.Context(), `SELECT after ->> 'why' FROM audit WHERE subject_id = $1`,
		c.ID).Scan(&why))
	assert.Equal(t, "her mother asked to be called back", why)
}

func TestASingleCallOutsideItsHoursIsAskedAbout(t *testing.T) {
	w := newWorld(t)
	w.clock.Advance(11*time.Hour + 37*time.Minute) // 21:37 in New York
	var outside *callable.OutsideError
	_, err := w.Calls.PlaceCall(t.Context(), w.ines, key(), contract.NewCall{NumberID: &w.mobile, AskHours: ptr(true)})
	require.ErrorAs(t, err, &outside)
	assert.EqualError(t, outside, "it is 9:37 PM there, outside calling hours until 8:00 AM")
	typed := mobileNumber
	_, err = w.Calls.PlaceCall(t.Context(), w.ines, key(), contract.NewCall{Typed: &typed, AskHours: ptr(true)})
	require.ErrorAs(t, err, &outside)
	assert.Zero(t, w.Calls.CallsInProgress(), "nothing is dialed by a question")
	w.sits(w.tomas)
	ref := w.comesIn(mobileNumber) // now they have called in vain
	w.rung(w.tomas)
	require.True(t, w.sim.OutsideHangsUp(ref))
	w.until("it is owed", func() bool { return len(w.missed(w.ines)) == 1 })
	c, err := w.Calls.PlaceCall(t.Context(), w.ines, key(), contract.NewCall{NumberID: &w.mobile, AskHours: ptr(true)})
	require.NoError(t, err, "they are called back")
	require.NoError(t, w.Calls.HangUp(t.Context(), w.ines, c.ID))
}
