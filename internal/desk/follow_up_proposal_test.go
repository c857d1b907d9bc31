package desk_test

import (
	"strings"
	"testing"
	"time"

	"trundo/internal/desk/firm"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/contract"
)

func TestAFollowUpIsProposedAtTheirPlace(t *testing.T) {
	w := newWorld(t) // a Monday, ten in the morning in New York
	ctx := t.Context()
	_, err := w.store.Pool.Exec(ctx, `UPDATE records SET zone = 'America/Denver' WHERE id = $1`, w.berit)
	require.NoError(t, err)
	p, err := w.Book.ProposeFollowUp(ctx, w.ines, w.berit, "Wants the filter. Call back thu 3pm!")
	require.NoError(t, err)
	assert.Equal(
		t,
		[]any{true, contract.FollowUpProposalKindCall, "Call back thu 3pm", "Thu, Mar 5, 3:00 PM their time",
			false},
		[]any{p.Found, p.Kind, p.Text, p.When, p.DayOnly},
	)
	assert.Equal(t, time.Date(2026, 3, 5, 22, 0, 0, 0, time.UTC), p.DueAt.UTC())
	p, err = w.Book.ProposeFollowUp(ctx, w.ines, w.berit, "Send the offer next week")
	require.NoError(t, err)
	assert.Equal(t, []any{contract.FollowUpProposalKindMail, "Mon, Mar 9", true}, []any{p.Kind, p.When, p.DayOnly})
	p, err = w.Book.ProposeFollowUp(ctx, w.ines, w.berit, "Has three tanks.")
	require.NoError(t, err)
	assert.False(t, p.Found)
	p, err = w.Book.ProposeFollowUp(ctx, w.ines, w.berit, "call "+strings.Repeat("very ", 200)+"soon, tomorrow")
	require.NoError(t, err)
	assert.Len(t, []rune(p.Text), 500)
	_, err = w.Book.ProposeFollowUp(ctx, w.ines, uuid.New(), "call tomorrow")
	require.ErrorIs(t, err, firm.ErrNotFound)
}
