package desk_test

import (
	"encoding/json"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/contract"
	"trundo/internal/desk/calls"
	"trundo/internal/desk/firm"
	"trundo/internal/desk/insight"
	"trundo/internal/store"
)

// figure is what a report says of everything that a sees, by figure; "–" where there is nothing to say.
func (w *world) figures(a firm.Actor, keys ...string) map[string]float64 {
	w.t.Helper()
	r, err := w.Insight.Report(w.t.Context(), a, contract.ReportQuery{Figures: keys, Period: "30d"})
	require.NoError(w.t, err)
	require.Zero(w.t, r.Counting)
	got := map[string]float64{}
	for i, c := range r.All {
		if c.Value != nil {
			got[keys[i]] = *c.Value
		}
	}
	return got
}

// finds are the calls that a finds.
func (w *world) finds(a firm.Actor, where ...contract.Condition) []uuid.UUID {
	w.t.Helper()
	f, err := w.Insight.Find(w.t.Context(), a, contract.CallsSought{Period: "30d", Where: &where})
	require.NoError(w.t, err)
	ids := []uuid.UUID{}
	for _, c := range f.Calls {
		ids = append(ids, c.ID)
	}
	assert.Len(w.t, ids, f.Count)
	return ids
}

func is(facet string, values ...string) contract.Condition {
	return contract.Condition{Facet: facet, Values: values}
}

func not(facet string, values ...string) contract.Condition {
	return contract.Condition{Facet: facet, Values: values, Not: new(true)}
}

// talk is a call of Ines's with Berit that has ended after so long.
func (w *world) talk(long time.Duration) contract.Call {
	w.t.Helper()
	c := w.speaks()
	w.clock.Advance(long)
	require.NoError(w.t, w.Calls.HangUp(w.t.Context(), w.ines, c.ID))
	return w.ended(c.ID)
}

// right holds the figures that are kept against the facts.
func (w *world) right(wrong int) {
	w.t.Helper()
	found, err := insight.CheckFigures(w.t.Context(), w.store)
	require.NoError(w.t, err)
	assert.Equal(w.t, wrong, found.Wrong)
}

func TestFiguresFollowTheFacts(t *testing.T) {
	w := newWorld(t)
	ctx := t.Context()
	w.sits(w.ines)
	assert.Equal(t, map[string]float64{"calls": 0, "talk": 0}, w.figures(w.odile, "calls", "talk", "reached_share"))
	c := w.talk(9 * time.Second)
	assert.Equal(
		t,
		map[string]float64{"calls": 1, "conversations": 1, "reached_share": 100, "outcomes": 0, "unreturned": 0},
		w.figures(w.odile, "calls", "conversations", "reached_share", "outcomes", "unreturned"),
	)
	w.files(c, w.sold)
	assert.Equal(
		t,
		map[string]float64{"outcomes": 1, "conversion": 100, "wrap_up": 0},
		w.figures(w.odile, "outcomes", "conversion", "wrap_up"),
	)
	w.right(0)

	// Somebody calls in vain, and is called back.
	w.callsInVain(mobileNumber)
	assert.Equal(t, map[string]float64{"missed": 1, "unreturned": 1, "answered_share": 0},
		w.figures(w.odile, "missed", "unreturned", "answered_share", "time_to_return"))
	w.clock.Advance(10 * time.Minute)
	w.callsBack(contract.NewCall{NumberID: &w.mobile})
	w.until("the call to be counted", func() bool { return w.figures(w.odile, "unreturned")["unreturned"] == 0 })
	back := w.figures(w.odile, "time_to_return")["time_to_return"]
	assert.GreaterOrEqual(t, back, 600.0)
	w.right(0)

	// Whoever leaves a team takes what they did there with them no more than what they do later.
	_, err := w.store.Pool.Exec(ctx, `UPDATE users SET team = 'Service' WHERE id = $1`, w.ines.ID)
	require.NoError(t, err)
	r, err := w.Insight.Report(
		ctx,
		w.admin(),
		contract.ReportQuery{Figures: []string{"outcomes"}, By: "team", Period: "30d"},
	)
	require.NoError(t, err)
	require.Len(t, r.Groups, 1)
	assert.Equal(t, "Sales", r.Groups[0].Key)

	// What was corrected by hand is counted as it is; what nobody noticed is found by the check, and mended.
	_, err = w.store.Pool.Exec(ctx, `UPDATE slips SET outcome_id = NULL WHERE call_id = $1`, c.ID)
	require.NoError(t, err)
	assert.Equal(t, 0.0, w.figures(w.admin(), "outcomes")["outcomes"])
	_, err = w.store.Pool.Exec(ctx, `UPDATE call_figures SET talk_ms = 1 WHERE call_id = $1`, c.ID)
	require.NoError(t, err)
	w.right(1)
	w.right(0)
}

func TestFiguresOfWhoMaySeeThem(t *testing.T) {
	w := newWorld(t)
	w.sits(w.ines)
	ctx := t.Context()
	c := w.talk(9 * time.Second)
	w.files(c, w.sold)
	missed := w.callsInVain("+14135550177")
	assert.Equal(t, []uuid.UUID{c.ID}, w.finds(w.ines), "one's own")
	assert.Empty(t, w.finds(w.tomas))
	assert.Equal(t, []uuid.UUID{missed, c.ID}, w.finds(w.odile), "those of her teams, and those of nobody")
	assert.Equal(t, []uuid.UUID{missed}, w.finds(w.odile, is("has", "missed")))
	assert.Equal(t, []uuid.UUID{c.ID}, w.finds(w.odile, not("has", "missed")))
	assert.Equal(t, []uuid.UUID{c.ID}, w.finds(w.odile, is("outcome", w.sold.String()), is("rep", w.ines.ID.String())))
	assert.Empty(t, w.finds(w.odile, is("outcome", w.again.String())))

	nobody := w.ines
	nobody.Rights = nil
	_, err := w.Insight.Report(ctx, nobody, contract.ReportQuery{Figures: []string{"calls"}, Period: "30d"})
	assert.ErrorIs(t, err, firm.ErrForbidden)
	_, err = w.Insight.Find(ctx, nobody, contract.CallsSought{Period: "30d"})
	assert.ErrorIs(t, err, firm.ErrForbidden)
	_, err = w.Insight.Wall(ctx, w.ines)
	assert.ErrorIs(t, err, firm.ErrForbidden)
	for field, v := range map[string]contract.ReportQuery{
		"period": {Figures: []string{"calls"}, Period: "ever"},
		"query":  {Figures: []string{"luck"}, Period: "30d"},
	} {
		_, err := w.Insight.Report(ctx, w.odile, v)
		var wrong *firm.FieldError
		require.ErrorAs(t, err, &wrong)
		assert.Equal(t, field, wrong.Field)
	}

	// A note that is for its rep alone is found by nobody else.
	_, err = w.store.Pool.Exec(ctx, `INSERT INTO slip_notes (slip_id, body, version, saved_at)
		SELECT id, 'Wants a Pump-House key', 1, now() FROM slips WHERE call_id = $1
		ON CONFLICT (slip_id) DO UPDATE SET body = EXCLUDED.body`, c.ID)
	require.NoError(t, err)
	assert.Equal(t, []uuid.UUID{c.ID}, w.finds(w.odile, is("notes", "pump wants")))
	_, err = w.store.Pool.Exec(ctx, `UPDATE slips SET visible = 'me' WHERE call_id = $1`, c.ID)
	require.NoError(t, err)
	assert.Empty(t, w.finds(w.odile, is("notes", "pump wants")))
	assert.Equal(t, []uuid.UUID{c.ID}, w.finds(w.ines, is("notes", "PUMP*")))
	_, err = w.Insight.Find(
		ctx,
		w.ines,
		contract.CallsSought{Period: "30d", Where: &[]contract.Condition{is("notes", "&|!")}},
	)
	assert.Error(t, err, "there is no word in it")
}

// wrote makes a recording of a call that was written down.
func (w *world) wrote(call uuid.UUID, phrases ...contract.Phrase) uuid.UUID {
	w.t.Helper()
	id := store.NewID()
	_, err := w.store.Pool.Exec(
		w.t.Context(),
		`INSERT INTO recordings (id, call_id, kind, state, server, file, began_at, total_ms, ours_ms, theirs_ms)
		VALUES ($1, $2, 'call', 'kept', 'gone', $1::uuid::text, $3, 120000, 30000, 60000)`,
		id,
		call,
		w.clock.Now(),
	)
	require.NoError(w.t, err)
	require.NoError(w.t, calls.KeepWords(w.t.Context(), w.store.Queries, id,
		contract.Transcript{Source: "a test", OursKnown: true, Phrases: phrases}))
	return id
}

func TestTopicsAreFoundInWhatWasSaid(t *testing.T) {
	w := newWorld(t)
	ctx := t.Context()
	ada := w.admin()
	c := w.talk(9 * time.Second)
	w.wrote(c.ID, contract.Phrase{FromMs: 1000, ToMs: 3000, Ours: true, Text: "Which pump is it?"},
		contract.Phrase{FromMs: 3500, ToMs: 6000, Text: "The one at the brewery. It's leaking!"})
	assert.Equal(t, []uuid.UUID{c.ID}, w.finds(w.odile, is("words", "leak brewery")))
	assert.Empty(t, w.finds(w.odile, is("words", "ours:leak")))
	assert.Equal(t, []uuid.UUID{c.ID}, w.finds(w.odile, is("words", "theirs:leaking")))
	assert.Empty(t, w.finds(w.tomas, is("words", "leaking")))

	leak := contract.TopicToSave{Name: "Leak", Phrases: []contract.TopicPhrase{{Words: "leak*"}}}
	_, err := w.Insight.SaveTopic(ctx, w.odile, nil, leak)
	assert.ErrorIs(t, err, firm.ErrForbidden)
	trial, err := w.Insight.TryTopic(ctx, ada, leak)
	require.NoError(t, err)
	require.Equal(t, 1, trial.Found)
	assert.Equal(t, 3500, trial.Places[0].AtMs)
	topic, err := w.Insight.SaveTopic(ctx, ada, nil, leak)
	require.NoError(t, err)
	_, err = w.Insight.SaveTopic(ctx, ada, nil, leak)
	var wrong *firm.FieldError
	require.ErrorAs(t, err, &wrong, "the name is taken")
	assert.Equal(t, "name", wrong.Field)

	said, unsaid := is("topic", topic.ID.String()), not("topic", topic.ID.String())
	assert.Equal(t, []uuid.UUID{c.ID}, w.finds(w.odile, said), "what was said before is looked through too")
	assert.Empty(t, w.finds(w.odile, unsaid))
	places, err := w.Insight.SaidInCall(ctx, w.ines, c.ID)
	require.NoError(t, err)
	require.Len(t, places, 1)
	assert.Equal(t, "Leak", places[0].Name)
	assert.False(t, places[0].Ours)
	_, err = w.Insight.SaidInCall(ctx, w.tomas, c.ID)
	assert.ErrorIs(t, err, firm.ErrForbidden)

	other := w.talk(90 * time.Second)
	assert.Empty(t, w.finds(w.odile, unsaid), "of a call without a transcript it is not known")
	w.wrote(other.ID, contract.Phrase{FromMs: 0, ToMs: 900, Text: "Nothing of the kind."})
	assert.Equal(t, []uuid.UUID{other.ID}, w.finds(w.odile, unsaid))

	topic.Version--
	changed := contract.TopicToSave{
		Name:    "Leak",
		Version: &topic.Version,
		Phrases: []contract.TopicPhrase{{Words: "nothing of"}},
	}
	_, err = w.Insight.SaveTopic(ctx, ada, &topic.ID, changed)
	assert.ErrorIs(t, err, firm.ErrChangedElse)
	topic.Version++
	_, err = w.Insight.SaveTopic(ctx, ada, &topic.ID, changed)
	require.NoError(t, err)
	assert.Equal(t, []uuid.UUID{other.ID}, w.finds(w.odile, said))
	assert.Equal(t, []uuid.UUID{c.ID}, w.finds(w.odile, unsaid))
	w.right(0)
}

func TestReportsAreKeptSharedAndMailed(t *testing.T) {
	w := newWorld(t)
	ctx := t.Context()
	w.files(w.talk(9*time.Second), w.sold)
	query := contract.ReportQuery{Figures: []string{"conversations", "talk"}, By: "rep", Period: "yesterday",
		Beside: new(contract.ReportQueryBesideBefore)}
	kept := contract.ReportToSave{
		Name:   "Yesterday",
		Query:  query,
		Shared: new(true),
		Every:  new(contract.ReportToSaveEvery("day")),
		MailTo: &[]string{"odile@lindenfall.example"},
	}
	_, err := w.Insight.SaveReport(ctx, w.ines, "key-of-ines", kept)
	assert.ErrorIs(t, err, firm.ErrForbidden, "who may not export mails nothing")
	wrong := kept
	wrong.MailTo = &[]string{"nobody"}
	_, err = w.Insight.SaveReport(ctx, w.odile, "key-of-odile-0", wrong)
	assert.Error(t, err)
	saved, err := w.Insight.SaveReport(ctx, w.odile, "key-of-odile", kept)
	require.NoError(t, err)
	again, err := w.Insight.SaveReport(ctx, w.odile, "key-of-odile", kept)
	require.NoError(t, err)
	assert.Equal(t, saved.ID, again.ID, "once")

	of := func(a firm.Actor) (names []string) {
		all, err := w.Insight.Reports(ctx, a)
		require.NoError(t, err)
		for _, r := range all {
			if r.Group == nil {
				names = append(names, r.Name)
				assert.Equal(t, a.ID == w.odile.ID, r.Mine)
				assert.Equal(t, a.ID == w.odile.ID, len(r.MailTo) > 0, "to whom it goes is nobody else's")
			}
		}
		return names
	}
	assert.Equal(t, []string{"Yesterday"}, of(w.odile))
	assert.Equal(t, []string{"Yesterday"}, of(w.ines))
	id := uuid.MustParse(saved.ID)
	assert.ErrorIs(t, w.Insight.DeleteReport(ctx, w.ines, id), firm.ErrNotFound)
	_, err = w.Insight.ChangeReport(ctx, w.ines, id, contract.ReportToSave{Name: "Mine", Query: query})
	assert.ErrorIs(t, err, firm.ErrNotFound)

	mails := func() []string { return w.mailed("odile@lindenfall.example") }
	require.NoError(t, w.Insight.MailReports(ctx))
	assert.Empty(t, mails(), "it was saved today")
	w.clock.Advance(24 * time.Hour)
	require.NoError(t, w.Insight.MailReports(ctx))
	require.NoError(t, w.Insight.MailReports(ctx))
	w.until("the mail", func() bool { return len(mails()) > 0 })
	assert.Equal(t, []string{"Yesterday"}, mails(), "once a day")
	sent := w.postbox.Sent()
	files := sent[len(sent)-1].Mail.Files
	require.Len(t, files, 2)
	for _, f := range files {
		if strings.HasSuffix(f.Name, ".csv") {
			assert.Contains(t, string(f.Content), "Rep,Conversations,\"Conversations, before\",Talk time")
			assert.Contains(t, string(f.Content), "ines,1,0,9")
		} else {
			assert.Equal(t, "PK", string(f.Content[:2]))
		}
	}
	require.NoError(t, w.Insight.DeleteReport(ctx, w.odile, id))
	assert.Empty(t, of(w.ines))
}

func TestCallsAreScoredAndAnswered(t *testing.T) {
	w := newWorld(t)
	ctx := t.Context()
	ada := w.ada()
	c := w.talk(9 * time.Second)
	w.wrote(c.ID)
	card, err := w.Insight.SaveScorecard(
		ctx,
		ada,
		nil,
		contract.ScorecardToSave{Name: "Enquiries", Questions: []contract.ScoreQuestion{
			{ID: "a", Text: "Said who speaks", Points: 2}, {ID: "b", Text: "No card number", Points: 2, Must: true}}},
	)
	require.NoError(t, err)
	give := func(a, b int) contract.ScoreToGive {
		return contract.ScoreToGive{ScorecardID: card.ID, RepID: w.ines.ID, Note: new("Good."),
			Marks: []contract.ScoreMark{{Question: "a", Points: a}, {Question: "b", Points: b}}}
	}
	_, err = w.Insight.Score(ctx, w.ines, c.ID, give(2, 2))
	assert.ErrorIs(t, err, firm.ErrForbidden, "nobody scores themselves")
	_, err = w.Insight.Score(ctx, w.tomas, c.ID, give(2, 2))
	assert.ErrorIs(t, err, firm.ErrForbidden)
	_, err = w.Insight.Score(ctx, w.odile, c.ID, give(3, 2))
	assert.Error(t, err, "three of two points")
	first, err := w.Insight.Score(ctx, w.odile, c.ID, give(1, 2))
	require.NoError(t, err)
	assert.Equal(t, 75, first.Percent)
	_, err = w.Insight.Score(ctx, w.odile, c.ID, give(2, 2))
	assert.ErrorIs(t, err, firm.ErrChangedElse, "she has scored it in another window")
	second, err := w.Insight.Score(ctx, ada, c.ID, give(2, 0))
	require.NoError(t, err)
	assert.True(t, second.Failed)
	both, err := w.Insight.CallScores(ctx, w.odile, c.ID)
	require.NoError(t, err)
	assert.Len(t, both.Scores, 2)
	require.Len(t, both.Differences, 2)
	assert.Equal(t, "No card number", both.Differences[0].Text, "the widest first")
	seen, err := w.Insight.CallScores(ctx, w.tomas, c.ID)
	require.NoError(t, err)
	assert.Empty(t, seen.Scores)
	assert.Empty(t, seen.Differences)
	assert.Equal(t, map[string]float64{"quality": 63}, w.figures(ada, "quality")) // of 75 and 50, 62.5 as whole points

	mine, err := w.Insight.MyScores(ctx, w.ines)
	require.NoError(t, err)
	require.Len(t, mine, 2)
	_, err = w.Insight.AnswerScore(ctx, w.tomas, first.ID, contract.ScoreAnswer{Accept: true})
	assert.ErrorIs(t, err, firm.ErrNotFound)
	answered, err := w.Insight.AnswerScore(ctx, w.ines, first.ID, contract.ScoreAnswer{Reply: "I will.", Accept: true})
	require.NoError(t, err)
	assert.NotNil(t, answered.AcceptedAt)
	anew := give(2, 2)
	anew.Version = &answered.Version
	better, err := w.Insight.Score(ctx, w.odile, c.ID, anew)
	require.NoError(t, err)
	assert.Equal(t, 100, better.Percent)
	assert.Nil(t, better.AcceptedAt, "what was accepted was another score")
	w.right(0)

	// The next call to listen to is one that nobody has scored.
	next, err := w.Insight.NextToHear(ctx, w.odile)
	require.NoError(t, err)
	assert.Nil(t, next.CallID)
	other := w.talk(90 * time.Second)
	w.wrote(other.ID)
	next, err = w.Insight.NextToHear(ctx, w.odile)
	require.NoError(t, err)
	require.NotNil(t, next.CallID)
	assert.Equal(t, other.ID, *next.CallID)
	_, err = w.Insight.NextToHear(ctx, w.ines)
	assert.ErrorIs(t, err, firm.ErrForbidden)
}

func TestTheWallSaysWhoNeedsSomebody(t *testing.T) {
	w := newWorld(t)
	ctx := t.Context()
	w.sits(w.ines)
	row := func(of firm.Actor) contract.WallRow {
		t.Helper()
		wall, err := w.Insight.Wall(ctx, w.odile)
		require.NoError(t, err)
		for _, r := range wall.Rows {
			if r.ID == of.ID {
				return r
			}
		}
		t.Fatal("they are not on the wall")
		return contract.WallRow{}
	}
	assert.Equal(t, contract.WallRowKind("free"), row(w.ines).Kind)
	assert.Equal(t, contract.WallRowKind("gone"), row(w.tomas).Kind)
	c := w.speaks()
	r := row(w.ines)
	assert.Equal(t, contract.WallRowKind("speaking"), r.Kind)
	assert.Equal(t, &c.ID, r.CallID)
	assert.Equal(t, "Berit Osterlund", *r.With)
	assert.True(t, *r.Listen)
	assert.Empty(t, r.Needs)
	w.clock.Advance(21 * time.Minute)
	assert.Equal(t, []string{"speaking for more than 20 minutes"}, row(w.ines).Needs)
	_, err := w.Insight.SetWallLimits(
		ctx,
		w.odile,
		contract.WallLimits{TalkMinutes: 60, HoldSeconds: 60, WrapMinutes: 5},
	)
	require.NoError(t, err)
	assert.Empty(t, row(w.ines).Needs)
	_, err = w.Insight.SetWallLimits(ctx, w.ines, contract.WallLimits{})
	assert.ErrorIs(t, err, firm.ErrForbidden)

	away := uuid.MustParse("00000000-0000-7000-8000-000000000002")
	assert.ErrorIs(t, w.Team.SetAvailabilityOf(ctx, w.ines, w.tomas.ID, away), firm.ErrForbidden)
	require.NoError(t, w.Team.SetAvailabilityOf(ctx, w.odile, w.tomas.ID, away))
	team, err := w.Team.Colleagues(ctx)
	require.NoError(t, err)
	for _, x := range team {
		if x.ID == w.tomas.ID {
			assert.False(t, x.Free)
		}
	}
	raw, err := json.Marshal(row(w.tomas))
	require.NoError(t, err)
	assert.NotContains(t, string(raw), "Berit")
}
