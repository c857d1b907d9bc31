package desk_test

import (
	"fmt"
	"slices"
	"testing"

	"trundo/internal/desk/firm"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/contract"
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
			kinds := []contract.RecordKind{contract.RecordKindContact, contract.RecordKindLead}
			if tt.kind != "" {
				kinds = []contract.RecordKind{contract.RecordKind(tt.kind)}
			}
			q := contract.RowQuery{Kinds: kinds, Q: &tt.q}
			page, err := w.Book.Rows(t.Context(), w.ines, q)
			require.NoError(t, err)
			assert.Equal(t, tt.want, names(page.Rows))
			count, err := w.Book.CountRows(t.Context(), w.ines, q)
			require.NoError(t, err)
			assert.Equal(t, contract.RowCount{Count: len(tt.want)}, count)
		})
	}
}

func ptr[T any](v T) *T { return &v }

var people = []contract.RecordKind{contract.RecordKindContact, contract.RecordKindLead}

func TestAListIsReadFromAnyPlace(t *testing.T) {
	w := newWorld(t)
	_, err := w.store.Pool.Exec(
		t.Context(),
		`INSERT INTO records (id, kind, name) SELECT gen_random_uuid(), 'contact', 'Same Name ' || i / 3 FROM generate_series(1, 230) i`,
	)
	require.NoError(t, err)
	seen := map[uuid.UUID]bool{}
	for offset := 0; offset < 300; offset += 100 {
		page, err := w.Book.Rows(t.Context(), w.ines,
			contract.RowQuery{Kinds: people, Q: ptr("same name"), Offset: &offset})
		require.NoError(t, err)
		assert.Equal(t, offset, page.Offset)
		for _, r := range page.Rows {
			assert.False(t, seen[r.ID], "none twice")
			seen[r.ID] = true
		}
	}
	assert.Len(t, seen, 230)
}

func TestFiltersNarrowAList(t *testing.T) {
	w := newWorld(t)
	field := func(label, kind string, choices ...string) {
		_, err := w.Book.AddField(t.Context(), w.admin(),
			contract.FieldEdit{Kind: contract.RecordKindContact, Label: label, Type: contract.FieldEditType(kind),
				Choices: &choices})
		require.NoError(t, err)
	}
	field("Roof", "number")
	field("Plan", "choice", "yearly", "none")
	field("Checked", "yes_no")
	field("Pump house phone", "phone")
	add := func(kind contract.RecordKind, values map[string]string) contract.Record {
		r, err := w.Book.AddRecord(t.Context(), w.ines, key(), contract.NewRecord{Kind: kind, Values: values})
		require.NoError(t, err)
		return r
	}
	add(contract.RecordKindContact,
		map[string]string{"given": "Söhnke", "family": "Ågren", "source": "Radio", "tags": "large, spring",
			"custom.roof": "300", "custom.plan": "yearly",
			"custom.checked": "yes", "custom.pump_house_phone": "518 555 0101", "company": w.vesper.String(),
			"stage": "customer"})
	add(contract.RecordKindContact,
		map[string]string{"given": "Una", "family": "Bracken", "source": "radio", "custom.roof": "80.5",
			"owner": w.tomas.ID.String()})
	c := w.calls() // Berit is called now; nobody else ever was
	require.NoError(t, w.Calls.HangUp(t.Context(), w.ines, c.ID))
	contacts := []contract.RecordKind{contract.RecordKindContact}
	cond := func(field, op, value string) string {
		return fmt.Sprintf(`{"field":%q,"op":%q,"value":%q}`, field, op, value)
	}
	all := []string{"Berit Osterlund", "Söhnke Ågren", "Una Bracken"}
	tests := map[string]struct {
		filter string
		want   []string
	}{
		"text is":                 {cond("source", "is", "RADIO"), []string{"Söhnke Ågren", "Una Bracken"}},
		"text is not":             {cond("source", "is_not", "radio"), []string{"Berit Osterlund"}},
		"without accents":         {cond("name", "contains", "agre"), []string{"Söhnke Ågren"}},
		"a percent is a percent":  {cond("name", "contains", "%"), []string{}},
		"begins":                  {cond("family", "begins", "bra"), []string{"Una Bracken"}},
		"empty":                   {`{"field":"source","op":"empty"}`, []string{"Berit Osterlund"}},
		"any of":                  {cond("stage", "any_of", "customer, planning"), []string{"Söhnke Ågren"}},
		"owner is me":             {cond("owner", "is", "me"), []string{"Söhnke Ågren"}},
		"owner is not me":         {cond("owner", "is_not", "me"), []string{"Berit Osterlund", "Una Bracken"}},
		"company by name":         {cond("company", "is", "vesper"), []string{"Berit Osterlund", "Söhnke Ågren"}},
		"tag":                     {cond("tags", "is", "large"), []string{"Söhnke Ågren"}},
		"no tag":                  {`{"field":"tags","op":"empty"}`, []string{"Berit Osterlund", "Una Bracken"}},
		"custom number more":      {cond("custom.roof", "more", "100"), []string{"Söhnke Ågren"}},
		"custom number less":      {cond("custom.roof", "less", "100"), []string{"Una Bracken"}},
		"custom choice":           {cond("custom.plan", "is", "yearly"), []string{"Söhnke Ågren"}},
		"custom yes":              {cond("custom.checked", "is", "yes"), []string{"Söhnke Ågren"}},
		"custom no, or never set": {cond("custom.checked", "is", "no"), []string{"Berit Osterlund", "Una Bracken"}},
		"custom phone":            {cond("custom.pump_house_phone", "is", "555 0101"), []string{"Söhnke Ågren"}},
		"number begins":           {cond("number", "begins", "518"), []string{"Söhnke Ågren"}},
		"no number":               {`{"field":"number","op":"empty"}`, []string{"Una Bracken"}},
		"called lately":           {cond("last_call", "past", "7"), []string{"Berit Osterlund"}},
		"not called for 30 days":  {cond("last_call", "not_past", "30"), []string{"Söhnke Ågren", "Una Bracken"}},
		"never called":            {`{"field":"last_call","op":"empty"}`, []string{"Söhnke Ågren", "Una Bracken"}},
		"calls":                   {cond("calls", "more", "0"), []string{"Berit Osterlund"}},
		"no outcome yet":          {cond("no_outcome", "is", "yes"), []string{"Berit Osterlund"}},
		"made today":              {cond("created", "is", "today"), []string{"Söhnke Ågren", "Una Bracken"}},
		"made before today":       {cond("created", "less", "today-0"), []string{}},
		"all of": {`{"all":[` + cond("source", "is", "radio") + `,` +
			cond("custom.roof", "more", "100") + `]}`, []string{"Söhnke Ågren"}},
		"any of groups": {`{"any":[` + cond("family", "is", "bracken") + `,{"all":[` +
			cond("tags", "is", "spring") + `]}]}`, []string{"Söhnke Ågren", "Una Bracken"}},
		"an empty group": {`{"all":[]}`, all},
	}
	for name, tt := range tests {
		t.Run(name, func(t *testing.T) {
			page, err := w.Book.Rows(t.Context(), w.ines, contract.RowQuery{Kinds: contacts, Filter: &tt.filter})
			require.NoError(t, err)
			assert.Equal(t, tt.want, names(page.Rows))
		})
	}
	for name, filter := range map[string]string{"no such field": cond("shoe", "is", "1"),
		"no such comparison": cond("tags", "less", "1"), "half a filter": `{"all":[`,
		"a word for a number":         cond("custom.roof", "more", "big"),
		"a group that is a condition": `{"all":[],"field":"name"}`,
		"a day that is none":          cond("created", "is", "30 February")} {
		t.Run(name, func(t *testing.T) {
			_, err := w.Book.Rows(t.Context(), w.ines, contract.RowQuery{Kinds: contacts, Filter: &filter})
			var field *firm.FieldError
			require.ErrorAs(t, err, &field)
			assert.Equal(t, "filter", field.Field)
		})
	}
	for sort, want := range map[string][]string{"custom.roof": {"Una Bracken", "Söhnke Ågren", "Berit Osterlund"},
		"last_call": {"Berit Osterlund", "Söhnke Ågren", "Una Bracken"},
		"company":   {"Berit Osterlund", "Söhnke Ågren", "Una Bracken"},
		"owner":     {"Söhnke Ågren", "Una Bracken", "Berit Osterlund"}} {
		page, err := w.Book.Rows(t.Context(), w.ines, contract.RowQuery{Kinds: contacts, Sort: &sort})
		require.NoError(t, err)
		assert.Equal(t, want, names(page.Rows), sort)
	}
	_, err := w.Book.Rows(t.Context(), w.ines, contract.RowQuery{Kinds: contacts, Sort: ptr("shoe")})
	require.Error(t, err)
}

func TestListsHoldRecordsAndViewsFindThem(t *testing.T) {
	w := newWorld(t)
	hand, err := w.Book.AddList(t.Context(), w.ines,
		contract.ListEdit{Name: " Show ", Group: ptr("Campaigns"), Type: contract.ListEditTypeHand,
			Kind: contract.ListEditKindPeople})
	require.NoError(t, err)
	assert.Equal(t, []any{"Show", "Campaigns", 0}, []any{hand.Name, hand.Group, *hand.Count})
	_, err = w.Book.AddList(t.Context(), w.ines,
		contract.ListEdit{Name: "Wrong", Type: contract.ListEditTypeView, Kind: contract.ListEditKindPeople,
			Query: &contract.ViewQuery{Filter: ptr(`{"field":"shoe","op":"is","value":"1"}`)}})
	var field *firm.FieldError
	require.ErrorAs(t, err, &field)
	own, err := w.Book.AddList(t.Context(), w.ines,
		contract.ListEdit{Name: "Mine", Type: contract.ListEditTypeView, Kind: contract.ListEditKindPeople,
			Shared: ptr(false)})
	require.NoError(t, err)
	theirs, err := w.Book.Lists(t.Context(), w.tomas)
	require.NoError(t, err)
	assert.Len(t, theirs, 1, "not what is not shared")
	_, err = w.Book.ChangeList(t.Context(), w.tomas, own.ID,
		contract.ListEdit{Name: "Stolen", Type: contract.ListEditTypeView, Kind: contract.ListEditKindPeople})
	require.ErrorIs(t, err, firm.ErrNotFound)
	require.ErrorIs(t, w.Book.RemoveList(t.Context(), w.tomas, hand.ID), firm.ErrForbidden)

	both := contract.Selection{Query: &contract.RowQuery{Kinds: people}}
	put, err := w.Book.BulkAct(t.Context(), w.ines, key(),
		contract.BulkAct{Action: contract.BulkActActionAddToList, Value: ptr(hand.ID.String()), Selection: both})
	require.NoError(t, err)
	assert.Equal(t, 2, put.Count)
	page, err := w.Book.Rows(t.Context(), w.ines, contract.RowQuery{Kinds: people, ListID: &hand.ID})
	require.NoError(t, err)
	assert.Equal(t, []string{"Aron Pell", "Berit Osterlund"}, names(page.Rows))
	again, err := w.Book.BulkAct(t.Context(), w.ines, key(),
		contract.BulkAct{Action: contract.BulkActActionAddToList, Value: ptr(hand.ID.String()), Selection: both})
	require.NoError(t, err)
	assert.Zero(t, again.Count, "they stand there already")
	_, err = w.Book.UndoBulk(t.Context(), w.ines, put.ID)
	require.NoError(t, err)
	page, err = w.Book.Rows(t.Context(), w.ines, contract.RowQuery{Kinds: people, ListID: &hand.ID})
	require.NoError(t, err)
	assert.Empty(t, page.Rows)
	require.NoError(t, w.Book.RemoveList(t.Context(), w.odile, hand.ID))
}

func TestManyRecordsAreChangedAtOnceAndBack(t *testing.T) {
	w := newWorld(t)
	everybody := contract.Selection{Query: &contract.RowQuery{Kinds: people}}
	act := func(action contract.BulkActAction, value string, sel contract.Selection) contract.BulkResult {
		t.Helper()
		r, err := w.Book.BulkAct(t.Context(), w.odile, key(),
			contract.BulkAct{Action: action, Value: &value, Selection: sel})
		require.NoError(t, err)
		return r
	}
	state := func() string {
		var s string
		require.NoError(
			t,
			w.store.Pool.QueryRow(t.Context(), `SELECT string_agg(name || ':' || coalesce(owner_id::text, '') || ':' || stage || ':' || array_to_string(tags, '+') || ':' || (deleted_at IS NULL), ' ' ORDER BY name)
			FROM records WHERE kind <> 'company'`).
				Scan(&s),
		)
		return s
	}
	_, err := w.store.Pool.Exec(t.Context(),
		`UPDATE records SET tags = '{old}', stage = 'planning', owner_id = $1 WHERE id = $2`, w.tomas.ID, w.berit)
	require.NoError(t, err)
	before := state()
	for _, a := range []struct {
		action contract.BulkActAction
		value  string
		count  int
	}{{contract.BulkActActionSetOwner, "me", 2}, {contract.BulkActActionSetOwner, "", 1}, {contract.BulkActActionAddTag,
		"old", 1}, {contract.BulkActActionTakeTag, "old", 1}, {contract.BulkActActionSetStage, "customer", 1},
		{contract.BulkActActionSetStage, "new", 1},
		{contract.BulkActActionDelete, "", 2}} {
		done := act(a.action, a.value, everybody)
		assert.Equal(t, a.count, done.Count, string(a.action)+" "+a.value)
		assert.NotEqual(t, before, state(), string(a.action))
		_, err := w.Book.UndoBulk(t.Context(), w.odile, done.ID)
		require.NoError(t, err)
		assert.Equal(t, before, state(), string(a.action)+" is undone")
		_, err = w.Book.UndoBulk(t.Context(), w.odile, done.ID)
		require.NoError(t, err, "undoing twice is no mistake")
		_, err = w.Book.UndoBulk(t.Context(), w.tomas, done.ID)
		require.ErrorIs(t, err, firm.ErrForbidden)
	}
	but := act(contract.BulkActActionAddTag, "x",
		contract.Selection{Query: everybody.Query, Without: &[]uuid.UUID{w.aron}})
	assert.Equal(t, 1, but.Count, "all but one")
	lane := act(contract.BulkActActionToLane, "Ask about the pump",
		contract.Selection{Ids: &[]uuid.UUID{w.berit, w.vesper}})
	assert.Equal(t, 2, lane.Count)
	owed, err := w.Lane(t.Context(), w.odile)
	require.NoError(t, err)
	assert.Len(t, owed.Owed, 2)
	_, err = w.Book.UndoBulk(t.Context(), w.odile, lane.ID)
	require.NoError(t, err)
	owed, err = w.Lane(t.Context(), w.odile)
	require.NoError(t, err)
	assert.Empty(t, owed.Owed)
	h, err := w.History(t.Context(), w.odile, w.berit, "change", "")
	require.NoError(t, err)
	assert.Contains(t, h.Entries[0].Change.Text, "tag added: none → x")
	once := key()
	wish := contract.BulkAct{Action: contract.BulkActActionAddTag, Value: ptr("once"), Selection: everybody}
	first, err := w.Book.BulkAct(t.Context(), w.odile, once, wish)
	require.NoError(t, err)
	second, err := w.Book.BulkAct(t.Context(), w.odile, once, wish)
	require.NoError(t, err)
	assert.Equal(t, first, second)
	for name, bad := range map[string]contract.BulkAct{"nothing selected": {Action: contract.BulkActActionDelete},
		"no such stage": {Action: contract.BulkActActionSetStage, Value: ptr("asleep"), Selection: everybody},
		"two tags":      {Action: contract.BulkActActionAddTag, Value: ptr("a, b"), Selection: everybody},
		"no such list":  {Action: contract.BulkActActionAddToList, Value: ptr(uuid.NewString()), Selection: everybody},
		"nobody of the firm": {Action: contract.BulkActActionSetOwner, Value: ptr(uuid.NewString()),
			Selection: everybody}} {
		_, err := w.Book.BulkAct(t.Context(), w.odile, key(), bad)
		var field *firm.FieldError
		require.ErrorAs(t, err, &field, name)
	}
}

func TestAFieldOfTheFirmsOwnIsShownAndFilteredAmongPeople(t *testing.T) {
	w := newWorld(t)
	_, err := w.Book.AddField(t.Context(), w.admin(),
		contract.FieldEdit{Kind: contract.RecordKindContact, Label: "Garden", Type: contract.FieldEditTypeText})
	require.NoError(t, err)
	book, err := w.Book.Book(t.Context(), w.ines)
	require.NoError(t, err)
	at := slices.IndexFunc(book.PeopleFields, func(f contract.FieldDef) bool { return f.Label == "Garden" })
	require.GreaterOrEqual(t, at, 0, "only contacts have it, and it is there")
	key := book.PeopleFields[at].Key
	_, err = w.Book.UpdateRecord(t.Context(), w.ines, w.berit,
		contract.RecordChange{Version: 1, Values: map[string]string{key: "walled"}})
	require.NoError(t, err)
	f := `{"field":"` + key + `","op":"is","value":"walled"}`
	page, err := w.Book.Rows(t.Context(), w.ines, contract.RowQuery{Kinds: people, Filter: &f, Sort: &key})
	require.NoError(t, err)
	require.Equal(t, []string{"Berit Osterlund"}, names(page.Rows))
	assert.Equal(t, "walled", page.Rows[0].Values[key])
	no := `{"field":"` + key + `","op":"empty"}`
	page, err = w.Book.Rows(t.Context(), w.ines, contract.RowQuery{Kinds: people, Filter: &no})
	require.NoError(t, err)
	assert.NotContains(t, names(page.Rows), "Berit Osterlund")
}

func TestRowsGoOnAfterARow(t *testing.T) {
	w := newWorld(t)
	for i := range 30 {
		w.add(contract.RecordKindContact, map[string]string{"given": "Same", "family": fmt.Sprint("name ", i/10)})
	}
	for _, down := range []bool{false, true} {
		for _, sort := range []string{"name", "stage"} {
			all, err := w.Book.Rows(t.Context(), w.ines, contract.RowQuery{Kinds: people, Sort: &sort, Down: &down})
			require.NoError(t, err)
			var got []contract.RecordRow
			for len(got) < len(all.Rows) {
				q := contract.RowQuery{Kinds: people, Sort: &sort, Down: &down, Offset: ptr(len(got)), Limit: ptr(7)}
				if len(got) > 0 {
					q.After = &got[len(got)-1].ID
				}
				page, err := w.Book.Rows(t.Context(), w.ines, q)
				require.NoError(t, err)
				require.NotEmpty(t, page.Rows)
				assert.Equal(t, len(got), page.Offset)
				got = append(got, page.Rows...)
			}
			assert.Equal(t, all.Rows, got, "%s, down: %t", sort, down)
		}
	}
	last, err := w.Book.Rows(t.Context(), w.ines,
		contract.RowQuery{Kinds: people, Offset: ptr(3), Limit: ptr(2), After: ptr(uuid.New())})
	require.NoError(t, err)
	assert.Len(t, last.Rows, 2, "a row that is gone is counted off as before")
}
