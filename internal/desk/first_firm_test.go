package desk_test

import (
	"errors"
	"fmt"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/contract"
	"trundo/internal/desk/firm"
	"trundo/internal/desk/staff"
)

// emptied is a world in which nobody belongs to the firm yet.
func emptied(t *testing.T) *world {
	w := newWorld(t)
	for _, sql := range []string{`DELETE FROM availability_changes`, `DELETE FROM rep_state`, `DELETE FROM users`,
		`DELETE FROM outcomes`, `DELETE FROM settings`, `DELETE FROM phone_numbers`, `DELETE FROM records`, `DELETE FROM lines`} {
		_, err := w.store.Pool.Exec(t.Context(), sql)
		require.NoError(t, err)
	}
	w.BookChanged()
	return w
}

func TestTheFirstAdminComesByTheCodeOfTheServer(t *testing.T) {
	w := emptied(t)
	first := contract.FirstAdmin{
		Code:     "000-000-000",
		Name:     "Ada Millrace",
		Login:    "Ada",
		Password: "four green kettles",
		Zone:     "Europe/London",
	}
	_, err := w.Staff.BecomeFirst(t.Context(), first)
	assert.Equal(t, "code", fieldOf(t, err), "the server has said none")
	code, err := w.Staff.FirstCode(t.Context())
	require.NoError(t, err)
	assert.Regexp(t, `^\d{3}-\d{3}-\d{3}$`, code)
	for field, change := range map[string]func(*contract.FirstAdmin){
		"code":     func(f *contract.FirstAdmin) { f.Code = "" },
		"name":     func(f *contract.FirstAdmin) { f.Name = " " },
		"login":    func(f *contract.FirstAdmin) { f.Login = "a da" },
		"password": func(f *contract.FirstAdmin) { f.Password = "adamillrace" },
		"zone":     func(f *contract.FirstAdmin) { f.Zone = "Here" },
	} {
		bad := first
		bad.Code = code
		change(&bad)
		_, err := w.Staff.BecomeFirst(t.Context(), bad)
		assert.Equal(t, field, fieldOf(t, err))
	}
	first.Code = strings.ReplaceAll(code, "-", " ")
	results := make([]error, 4)
	var group sync.WaitGroup
	for i := range results {
		group.Go(func() {
			each := first
			each.Login = fmt.Sprint("ada", i)
			_, results[i] = w.Staff.BecomeFirst(t.Context(), each)
		})
	}
	group.Wait()
	well := 0
	for _, err := range results {
		if err == nil {
			well++
			continue
		}
		var wrong *firm.FieldError
		assert.True(t, errors.Is(err, staff.ErrNotFirst) || errors.As(err, &wrong) && wrong.Field == "code", "%v", err)
	}
	assert.Equal(t, 1, well, "one of four at the same moment")
	awaited, err := w.Staff.Awaited(t.Context())
	require.NoError(t, err)
	assert.False(t, awaited)
	again, err := w.Staff.FirstCode(t.Context())
	require.NoError(t, err)
	assert.Empty(t, again)
	var login string
	require.NoError(t, w.store.Pool.QueryRow(t.Context(), `SELECT login FROM users`).Scan(&login))
	a, err := w.SignIn(t.Context(), firm.Credentials{Login: login, Password: "four green kettles", From: "192.0.2.1"})
	require.NoError(t, err)
	assert.Equal(t, firm.Admin, a.Role)
	me, err := w.Me(t.Context(), a)
	require.NoError(t, err)
	assert.Len(t, me.Outcomes, 6, "there is something to choose from")
	assert.True(t, me.Firm.OutcomeNeeded)
}

func TestFirstStepsAreWhatIsNotDoneYet(t *testing.T) {
	w := emptied(t)
	code, err := w.Staff.FirstCode(t.Context())
	require.NoError(t, err)
	ada, err := w.Staff.BecomeFirst(t.Context(), contract.FirstAdmin{Code: code, Name: "Ada Millrace", Login: "ada",
		Password: "four green kettles", Zone: "America/New_York"})
	require.NoError(t, err)
	// "firm lines …": done, (…): passed over, -: neither
	steps := func() string {
		t.Helper()
		now, err := w.FirstSteps(t.Context(), ada)
		require.NoError(t, err)
		text := ""
		for _, s := range now.Steps {
			switch {
			case s.Done:
				text += string(s.Step) + " "
			case s.Skipped:
				text += "(" + string(s.Step) + ") "
			default:
				text += "- "
			}
		}
		if now.Closed {
			text += "closed"
		}
		return strings.TrimSpace(text)
	}
	assert.Equal(t, "- - - - - - -", steps())
	saved, err := w.SetIdentity(t.Context(), ada, contract.FirmSetup{Name: " Lindenfall Cisterns ", Region: "us",
		Currency: "usd", Zone: "America/New_York"})
	require.NoError(t, err)
	assert.Equal(t, []string{"Lindenfall Cisterns", "US", "USD"}, []string{saved.Name, saved.Region, saved.Currency})
	for field, bad := range map[string]contract.FirmSetup{
		"name":     {Name: "", Region: "US", Currency: "USD", Zone: "UTC"},
		"region":   {Name: "x", Region: "XX", Currency: "USD", Zone: "UTC"},
		"currency": {Name: "x", Region: "US", Currency: "DOLLAR", Zone: "UTC"},
		"zone":     {Name: "x", Region: "US", Currency: "USD", Zone: ""},
	} {
		_, err := w.SetIdentity(t.Context(), ada, bad)
		assert.Equal(t, field, fieldOf(t, err))
	}
	_, err = w.Lines.AddLine(t.Context(), ada, contract.NewLine{Number: "413 555 0100", Label: "Main"})
	require.NoError(t, err)
	_, err = w.ChooseFirstSteps(
		t.Context(),
		ada,
		contract.FirstStepsChoice{Skipped: []contract.FirstStep{"book", "lines"}},
	)
	require.NoError(t, err)
	assert.Equal(t, "firm lines - - (book) - -", steps(), "what is done is not passed over")
	lines, err := w.Lines.Lines(t.Context(), ada)
	require.NoError(t, err)
	lines[0].Hours = "Mon-Fri 09:00-17:00"
	_, err = w.Lines.UpdateLine(t.Context(), ada, lines[0].ID, lines[0])
	require.NoError(t, err)
	done, err := w.Staff.AddMany(
		t.Context(),
		ada,
		key(),
		"https://calls.example",
		contract.NewMembers{Text: "Name;Mail\n" +
			"Wren Tamaro;wren@lindenfall.example\nWren Tamsel\nAda Two;41\nno name at all;x;y\nOrla;wren@", Role: "rep",
			Zone: "America/New_York", Link: contract.NewMembersLinkShow},
	)
	require.NoError(t, err)
	logins := []string{}
	for _, m := range done.Added {
		logins = append(logins, m.Member.Login)
		who, err := w.Staff.LookAtLink(t.Context(), token(*m.Link))
		require.NoError(t, err)
		assert.Equal(t, m.Member.Name, who.Name)
	}
	assert.Equal(t, []string{"wren", "wren.t", "ada.t"}, logins)
	require.Len(t, done.Rejected, 2)
	assert.Equal(t, 5, done.Rejected[0].Line)
	assert.Equal(t, "this is not a mail address", done.Rejected[1].Reason)
	assert.Equal(t, "firm lines hours colleagues (book) - -", steps())
	_, err = w.ChooseFirstSteps(t.Context(), ada, contract.FirstStepsChoice{Closed: true})
	require.NoError(t, err)
	assert.Equal(t, "firm lines hours colleagues - - - closed", steps())
	wren, err := w.Actor(t.Context(), done.Added[0].Member.ID)
	require.NoError(t, err)
	for what, try := range map[string]func() error{
		"steps": func() error { _, err := w.FirstSteps(t.Context(), wren); return err },
		"choose": func() error {
			_, err := w.ChooseFirstSteps(t.Context(), wren,
				contract.FirstStepsChoice{})
			return err
		},
		"firm":      func() error { _, err := w.Identity(t.Context(), wren); return err },
		"save firm": func() error { _, err := w.SetIdentity(t.Context(), wren, saved); return err },
		"many": func() error {
			_, err := w.Staff.AddMany(t.Context(), wren, key(), "", contract.NewMembers{})
			return err
		},
	} {
		assert.ErrorIs(t, try(), firm.ErrForbidden, what)
	}
}

func TestAListOfColleaguesIsAddedOnce(t *testing.T) {
	w := newWorld(t)
	ada := w.ada()
	list := contract.NewMembers{Text: "Wren Tamaro\nOrla Fenwright", Role: "rep", Zone: "America/New_York",
		Link: contract.NewMembersLinkNone}
	k := key()
	for range 2 { // the answer to the first was lost
		done, err := w.Staff.AddMany(t.Context(), ada, k, "", list)
		require.NoError(t, err)
		require.Len(t, done.Added, 2)
		assert.Equal(t, "wren", done.Added[0].Member.Login)
	}
	all, err := w.Staff.List(t.Context(), ada)
	require.NoError(t, err)
	assert.Len(t, all.Members, 6)
	list.Text, list.Link = "Pilar Winterbourne, pilar@lindenfall.example\nJo Ashdown", contract.NewMembersLinkMail
	done, err := w.Staff.AddMany(t.Context(), ada, key(), "https://calls.example", list)
	require.NoError(t, err)
	require.Len(t, done.Added, 2)
	assert.True(t, done.Added[0].Link.Sent)
	require.NotNil(t, done.Added[1].Problem, "no address is known of the second: the link is shown")
	assert.False(t, done.Added[1].Link.Sent)
	assert.Len(t, w.postbox.Sent(), 1)
}
