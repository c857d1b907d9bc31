package desk_test

import (
	"testing"
	"time"

	"trundo/internal/desk/firm"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestAddUserAndSignIn(t *testing.T) {
	w := newWorld(t)
	good := firm.NewUser{Login: " Ada ", Name: "Ada Millrace", Password: "ten letters and more", Role: firm.Admin,
		Zone: "Europe/London"}
	_, err := firm.AddUser(t.Context(), w.store.Queries, good)
	require.NoError(t, err)
	for field, change := range map[string]func(*firm.NewUser){
		"login":    func(u *firm.NewUser) { u.Login = "ada" },
		"name":     func(u *firm.NewUser) { u.Login, u.Name = "x", "  " },
		"password": func(u *firm.NewUser) { u.Login, u.Password = "x", "short" },
		"role":     func(u *firm.NewUser) { u.Login, u.Role = "x", "king" },
		"zone":     func(u *firm.NewUser) { u.Login, u.Zone = "x", "Here/There" },
	} {
		bad := good
		change(&bad)
		_, err := firm.AddUser(t.Context(), w.store.Queries, bad)
		var wrong *firm.FieldError
		require.ErrorAs(t, err, &wrong, field)
		assert.Equal(t, field, wrong.Field)
	}
	a, err := w.SignIn(t.Context(), firm.Credentials{Login: "ADA", Password: "ten letters and more", From: "192.0.2.1"})
	require.NoError(t, err)
	assert.Equal(t, firm.Admin, a.Role)
	assert.Equal(t, "Europe/London", a.Zone.String())
	for _, try := range [][2]string{{"ada", "wrong"}, {"nobody", "ten letters and more"}, {"", ""}} {
		_, err := w.SignIn(t.Context(), firm.Credentials{Login: try[0], Password: try[1], From: "192.0.2.1"})
		require.ErrorIs(t, err, firm.ErrSignIn)
	}
}

func TestSomebodyWhoLeavesIsSignedOutWithinSeconds(t *testing.T) {
	w := newWorld(t)
	_, err := w.store.Pool.Exec(t.Context(), `UPDATE users SET active = false WHERE id = $1`, w.tomas.ID)
	require.NoError(t, err)
	w.clock.Advance(6 * time.Second)
	_, err = w.Actor(t.Context(), w.tomas.ID)
	require.ErrorIs(t, err, firm.ErrSignedOut)
	_, err = w.Actor(t.Context(), uuid.New())
	require.ErrorIs(t, err, firm.ErrSignedOut)
}

func TestMeIsWhatABrowserNeeds(t *testing.T) {
	w := newWorld(t)
	_, err := w.store.Pool.Exec(t.Context(), `UPDATE outcomes SET active = false WHERE id = $1`, w.again)
	require.NoError(t, err)
	w.clock.Advance(6 * time.Second)
	me, err := w.Me(t.Context(), w.ines)
	require.NoError(t, err)
	assert.Equal(t, "413 555 0100", me.Line)
	assert.Equal(t, "Lindenfall Cisterns", me.Firm.Name)
	assert.True(t, me.Firm.OutcomeNeeded)
	require.Len(t, me.Outcomes, 1, "only those that are still offered")
	people, err := w.DemoPeople(t.Context())
	require.NoError(t, err)
	assert.Empty(t, people, "nobody is offered outside the demo")
}
