package surveys

import (
	"context"

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
	kind, score := survey.Written(m.Body, open.ScoredAt, m.At)
	back, toRead := "", true // what is no answer, or a remark, may ask for something
	switch answer.Kind = string(kind); kind {
	case survey.Score:
		answer.QuestionID, answer.Question, answer.Value = textScore, set.Text, score
		back, toRead, said.Done = set.TextWhy, false, set.TextWhy == ""
	case survey.Remark:
		answer.QuestionID, answer.Question, answer.Words = textRemark, set.TextWhy, firm.Shorten(m.Body, 2000)
		said.Done = true
	default:
		return "", true, nil
	}
	if err := q.InsertSurveyAnswer(ctx, answer); err != nil {
		return "", true, err
	}
	return back, toRead, sv.answeredByText(ctx, q, said)
}

func (sv *Surveys) answeredByText(ctx context.Context, q *db.Queries, said db.SurveyTextSaidParams) error {
	if err := q.SurveyTextSaid(ctx, said); err != nil {
		return err
	}
	sv.mu.Lock()
	sv.scored = append(sv.scored, said.CallID)
	sv.mu.Unlock()
	return nil
}
