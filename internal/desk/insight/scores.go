package insight

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/rights"
	"trundo/internal/core/scorecard"
	"trundo/internal/desk/firm"
	"trundo/internal/optional"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// card is a scorecard as a score keeps it.
type card struct {
	Name      string               `json:"name"`
	Questions []scorecard.Question `json:"questions"`
}

// Scorecards are all there are. Error: firm.ErrForbidden.
func (in *Insight) Scorecards(ctx context.Context, a firm.Actor) ([]contract.Scorecard, error) {
	if !a.MayDo(rights.ScoreCalls) && !a.MayDo(rights.Coaching) {
		return nil, firm.ErrForbidden
	}
	rows, err := in.Store.Scorecards(ctx)
	views := []contract.Scorecard{}
	for _, r := range rows {
		var questions []scorecard.Question
		if err := json.Unmarshal(r.Questions, &questions); err != nil {
			return nil, err
		}
		views = append(views, contract.Scorecard{ID: r.ID, Name: r.Name, Questions: questionViews(questions),
			CallTypes: r.CallTypeIds, Active: r.Active, Version: r.Version})
	}
	return views, err
}

func questionViews(questions []scorecard.Question) []contract.ScoreQuestion {
	views := []contract.ScoreQuestion{}
	for _, q := range questions {
		views = append(
			views,
			contract.ScoreQuestion{ID: q.ID, Text: q.Text, Help: &q.Help, Points: q.Points, Must: q.Must},
		)
	}
	return views
}

// SaveScorecard adds a scorecard, or changes one. Errors: firm.ErrForbidden, firm.ErrNotFound, firm.ErrChangedElse,
// *firm.FieldError.
func (in *Insight) SaveScorecard(ctx context.Context, a firm.Actor, id *uuid.UUID,
	v contract.ScorecardToSave) (contract.Scorecard, error) {
	var none contract.Scorecard
	if !a.MayDo(rights.Coaching) {
		return none, firm.ErrForbidden
	}
	name := firm.CleanText(v.Name)
	if name == "" {
		return none, firm.Wrong("name", "a scorecard needs a name")
	}
	var questions []scorecard.Question
	for i, q := range v.Questions {
		text := firm.CleanText(q.Text)
		if text == "" {
			return none, firm.Wrong("questions", fmt.Sprintf("question %d has no text", i+1))
		}
		if slices.ContainsFunc(questions, func(x scorecard.Question) bool { return x.ID == q.ID }) || q.ID == "" {
			q.ID = store.NewID().String()
		}
		questions = append(
			questions,
			scorecard.Question{ID: q.ID, Text: text, Help: firm.CleanText(optional.Value(q.Help)),
				Points: q.Points, Must: q.Must},
		)
	}
	text, err := json.Marshal(questions)
	if err != nil {
		return none, err
	}
	types, active := optional.Value(v.CallTypes), v.Active == nil || *v.Active
	if types == nil {
		types = []uuid.UUID{}
	}
	at := saving{id: id, version: optional.Value(v.Version), kind: "scorecard", name: name}
	saved, err := in.save(ctx, a, at,
		func(q *db.Queries, id uuid.UUID) error {
			return q.InsertScorecard(
				ctx,
				db.InsertScorecardParams{ID: id, Name: name, Questions: text, CallTypeIds: types,
					Active: active},
			)
		},
		func(q *db.Queries, id uuid.UUID) (int64, error) {
			return q.UpdateScorecard(
				ctx,
				db.UpdateScorecardParams{ID: id, Name: name, Questions: text, CallTypeIds: types,
					Active: active, Version: at.version},
			)
		}, in.Store.ScorecardExists)
	if err != nil {
		return none, err
	}
	all, err := in.Scorecards(ctx, a)
	for _, c := range all {
		if c.ID == saved {
			return c, err
		}
	}
	return none, err
}

// maySee tells whether a may see a score: who gave it, whose part it is of, and who may score that rep.
func (in *Insight) maySee(ctx context.Context, a firm.Actor, s db.Score) bool {
	return s.ByID == a.ID || s.RepID == a.ID || in.MayOf(ctx, a, rights.ScoreCalls, &s.RepID)
}

// scoreRow is a score as it was read.
type scoreRow struct {
	score       db.Score
	rep, byWhom string
}

func (r scoreRow) view(a firm.Actor) (contract.Score, error) {
	var c card
	var marks []scorecard.Mark
	if err := json.Unmarshal(r.score.Card, &c); err != nil {
		return contract.Score{}, err
	}
	if err := json.Unmarshal(r.score.Answers, &marks); err != nil {
		return contract.Score{}, err
	}
	s := r.score
	v := contract.Score{ID: s.ID, CallID: s.CallID, ScorecardID: s.ScorecardID, Name: c.Name,
		Questions: questionViews(c.Questions), Marks: []contract.ScoreMark{}, RepID: s.RepID, Rep: r.rep, By: r.byWhom,
		Mine: s.ByID == a.ID, OfMe: new(s.RepID == a.ID), Percent: s.Percent, Failed: s.Failed, Note: s.Note, At: s.At,
		Reply: s.Reply, AcceptedAt: s.AcceptedAt, Version: s.Version}
	for _, m := range marks {
		v.Marks = append(
			v.Marks,
			contract.ScoreMark{Question: m.Question, Points: m.Points, Note: &m.Note, AtMs: m.AtMs},
		)
	}
	return v, nil
}

// CallScores are those of a call that a may see, where they differ, and by what a may score it. Errors:
// firm.ErrNotFound.
func (in *Insight) CallScores(ctx context.Context, a firm.Actor, call uuid.UUID) (contract.CallScores, error) {
	view := contract.CallScores{
		Scores:      []contract.Score{},
		Cards:       []contract.Scorecard{},
		Reps:        []contract.PersonOfFirm{},
		Differences: []contract.ScoreDifference{},
	}
	rows, err := in.Store.ScoresOfCall(ctx, call)
	if err != nil {
		return view, err
	}
	for _, r := range rows {
		if !in.maySee(ctx, a, r.Score) {
			continue
		}
		v, err := scoreRow{r.Score, r.Rep, r.ByName}.view(a)
		if err != nil {
			return view, err
		}
		view.Scores = append(view.Scores, v)
	}
	if view.Differences, err = differences(rows, view.Scores); err != nil {
		return view, err
	}
	return view, in.scorable(ctx, a, call, &view)
}

// differences are where those who scored the same part by the same card differ, among the scores that are shown.
func differences(rows []db.ScoresOfCallRow, shown []contract.Score) ([]contract.ScoreDifference, error) {
	views := []contract.ScoreDifference{}
	type of struct{ rep, card uuid.UUID }
	done := map[of]bool{}
	for _, first := range rows {
		key := of{first.Score.RepID, first.Score.ScorecardID}
		if done[key] {
			continue
		}
		done[key] = true
		var all [][]scorecard.Mark
		var c card
		for _, r := range rows {
			if (of{r.Score.RepID, r.Score.ScorecardID}) != key ||
				!slices.ContainsFunc(shown, func(s contract.Score) bool { return s.ID == r.Score.ID }) {
				continue
			}
			var marks []scorecard.Mark
			if err := json.Unmarshal(r.Score.Answers, &marks); err != nil {
				return nil, err
			}
			if err := json.Unmarshal(r.Score.Card, &c); err != nil {
				return nil, err
			}
			all = append(all, marks)
		}
		for _, d := range scorecard.Differences(c.Questions, all...) {
			views = append(
				views,
				contract.ScoreDifference{Question: d.Question.ID, Text: d.Question.Text, Low: d.Low, High: d.High},
			)
		}
	}
	return views, nil
}

// scorable adds whose parts a may score, and by which cards.
func (in *Insight) scorable(ctx context.Context, a firm.Actor, call uuid.UUID, view *contract.CallScores) error {
	if !a.MayDo(rights.ScoreCalls) {
		return nil
	}
	parts, err := in.Store.PartsOfCall(ctx, call)
	if err != nil {
		return err
	}
	types := map[uuid.UUID]bool{}
	for _, p := range parts {
		if p.UserID == a.ID || !in.MayOf(ctx, a, rights.ScoreCalls, &p.UserID) {
			continue // nobody scores themselves
		}
		view.Reps = append(view.Reps, contract.PersonOfFirm{ID: p.UserID, Name: p.Name})
		if p.CallTypeID != nil {
			types[*p.CallTypeID] = true
		}
	}
	if len(view.Reps) == 0 {
		return nil
	}
	cards, err := in.Scorecards(ctx, a)
	for _, c := range cards {
		if c.Active &&
			(len(c.CallTypes) == 0 || slices.ContainsFunc(c.CallTypes, func(id uuid.UUID) bool { return types[id] })) {
			view.Cards = append(view.Cards, c)
		}
	}
	return err
}

// Score scores a rep's part in a call, in place of how a had scored it by the same card. Errors: firm.ErrForbidden,
// firm.ErrNotFound, firm.ErrChangedElse, *firm.FieldError.
func (in *Insight) Score(
	ctx context.Context,
	a firm.Actor,
	call uuid.UUID,
	v contract.ScoreToGive,
) (contract.Score, error) {
	may := contract.CallScores{}
	if err := in.scorable(ctx, a, call, &may); err != nil {
		return contract.Score{}, err
	}
	if !slices.ContainsFunc(may.Reps, func(r contract.PersonOfFirm) bool { return r.ID == v.RepID }) {
		return contract.Score{}, firm.ErrForbidden
	}
	at := slices.IndexFunc(may.Cards, func(c contract.Scorecard) bool { return c.ID == v.ScorecardID })
	if at < 0 {
		return contract.Score{}, firm.Wrong("scorecard_id", "calls of this type are not scored by this card")
	}
	c := card{Name: may.Cards[at].Name}
	for _, q := range may.Cards[at].Questions {
		c.Questions = append(c.Questions, scorecard.Question{ID: q.ID, Text: q.Text, Help: optional.Value(q.Help),
			Points: q.Points, Must: q.Must})
	}
	var marks []scorecard.Mark
	for _, m := range v.Marks {
		marks = append(
			marks,
			scorecard.Mark{Question: m.Question, Points: m.Points, Note: firm.CleanText(optional.Value(m.Note)),
				AtMs: m.AtMs},
		)
	}
	result, err := scorecard.Score(c.Questions, marks)
	if err != nil {
		return contract.Score{}, firm.About("marks", err)
	}
	return in.keepScore(ctx, a, call, v, c, marks, result)
}

func (in *Insight) keepScore(ctx context.Context, a firm.Actor, call uuid.UUID, v contract.ScoreToGive, c card,
	marks []scorecard.Mark, result scorecard.Result) (contract.Score, error) {
	kept, err := json.Marshal(c)
	if err != nil {
		return contract.Score{}, err
	}
	answers, err := json.Marshal(marks)
	if err != nil {
		return contract.Score{}, err
	}
	id, now, note := store.NewID(), in.Clock.Now(), firm.CleanText(optional.Value(v.Note))
	err = in.Store.Tx(ctx, func(q *db.Queries) error {
		if version := optional.Value(v.Version); version > 0 {
			n, err := q.UpdateScore(ctx, db.UpdateScoreParams{Card: kept, Answers: answers, Percent: result.Percent,
				Failed: result.Failed, Note: note, At: now, CallID: call, RepID: v.RepID, ByID: a.ID,
				ScorecardID: v.ScorecardID, Version: version})
			if err == nil && n == 0 {
				err = firm.ErrChangedElse
			}
			if err != nil {
				return err
			}
		} else if err := q.InsertScore(ctx, db.InsertScoreParams{ID: id, CallID: call, RepID: v.RepID, ByID: a.ID,
			ScorecardID: v.ScorecardID, Card: kept, Answers: answers, Percent: result.Percent, Failed: result.Failed,
			Note: note, At: now}); err != nil {
			return err
		}
		return in.Audited(
			ctx,
			q,
			a,
			"score",
			call,
			"score",
			nil,
			map[string]string{"score": fmt.Sprintf("%s: %d %%", c.Name,
				result.Percent)},
		)
	})
	if store.Duplicate(err) {
		return contract.Score{}, firm.ErrChangedElse // a has scored it in another window
	} else if err != nil {
		return contract.Score{}, err
	}
	rows, err := in.Store.ScoresOfCall(ctx, call)
	for _, r := range rows {
		if r.Score.RepID == v.RepID && r.Score.ByID == a.ID && r.Score.ScorecardID == v.ScorecardID {
			return scoreRow{r.Score, r.Rep, r.ByName}.view(a)
		}
	}
	return contract.Score{}, err
}

// MyScores are those of a's own parts; those that a has not accepted stand first.
func (in *Insight) MyScores(ctx context.Context, a firm.Actor) ([]contract.Score, error) {
	rows, err := in.Store.ScoresOfRep(ctx, a.ID)
	views := []contract.Score{}
	for _, r := range rows {
		v, err := scoreRow{r.Score, r.Rep, r.ByName}.view(a)
		if err != nil {
			return nil, err
		}
		views = append(views, v)
	}
	return views, err
}

// AnswerScore is what a rep says to a score of their own part. Errors: firm.ErrNotFound.
func (in *Insight) AnswerScore(
	ctx context.Context,
	a firm.Actor,
	id uuid.UUID,
	v contract.ScoreAnswer,
) (contract.Score, error) {
	var accepted *time.Time
	if v.Accept {
		accepted = new(in.Clock.Now())
	}
	n, err := in.Store.AnswerScore(
		ctx,
		db.AnswerScoreParams{Reply: firm.CleanText(v.Reply), AcceptedAt: accepted, ID: id,
			RepID: a.ID},
	)
	if err == nil && n == 0 {
		err = firm.ErrNotFound
	}
	if err != nil {
		return contract.Score{}, err
	}
	r, err := in.Store.ScoreByID(ctx, id)
	if err != nil {
		return contract.Score{}, err
	}
	return scoreRow{r.Score, r.Rep, r.ByName}.view(a)
}

// heardWithin is how old a call that is drawn may be.
const heardWithin = 14 * 24 * time.Hour

// NextToHear draws a call that nobody has scored: of the rep and the type of whom the fewest were scored of late.
// Error:
// firm.ErrForbidden.
func (in *Insight) NextToHear(ctx context.Context, a firm.Actor) (contract.CallToHear, error) {
	if !a.MayDo(rights.ScoreCalls) {
		return contract.CallToHear{}, firm.ErrForbidden
	}
	f, err := in.Settings(ctx)
	if err != nil {
		return contract.CallToHear{}, err
	}
	now := in.Clock.Now()
	names, err := in.Store.NamesOfAll(ctx)
	if err != nil {
		return contract.CallToHear{}, err
	}
	var reps []uuid.UUID
	nameOf := map[uuid.UUID]string{}
	for _, n := range names {
		if nameOf[n.ID] = n.Name; n.ID != a.ID && in.MayOf(ctx, a, rights.ScoreCalls, &n.ID) {
			reps = append(reps, n.ID)
		}
	}
	since := now.Add(-heardWithin)
	rows, err := in.Store.ToHear(ctx, db.ToHearParams{Salt: now.Format(time.DateOnly), Since: since, Reps: reps})
	if err != nil {
		return contract.CallToHear{}, err
	}
	counts, err := in.Store.ScoredCounts(ctx, since)
	if err != nil || len(rows) == 0 {
		return contract.CallToHear{Why: "No conversation of the last two weeks with a recording is left to score."}, err
	}
	candidates := make([]scorecard.Candidate, len(rows))
	for i, r := range rows {
		candidates[i] = scorecard.Candidate{
			Call: r.CallID.String(),
			Rep:  r.UserID.String(),
			Type: optional.ID(r.CallTypeID),
		}
	}
	scored := make([]scorecard.Scored, len(counts))
	for i, c := range counts {
		scored[i] = scorecard.Scored{Rep: c.RepID.String(), Type: optional.ID(c.CallTypeID), Calls: c.Calls}
	}
	drawn := scorecard.Draw(candidates, scored)
	call, rep := uuid.MustParse(drawn.Call), uuid.MustParse(drawn.Rep)
	why := fmt.Sprintf("%s: %d scored in two weeks, the fewest.", nameOf[rep], scorecard.CountOf(scored, drawn.Rep))
	for _, t := range f.CallTypes {
		if t.ID.String() == drawn.Type {
			why = t.Label + " of " + why
		}
	}
	return contract.CallToHear{CallID: &call, Why: why}, nil
}
