package desk_test

import (
	"strings"
	"testing"

	"trundo/internal/desk/firm"
	"trundo/internal/desk/outreach"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/contract"
)

func TestAMailCarriesFiles(t *testing.T) {
	w := newWorld(t)
	offer, err := w.Outreach.AddMessageFile(t.Context(), w.ines, `C:\papers\offer “40 l”.pdf`,
		strings.NewReader("%PDF-1.7 the offer"))
	require.NoError(t, err)
	assert.Equal(t, "offer “40 l”.pdf", offer.Name)
	plan, err := w.Outreach.AddMessageFile(t.Context(), w.ines, "plan.txt", strings.NewReader("the plan"))
	require.NoError(t, err)
	mail := to(w.berit, contract.ChannelMail, "Our offer.")
	mail.FileIds = &[]uuid.UUID{plan.ID, offer.ID}
	_, err = w.Outreach.SendMessage(t.Context(), w.tomas, key(), mail)
	var field *firm.FieldError
	require.ErrorAs(t, err, &field, "somebody else's")
	assert.Equal(t, "file_ids", field.Field)
	k := key()
	m, err := w.Outreach.SendMessage(t.Context(), w.ines, k, mail)
	require.NoError(t, err)
	require.Len(t, m.Files, 2)
	assert.Equal(t, []any{"plan.txt", 8}, []any{m.Files[0].Name, m.Files[0].Bytes},
		"in the order in which they were attached")
	again, err := w.Outreach.SendMessage(t.Context(), w.ines, k, mail)
	require.NoError(t, err, "the same wish twice")
	assert.Equal(t, m.ID, again.ID)
	got := w.sent(1).Mail
	require.Len(t, got.Files, 2)
	assert.Equal(t, []string{"plan.txt", "text/plain; charset=utf-8", "the plan"},
		[]string{got.Files[0].Name, got.Files[0].Type, string(got.Files[0].Content)})
	assert.Equal(t, "application/pdf", got.Files[1].Type)
	name, _, content, err := w.Outreach.MessageFile(t.Context(), w.tomas, offer.ID)
	require.NoError(t, err)
	assert.Equal(t, []string{offer.Name, "%PDF-1.7 the offer"}, []string{name, string(content)})
	_, err = w.Outreach.SendMessage(t.Context(), w.ines, key(), mail)
	require.ErrorAs(t, err, &field, "each file goes once")

	text := to(w.berit, contract.ChannelText, "Our offer.")
	text.FileIds = mail.FileIds
	_, err = w.Outreach.SendMessage(t.Context(), w.ines, key(), text)
	require.ErrorAs(t, err, &field)
	kept, err := w.Outreach.AddMessageFile(t.Context(), w.ines, "kept.txt", strings.NewReader("x"))
	require.NoError(t, err)
	_, _, _, err = w.Outreach.MessageFile(t.Context(), w.tomas, kept.ID)
	require.ErrorIs(t, err, firm.ErrForbidden, "not sent yet")
	for name, content := range map[string]string{"": "x", "empty.txt": "",
		"large.bin": strings.Repeat("x", outreach.MaxFile+1)} {
		_, err = w.Outreach.AddMessageFile(t.Context(), w.ines, name, strings.NewReader(content))
		require.ErrorAs(t, err, &field, name)
	}
}

func TestANumberInNotesIsOfferedToWhoeverTheyAreAbout(t *testing.T) {
	w := newWorld(t)
	_, err := w.store.Pool.Exec(t.Context(), `UPDATE records SET email = '' WHERE id = $1`, w.aron)
	require.NoError(t, err)
	const notes = "new office 907 555 0133, old 413 555 0142, aron@pell.example"
	p, err := w.Book.ProposeFollowUp(t.Context(), w.ines, w.berit, notes)
	require.NoError(t, err)
	require.Len(t, p.Addresses, 1, "she has the other number, and a mail address")
	assert.Equal(t, contract.NotedAddress{Number: "+19075550133", Label: "office", Display: "907 555 0133"},
		p.Addresses[0])
	_, err = w.Book.AddNumber(t.Context(), w.ines, w.berit,
		contract.NewNumber{Typed: p.Addresses[0].Number, Label: &p.Addresses[0].Label})
	require.NoError(t, err)
	p, err = w.Book.ProposeFollowUp(t.Context(), w.ines, w.berit, notes)
	require.NoError(t, err)
	assert.Empty(t, p.Addresses)
	p, err = w.Book.ProposeFollowUp(t.Context(), w.ines, w.aron, notes)
	require.NoError(t, err)
	assert.Equal(t, "aron@pell.example", p.Addresses[len(p.Addresses)-1].Mail)
}
