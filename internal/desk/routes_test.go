package desk_test

import (
	"testing"
	"trundo/internal/contract"
	"trundo/internal/desk/firm"
	"trundo/internal/desk/queues"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// routed makes a route, puts it live and lets the main line go by it.
func (w *world) routed(steps ...contract.RouteStep) contract.RoutePage {
	w.t.Helper()
	admin := w.admin()
	p, err := w.Queues.AddRoute(w.t.Context(), admin, contract.NewRoute{Name: "Front door"})
	require.NoError(w.t, err)
	p = w.writes(p, steps...)
	lines, err := w.Lines.Lines(w.t.Context(), admin)
	require.NoError(w.t, err)
	l, err := w.Queues.SetLineRoute(w.t.Context(), admin, lines[0].ID, &p.ID)
	require.NoError(w.t, err)
	require.Equal(w.t, p.ID, *l.RouteID)
	return p
}

// writes writes a route's draft anew and puts it live.
func (w *world) writes(p contract.RoutePage, steps ...contract.RouteStep) contract.RoutePage {
	w.t.Helper()
	p, err := w.Queues.ChangeRoute(
		w.t.Context(),
		w.admin(),
		p.ID,
		contract.RouteChange{Name: p.Name, Version: p.Version,
			Draft: contract.RouteDoc{Languages: []string{"en"}, Steps: steps}},
	)
	require.NoError(w.t, err)
	p, err = w.Queues.PutLive(w.t.Context(), w.admin(), p.ID, contract.RouteLive{Version: p.Version})
	require.NoError(w.t, err, "%v %v", p.Faults, p.Outline)
	return p
}

func TestALiveCallFinishesOnTheRouteThatItBeganWith(t *testing.T) {
	w := newWorld(t)
	say := func(text string) []contract.RouteStep {
		return []contract.RouteStep{{ID: "hello", Do: contract.RouteStepDoSay, Texts: inEnglish(text)},
			{
				ID:      "menu",
				Do:      contract.RouteStepDoMenu,
				Texts:   inEnglish(text + ": press 1"),
				Seconds: new(60),
				Options: &[]contract.RouteOption{
					{
						Key: "1",
						Steps: []contract.RouteStep{
							{ID: "bye", Do: contract.RouteStepDoSay, Texts: inEnglish(text + " says goodbye")},
						},
					}},
			},
			{ID: "end", Do: contract.RouteStepDoEnd}}
	}
	p := w.routed(say("One")...)
	ref := w.comesIn(mobileNumber)
	w.hears(ref, "“One: press 1”")
	p = w.writes(p, say("Two")...)
	assert.Equal(t, 2, *p.Live)
	require.True(t, w.sim.OutsidePresses(ref, "1"))
	w.hears(ref, "“One says goodbye”")
	ref = w.comesIn(mobileNumber)
	w.hears(ref, "“Two: press 1”")
	p, err := w.Queues.PutLive(t.Context(), w.admin(), p.ID, contract.RouteLive{Version: p.Version, BackTo: new(1)})
	require.NoError(t, err)
	assert.Equal(t, "One", (*p.Draft.Steps[0].Texts)["en"], "the draft is what one went back to")
	ref = w.comesIn(mobileNumber)
	w.hears(ref, "“One: press 1”")
}

func TestARouteGoesLiveOnlyWithoutFaultsAndWithItsTests(t *testing.T) {
	w := newWorld(t)
	admin := w.admin()
	q := w.queue("Service", nil, w.ines)
	p := w.routed(frontDoor(*q.ID)...)
	lines, err := w.Lines.Lines(t.Context(), admin)
	require.NoError(t, err)
	try := contract.RouteTry{
		LineID:   lines[0].ID,
		RecordID: &w.berit,
		At:       "2026-03-02T10:00",
		Events: []contract.RouteEvent{
			{Does: contract.RouteEventDoesListens}, {Does: contract.RouteEventDoesPresses, Keys: new("1")}},
	}
	tried, err := w.Queues.Try(t.Context(), admin, p.ID, try)
	require.NoError(t, err)
	assert.True(t, tried.Over)
	assert.Equal(t, []string{"hello", "queue", "back"}, tried.Path)
	var texts []string
	for _, l := range tried.Lines {
		texts = append(texts, l.Text)
	}
	assert.Equal(t, []string{"They hear:", "They wait in “Service” and hear music.", "They press 1.",
		"They will be called back, in the place that they had."}, texts)
	p, err = w.Queues.KeepTrial(
		t.Context(),
		admin,
		p.ID,
		contract.NewTrial{Name: "Berit asks to be called back", Try: try},
	)
	require.NoError(t, err)
	assert.True(t, p.Trials[0].Passes)
	p, err = w.Queues.ChangeRoute(t.Context(), admin, p.ID, contract.RouteChange{Name: p.Name, Version: p.Version,
		Draft: contract.RouteDoc{Languages: []string{"en"}, Steps: frontDoor(*q.ID)[:2]}})
	require.NoError(t, err, "a draft is kept, right or wrong")
	_, err = w.Queues.PutLive(t.Context(), admin, p.ID, contract.RouteLive{Version: p.Version})
	require.ErrorIs(t, err, queues.ErrFaults)
	p, err = w.Queues.ChangeRoute(t.Context(), admin, p.ID, contract.RouteChange{Name: p.Name, Version: p.Version,
		Draft: contract.RouteDoc{Languages: []string{"en"}, Steps: frontDoor(*q.ID)[2:]}})
	require.NoError(t, err)
	assert.False(t, p.Trials[0].Passes)
	_, err = w.Queues.PutLive(t.Context(), admin, p.ID, contract.RouteLive{Version: p.Version})
	require.ErrorIs(t, err, queues.ErrTrials)
	_, err = w.Queues.ChangeRoute(
		t.Context(),
		admin,
		p.ID,
		contract.RouteChange{Name: p.Name, Version: p.Version - 1, Draft: p.Draft},
	)
	require.ErrorIs(t, err, firm.ErrChangedElse)
	_, err = w.Queues.Routes(t.Context(), w.ines)
	require.ErrorIs(t, err, firm.ErrForbidden)
}

func TestALinesRuleBecomesARoute(t *testing.T) {
	w := newWorld(t)
	l := w.line(func(l *contract.FirmLine) {
		l.Reps, l.RingSeconds, l.Hours, l.ClosedText = []uuid.UUID{
			w.ines.ID,
			w.tomas.ID,
		}, 5, "Mon-Fri 09:00-17:00", "We sleep."
		l.Closed = contract.FirmLineClosedAnnouncement
	})
	p, err := w.Queues.AddRoute(t.Context(), w.admin(), contract.NewRoute{Name: "As before", LineID: &l.ID})
	require.NoError(t, err)
	var lines []string
	for _, x := range p.Outline {
		lines = append(lines, x.Text)
		assert.Empty(t, x.Faults)
	}
	assert.Equal(t, []string{"If the line is closed:", "Say “We sleep”.", "Hang up.",
		"Ring ines and tomas all at once, for 5 seconds.", "Take a voicemail."}, lines)
	assert.Empty(t, p.Faults)
}
