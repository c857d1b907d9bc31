package desk_test

import (
	"testing"
	"time"

	"trundo/internal/desk/firm"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/contract"
)

func TestOutcomeSettings(t *testing.T) {
	w := newWorld(t)
	_, err := w.Filing.OutcomeSettings(t.Context(), w.ines)
	require.ErrorIs(t, err, firm.ErrForbidden)
	_, err = w.store.Pool.Exec(t.Context(), `UPDATE users SET role = 'admin', team = 'Sales' WHERE id = $1`, w.odile.ID)
	require.NoError(t, err)
	w.clock.Advance(6 * time.Second)
	admin := w.actor("odile")
	s, err := w.Filing.OutcomeSettings(t.Context(), admin)
	require.NoError(t, err)
	require.Len(t, s.Outcomes, 2)
	assert.NotEmpty(t, *s.PublicHolidays)

	yes, text, stage := "call", "Ask {given name}", "offer"
	act, unit, count := contract.EffectAct(yes), contract.EffectUnitBusinessDays, 2
	s.Outcomes[1], s.Outcomes[0] = s.Outcomes[0], s.Outcomes[1]
	s.Outcomes[0].Teams = []string{"Service"}
	s.Outcomes[1].Effects = []contract.Effect{{Kind: contract.EffectKindFollowUp, Act: &act, Unit: &unit, Count: &count,
		Text: &text, At: ten()}, {Kind: contract.EffectKindDealStage, Value: &stage}}
	s.CallTypes = append(s.CallTypes, contract.CallTypeSetting{Label: "Planning", Active: true})
	s.Holidays = []contract.Holiday{{Date: "2026-03-04", Name: "Works outing"},
		{Date: "2026-03-03", Name: "The day before"}}
	saved, err := w.Filing.SetOutcomeSettings(t.Context(), admin, s)
	require.NoError(t, err)
	assert.Equal(t, "Wants an offer", saved.Outcomes[0].Label)
	assert.Equal(t, text, *saved.Outcomes[1].Effects[0].Text)
	assert.Equal(t, "2026-03-03", saved.Holidays[0].Date)
	me, err := w.Me(t.Context(), w.ines)
	require.NoError(t, err)
	require.Len(t, me.Outcomes, 1, "the other one is for another team")
	assert.True(t, me.Outcomes[0].Acts)
	require.Len(t, me.CallTypes, 1)

	plan, err := w.Filing.PreviewOutcome(t.Context(), admin, saved.Outcomes[1])
	require.NoError(t, err)
	require.Len(t, plan.Items, 2)
	assert.Empty(t, plan.Items[1].Problem)
	assert.Equal(t, "2026-03-06", plan.Items[0].DueAt.Format(time.DateOnly), "over two days without business")

	for field, do := range map[string]func(s *contract.OutcomeSettings){
		"outcomes.0.label":           func(s *contract.OutcomeSettings) { s.Outcomes[0].Label = " " },
		"outcomes.1.label":           func(s *contract.OutcomeSettings) { s.Outcomes[1].Label = s.Outcomes[0].Label },
		"outcomes.1.effects.0.text":  func(s *contract.OutcomeSettings) { bad := "{weather}"; s.Outcomes[1].Effects[0].Text = &bad },
		"outcomes.1.effects.1.value": func(s *contract.OutcomeSettings) { bad := "bought"; s.Outcomes[1].Effects[1].Value = &bad },
		"outcomes.0.call_type_ids":   func(s *contract.OutcomeSettings) { s.Outcomes[0].CallTypeIds = []uuid.UUID{uuid.New()} },
		"outcomes.0.effects.0.target": func(s *contract.OutcomeSettings) {
			gone := uuid.NewString()
			s.Outcomes[0].Effects = []contract.Effect{{Kind: contract.EffectKindAddToList, Target: &gone}}
		},
		"holidays.0.date":    func(s *contract.OutcomeSettings) { s.Holidays[0].Date = "tomorrow" },
		"call_types.0.label": func(s *contract.OutcomeSettings) { s.CallTypes[0].Label = "" },
	} {
		bad, err := w.Filing.OutcomeSettings(t.Context(), admin)
		require.NoError(t, err)
		do(&bad)
		_, err = w.Filing.SetOutcomeSettings(t.Context(), admin, bad)
		var at *firm.FieldError
		require.ErrorAs(t, err, &at, field)
		assert.Equal(t, field, at.Field)
	}
	saved.Outcomes = saved.Outcomes[1:]
	saved, err = w.Filing.SetOutcomeSettings(t.Context(), admin, saved)
	require.NoError(t, err)
	require.Len(t, saved.Outcomes, 2, "what is left out is no longer offered, and stays where it is")
	assert.False(t, saved.Outcomes[1].Active)
}
