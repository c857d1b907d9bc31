package desk_test

import (
	"encoding/json"
	"fmt"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/contract"
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
var hired = contract.MemberEdit{Login: " Wren ", Name: "Wren Tamaro", Role: "rep", Team: "Sales",
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
	link, err := w.Staff.MakeLink(
		t.Context(),
		ada,
		wren.ID,
		"https://calls.example",
		contract.NewSignInLink{Send: true},
	)
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
	assert.Equal(
		t,
		contract.LinkFor{Login: "wren", Name: "Wren Tamaro", Firm: "Lindenfall Cisterns", Why: "invited"},
		who,
	)
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
	assert.Equal(t, []string{"Sales", "Service"}, list.Teams)
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
			"off": func() error {
				_, err := w.Staff.SwitchOff(t.Context(), a, wren.ID,
					contract.Leaving{})
				return err
			},
			"on": func() error { _, err := w.Staff.SwitchOn(t.Context(), a, wren.ID); return err },
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
	e := contract.MemberEdit{Login: me.Login, Name: me.Name, Role: "rep", Zone: me.Zone,
		Version: &me.Version}
	_, err = w.Staff.Change(t.Context(), ada, ada.ID, e)
	assert.Equal(t, "role", fieldOf(t, err))
	second := hired
	second.Role = "admin"
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
	assert.Equal(
		t,
		"current",
		fieldOf(t, w.ChangePassword(t.Context(), ada, w.clock.Now(), "five green kettles", "seven wet umbrellas")),
	)
	assert.Equal(
		t,
		"password",
		fieldOf(t, w.ChangePassword(t.Context(), ada, w.clock.Now(), "four green kettles", "Lindenfall12")),
	)
	require.NoError(t, w.ChangePassword(t.Context(), ada, w.clock.Now(), "four green kettles", "seven wet umbrellas"))
	_, err := w.SignIn(t.Context(), firm.Credentials{Login: "ada", Password: "four green kettles", From: "192.0.2.1"})
	require.ErrorIs(t, err, firm.ErrSignIn)
	after, err := w.SignIn(
		t.Context(),
		firm.Credentials{Login: "ada", Password: "seven wet umbrellas", From: "192.0.2.1"},
	)
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
	_, err := w.store.Pool.Exec(
		t.Context(),
		`UPDATE users SET mail_address = 'ada@lindenfall.example' WHERE login = 'ada'`,
	)
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
	require.NoError(
		t,
		w.store.Pool.QueryRow(t.Context(), `SELECT count(*) FROM sign_in_links WHERE encode(hash, 'escape') LIKE '%' || $1 || '%'`,
			found[1]).
			Scan(&kept),
	)
	assert.Zero(t, kept, "the database knows a hash only")
}

func TestTheTrailTellsWhatWasDoneAndHoldsNoNotes(t *testing.T) {
	w := newWorld(t)
	ada := w.ada()
	c := w.speaks()
	_, err := w.Calls.SaveNotes(
		t.Context(),
		w.ines,
		c.Slip.ID,
		contract.NotesEdit{Body: "her secret garden", Writer: "w"},
	)
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
