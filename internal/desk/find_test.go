package desk_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/contract"
)

func colleagueNames(list []contract.Colleague) []string {
	names := []string{}
	for _, c := range list {
		names = append(names, c.Name)
	}
	return names
}

func TestFind(t *testing.T) {
	w := newWorld(t)
	find := func(q string) contract.FindResult {
		found, err := w.Find(t.Context(), w.ines, q)
		require.NoError(t, err)
		return found
	}
	assert.Empty(t, find("").Recent)
	c := w.calls()
	require.NoError(t, w.Calls.HangUp(t.Context(), w.ines, c.ID))
	assert.Len(t, find("  ").Recent, 1, "nothing typed: the calls just made")
	assert.Contains(t, names(find("osterlnd").Records), "Berit Osterlund", "misspelt")
	assert.Contains(t, names(find("nursery").Records), nurseryName)
	byNumber := find("413 555 0142")
	assert.Equal(t, []string{"Berit Osterlund"}, names(byNumber.Records))
	assert.Equal(t, "413 555 0142", byNumber.Dial.Display)
	assert.Empty(t, byNumber.Dial.Problem)
	assert.Nil(t, find("berit").Dial)
	assert.Equal(t, []string{"odile"}, colleagueNames(find("odi").Colleagues))
	_, err := w.store.Pool.Exec(t.Context(), `UPDATE users SET extension = '31' WHERE login = 'tomas'`)
	require.NoError(t, err)
	assert.Equal(t, []string{"tomas"}, colleagueNames(find("31").Colleagues), "by extension")
	w.add(contract.RecordKindCase, map[string]string{"name": "Pump runs dry", "reference": "C-1001"})
	assert.Equal(t, []string{"Pump runs dry"}, names(find("c-1001").Records), "a case by its number")
	w.add(contract.RecordKindContact, map[string]string{"family": "Ågren", "email": "agren@tall.example"})
	assert.Equal(t, []string{"Ågren"}, names(find("agren").Records), "without the accent")
	assert.Equal(t, []string{"Ågren"}, names(find("agren@tall").Records), "by mail")
	assert.Contains(t, names(find("vsper holow").Records), nurseryName, "both words misspelt")
	assert.Equal(t, []string{"Berit Osterlund"}, names(find("berit vesper").Records),
		"a name and a word of the company")
	assert.Equal(t, []string{"Berit Osterlund"}, names(find("osterlund berit").Records), "in any order")
	for i := range 12 { // of other people, who come before her by their names
		w.add(contract.RecordKindContact,
			map[string]string{"given": "Berit", "family": fmt.Sprintf("Aa%02d", i), "owner": w.users["tomas"].String()})
	}
	assert.Equal(t, "Berit Osterlund", names(find("berit").Records)[0], "with whom she spoke a minute ago")
	tomas, err := w.Find(t.Context(), w.tomas, "berit")
	require.NoError(t, err)
	assert.Equal(t, "Berit Aa00", names(tomas.Records)[0], "his own come first")
	w.add(contract.RecordKindDeal,
		map[string]string{"name": "Tank", "person": w.found("aa07")[0].ID.String(), "owner": w.users["odile"].String()})
	odile, err := w.Find(t.Context(), w.odile, "berit")
	require.NoError(t, err)
	assert.Equal(t, "Berit Aa07", names(odile.Records)[0], "with whom she has a deal")
	assert.NotEmpty(t, find("4135").Dial.Problem)
	assert.Contains(t, find("911").Dial.Problem, "another telephone")
}
