package desk_test

import (
	"encoding/json"
	"errors"
	"fmt"
	"regexp"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/contract"
	"trundo/internal/core/totp"
	"trundo/internal/desk"
	"trundo/internal/desk/firm"
	"trundo/internal/desk/staff"
	"trundo/internal/store/db"
)

// ada makes somebody who may set the firm up, the only one.
func (w *world) ada() firm.Actor {
	w.t.Helper()
	id, err := firm.AddUser(w.t.Context(), w.store.Queries, firm.NewUser{Login: "ada", Name: "Ada Millrace",
		Password: "four green kettles", Role: firm.Admin, Zone: "America/New_York"})
	require.NoError(w.t, err)
	w.users["ada"] = id
	return w.actor("ada")
}

// hired is somebody who can be added.
var hired = contract.MemberEdit{Login: " Wren ", Name: "Wren Tamaro", Role: contract.MemberRoleRep, Team: "Sales",
	Zone: "America/New_York", Extension: "41", Mail: "wren@lindenfall.example"}

func fieldOf(t *testing.T, err error) string {
	t.Helper()
	var wrong *firm.FieldError
	require.ErrorAs(t, err, &wrong)
	return wrong.Field
}

func token(link contract.SignInLink) string { return strings.TrimPrefix(link.Address, "/welcome#") }

func TestSomebodyIsHiredAndChoosesAPassword(t *testing.T) {
	w := newWorld(t)
	ada := w.ada()
	k := key()
	wren, err := w.Staff.Add(t.Context(), ada, k, hired)
	require.NoError(t, err)
	assert.Equal(t, "wren", wren.Login)
	assert.True(t, wren.Active && wren.Invited)
	again, err := w.Staff.Add(t.Context(), ada, k, hired)
	require.NoError(t, err)
	assert.Equal(t, wren.ID, again.ID, "the same wish adds one")

	_, err = w.SignIn(t.Context(), firm.Credentials{Login: "wren", Password: "", From: "192.0.2.1"})
	require.ErrorIs(t, err, firm.ErrSignIn, "nobody signs in without a password")
	first, err := w.Staff.MakeLink(t.Context(), ada, wren.ID, "https://calls.example", contract.NewSignInLink{})
	require.NoError(t, err)
	link, err := w.Staff.MakeLink(t.Context(), ada, wren.ID, "https://calls.example", contract.NewSignInLink{Send: true})
	require.NoError(t, err)
	assert.True(t, link.Sent)
	sent := w.postbox.Sent()[0].Mail
	assert.Equal(t, "wren@lindenfall.example", sent.To)
	assert.Contains(t, sent.Body, "https://calls.example"+link.Address)
	assert.Contains(t, sent.Body, "You sign in as “wren”")
	assert.Contains(t, sent.Body, "Monday, March 9, 11:00 AM", "a week later, by their clocks, which went forward")

	_, err = w.Staff.LookAtLink(t.Context(), token(first))
	require.ErrorIs(t, err, staff.ErrLink, "the second has taken the place of the first")
	who, err := w.Staff.LookAtLink(t.Context(), token(link))
	require.NoError(t, err)
	assert.Equal(t, contract.LinkFor{Login: "wren", Name: "Wren Tamaro", Firm: "Lindenfall Cisterns", Why: "invited"}, who)
	for _, bad := range []string{"short", "wrentamaro99", "password123"} {
		_, err = w.Staff.UseLink(t.Context(), token(link), bad)
		assert.Equal(t, "password", fieldOf(t, err), bad)
	}
	a, err := w.Staff.UseLink(t.Context(), token(link), "seven wet umbrellas")
	require.NoError(t, err)
	assert.Equal(t, wren.ID, a.ID)
	_, err = w.Staff.UseLink(t.Context(), token(link), "eight wet umbrellas")
	require.ErrorIs(t, err, staff.ErrLink, "once")
	_, err = w.SignIn(t.Context(), firm.Credentials{Login: "WREN", Password: "seven wet umbrellas", From: "192.0.2.1"})
	require.NoError(t, err)
	list, err := w.Staff.List(t.Context(), ada)
	require.NoError(t, err)
	at := indexOf(list.Members, wren.ID)
	assert.False(t, list.Members[at].Invited)
	assert.NotNil(t, list.Members[at].SeenAt)
	assert.Equal(t, []string{"Sales"}, list.Teams)
}

func indexOf(list []contract.Member, id uuid.UUID) int {
	for i, p := range list {
		if p.ID == id {
			return i
		}
	}
	return -1
}

func TestLinksEndByThemselves(t *testing.T) {
	w := newWorld(t)
	ada := w.ada()
	wren, err := w.Staff.Add(t.Context(), ada, key(), hired)
	require.NoError(t, err)
	link, err := w.Staff.MakeLink(t.Context(), ada, wren.ID, "", contract.NewSignInLink{})
	require.NoError(t, err)
	w.clock.Advance(7*24*time.Hour - time.Second)
	_, err = w.Staff.LookAtLink(t.Context(), token(link))
	require.NoError(t, err)
	w.clock.Advance(time.Second)
	for _, bad := range []string{token(link), "", "nonsense"} {
		_, err = w.Staff.LookAtLink(t.Context(), bad)
		require.ErrorIs(t, err, staff.ErrLink, bad)
		_, err = w.Staff.UseLink(t.Context(), bad, "seven wet umbrellas")
		require.ErrorIs(t, err, staff.ErrLink, bad)
	}
	link, err = w.Staff.MakeLink(t.Context(), ada, wren.ID, "", contract.NewSignInLink{})
	require.NoError(t, err)
	_, err = w.Staff.SwitchOff(t.Context(), ada, wren.ID, contract.Leaving{})
	require.NoError(t, err)
	_, err = w.Staff.UseLink(t.Context(), token(link), "seven wet umbrellas")
	require.ErrorIs(t, err, staff.ErrLink, "switched off meanwhile")
	_, err = w.Staff.MakeLink(t.Context(), ada, wren.ID, "", contract.NewSignInLink{})
	assert.Equal(t, "active", fieldOf(t, err))
}

func TestWhatIsWrongWithAPersonIsSaidBesideItsField(t *testing.T) {
	w := newWorld(t)
	ada := w.ada()
	wren, err := w.Staff.Add(t.Context(), ada, key(), hired)
	require.NoError(t, err)
	nowhere := uuid.New()
	for field, change := range map[string]func(*contract.MemberEdit){
		"login":     func(e *contract.MemberEdit) { e.Login = "TOMAS" },
		"name":      func(e *contract.MemberEdit) { e.Name = " \t" },
		"zone":      func(e *contract.MemberEdit) { e.Zone = "Local" },
		"extension": func(e *contract.MemberEdit) { e.Extension = "4a" },
		"mail":      func(e *contract.MemberEdit) { e.Mail = "Wren <wren@lindenfall.example>" },
		"line_id":   func(e *contract.MemberEdit) { e.LineID = &nowhere },
	} {
		e := hired
		e.Login, e.Extension = "somebody", "42"
		change(&e)
		_, err := w.Staff.Add(t.Context(), ada, key(), e)
		assert.Equal(t, field, fieldOf(t, err))
		e.Version = &wren.Version
		_, err = w.Staff.Change(t.Context(), ada, wren.ID, e)
		assert.Equal(t, field, fieldOf(t, err))
	}
	e := hired
	e.Login = "somebody"
	_, err = w.Staff.Add(t.Context(), ada, key(), e)
	assert.Equal(t, "extension", fieldOf(t, err), "it is Wren's")
	e = hired
	_, err = w.Staff.Change(t.Context(), ada, wren.ID, e)
	require.ErrorIs(t, err, firm.ErrChangedElse, "without a version nothing is known of what was read")
	e.Version, e.Team = &wren.Version, "Service"
	saved, err := w.Staff.Change(t.Context(), ada, wren.ID, e)
	require.NoError(t, err)
	assert.Equal(t, "Service", saved.Team)
	_, err = w.Staff.Change(t.Context(), ada, wren.ID, e)
	require.ErrorIs(t, err, firm.ErrChangedElse, "two admins at once")
	_, err = w.Staff.Change(t.Context(), ada, nowhere, e)
	require.ErrorIs(t, err, firm.ErrNotFound)
}

func TestOnlyWhoSetsUpTheFirmTouchesItsPeople(t *testing.T) {
	w := newWorld(t)
	ada := w.ada()
	wren, err := w.Staff.Add(t.Context(), ada, key(), hired)
	require.NoError(t, err)
	for _, a := range []firm.Actor{w.ines, w.odile, {}} {
		for what, try := range map[string]func() error{
			"list":       func() error { _, err := w.Staff.List(t.Context(), a); return err },
			"add":        func() error { _, err := w.Staff.Add(t.Context(), a, key(), hired); return err },
			"change":     func() error { _, err := w.Staff.Change(t.Context(), a, wren.ID, hired); return err },
			"belongings": func() error { _, err := w.Staff.Belongings(t.Context(), a, wren.ID); return err },
			"off":        func() error { _, err := w.Staff.SwitchOff(t.Context(), a, wren.ID, contract.Leaving{}); return err },
			"on":         func() error { _, err := w.Staff.SwitchOn(t.Context(), a, wren.ID); return err },
			"link": func() error {
				_, err := w.Staff.MakeLink(t.Context(), a, wren.ID, "", contract.NewSignInLink{})
				return err
			},
		} {
			assert.ErrorIs(t, try(), firm.ErrForbidden, "%s: %s", a.Login, what)
		}
	}
}

func TestTheLastAdminStays(t *testing.T) {
	w := newWorld(t)
	ada := w.ada()
	list, err := w.Staff.List(t.Context(), ada)
	require.NoError(t, err)
	me := list.Members[indexOf(list.Members, ada.ID)]
	_, err = w.Staff.SwitchOff(t.Context(), ada, ada.ID, contract.Leaving{To: &w.ines.ID})
	assert.Equal(t, "role", fieldOf(t, err))
	e := contract.MemberEdit{Login: me.Login, Name: me.Name, Role: contract.MemberRoleRep, Zone: me.Zone,
		Version: &me.Version}
	_, err = w.Staff.Change(t.Context(), ada, ada.ID, e)
	assert.Equal(t, "role", fieldOf(t, err))
	second := hired
	second.Role = contract.MemberRoleAdmin
	_, err = w.Staff.Add(t.Context(), ada, key(), second)
	require.NoError(t, err)
	_, err = w.Staff.Change(t.Context(), ada, ada.ID, e)
	require.NoError(t, err, "there is another one")
}

func TestWhatSomebodyLeavesBehindGoesToAColleague(t *testing.T) {
	w := newWorld(t)
	ada := w.ada()
	c := w.speaks()
	require.NoError(t, w.Calls.HangUp(t.Context(), w.ines, c.ID))
	w.ended(c.ID)
	_, err := w.store.Pool.Exec(t.Context(), `UPDATE records SET owner_id = $1 WHERE id = $2`, w.ines.ID, w.berit)
	require.NoError(t, err)
	_, err = w.Book.AddFollowUp(t.Context(), w.ines, w.berit, key(), contract.NewFollowUp{Text: "ring about the pump"})
	require.NoError(t, err)
	has, err := w.Staff.Belongings(t.Context(), ada, w.ines.ID)
	require.NoError(t, err)
	assert.Equal(t, contract.Belongings{Slips: 1, FollowUps: 1, Records: 1}, has)
	for _, to := range []*uuid.UUID{nil, {}, &w.ines.ID} {
		_, err = w.Staff.SwitchOff(t.Context(), ada, w.ines.ID, contract.Leaving{To: to})
		assert.Equal(t, "to", fieldOf(t, err))
	}
	off, err := w.Staff.SwitchOff(t.Context(), ada, w.ines.ID, contract.Leaving{To: &w.tomas.ID})
	require.NoError(t, err)
	assert.False(t, off.Active)
	assert.NotNil(t, off.OffAt)
	_, err = w.Actor(t.Context(), w.ines.ID)
	require.ErrorIs(t, err, firm.ErrSignedOut, "at once")
	left, err := w.Staff.Belongings(t.Context(), ada, w.ines.ID)
	require.NoError(t, err)
	assert.Equal(t, contract.Belongings{}, left)

	lane, err := w.Lane(t.Context(), w.tomas)
	require.NoError(t, err)
	kinds := map[contract.LaneEntryKind]int{}
	for _, it := range lane.Owed {
		kinds[it.Kind]++
	}
	assert.Equal(t, map[contract.LaneEntryKind]int{"follow_up": 1, "slip": 1}, kinds)
	page, err := w.CallPage(t.Context(), w.tomas, c.ID)
	require.NoError(t, err)
	assert.True(t, page.Call.Slip.Mine, "Tomas finishes it")
	assert.Equal(t, w.ines.ID, page.Call.Slip.RepID, "and it stays the call of Ines")
	changed, err := w.Filing.ChangeSlip(t.Context(), w.tomas, c.Slip.ID,
		contract.SlipChange{Version: page.Call.Slip.Version, OutcomeID: &w.sold})
	require.NoError(t, err)
	_, err = w.Filing.File(t.Context(), w.tomas, changed.Slip.ID, key(), nil)
	require.NoError(t, err)

	on, err := w.Staff.SwitchOn(t.Context(), ada, w.ines.ID)
	require.NoError(t, err)
	assert.True(t, on.Active)
	_, err = w.Actor(t.Context(), w.ines.ID)
	require.NoError(t, err)
}

func TestWhoIsInACallLeavesAtItsEnd(t *testing.T) {
	w := newWorld(t)
	ada := w.ada()
	c := w.speaks()
	off, err := w.Staff.SwitchOff(t.Context(), ada, w.ines.ID, contract.Leaving{To: &w.tomas.ID})
	require.NoError(t, err)
	assert.True(t, off.Active && off.Leaving)
	require.NoError(t, w.Staff.LetGo(t.Context()))
	_, err = w.Actor(t.Context(), w.ines.ID)
	require.NoError(t, err, "the call goes on")
	assert.Equal(t, contract.PhaseSpeaking, w.phase(c.ID))
	team, err := w.Team.Team(t.Context())
	require.NoError(t, err)
	for _, x := range team {
		assert.False(t, x.ID == w.ines.ID && x.Free, "no other call rings for who is about to leave")
	}
	require.NoError(t, w.Calls.HangUp(t.Context(), w.ines, c.ID))
	w.until("the call is over in the database", func() bool {
		require.NoError(t, w.Staff.LetGo(t.Context()))
		_, err := w.Actor(t.Context(), w.ines.ID)
		return err != nil
	})
	page, err := w.CallPage(t.Context(), w.tomas, c.ID)
	require.NoError(t, err)
	assert.True(t, page.Call.Slip.Mine, "what the call left behind is Tomas's")
}

func TestARoundIsGivenUpByWhoLeaves(t *testing.T) {
	w := newWorld(t)
	ada := w.ada()
	r := w.starts(w.ines, w.people(3))
	_, err := w.Staff.SwitchOff(t.Context(), ada, w.ines.ID, contract.Leaving{To: &w.tomas.ID})
	require.NoError(t, err)
	rep, err := w.store.RoundRep(t.Context(), db.RoundRepParams{RoundID: r.ID, UserID: w.ines.ID})
	require.NoError(t, err)
	assert.Equal(t, "left", rep.State)
	rep, err = w.store.RoundRep(t.Context(), db.RoundRepParams{RoundID: r.ID, UserID: w.tomas.ID})
	require.NoError(t, err)
	assert.Equal(t, "paused", rep.State)
	assert.Equal(t, "handed over by Ada Millrace", rep.Why)
}

func TestAPasswordIsChangedByWhoKnowsTheOldOne(t *testing.T) {
	w := newWorld(t)
	ada := w.ada()
	assert.Equal(t, "current", fieldOf(t, w.ChangePassword(t.Context(), ada, w.clock.Now(), "five green kettles", "seven wet umbrellas")))
	assert.Equal(t, "password", fieldOf(t, w.ChangePassword(t.Context(), ada, w.clock.Now(), "four green kettles", "Lindenfall12")))
	require.NoError(t, w.ChangePassword(t.Context(), ada, w.clock.Now(), "four green kettles", "seven wet umbrellas"))
	_, err := w.SignIn(t.Context(), firm.Credentials{Login: "ada", Password: "four green kettles", From: "192.0.2.1"})
	require.ErrorIs(t, err, firm.ErrSignIn)
	after, err := w.SignIn(t.Context(), firm.Credentials{Login: "ada", Password: "seven wet umbrellas", From: "192.0.2.1"})
	require.NoError(t, err)
	assert.True(t, after.SessionsFrom.Equal(w.clock.Now()), "sessions from before are over")
}

func TestAForgottenPasswordIsMailedToWhoseItIs(t *testing.T) {
	w := newWorld(t)
	w.ada()
	forgotten := func(login string) {
		t.Helper()
		require.NoError(t, w.Staff.Forgotten(t.Context(), login))
	}
	forgotten("ada") // no mail address is known of her, nor an address of this installation
	forgotten("nobody")
	_, err := w.store.Pool.Exec(t.Context(), `UPDATE users SET mail_address = 'ada@lindenfall.example' WHERE login = 'ada'`)
	require.NoError(t, err)
	forgotten("ada")
	w.Public = "https://calls.example"
	forgotten(" ADA ")
	w.until("the mail", func() bool { return len(w.postbox.Sent()) > 0 })
	require.Len(t, w.postbox.Sent(), 1)
	mail := w.postbox.Sent()[0].Mail
	found := regexp.MustCompile(`https://calls\.example/welcome#(\S+)`).FindStringSubmatch(mail.Body)
	require.Len(t, found, 2, mail.Body)
	who, err := w.Staff.LookAtLink(t.Context(), found[1])
	require.NoError(t, err)
	assert.Equal(t, contract.LinkForWhy("reset"), who.Why)
	w.clock.Advance(2 * time.Hour)
	_, err = w.Staff.LookAtLink(t.Context(), found[1])
	require.ErrorIs(t, err, staff.ErrLink)
	var kept int
	require.NoError(t, w.store.Pool.QueryRow(t.Context(), `SELECT count(*) FROM sign_in_links WHERE encode(hash, 'escape') LIKE '%' || $1 || '%'`,
		found[1]).Scan(&kept))
	assert.Zero(t, kept, "the database knows a hash only")
}

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
	first := contract.FirstAdmin{Code: "000-000-000", Name: "Ada Millrace", Login: "Ada", Password: "four green kettles",
		Zone: "Europe/London"}
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
	assert.Equal(t, "- - - - - -", steps())
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
	_, err = w.ChooseFirstSteps(t.Context(), ada, contract.FirstStepsChoice{Skipped: []contract.FirstStep{"book", "lines"}})
	require.NoError(t, err)
	assert.Equal(t, "firm lines - (book) - -", steps(), "what is done is not passed over")
	done, err := w.Staff.AddMany(t.Context(), ada, key(), "https://calls.example", contract.NewMembers{Text: "Name;Mail\n" +
		"Wren Tamaro;wren@lindenfall.example\nWren Tamsel\nAda Two;41\nno name at all;x;y\nOrla;wren@", Role: "rep",
		Zone: "America/New_York", Link: contract.NewMembersLinkShow})
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
	assert.Equal(t, "firm lines colleagues (book) - -", steps())
	_, err = w.ChooseFirstSteps(t.Context(), ada, contract.FirstStepsChoice{Closed: true})
	require.NoError(t, err)
	assert.Equal(t, "firm lines colleagues - - - closed", steps())
	wren, err := w.Actor(t.Context(), done.Added[0].Member.ID)
	require.NoError(t, err)
	for what, try := range map[string]func() error{
		"steps":     func() error { _, err := w.FirstSteps(t.Context(), wren); return err },
		"choose":    func() error { _, err := w.ChooseFirstSteps(t.Context(), wren, contract.FirstStepsChoice{}); return err },
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
	require.NoError(t, w.store.Pool.QueryRow(t.Context(), `SELECT recovery::text FROM users WHERE login = 'ada'`).Scan(&kept))
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
	saved, err := w.SetIdentity(t.Context(), ada, contract.FirmSetup{Name: "Lindenfall Cisterns", Region: "US", Currency: "USD",
		Zone: "America/New_York", SecondFactor: &roles})
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

func TestTheTrailTellsWhatWasDoneAndHoldsNoNotes(t *testing.T) {
	w := newWorld(t)
	ada := w.ada()
	c := w.speaks()
	_, err := w.Calls.SaveNotes(t.Context(), w.ines, c.Slip.ID, contract.NotesEdit{Body: "her secret garden", Writer: "w"})
	require.NoError(t, err)
	require.NoError(t, w.Calls.HangUp(t.Context(), w.ines, c.ID))
	w.ended(c.ID)
	page, err := w.CallPage(t.Context(), w.ines, c.ID)
	require.NoError(t, err)
	changed, err := w.Filing.ChangeSlip(t.Context(), w.ines, c.Slip.ID,
		contract.SlipChange{Version: page.Call.Slip.Version, OutcomeID: &w.sold})
	require.NoError(t, err)
	_, err = w.Filing.File(t.Context(), w.ines, c.Slip.ID, key(), nil)
	require.NoError(t, err)
	_, err = w.Calls.SaveNotes(t.Context(), w.ines, c.Slip.ID,
		contract.NotesEdit{Body: "her secret garden, north side", Writer: "w", Base: changed.Slip.Notes.Version})
	require.NoError(t, err)
	wren, err := w.Staff.Add(t.Context(), ada, key(), hired)
	require.NoError(t, err)
	e := hired
	e.Version, e.Team = &wren.Version, "Service"
	_, err = w.Staff.Change(t.Context(), ada, wren.ID, e)
	require.NoError(t, err)

	trail, err := w.Trail(t.Context(), ada, desk.TrailQuery{})
	require.NoError(t, err)
	text, err := json.Marshal(trail)
	require.NoError(t, err)
	assert.NotContains(t, string(text), "garden")
	newest := trail.Entries[0]
	assert.Equal(t, []string{"Ada Millrace", "member", "changed", "Wren Tamaro"},
		[]string{newest.Who, newest.Kind, newest.What, newest.Subject})
	assert.Equal(t, []contract.TrailChange{{Field: "team", Before: "Sales", After: "Service"}}, newest.Changes)
	count := func(q desk.TrailQuery) int {
		t.Helper()
		some, err := w.Trail(t.Context(), ada, q)
		require.NoError(t, err)
		return len(some.Entries)
	}
	assert.Equal(t, 2, count(desk.TrailQuery{Who: &ada.ID}))
	assert.Equal(t, 1, count(desk.TrailQuery{Kind: "slip"}))
	assert.Equal(t, 2, count(desk.TrailQuery{Q: "WREN"}))
	assert.Zero(t, count(desk.TrailQuery{Q: "%"}), "a sign of the search's own is only a sign")
	later := w.clock.Now().Add(time.Minute)
	assert.Zero(t, count(desk.TrailQuery{From: &later}))

	for i := range 150 {
		require.NoError(t, w.Audited(t.Context(), w.store.Queries, ada, "list", uuid.New(), fmt.Sprint("step ", i),
			map[string]string{}, map[string]string{}))
	}
	first, err := w.Trail(t.Context(), ada, desk.TrailQuery{Kind: "list"})
	require.NoError(t, err)
	require.Len(t, first.Entries, 100)
	second, err := w.Trail(t.Context(), ada, desk.TrailQuery{Kind: "list", After: *first.Next})
	require.NoError(t, err)
	assert.Len(t, second.Entries, 50)
	assert.Nil(t, second.Next)
	var file strings.Builder
	require.NoError(t, w.WriteTrail(t.Context(), ada, desk.TrailQuery{}, &file))
	assert.Contains(t, file.String(), "team: Sales → Service")
	assert.NotContains(t, file.String(), "garden")
	assert.Equal(t, 150, strings.Count(file.String(), "step "))
	_, err = w.Trail(t.Context(), ada, desk.TrailQuery{After: "nowhere"})
	assert.Equal(t, "after", fieldOf(t, err))
	_, err = w.Trail(t.Context(), w.odile, desk.TrailQuery{})
	assert.ErrorIs(t, err, firm.ErrForbidden)
	assert.ErrorIs(t, w.WriteTrail(t.Context(), w.ines, desk.TrailQuery{}, &file), firm.ErrForbidden)
}
