package desk_test

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/contract"
	"trundo/internal/desk/firm"
)

// mailed are the subjects of the mails that went to an address, in the order in which they went.
func (w *world) mailed(to string) (subjects []string) {
	for _, m := range w.postbox.Sent() {
		if m.Mail != nil && m.Mail.To == to {
			subjects = append(subjects, m.Mail.Subject)
		}
	}
	return subjects
}

func TestLimitsAreToldByMailOnceAMonth(t *testing.T) {
	w := newWorld(t)
	ctx := t.Context()
	ada := w.admin()
	w.ActorChanged(ada.ID)
	_, err := w.store.Pool.Exec(ctx, `UPDATE users SET mail_address = login || '@lindenfall.example'`)
	require.NoError(t, err)
	to := ada.Login + "@lindenfall.example"
	_, err = w.Usage.Set(ctx, ada, contract.UsageSettings{Prices: contract.Prices{Minutes: []contract.MinutePrice{},
		Lines: []contract.LinePrice{}}, Limits: []contract.UsageLimit{{What: "minutes", Scope: "rep", Of: w.ines.ID.String(),
		Amount: 5, Hard: true}}})
	require.NoError(t, err)
	tell := func(want ...string) {
		t.Helper()
		require.NoError(t, w.Usage.Tell(ctx))
		// The desk looks by itself too when the clock moves: what it claimed first it mails.
		w.until("the mails", func() bool { return len(w.mailed(to)) >= len(want) })
		assert.Equal(t, want, w.mailed(to))
	}
	tell()
	w.talked(3*time.Minute + 10*time.Second)
	near := "Four fifths of a limit are used: minutes of calls of ines"
	tell(near)
	tell(near)
	w.talked(time.Minute)
	over := "A limit is used up: minutes of calls of ines"
	tell(near, over)
	tell(near, over)
	mails := w.postbox.Sent()
	assert.Contains(
		t,
		mails[len(mails)-1].Mail.Body,
		"5 of 5 minutes of calls of ines are used this month. Nothing more of it begins",
	)
	assert.Empty(t, w.mailed("ines@lindenfall.example"), "who may not see use is not told")
	w.clock.Advance(31 * 24 * time.Hour) // the next month begins from nothing
	tell(near, over)
	w.talked(6 * time.Minute)
	tell(near, over, over)
}

func TestSomebodyIsToldOfStrangeSignIns(t *testing.T) {
	w := newWorld(t)
	ctx := t.Context()
	_, err := w.store.Pool.Exec(ctx, `UPDATE users SET mail_address = 'ines@lindenfall.example' WHERE login = 'ines'`)
	require.NoError(t, err)
	in := func(from string) {
		t.Helper()
		require.NoError(t, w.Entered(ctx, w.ines, "password", from))
	}
	told := func(n int, last string) {
		t.Helper()
		w.until("the mails", func() bool { return len(w.mailed("ines@lindenfall.example")) >= n })
		got := w.mailed("ines@lindenfall.example")
		assert.Len(t, got, n)
		if n > 0 {
			assert.Equal(t, last, got[n-1])
		}
	}
	place, guesses := "You signed in from a new place", "Somebody tries to sign in as you"
	in("192.0.2.1") // the first of all is no news
	in("192.0.2.1")
	in("192.0.2.2")
	told(1, place)
	in("192.0.2.2")
	w.clock.Advance(91 * 24 * time.Hour)
	in("192.0.2.1") // so long ago that it is new again
	told(2, place)
	body := w.postbox.Sent()[1].Mail.Body
	assert.True(t, strings.HasPrefix(body, "Hello ines,"), body)
	assert.Contains(t, body, "192.0.2.1")

	for range 12 {
		_, err := w.SignIn(ctx, firm.Credentials{Login: "ines", Password: "nothing of the kind", From: "192.0.2.9"})
		require.ErrorIs(t, err, firm.ErrSignIn)
	}
	told(3, guesses)
}
