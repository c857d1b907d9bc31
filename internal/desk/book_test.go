package desk_test

import (
	"fmt"
	"testing"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/contract"
	"trundo/internal/desk"
	"trundo/internal/store"
)

func names(rows []contract.RecordRow) []string {
	list := []string{}
	for _, r := range rows {
		list = append(list, r.Name)
	}
	return list
}

func TestPeopleAreFoundByNameCompanyMailAndNumberInAnyNotation(t *testing.T) {
	w := newWorld(t)
	tests := []struct {
		q, kind string
		want    []string
	}{
		{"", "", []string{"Aron Pell", "Berit Osterlund"}},
		{"berit", "", []string{"Berit Osterlund"}},
		{"OSTER", "", []string{"Berit Osterlund"}},
		{"hollow nurs", "", []string{"Berit Osterlund"}},
		{"vesper.example", "", []string{"Berit Osterlund"}},
		{"0142", "", []string{"Berit Osterlund"}},
		{"(413) 555-0142", "", []string{"Berit Osterlund"}},
		{"+1 413 555 0142", "", []string{"Berit Osterlund"}},
		{"011 1 413 555 0142", "", []string{"Berit Osterlund"}},
		{"413555", "", []string{"Aron Pell", "Berit Osterlund"}},
		{"413 555 0199", "", []string{}},
		{"100%", "", []string{}},
		{"_", "", []string{}},
		{"", "lead", []string{"Aron Pell"}},
		{"", "contact", []string{"Berit Osterlund"}},
		{"", "company", []string{"Vesper Hollow Nursery"}},
	}
	for _, tt := range tests {
		t.Run(tt.q+tt.kind, func(t *testing.T) {
			page, err := w.People(t.Context(), w.ines, tt.q, tt.kind, "")
			require.NoError(t, err)
			assert.Equal(t, tt.want, names(page.Rows))
		})
	}
}

func TestTheListGoesOnWhereAPageEnded(t *testing.T) {
	w := newWorld(t)
	for i := range 230 {
		id := store.NewID()
		_, err := w.store.Pool.Exec(t.Context(), `INSERT INTO records (id, kind, name) VALUES ($1, 'contact', $2)`, id, fmt.Sprintf("Same Name %d", i/3))
		require.NoError(t, err)
		_, err = w.store.Pool.Exec(t.Context(), `INSERT INTO people (record_id) VALUES ($1)`, id)
		require.NoError(t, err)
	}
	seen := map[uuid.UUID]bool{}
	after, pages := "", 0
	for ; ; pages++ {
		page, err := w.People(t.Context(), w.ines, "same name", "", after)
		require.NoError(t, err)
		assert.Equal(t, 232, page.Total)
		for _, r := range page.Rows {
			assert.False(t, seen[r.ID], "none twice")
			seen[r.ID] = true
		}
		if after = page.Next; after == "" {
			break
		}
	}
	assert.Len(t, seen, 230)
	assert.Equal(t, 2, pages)
}

func TestASheetSaysWhatIsKnown(t *testing.T) {
	w := newWorld(t)
	field := store.NewID()
	_, err := w.store.Pool.Exec(t.Context(), `INSERT INTO custom_fields (id, record_kind, key, label, type) VALUES ($1, 'contact', 'tank', 'Tank', 'text'), ($2, 'contact', 'pump', 'Pump house phone', 'phone')`,
		store.NewID(), field)
	require.NoError(t, err)
	_, err = w.store.Pool.Exec(t.Context(), `UPDATE records SET custom = '{"tank": "12,000 l", "unknown": 1}' WHERE id = $1`, w.berit)
	require.NoError(t, err)
	_, err = w.store.Pool.Exec(t.Context(), `UPDATE phone_numbers SET field_id = $2 WHERE id = $1`, w.office, field)
	require.NoError(t, err)
	sheet, err := w.Record(t.Context(), w.ines, w.berit)
	require.NoError(t, err)
	assert.Equal(t, []contract.CustomValue{{Label: "Tank", Value: "12,000 l"}}, sheet.Custom)
	assert.Equal(t, nurseryName, sheet.Company.Name)
	require.Len(t, sheet.Numbers, 3)
	byLabel := map[string]contract.PhoneNumber{}
	for _, n := range sheet.Numbers {
		byLabel[n.Label] = n
	}
	assert.Equal(t, "413 555 0142", byLabel["mobile"].Display)
	assert.True(t, byLabel["mobile"].InHours, "ten in the morning there")
	assert.Equal(t, "America/New_York", byLabel["mobile"].Zone)
	assert.Contains(t, byLabel, "Pump house phone", "a telephone field stands among the numbers")
	assert.Contains(t, byLabel["home"].Refused, "mother")
	company, err := w.Record(t.Context(), w.ines, w.vesper)
	require.NoError(t, err)
	assert.Equal(t, []string{"Berit Osterlund"}, names(company.People))
	_, err = w.Record(t.Context(), w.ines, uuid.New())
	require.ErrorIs(t, err, desk.ErrNotFound)
	_, err = w.store.Pool.Exec(t.Context(), `UPDATE records SET deleted_at = now() WHERE id = $1`, w.aron)
	require.NoError(t, err)
	_, err = w.Record(t.Context(), w.ines, w.aron)
	require.ErrorIs(t, err, desk.ErrGone)
}

const nurseryName = "Vesper Hollow Nursery"

func TestAChangeOfARecordIsCheckedKeptAndTold(t *testing.T) {
	w := newWorld(t)
	note, mail, bad := "Mornings are best.", "b.osterlund@vesper.example", "no mail"
	saved, err := w.UpdateRecord(t.Context(), w.ines, w.berit, contract.RecordChange{Version: 1, Note: &note, Email: &mail})
	require.NoError(t, err)
	assert.Equal(t, []string{note, mail}, []string{saved.Note, saved.Email})
	assert.Equal(t, 2, saved.Version)
	_, err = w.UpdateRecord(t.Context(), w.tomas, w.berit, contract.RecordChange{Version: 1, Note: &mail})
	require.ErrorIs(t, err, desk.ErrChangedElse, "from what somebody read before")
	same, err := w.UpdateRecord(t.Context(), w.tomas, w.berit, contract.RecordChange{Version: 2, Note: &note})
	require.NoError(t, err)
	assert.Equal(t, 2, same.Version, "nothing changed")
	_, err = w.UpdateRecord(t.Context(), w.ines, w.berit, contract.RecordChange{Version: 2, Email: &bad})
	var field *desk.FieldError
	require.ErrorAs(t, err, &field)
	assert.Equal(t, "email", field.Field)
	_, err = w.UpdateRecord(t.Context(), w.ines, uuid.New(), contract.RecordChange{Version: 1, Note: &note})
	require.ErrorIs(t, err, desk.ErrNotFound)
	h, err := w.History(t.Context(), w.ines, w.berit, "change", "")
	require.NoError(t, err)
	require.Len(t, h.Entries, 1)
	assert.Equal(t, "email: berit@vesper.example → b.osterlund@vesper.example; note: none → Mornings are best.", h.Entries[0].Change.Text)
}

func TestHistoryGoesOnWhereAPageEnded(t *testing.T) {
	w := newWorld(t)
	for i := range 90 {
		id := store.NewID()
		at := monday.AddDate(0, 0, -i/2) // two at the same moment
		_, err := w.store.Pool.Exec(t.Context(), `INSERT INTO follow_ups (id, record_id, owner_id, text, created_at) VALUES ($1, $2, $3, 'x', $4)`, id, w.berit, w.ines.ID, at)
		require.NoError(t, err)
		_, err = w.store.Pool.Exec(t.Context(), `INSERT INTO history (record_id, at, kind, ref_id) VALUES ($1, $2, 'follow_up', $3)`, w.berit, at, id)
		require.NoError(t, err)
	}
	seen := map[uuid.UUID]bool{}
	for before := ""; ; {
		page, err := w.History(t.Context(), w.ines, w.berit, "all", before)
		require.NoError(t, err)
		for _, e := range page.Entries {
			assert.False(t, seen[e.RefID])
			seen[e.RefID] = true
			require.NotNil(t, e.FollowUp)
		}
		if before = page.Next; before == "" {
			break
		}
	}
	assert.Len(t, seen, 90)
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
	require.NoError(t, w.HangUp(t.Context(), w.ines, c.ID))
	assert.Len(t, find("  ").Recent, 1, "nothing typed: the calls just made")
	assert.Contains(t, names(find("osterlnd").Records), "Berit Osterlund", "misspelt")
	assert.Contains(t, names(find("nursery").Records), nurseryName)
	byNumber := find("413 555 0142")
	assert.Equal(t, []string{"Berit Osterlund"}, names(byNumber.Records))
	assert.Equal(t, "413 555 0142", byNumber.Dial.Display)
	assert.Empty(t, byNumber.Dial.Problem)
	assert.Nil(t, find("berit").Dial)
	assert.NotEmpty(t, find("4135").Dial.Problem)
	assert.Contains(t, find("911").Dial.Problem, "another telephone")
}
