package desk_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/contract"
	"trundo/internal/core/rights"
	"trundo/internal/desk/firm"
)

// team puts somebody into a team, and into others besides.
func (w *world) team(login, team string, more ...string) firm.Actor {
	w.t.Helper()
	_, err := w.store.Pool.Exec(w.t.Context(),
		`UPDATE users SET team = $2, more_teams = coalesce($3, '{}'::text[]) WHERE login = $1`, login, team, more)
	require.NoError(w.t, err)
	w.BookChanged()
	w.ActorsChanged()
	_, err = w.Settings(w.t.Context())
	require.NoError(w.t, err)
	return w.actor(login)
}

func TestASupervisorReachesTheirTeamsOnly(t *testing.T) {
	w := newWorld(t)
	ctx := t.Context()
	c := w.calls() // of ines, who is in Sales
	_, err := w.Calls.SaveNotes(ctx, w.ines, c.Slip.ID, contract.NotesEdit{Body: "She is ill.", Writer: "i"})
	require.NoError(t, err)
	day := func(a firm.Actor) error {
		_, err := w.Team.AvailabilityHistory(ctx, a, w.ines.ID)
		return err
	}
	round := func(a firm.Actor) error {
		s, err := w.Rounds.RoundDefaults(ctx, a)
		require.NoError(t, err)
		_, err = w.Rounds.StartRound(ctx, a, key(), contract.RoundStart{RepID: &w.ines.ID, Settings: s,
			Selection: &contract.Selection{Ids: &[]contract.ID{w.berit}}})
		return err
	}
	notes := func(a firm.Actor) error {
		page, err := w.CallPage(ctx, a, c.ID)
		require.NoError(t, err)
		_, err = w.Calls.SaveNotes(ctx, a, c.Slip.ID, contract.NotesEdit{Body: page.Call.Slip.Notes.Body + ".",
			Base: page.Call.Slip.Notes.Version, Writer: "o"})
		return err
	}
	for _, x := range []struct {
		team string
		more []string
		may  bool
	}{{"Sales", nil, true}, {"Service", []string{"Sales"}, true}, {"Service", nil, false}, {"", nil, false}} {
		odile := w.team("odile", x.team, x.more...)
		for what, do := range map[string]func(firm.Actor) error{"a day": day, "a round": round, "notes": notes} {
			if err := do(odile); x.may {
				require.NoError(t, err, "%s of Sales by %v", what, x)
			} else {
				require.ErrorIs(t, err, firm.ErrForbidden, "%s of Sales by %v", what, x)
			}
		}
	}
}

func TestARoleOfOnesOwn(t *testing.T) {
	w := newWorld(t)
	ctx := t.Context()
	ada := w.admin()
	_, err := w.Staff.Roles(ctx, w.ines)
	require.ErrorIs(t, err, firm.ErrForbidden)
	_, err = w.Staff.AddRole(ctx, w.ines, key(), contract.RoleEdit{Name: "All"})
	require.ErrorIs(t, err, firm.ErrForbidden)
	writer := contract.RoleEdit{Name: "Writer", Rights: &contract.RightSet{"templates": contract.ReachAll,
		"lead_rounds": contract.ReachTeam}}
	k := key()
	made, err := w.Staff.AddRole(ctx, ada, k, writer)
	require.NoError(t, err)
	again, err := w.Staff.AddRole(ctx, ada, k, writer)
	require.NoError(t, err)
	assert.Equal(t, made, again, "the same key makes one")
	var wrong *firm.FieldError
	for field, e := range map[string]contract.RoleEdit{
		"name":   {Name: "writer"},
		"rights": {Name: "Pilot", Rights: &contract.RightSet{"fly": contract.ReachAll}},
	} {
		_, err = w.Staff.AddRole(ctx, ada, key(), e)
		require.ErrorAs(t, err, &wrong)
		assert.Equal(t, field, wrong.Field)
	}
	_, err = w.Outreach.SetTemplates(ctx, w.ines, []contract.Template{})
	require.ErrorIs(t, err, firm.ErrForbidden)
	ines := w.becomes("ines", made.Key)
	_, err = w.Outreach.SetTemplates(ctx, ines, []contract.Template{})
	require.NoError(t, err, "what the role allows")
	_, err = w.Filing.SetScripts(ctx, ines, []contract.Script{})
	require.ErrorIs(t, err, firm.ErrForbidden)

	require.ErrorAs(t, w.Staff.RemoveRole(ctx, ada, made.Key), &wrong, "somebody has it")
	require.ErrorAs(t, w.Staff.RemoveRole(ctx, ada, "rep"), &wrong, "it came with the program")
	_, err = w.Staff.ChangeRole(ctx, ada, made.Key, contract.RoleEdit{Name: "Writer", Rights: &contract.RightSet{}})
	require.ErrorIs(t, err, firm.ErrChangedElse, "without what was read")
	writer.Rights, writer.Version = &contract.RightSet{"scripts": contract.ReachAll}, &made.Version
	_, err = w.Staff.ChangeRole(ctx, ada, made.Key, writer)
	require.NoError(t, err)
	ines = w.actor("ines")
	_, err = w.Outreach.SetTemplates(ctx, ines, []contract.Template{})
	require.ErrorIs(t, err, firm.ErrForbidden, "at once")
	_, err = w.Filing.SetScripts(ctx, ines, []contract.Script{})
	require.NoError(t, err)
	w.becomes("ines", "rep")
	require.NoError(t, w.Staff.RemoveRole(ctx, ada, made.Key))
	require.ErrorIs(t, w.Staff.RemoveRole(ctx, ada, made.Key), firm.ErrNotFound)
}

// becomes gives somebody another role.
func (w *world) becomes(login, role string) firm.Actor {
	w.t.Helper()
	list, err := w.Staff.List(w.t.Context(), w.admin())
	require.NoError(w.t, err)
	m := list.Members[indexOf(list.Members, w.users[login])]
	_, err = w.Staff.Change(
		w.t.Context(),
		w.admin(),
		m.ID,
		contract.MemberEdit{Login: m.Login, Name: m.Name, Role: role,
			Team: m.Team, MoreTeams: &m.MoreTeams, Zone: m.Zone, Version: &m.Version},
	)
	require.NoError(w.t, err)
	return w.actor(login)
}

func TestNobodyGivesOrChangesWhoMayDoMore(t *testing.T) {
	w := newWorld(t)
	ctx := t.Context()
	ada := w.admin()
	made, err := w.Staff.AddRole(ctx, ada, key(), contract.RoleEdit{Name: "Office", Rights: &contract.RightSet{
		"staff": contract.ReachAll, "roles": contract.ReachAll, "correct_slips": contract.ReachOwn}})
	require.NoError(t, err)
	office := w.becomes("tomas", made.Key)
	list, err := w.Staff.List(ctx, office)
	require.NoError(t, err)
	edit := func(login, role string) contract.MemberEdit {
		m := list.Members[indexOf(list.Members, w.users[login])]
		return contract.MemberEdit{
			Login:   m.Login,
			Name:    m.Name,
			Role:    role,
			Team:    m.Team,
			Zone:    m.Zone,
			Version: &m.Version,
		}
	}
	_, err = w.Staff.Change(ctx, office, w.tomas.ID, edit("tomas", "admin"))
	require.ErrorIs(t, err, firm.ErrForbidden, "an admin of themselves")
	_, err = w.Staff.Change(ctx, office, w.odile.ID, edit("odile", made.Key))
	require.ErrorIs(t, err, firm.ErrForbidden, "less of an admin")
	_, err = w.Staff.SwitchOff(ctx, office, w.odile.ID, contract.Leaving{To: &w.tomas.ID})
	require.ErrorIs(t, err, firm.ErrForbidden)
	_, err = w.Staff.MakeLink(ctx, office, w.odile.ID, "https://x.example", contract.NewSignInLink{})
	require.ErrorIs(t, err, firm.ErrForbidden, "a password of an admin's")
	require.ErrorIs(t, w.ResetSecondFactor(ctx, office, w.odile.ID), firm.ErrForbidden)
	_, err = w.Staff.Add(ctx, office, key(), contract.MemberEdit{Login: "new", Name: "New", Role: "supervisor",
		Zone: "America/New_York"})
	require.ErrorIs(t, err, firm.ErrForbidden)
	_, err = w.Staff.ChangeRole(ctx, office, "supervisor", contract.RoleEdit{Name: "Boss", Version: ptr(1)})
	require.ErrorIs(t, err, firm.ErrForbidden)
	var wrong *firm.FieldError
	_, err = w.Staff.AddRole(ctx, office, key(), contract.RoleEdit{Name: "More", Rights: &contract.RightSet{
		"export": contract.ReachAll}})
	require.ErrorAs(t, err, &wrong)
	assert.Equal(t, "rights", wrong.Field)
	_, err = w.Staff.ChangeRole(ctx, office, made.Key, contract.RoleEdit{Name: "Office", Version: &made.Version,
		Rights: &contract.RightSet{"staff": contract.ReachAll}})
	require.ErrorAs(t, err, &wrong, "what one stands on is not sawn off")

	admin, err := w.Staff.ChangeRole(ctx, ada, "admin", contract.RoleEdit{Name: "Owner", Version: ptr(1),
		Rights: &contract.RightSet{}})
	require.NoError(t, err)
	assert.Equal(t, "Owner", admin.Name)
	assert.Len(t, admin.Rights, len(rights.Definitions), "an admin may do everything, whatever is sent")
	changed, err := w.Staff.ChangeRole(ctx, ada, "rep", contract.RoleEdit{Name: "Caller", Version: ptr(1),
		Rights: &contract.RightSet{}})
	require.NoError(t, err)
	assert.Empty(t, changed.Rights)
	back, err := w.Staff.ChangeRole(ctx, ada, "rep", contract.RoleEdit{Name: "Rep", Version: &changed.Version,
		AsShipped: ptr(true)})
	require.NoError(t, err)
	assert.Equal(t, firm.RightSet(rights.Shipped("rep")), back.Rights)
}

func TestTeamsSkillsAndLanguages(t *testing.T) {
	w := newWorld(t)
	e := contract.MemberEdit{Login: "wren", Name: "Wren", Role: "rep", Team: "Sales", Zone: "America/New_York",
		MoreTeams: &[]string{" Service ", "Sales", ""}, Languages: &[]string{"EN", "es-MX", "en"},
		Skills: &contract.Skills{"pumps": 3}}
	m, err := w.Staff.Add(t.Context(), w.admin(), key(), e)
	require.NoError(t, err)
	assert.Equal(t, []string{"Service"}, m.MoreTeams)
	assert.Equal(t, []string{"en", "es-MX"}, m.Languages)
	assert.Equal(t, contract.Skills{"pumps": 3}, m.Skills)
	var wrong *firm.FieldError
	e.Login, e.Languages = "other", &[]string{"elvish!"}
	_, err = w.Staff.Add(t.Context(), w.admin(), key(), e)
	require.ErrorAs(t, err, &wrong)
	assert.Equal(t, "languages", wrong.Field)
}
