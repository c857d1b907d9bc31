package surveys

import (
	"context"
	"time"

	"github.com/google/uuid"

	"trundo/internal/core/call"
	"trundo/internal/core/survey"
	"trundo/internal/desk/firm"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// OnTheWay asks a caller whom the attendant has what they thought of it, while keyed and changed tell what they press
// and what becomes of the call; false: they have hung up before the end.
func (sv *Surveys) OnTheWay(ctx context.Context, id uuid.UUID, language string, keyed chan string,
	changed chan struct{}) bool {
	set, err := sv.asks(ctx)
	if err != nil {
		return true
	}
	x := &asked{sv: sv, id: id, set: set, language: language, keyed: keyed, changed: changed,
		still: (*call.State).Attended}
	return x.run(ctx)
}

// The question that is asked by text.
const (
	textScore  = "text"
	textRemark = "text-remark"
)

// asksByText asks who was to be asked about a call, and has pressed no key, by a text message.
func (sv *Surveys) asksByText(id uuid.UUID, set asks, chosen bool, s *call.State) {
	out, takers := s.Outside(), s.Takers()
	line, known := sv.Calls.LineOf(id)
	if !chosen || !set.ByText || out == nil || out.Address == "" || len(takers) == 0 || !known {
		return
	}
	user, err := uuid.Parse(takers[len(takers)-1])
	if err != nil {
		return
	}
	var record *uuid.UUID
	if records := sv.Calls.Records(id); len(records) > 0 {
		record = &records[0]
	}
	to := out.Address
	sv.Writes.Add(func(ctx context.Context) error { // after what they have answered by keys
		if scored, err := sv.Store.ScoredCall(ctx, id); err != nil || scored {
			return err
		}
		return sv.Outreach.AskByText(ctx, user, line, record, to, set.Text, func(ctx context.Context, q *db.Queries) error {
			return q.InsertSurveyText(ctx, db.InsertSurveyTextParams{CallID: id, E164: to, At: sv.Clock.Now()})
		})
	})
}

// Answered implements outreach.Inbox: a text message may give the score that was asked for, or the remark after it.
func (sv *Surveys) Answered(ctx context.Context, q *db.Queries, m db.InsertMessageParams) (string, bool, error) {
	open, err := q.AskedByText(ctx, db.AskedByTextParams{E164: m.Address, Since: m.At.Add(-survey.AnswerWithin)})
	if store.NotFound(err) {
		return "", true, nil
	} else if err != nil {
		return "", true, err
	}
	set := usualAsks()
	if err := firm.ReadSetting(ctx, q, surveySetting, &set); err != nil {
		return "", true, err
	}
	said := db.SurveyTextSaidParams{CallID: open.CallID, At: &m.At}
	answer := db.InsertSurveyAnswerParams{CallID: open.CallID, At: m.At}
	if open.ScoredAt == nil {
		score, ok := survey.ScoreIn(m.Body)
		if !ok {
			return "", true, nil // they write of something else
		}
		answer.QuestionID, answer.Question, answer.Kind, answer.Value = textScore, set.Text, string(survey.Score), score
		if err := q.InsertSurveyAnswer(ctx, answer); err != nil {
			return "", true, err
		}
		said.Done = set.TextWhy == ""
		return set.TextWhy, false, sv.answeredByText(ctx, q, said)
	}
	if m.At.Sub(*open.ScoredAt) > remarkWithin {
		return "", true, nil
	}
	answer.QuestionID, answer.Question, answer.Kind = textRemark, set.TextWhy, string(survey.Remark)
	answer.Words = firm.Shorten(m.Body, 2000)
	if err := q.InsertSurveyAnswer(ctx, answer); err != nil {
		return "", true, err
	}
	said.Done = true
	return "", true, sv.answeredByText(ctx, q, said) // a remark may ask for something
}

// remarkWithin is for how long after the score the next message is the remark.
const remarkWithin = 24 * time.Hour

func (sv *Surveys) answeredByText(ctx context.Context, q *db.Queries, said db.SurveyTextSaidParams) error {
	if err := q.SurveyTextSaid(ctx, said); err != nil {
		return err
	}
	sv.mu.Lock()
	sv.scored = append(sv.scored, said.CallID)
	sv.mu.Unlock()
	return nil
}
