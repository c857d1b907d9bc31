package desk_test

import (
	"testing"

	"trundo/internal/desk/firm"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/contract"
)

func (w *world) sweptPairs() contract.DuplicatePage {
	w.t.Helper()
	_, err := w.Book.SweepDuplicates(w.t.Context(), w.ines)
	require.NoError(w.t, err)
	var page contract.DuplicatePage
	w.until("the sweep to be done", func() bool {
		page, err = w.Book.Duplicates(w.t.Context(), w.ines)
		require.NoError(w.t, err)
		return !page.Running
	})
	return page
}

func TestDuplicatesAreFoundOnEntryAndByASweep(t *testing.T) {
	w := newWorld(t)
	check := func(values map[string]string, numbers ...string) []string {
		list := []contract.NewNumber{}
		for _, n := range numbers {
			list = append(list, contract.NewNumber{Typed: n})
		}
		hits, err := w.Book.CheckDuplicates(t.Context(), w.ines,
			contract.NewRecord{Kind: contract.RecordKindLead, Values: values, Numbers: &list})
		require.NoError(t, err)
		found := []string{}
		for _, h := range hits {
			found = append(found, h.Record.Name)
		}
		return found
	}
	assert.Equal(t, []string{"Berit Osterlund"},
		check(map[string]string{"given": "B.", "family": "Osterlund"}, "+1 413 555 0142"), "by number")
	assert.Equal(t, []string{"Berit Osterlund"},
		check(map[string]string{"family": "Somebody", "email": "BERIT@vesper.example"}), "by mail")
	assert.Equal(t, []string{"Berit Osterlund"}, check(map[string]string{"given": "Berit", "family": "Osterlund"}),
		"by name")
	assert.Empty(t, check(map[string]string{"given": "Una", "family": "Bracken"}, "413 555 0119"),
		"a line without the extension is no proof")
	twin := w.add(contract.RecordKindLead,
		map[string]string{"given": "Berit", "family": "Ostrlund", "company": w.vesper.String()}, "413 555 0142")
	w.add(contract.RecordKindCompany, map[string]string{"name": "vesper hollow nursery"})
	page := w.sweptPairs()
	require.Equal(t, 1, page.Total, "a company of the same name alone is no proof")
	assert.Equal(t, []string{"the same number", "a similar name", "in the same company"}, page.Pairs[0].Reasons)
	hits, err := w.Book.DuplicatesOf(t.Context(), w.ines, w.berit)
	require.NoError(t, err)
	require.Len(t, hits, 1)
	require.NoError(t, w.Book.KeepApart(t.Context(), w.ines, contract.TwoRecords{A: twin.ID, B: w.berit}))
	hits, err = w.Book.DuplicatesOf(t.Context(), w.ines, w.berit)
	require.NoError(t, err)
	assert.Empty(t, hits)
	assert.Zero(t, w.sweptPairs().Total, "what was kept apart stays apart")
	var field *firm.FieldError
	require.ErrorAs(t, w.Book.KeepApart(t.Context(), w.ines, contract.TwoRecords{A: w.berit, B: uuid.New()}), &field)
}

// stand is everything of the book that a merge may touch, as text.
func (w *world) stand() string {
	w.t.Helper()
	var s string
	require.NoError(w.t, w.store.Pool.QueryRow(w.t.Context(), `SELECT concat_ws(E'\n',
		(SELECT string_agg(concat_ws('|', id, kind, name, company_id, owner_id, source, stage, note, email, custom, dnc_at IS NULL, deleted_at IS NULL, merged_into, tags), ' ' ORDER BY id) FROM records),
		(SELECT string_agg(concat_ws('|', id, record_id, e164), ' ' ORDER BY id) FROM phone_numbers),
		(SELECT string_agg(concat_ws('|', call_id, record_id), ' ' ORDER BY call_id, record_id) FROM call_links),
		(SELECT string_agg(concat_ws('|', record_id, kind, ref_id), ' ' ORDER BY record_id, at, ref_id) FROM history WHERE kind <> 'change'),
		(SELECT string_agg(concat_ws('|', id, record_id), ' ' ORDER BY id) FROM follow_ups),
		(SELECT string_agg(concat_ws('|', list_id, record_id), ' ' ORDER BY list_id, record_id) FROM list_members))`).Scan(&s))
	return s
}

func TestAMergeLosesNothingAndIsUndone(t *testing.T) {
	w := newWorld(t)
	twin := w.add(contract.RecordKindLead,
		map[string]string{"given": "Berit", "family": "Ostrlund", "note": "Came by at the show.", "tags": "show",
			"job": "Grower", "email": "b@show.example"},
		"413 555 0142", "413 555 0155")
	_, err := w.store.Pool.Exec(t.Context(), `UPDATE records SET note = 'Mornings.', tags = '{large}' WHERE id = $1`,
		w.berit)
	require.NoError(t, err)
	deal := w.add(contract.RecordKindDeal, map[string]string{"name": "Tank", "person": twin.ID.String()})
	list, err := w.Book.AddList(t.Context(), w.ines,
		contract.ListEdit{Name: "Show", Type: contract.ListEditTypeHand, Kind: contract.ListEditKindPeople})
	require.NoError(t, err)
	_, err = w.Book.BulkAct(t.Context(), w.ines, key(),
		contract.BulkAct{Action: contract.BulkActActionAddToList, Value: ptr(list.ID.String()),
			Selection: contract.Selection{Ids: &[]uuid.UUID{twin.ID}}})
	require.NoError(t, err)
	_, err = w.Book.AddFollowUp(t.Context(), w.ines, twin.ID, key(), contract.NewFollowUp{Text: "Send the leaflet"})
	require.NoError(t, err)
	_, err = w.Book.MarkRecord(t.Context(), w.ines, twin.ID,
		contract.DoNotCallMark{On: true, Reason: ptr("in writing only")})
	require.NoError(t, err)
	for _, r := range []contract.Record{twin} {
		c, err := w.Calls.PlaceCall(t.Context(), w.odile, key(),
			contract.NewCall{NumberID: &r.Numbers[1].ID, OverrideReason: ptr("she wrote that we may")})
		require.NoError(t, err)
		_, err = w.Filing.Attach(t.Context(), w.odile, c.ID, w.berit) // a call that both have
		require.NoError(t, err)
		require.NoError(t, w.Calls.HangUp(t.Context(), w.odile, c.ID))
		w.until("ended", func() bool { return w.Calls.CallsInProgress() == 0 })
		c, err = w.Calls.PlaceCall(t.Context(), w.odile, key(),
			contract.NewCall{NumberID: &r.Numbers[0].ID, OverrideReason: ptr("again")})
		require.NoError(t, err)
		require.NoError(t, w.Calls.HangUp(t.Context(), w.odile, c.ID))
		w.ended(c.ID)
	}
	before := w.stand()

	merged, err := w.Book.MergeRecords(t.Context(), w.ines, key(),
		contract.Merge{Keep: w.berit, Lose: twin.ID, Take: []string{"email"}})
	require.NoError(t, err)
	r := merged.Record
	assert.Equal(t, []string{"Berit Osterlund", "b@show.example", "Grower", "large, show",
		"Mornings.\n\nCame by at the show."},
		[]string{r.Name, value(r, "email"), value(r, "job"), value(r, "tags"), r.Note})
	assert.True(t, r.DoNotCall, "the wish holds on")
	assert.Len(t, r.Numbers, 4, "the number that both had stands once")
	assert.Equal(t, 2, r.Touches)
	assert.Len(t, r.FollowUps, 1)
	require.Len(t, r.Related, 1)
	assert.Equal(t, deal.ID, r.Related[0].Record.ID)
	old, err := w.Book.Record(t.Context(), w.ines, twin.ID)
	require.NoError(t, err)
	assert.Equal(t, w.berit, old.ID, "the old address leads to the record that was kept")
	page, err := w.Book.Rows(t.Context(), w.ines, contract.RowQuery{Kinds: people, ListID: &list.ID})
	require.NoError(t, err)
	assert.Equal(t, []string{"Berit Osterlund"}, names(page.Rows))
	require.Equal(t, merged.ID, *r.Merge)

	_, err = w.Book.UndoMerge(t.Context(), w.tomas, merged.ID)
	require.ErrorIs(t, err, firm.ErrForbidden, "somebody else's")
	_, err = w.Book.UndoMerge(t.Context(), w.odile, merged.ID)
	require.NoError(t, err)
	assert.Equal(t, before, w.stand(), "everything is as it was")
	_, err = w.Book.UndoMerge(t.Context(), w.ines, merged.ID)
	require.NoError(t, err, "undoing twice is no mistake")
	assert.Equal(t, before, w.stand())
}

func TestWhatCannotBeMergedIsSaid(t *testing.T) {
	w := newWorld(t)
	for name, m := range map[string]contract.Merge{"itself": {Keep: w.berit, Lose: w.berit},
		"a company": {Keep: w.berit, Lose: w.vesper}, "nobody": {Keep: w.berit, Lose: uuid.New()}} {
		_, err := w.Book.MergeRecords(t.Context(), w.ines, key(), m)
		var field *firm.FieldError
		require.ErrorAs(t, err, &field, name)
		assert.Equal(t, "lose", field.Field)
	}
	_, err := w.Book.UndoMerge(t.Context(), w.ines, uuid.New())
	require.ErrorIs(t, err, firm.ErrNotFound)
	k := key()
	first, err := w.Book.MergeRecords(t.Context(), w.ines, k,
		contract.Merge{Keep: w.berit, Lose: w.aron, Take: []string{}})
	require.NoError(t, err)
	second, err := w.Book.MergeRecords(t.Context(), w.ines, k,
		contract.Merge{Keep: w.berit, Lose: w.aron, Take: []string{}})
	require.NoError(t, err)
	assert.Equal(t, first.ID, second.ID, "once")
}
