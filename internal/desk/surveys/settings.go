package surveys

import (
	"cmp"
	"context"
	"encoding/json"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/rights"
	"trundo/internal/core/route"
	"trundo/internal/core/survey"
	"trundo/internal/desk/firm"
	"trundo/internal/optional"
	"trundo/internal/store/db"
)

// surveySetting is where it is stored what customers are asked.
const surveySetting = "survey"

// asks is what customers are asked after a conversation, as it is stored.
type asks struct {
	Active    bool              `json:"active"`
	Lines     []uuid.UUID       `json:"lines"`
	Share     int               `json:"share"`
	EveryDays int               `json:"every_days"`
	Hello     map[string]string `json:"hello"`
	Questions []survey.Question `json:"questions"`
	Thanks    map[string]string `json:"thanks"`
	ByText    bool              `json:"by_text"`
	Text      string            `json:"text"`
	TextWhy   string            `json:"text_why"`
}

// usualAsks is what a firm begins with; it is off.
func usualAsks() asks {
	english := func(text string) map[string]string { return map[string]string{route.UsualLanguage: text} }
	return asks{Share: 100, EveryDays: 30, Lines: []uuid.UUID{},
		Hello: english("Please stay for a few short questions."),
		Questions: []survey.Question{
			{ID: "recommend", Kind: survey.Score,
				Texts: english("How likely are you to recommend us? Press a number from 0, not at all, to 10.")},
			{ID: "remark", Kind: survey.Remark,
				Texts: english("After the tone, tell us why. Press the hash key when you are done.")},
		},
		Thanks:  english("Thank you. Goodbye."),
		Text:    "How likely are you to recommend us, from 0, not at all, to 10? Please answer with the number.",
		TextWhy: "Thank you. Would you tell us why? Your next message reaches whoever spoke with you."}
}

func (sv *Surveys) asks(ctx context.Context) (asks, error) {
	return firm.SharedAnswer(ctx, sv.Firm, "survey", func(ctx context.Context) (asks, error) {
		set := usualAsks()
		err := sv.Setting(ctx, surveySetting, &set)
		return set, err
	})
}

// Survey is what customers are asked. Error: firm.ErrForbidden.
func (sv *Surveys) Survey(ctx context.Context, a firm.Actor) (contract.SurveySettings, error) {
	if !a.MayDo(rights.Telephony) {
		return contract.SurveySettings{}, firm.ErrForbidden
	}
	set := usualAsks()
	if err := sv.Setting(ctx, surveySetting, &set); err != nil {
		return contract.SurveySettings{}, err
	}
	v := contract.SurveySettings{Active: set.Active, Lines: set.Lines, Share: set.Share, EveryDays: set.EveryDays,
		Hello: set.Hello, Thanks: set.Thanks, Questions: []contract.SurveyQuestion{}, ByText: &set.ByText,
		Text: &set.Text, TextWhy: &set.TextWhy}
	for _, q := range set.Questions {
		v.Questions = append(v.Questions, contract.SurveyQuestion{ID: q.ID, Kind: contract.SurveyQuestionKind(q.Kind),
			Texts: q.Texts})
	}
	return v, nil
}

// SetSurvey sets what customers are asked. Errors: firm.ErrForbidden, *firm.FieldError.
func (sv *Surveys) SetSurvey(ctx context.Context, a firm.Actor,
	v contract.SurveySettings) (contract.SurveySettings, error) {
	before, err := sv.Survey(ctx, a)
	if err != nil {
		return v, err
	}
	set := asks{
		Active:    v.Active,
		Lines:     v.Lines,
		Share:     v.Share,
		EveryDays: v.EveryDays,
		Hello:     v.Hello,
		Thanks:    v.Thanks,
		ByText:    optional.Value(v.ByText),
		Text:      firm.CleanText(cmp.Or(optional.Value(v.Text), optional.Value(before.Text))),
		TextWhy:   firm.CleanText(optional.Value(v.TextWhy)),
	}
	f, err := sv.Settings(ctx)
	if err != nil {
		return v, err
	}
	for _, l := range v.Lines {
		if _, there := f.LineLabels[l]; !there {
			return v, firm.About("lines", firm.ErrNotFound)
		}
	}
	for _, texts := range []contract.SpokenTexts{v.Hello, v.Thanks} {
		if err := firm.Spoken("hello", texts); err != nil {
			return v, err
		}
	}
	seen := map[string]bool{}
	for _, q := range v.Questions {
		if err := firm.Spoken("questions", q.Texts); err != nil {
			return v, err
		}
		switch {
		case q.Texts[route.UsualLanguage] == "":
			return v, firm.Wrong("questions", "each question needs its words")
		case seen[q.ID]:
			return v, firm.Wrong("questions", "two questions have the same mark")
		}
		seen[q.ID] = true
		set.Questions = append(set.Questions, survey.Question{ID: q.ID, Kind: survey.Kind(q.Kind), Texts: q.Texts})
	}
	if set.ByText && set.Text == "" {
		return v, firm.Wrong("text", "the text message needs its words")
	}
	if v.Active && len(set.Questions) == 0 {
		return v, firm.Wrong("questions", "a survey asks something")
	}
	value, err := json.Marshal(set)
	if err != nil {
		return v, err
	}
	words := func(v contract.SurveySettings) map[string]string {
		text, _ := json.Marshal(v)
		return map[string]string{"survey": string(text)}
	}
	err = sv.Store.Tx(ctx, func(q *db.Queries) error {
		if err := q.PutSetting(ctx, db.PutSettingParams{Key: surveySetting, Value: value}); err != nil {
			return err
		}
		return sv.Audited(ctx, q, a, "setting", uuid.Nil, "survey", words(before), words(v))
	})
	if err != nil {
		return v, err
	}
	return sv.Survey(ctx, a)
}
