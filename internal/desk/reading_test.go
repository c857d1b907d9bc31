package desk_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"testing"

	"trundo/internal/desk/calls"
	"trundo/internal/desk/firm"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/contract"
)

// secretWord stands in nothing else.
const secretWord = "Kolibri"

func TestNotesForOneselfAreReadNowhereElse(t *testing.T) {
	w := newWorld(t)
	ctx := t.Context()
	c := w.over()
	me := contract.VisibleMe
	c, err := w.Filing.ChangeSlip(ctx, w.ines, c.Slip.ID, contract.SlipChange{Version: c.Slip.Version, Visible: &me})
	require.NoError(t, err)
	write := func(text string) {
		t.Helper()
		page, err := w.CallPage(ctx, w.ines, c.ID)
		require.NoError(t, err)
		_, err = w.Calls.SaveNotes(ctx, w.ines, c.Slip.ID,
			contract.NotesEdit{Body: text, Base: page.Call.Slip.Notes.Version, Writer: "w"})
		require.NoError(t, err)
	}
	write(secretWord + " before")
	_, err = w.Filing.File(ctx, w.ines, c.Slip.ID, key(), nil)
	require.NoError(t, err)
	write(secretWord + " corrected after filing")
	for _, reader := range []firm.Actor{w.tomas, w.odile, w.admin()} {
		read := map[string]any{}
		read["page"], err = w.CallPage(ctx, reader, c.ID)
		require.NoError(t, err)
		read["history"], err = w.History(ctx, reader, w.berit, "all", "")
		require.NoError(t, err)
		read["calls"], err = w.Calls.Calls(ctx, reader, calls.CallQuery{})
		require.NoError(t, err)
		read["found"], err = w.Find(ctx, reader, secretWord)
		require.NoError(t, err)
		var csv, all bytes.Buffer
		require.NoError(t, w.Calls.WriteCalls(ctx, reader, calls.CallQuery{Mine: reader.ID == w.tomas.ID}, &csv))
		read["csv"] = csv.String()
		if reader.ID != w.tomas.ID {
			e, err := w.Files.AddExport(ctx, reader, contract.NewExport{Format: contract.NewExportFormatEverything})
			require.NoError(t, err)
			p, err := w.Files.TakeExport(ctx, reader, uuid.MustParse(e.Address[len(e.Address)-36:]))
			require.NoError(t, err)
			require.NoError(t, p.Write(ctx, &all))
			read["everything"] = all.String()
		}
		for what, x := range read {
			text, err := json.Marshal(x)
			require.NoError(t, err)
			assert.NotContains(t, string(text), secretWord, fmt.Sprint(reader.Login, " reads ", what))
		}
	}
	page, err := w.CallPage(ctx, w.ines, c.ID)
	require.NoError(t, err)
	text, err := json.Marshal(page.Changes)
	require.NoError(t, err)
	assert.Contains(t, string(text), secretWord, "she reads what she changed")
}

func TestADeletedPersonAndAPrivateListAreReadByNobodyElse(t *testing.T) {
	w := newWorld(t)
	ctx := t.Context()
	require.NoError(t, w.Book.RemoveRecord(ctx, w.odile, w.berit))
	_, err := w.History(ctx, w.ines, w.berit, "all", "")
	require.ErrorIs(t, err, firm.ErrGone)
	_, err = w.Outreach.Thread(ctx, w.ines, &w.berit, "")
	require.ErrorIs(t, err, firm.ErrGone)
	_, err = w.History(ctx, w.ines, uuid.New(), "all", "")
	require.ErrorIs(t, err, firm.ErrNotFound)
	_, err = w.Book.RestoreRecord(ctx, w.odile, w.berit)
	require.NoError(t, err)

	l, err := w.Book.AddList(ctx, w.ines,
		contract.ListEdit{Name: "Mine", Type: "hand", Kind: "contact", Shared: ptr(false)})
	require.NoError(t, err)
	_, err = w.Book.BulkAct(ctx, w.ines, key(),
		contract.BulkAct{Action: "add_to_list", Value: ptr(l.ID.String()),
			Selection: contract.Selection{Ids: &[]uuid.UUID{w.berit}}})
	require.NoError(t, err)
	query := contract.RowQuery{Kinds: people, ListID: &l.ID}
	mine, err := w.Book.Rows(ctx, w.ines, query)
	require.NoError(t, err)
	assert.Len(t, mine.Rows, 1)
	others, err := w.Book.Rows(ctx, w.odile, query)
	require.NoError(t, err)
	assert.Empty(t, others.Rows)
}
