package desk_test

import (
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/contract"
	"trundo/internal/core/outcome"
)

// openFor are the texts of what waits for a record, by its id.
func (w *world) openFor(record uuid.UUID) []string {
	w.t.Helper()
	texts := []string{}
	rows, err := w.store.Pool.Query(w.t.Context(),
		`SELECT text FROM follow_ups WHERE record_id = $1 AND state = 'open' ORDER BY text`, record)
	require.NoError(w.t, err)
	for rows.Next() {
		var text string
		require.NoError(w.t, rows.Scan(&text))
		texts = append(texts, text)
	}
	return texts
}

func TestACallPutOnSomebodyElseTakesWhatItDidAlong(t *testing.T) {
	w := newWorld(t)
	w.outcomeThat(outcome.Effect{Kind: outcome.FollowUp, Act: "call", Text: "Ask about the pump",
		After: outcome.After{Count: 2, Unit: outcome.Days}},
		outcome.Effect{Kind: outcome.AddTag, Text: "sold"}, outcome.Effect{Kind: outcome.DealStage, Value: "offer"})
	hers := w.add(contract.RecordKindDeal,
		map[string]string{"name": "Her pumps", "stage": "enquiry", "person": w.berit.String()}).ID
	his := w.add(contract.RecordKindDeal,
		map[string]string{"name": "His pumps", "stage": "enquiry", "person": w.aron.String()}).ID
	_, err := w.store.Pool.Exec(t.Context(), `UPDATE records SET company_id = $1 WHERE id = $2`, w.vesper, w.berit)
	require.NoError(t, err)
	promise, err := w.Book.AddFollowUp(t.Context(), w.ines, w.aron, key(),
		contract.NewFollowUp{Text: "Call back", DueAt: ptr(w.clock.Now())})
	require.NoError(t, err)
	c := w.calls()
	require.True(t, w.sim.TheyAnswer(mobileNumber))
	w.until("they speak", func() bool { return w.phase(c.ID) == contract.PhaseSpeaking })
	require.NoError(t, w.Calls.HangUp(t.Context(), w.ines, c.ID))
	c = w.ended(c.ID)
	c, err = w.Filing.ChangeSlip(t.Context(), w.ines, c.Slip.ID,
		contract.SlipChange{Version: c.Slip.Version, OutcomeID: &w.sold})
	require.NoError(t, err)
	_, err = w.store.Pool.Exec(t.Context(), `UPDATE follow_ups SET promised = true, kind = 'call' WHERE id = $1`,
		promise.ID)
	require.NoError(t, err)
	plan, err := w.Filing.PlanFiling(t.Context(), w.ines, c.Slip.ID, w.sold)
	require.NoError(t, err)
	plan.Items[0].Text = "Ask about the old pump"
	c, err = w.Filing.File(t.Context(), w.ines, c.Slip.ID, key(), &plan.Items)
	require.NoError(t, err)
	stage := func(deal uuid.UUID) string {
		var s string
		require.NoError(t, w.store.Pool.QueryRow(t.Context(), `SELECT stage FROM records WHERE id = $1`, deal).Scan(&s))
		return s
	}
	require.Equal(t, []string{"Ask about the old pump"}, w.openFor(w.berit))
	require.Equal(t, []string{"offer", "enquiry"}, []string{stage(hers), stage(his)})

	w.clock.Advance(time.Minute)
	c, err = w.Filing.Detach(t.Context(), w.ines, c.ID, w.berit)
	require.NoError(t, err)
	assert.Empty(t, c.Links, "her company goes with her")
	assert.Empty(t, w.openFor(w.berit))
	assert.Equal(t, []string{"enquiry", "enquiry"}, []string{stage(hers), stage(his)})
	assert.Equal(t, []string{"Call back"}, w.openFor(w.aron))

	_, err = w.Filing.Attach(t.Context(), w.ines, c.ID, w.aron)
	require.NoError(t, err)
	assert.Equal(t, []string{"Ask about the old pump"}, w.openFor(w.aron),
		"as she had written it; and the promise to him is kept")
	assert.Equal(t, []string{"enquiry", "offer"}, []string{stage(hers), stage(his)})

	// And back again, the other way round.
	_, err = w.Filing.Attach(t.Context(), w.ines, c.ID, w.berit)
	require.NoError(t, err)
	_, err = w.Filing.Detach(t.Context(), w.ines, c.ID, w.aron)
	require.NoError(t, err)
	assert.Equal(t, []string{"Call back"}, w.openFor(w.aron), "the promise to him is open again")
	assert.Equal(t, []string{"Ask about the old pump"}, w.openFor(w.berit))
	assert.Equal(t, []string{"offer", "enquiry"}, []string{stage(hers), stage(his)})
	_, err = w.Filing.UndoFiling(t.Context(), w.ines, c.Slip.ID)
	require.NoError(t, err)
	assert.Empty(t, w.openFor(w.berit), "undoing takes the last of it back")
	assert.Equal(t, []string{"enquiry", "enquiry"}, []string{stage(hers), stage(his)})
}
