package rights_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/core/rights"
)

func TestHowFarARightGoes(t *testing.T) {
	t.Parallel()
	mine, mates, strangers := rights.Whose{Mine: true}, rights.Whose{SameTeam: true}, rights.Whose{}
	for _, x := range []struct {
		reach                 rights.Reach
		mine, mates, stranger bool
	}{
		{rights.None, false, false, false},
		{rights.Own, true, false, false},
		{rights.Team, true, true, false},
		{rights.All, true, true, true},
		{"everything", false, false, false}, // nothing that is known
	} {
		s := rights.Set{rights.LeadRounds: x.reach}
		assert.Equal(t, x.mine, s.MayOf(rights.LeadRounds, mine), x.reach)
		assert.Equal(t, x.mates, s.MayOf(rights.LeadRounds, mates), x.reach)
		assert.Equal(t, x.stranger, s.MayOf(rights.LeadRounds, strangers), x.reach)
		assert.False(t, s.May(rights.Export), "another right")
	}
	assert.False(t, rights.Set(nil).May(rights.Export), "nobody's")
}

func TestRolesAsTheyCome(t *testing.T) {
	t.Parallel()
	rep, supervisor, admin := rights.Shipped(rights.RoleRep), rights.Shipped(rights.RoleSupervisor),
		rights.Shipped(rights.RoleAdmin)
	for _, d := range rights.Definitions {
		assert.Equal(t, rights.All, admin[d.Right], d.Right)
	}
	for _, x := range []struct {
		right           rights.Right
		rep, supervisor rights.Reach
	}{
		{rights.CorrectSlips, rights.Own, rights.Team},
		{rights.DeleteRecords, rights.Own, rights.Team},
		{rights.DeleteRecordings, rights.None, rights.Team},
		{rights.Override, rights.None, rights.All},
		{rights.LiftDoNotCall, rights.None, rights.All},
		{rights.Export, rights.None, rights.All},
		{rights.Merge, rights.All, rights.All},
		{rights.Templates, rights.None, rights.None},
		{rights.Staff, rights.None, rights.None},
		{rights.Privacy, rights.None, rights.None},
	} {
		assert.Equal(t, x.rep, rep[x.right], x.right)
		assert.Equal(t, x.supervisor, supervisor[x.right], x.right)
	}
	assert.Nil(t, rights.Shipped("night shift"))
	for _, s := range []rights.Set{rep, supervisor, admin} {
		require.NoError(t, s.Check())
	}
}

func TestNobodyGivesMoreThanTheyHave(t *testing.T) {
	t.Parallel()
	rep, supervisor, admin := rights.Shipped(rights.RoleRep), rights.Shipped(rights.RoleSupervisor),
		rights.Shipped(rights.RoleAdmin)
	assert.True(t, rep.Within(supervisor))
	assert.True(t, supervisor.Within(admin))
	assert.False(t, admin.Within(supervisor))
	assert.False(t, supervisor.Within(rep))
	assert.True(t, rep.Within(rep))
	assert.True(t, rights.Set{rights.Export: rights.None}.Within(rights.Set{}), "nothing is in everything")
	assert.False(t, rights.Set{rights.LeadRounds: rights.Team}.Within(rights.Set{rights.LeadRounds: rights.Own}))
}

func TestUnknownRightsAreRefused(t *testing.T) {
	t.Parallel()
	for _, s := range []rights.Set{{"fly": rights.All}, {rights.Export: rights.Team}, {rights.LeadRounds: "most"}} {
		require.ErrorIs(t, s.Check(), rights.ErrUnknown, "%v", s)
	}
	require.NoError(t, rights.Set{rights.Export: rights.None}.Check())
}

func TestTeamsThatAreShared(t *testing.T) {
	t.Parallel()
	assert.True(t, rights.ShareTeam([]string{"Sales"}, []string{"Service", "Sales"}))
	assert.False(t, rights.ShareTeam([]string{"Sales"}, []string{"Service"}))
	assert.False(t, rights.ShareTeam(nil, nil))
	assert.False(t, rights.ShareTeam([]string{""}, []string{""}), "no team is none")
}
