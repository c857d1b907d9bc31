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

const planning = "# Opening\nGood day {given name}, {rep} here.\n? Do you have a tank? [has_tank]\n- Yes -> Size\n- " +
	"No\n# Need\nA tank saves water.\n-> End\n# Size\n? How many litres? [litres]\n= number\n# End\nThank you."

func TestAScriptLeadsThroughACallAndItsAnswersAreKept(t *testing.T) {
	w := newWorld(t)
	_, err := w.store.Pool.Exec(t.Context(), `UPDATE users SET role = 'admin' WHERE id = $1`, w.odile.ID)
	require.NoError(t, err)
	w.clock.Advance(6 * time.Second)
	admin := w.actor("odile")
	c := w.calls()
	none, err := w.Filing.CallScript(t.Context(), w.ines, c.ID, nil)
	require.NoError(t, err)
	assert.Nil(t, none.ScriptID)
	set, err := w.Filing.SetScripts(t.Context(), admin,
		[]contract.Script{{Name: "Inbound", Body: "# A\nx", Directions: []contract.ScriptDirections{"inbound"},
			Active: true}, {Name: "Planning", Body: planning, Active: true}})
	require.NoError(t, err)
	require.Len(t, set, 2)
	id := *set[1].ID
	s, err := w.Filing.CallScript(t.Context(), w.ines, c.ID, nil)
	require.NoError(t, err)
	assert.Equal(t, "Planning", s.Name, "the first that fits")
	require.Len(t, s.Steps, 1)
	assert.Equal(t, "Good day Berit, ines here.", s.Steps[0].Text)
	answer := func(a firm.Actor, key, text string) (contract.CallScript, error) {
		return w.Filing.AnswerScript(t.Context(), a, c.ID, contract.ScriptAnswer{ScriptID: id, Key: key, Answer: text})
	}
	s, err = answer(w.ines, "has_tank", "Yes")
	require.NoError(t, err)
	require.Len(t, s.Steps, 2)
	assert.Equal(t, "number", string(s.Steps[1].Free))
	for _, bad := range [][2]string{{"has_tank", "Perhaps"}, {"litres", "many"}, {"weather", "fine"}, {"", "x"}} {
		_, err := answer(w.ines, bad[0], bad[1])
		var at *firm.FieldError
		require.ErrorAs(t, err, &at, bad)
	}
	_, err = answer(w.tomas, "has_tank", "No")
	require.ErrorIs(t, err, firm.ErrForbidden)
	s, err = answer(w.ines, "litres", "4,000")
	require.NoError(t, err)
	assert.Len(t, s.Steps, 3)
	page, err := w.CallPage(t.Context(), w.ines, c.ID)
	require.NoError(t, err)
	assert.Equal(t, []contract.Answer{{Key: "has_tank", Question: "Do you have a tank?", Answer: "Yes"},
		{Key: "litres", Question: "How many litres?", Answer: "4,000"}}, *page.Answers)
	s, err = answer(w.ines, "has_tank", "")
	require.NoError(t, err)
	assert.Len(t, s.Steps, 1, "taken back")
	_, err = w.Filing.CallScript(t.Context(), w.ines, uuid.New(), nil)
	require.ErrorIs(t, err, firm.ErrNotFound)

	_, err = w.Filing.SetScripts(t.Context(), w.ines, nil)
	require.ErrorIs(t, err, firm.ErrForbidden)
	for field, bad := range map[string]contract.Script{"scripts.0.name": {Body: "# A"},
		"scripts.0.body": {Name: "x", Body: "# A\n-> B"}} {
		_, err := w.Filing.SetScripts(t.Context(), admin, []contract.Script{bad})
		var at *firm.FieldError
		require.ErrorAs(t, err, &at, field)
		assert.Equal(t, field, at.Field)
	}
}

func TestWhoMayReadNotes(t *testing.T) {
	w := newWorld(t)
	_, err := w.store.Pool.Exec(t.Context(), `UPDATE users SET team = 'Sales' WHERE id = $1`, w.ines.ID)
	require.NoError(t, err)
	c := w.over()
	_, err = w.Calls.SaveNotes(t.Context(), w.ines, c.Slip.ID, contract.NotesEdit{Body: "She is ill.", Writer: "w"})
	require.NoError(t, err)
	reads := func(a firm.Actor) string {
		t.Helper()
		page, err := w.CallPage(t.Context(), a, c.ID)
		require.NoError(t, err)
		if *page.Call.Slip.NotesHidden {
			return "hidden" + page.Call.Slip.Notes.Body
		}
		return page.Call.Slip.Notes.Body
	}
	set := func(v contract.Visible) {
		t.Helper()
		page, err := w.CallPage(t.Context(), w.ines, c.ID)
		require.NoError(t, err)
		_, err = w.Filing.ChangeSlip(t.Context(), w.ines, c.Slip.ID,
			contract.SlipChange{Version: page.Call.Slip.Version, Visible: &v})
		require.NoError(t, err)
	}
	colleague := w.tomas
	colleague.Team, colleague.Teams = "Sales", []string{"Sales"}
	for v, want := range map[contract.Visible][4]string{"all": {"She is ill.", "She is ill.", "She is ill.",
		"She is ill."}, "team": {"She is ill.", "She is ill.", "hidden", "She is ill."},
		"me": {"She is ill.", "hidden", "hidden", "hidden"}} {
		set(v)
		assert.Equal(t, want, [4]string{reads(w.ines), reads(colleague), reads(w.tomas), reads(w.odile)}, v)
	}
	set("me")
	_, err = w.Calls.SaveNotes(t.Context(), w.odile, c.Slip.ID, contract.NotesEdit{Body: "x", Base: 1, Writer: "o"})
	require.ErrorIs(t, err, firm.ErrForbidden, "who may not read them does not write them")
}

func TestWhatADealEarnsCountsForItsSource(t *testing.T) {
	w := newWorld(t)
	_, err := w.store.Pool.Exec(t.Context(), `UPDATE records SET source = 'Spring show leaflet' WHERE id = $1`, w.berit)
	require.NoError(t, err)
	made, err := w.Book.AddRecord(t.Context(), w.ines, key(),
		contract.NewRecord{Kind: contract.RecordKindDeal,
			Values: map[string]string{"name": "Tank", "person": w.berit.String(), "amount": "$4,000", "stage": "won"}})
	require.NoError(t, err)
	assert.Equal(t, "Spring show leaflet", made.Source)
	all, err := w.Insight.Sources(t.Context(), w.odile, 90)
	require.NoError(t, err)
	require.NotEmpty(t, all)
	assert.Equal(t, "Spring show leaflet", all[0].Source)
	assert.Equal(t, 1, all[0].Won)
	assert.Equal(t, "4000.00 USD", all[0].Earned)
	assert.Nil(t, all[0].Cost)

	// What it cost in March, of which two days have been: 62 of 31 days, so four.
	ada := w.ada()
	costs := func(a firm.Actor, amount string) error {
		return w.Insight.SetSourceCost(t.Context(), a, contract.CostOfSource{Source: all[0].Source, Month: "2026-03", Amount: amount})
	}
	require.ErrorIs(t, costs(w.odile, "62"), firm.ErrForbidden)
	assert.Equal(t, "amount", fieldOf(t, costs(ada, "much")))
	assert.Equal(t, "amount", fieldOf(t, costs(ada, "62 EUR")))
	require.NoError(t, costs(ada, "$62"))
	all, err = w.Insight.Sources(t.Context(), w.odile, 90)
	require.NoError(t, err)
	assert.Equal(t, "4.00 USD", *all[0].Cost)
	assert.Equal(t, 1000.0, *all[0].Times)
	require.NoError(t, costs(ada, ""))
	all, err = w.Insight.Sources(t.Context(), w.odile, 90)
	require.NoError(t, err)
	assert.Nil(t, all[0].Cost)
}
