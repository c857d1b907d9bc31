package desk_test

import (
	"strings"
	"testing"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/contract"
	"trundo/internal/core/totp"
	"trundo/internal/desk/firm"
)

// codeOf is what somebody's telephone shows, some steps from now.
func (w *world) codeOf(begun contract.SecondFactorBegun, steps int64) string {
	code, err := totp.Code(strings.ReplaceAll(begun.Secret, " ", ""), totp.StepAt(w.clock.Now())+steps)
	require.NoError(w.t, err)
	return code
}

func TestASecondFactorIsAskedForAndEachCodeIsGoodOnce(t *testing.T) {
	w := newWorld(t)
	ada := w.ada()
	in := firm.Credentials{Login: "ada", Password: "four green kettles", From: "192.0.2.1"}
	_, err := w.BeginSecondFactor(t.Context(), ada, "five green kettles")
	assert.Equal(t, "password", fieldOf(t, err))
	_, err = w.ConfirmSecondFactor(t.Context(), ada, "000000")
	assert.Equal(t, "code", fieldOf(t, err), "nothing was begun")
	begun, err := w.BeginSecondFactor(t.Context(), ada, "four green kettles")
	require.NoError(t, err)
	assert.True(t, strings.HasPrefix(begun.Picture, "data:image/png;base64,"))
	_, err = w.SignIn(t.Context(), in)
	require.NoError(t, err, "it counts for nothing before a code was typed")
	_, err = w.ConfirmSecondFactor(t.Context(), ada, "12345")
	assert.Equal(t, "code", fieldOf(t, err))
	codes, err := w.ConfirmSecondFactor(t.Context(), ada, w.codeOf(begun, 0))
	require.NoError(t, err)
	require.Len(t, codes.Codes, 10)
	_, err = w.BeginSecondFactor(t.Context(), ada, "four green kettles")
	assert.Equal(t, "code", fieldOf(t, err), "another one would take its place unseen")

	_, err = w.SignIn(t.Context(), in)
	require.ErrorIs(t, err, firm.ErrSecondFactor)
	wrongPassword := in
	wrongPassword.Password, wrongPassword.Code = "five green kettles", w.codeOf(begun, 1)
	_, err = w.SignIn(t.Context(), wrongPassword)
	require.ErrorIs(t, err, firm.ErrSignIn, "nobody learns that there is a second factor without the password")
	in.Code = w.codeOf(begun, 0)
	_, err = w.SignIn(t.Context(), in)
	assert.Equal(t, "code", fieldOf(t, err), "it was used to turn it on")
	in.Code = w.codeOf(begun, 1) // a telephone that is 40 seconds fast
	a, err := w.SignIn(t.Context(), in)
	require.NoError(t, err)
	assert.True(t, a.SecondFactor)
	_, err = w.SignIn(t.Context(), in)
	assert.Equal(t, "code", fieldOf(t, err), "once")

	in.Code = strings.ToUpper(codes.Codes[3])
	_, err = w.SignIn(t.Context(), in)
	require.NoError(t, err, "the telephone is lost")
	_, err = w.SignIn(t.Context(), in)
	assert.Equal(t, "code", fieldOf(t, err), "each of them once")
	var kept string
	require.NoError(
		t,
		w.store.Pool.QueryRow(t.Context(), `SELECT recovery::text FROM users WHERE login = 'ada'`).Scan(&kept),
	)
	assert.Equal(t, 9, strings.Count(kept, `\\x`))

	assert.Equal(t, "password", fieldOf(t, w.EndSecondFactor(t.Context(), a, "five green kettles")))
	require.NoError(t, w.EndSecondFactor(t.Context(), a, "four green kettles"))
	in.Code = ""
	_, err = w.SignIn(t.Context(), in)
	require.NoError(t, err)
}

func TestAnAdminAsksForASecondFactorByRoleAndTakesALostOneAway(t *testing.T) {
	w := newWorld(t)
	ada := w.ada()
	missing := func(a firm.Actor) bool {
		t.Helper()
		is, err := w.NeedsSecondFactor(t.Context(), a)
		require.NoError(t, err)
		return is
	}
	assert.False(t, missing(w.ines))
	roles := []contract.MemberRole{"rep", "admin", "rep"}
	saved, err := w.SetIdentity(
		t.Context(),
		ada,
		contract.FirmSetup{Name: "Lindenfall Cisterns", Region: "US", Currency: "USD",
			Zone: "America/New_York", SecondFactor: &roles},
	)
	require.NoError(t, err)
	assert.Equal(t, []contract.MemberRole{"rep", "admin"}, *saved.SecondFactor)
	assert.True(t, missing(w.ines) && missing(ada))
	assert.False(t, missing(w.odile), "supervisors were not named")
	begun, err := w.BeginSecondFactor(t.Context(), ada, "four green kettles")
	require.NoError(t, err)
	_, err = w.ConfirmSecondFactor(t.Context(), ada, w.codeOf(begun, -2)) // a telephone that is a minute slow
	require.NoError(t, err)
	ada = w.actor("ada")
	assert.False(t, missing(ada))
	me, err := w.Me(t.Context(), w.ines)
	require.NoError(t, err)
	assert.True(t, me.SecondFactorMissing)

	assert.ErrorIs(t, w.ResetSecondFactor(t.Context(), w.odile, ada.ID), firm.ErrForbidden)
	assert.ErrorIs(t, w.ResetSecondFactor(t.Context(), ada, uuid.New()), firm.ErrNotFound)
	require.NoError(t, w.ResetSecondFactor(t.Context(), ada, ada.ID))
	_, err = w.SignIn(t.Context(), firm.Credentials{Login: "ada", Password: "four green kettles"})
	require.NoError(t, err)
}
