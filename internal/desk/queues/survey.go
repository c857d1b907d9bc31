package queues

import (
	"context"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"slices"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/call"
	"trundo/internal/core/rights"
	"trundo/internal/core/route"
	"trundo/internal/core/survey"
	"trundo/internal/desk/calls"
	"trundo/internal/desk/firm"
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
}

// usualAsks is what a firm begins with; it is off.
func usualAsks() asks {
	english := func(text string) map[string]string { return map[string]string{usualLanguage: text} }
	return asks{Share: 100, EveryDays: 30, Lines: []uuid.UUID{},
		Hello: english("Please stay for a few short questions."),
		Questions: []survey.Question{
			{ID: "recommend", Kind: survey.Score,
				Texts: english("How likely are you to recommend us? Press a number from 0, not at all, to 10.")},
			{ID: "remark", Kind: survey.Remark,
				Texts: english("After the tone, tell us why. Press the hash key when you are done.")},
		},
		Thanks: english("Thank you. Goodbye.")}
}

func (qs *Queues) asks(ctx context.Context) (asks, error) {
	return firm.SharedAnswer(ctx, qs.Firm, "survey", func(ctx context.Context) (asks, error) {
		set := usualAsks()
		err := qs.Setting(ctx, surveySetting, &set)
		return set, err
	})
}

// Survey is what customers are asked. Error: firm.ErrForbidden.
func (qs *Queues) Survey(ctx context.Context, a firm.Actor) (contract.SurveySettings, error) {
	if !a.MayDo(rights.Telephony) {
		return contract.SurveySettings{}, firm.ErrForbidden
	}
	set := usualAsks()
	if err := qs.Setting(ctx, surveySetting, &set); err != nil {
		return contract.SurveySettings{}, err
	}
	v := contract.SurveySettings{Active: set.Active, Lines: set.Lines, Share: set.Share, EveryDays: set.EveryDays,
		Hello: set.Hello, Thanks: set.Thanks, Questions: []contract.SurveyQuestion{}}
	for _, q := range set.Questions {
		v.Questions = append(v.Questions, contract.SurveyQuestion{ID: q.ID, Kind: contract.SurveyQuestionKind(q.Kind),
			Texts: q.Texts})
	}
	return v, nil
}

// SetSurvey sets what customers are asked. Errors: firm.ErrForbidden, *firm.FieldError.
func (qs *Queues) SetSurvey(ctx context.Context, a firm.Actor,
	v contract.SurveySettings) (contract.SurveySettings, error) {
	before, err := qs.Survey(ctx, a)
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
	}
	f, err := qs.Settings(ctx)
	if err != nil {
		return v, err
	}
	for _, l := range v.Lines {
		if _, there := f.LineLabels[l]; !there {
			return v, firm.About("lines", firm.ErrNotFound)
		}
	}
	for _, texts := range []contract.SpokenTexts{v.Hello, v.Thanks} {
		if err := spoken("hello", texts); err != nil {
			return v, err
		}
	}
	seen := map[string]bool{}
	for _, q := range v.Questions {
		if err := spoken("questions", q.Texts); err != nil {
			return v, err
		}
		switch {
		case q.Texts[usualLanguage] == "":
			return v, firm.Wrong("questions", "each question needs its words")
		case seen[q.ID]:
			return v, firm.Wrong("questions", "two questions have the same mark")
		}
		seen[q.ID] = true
		set.Questions = append(set.Questions, survey.Question{ID: q.ID, Kind: survey.Kind(q.Kind), Texts: q.Texts})
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
	err = qs.Store.Tx(ctx, func(q *db.Queries) error {
		if err := q.PutSetting(ctx, db.PutSettingParams{Key: surveySetting, Value: value}); err != nil {
			return err
		}
		return qs.Audited(ctx, q, a, "setting", uuid.Nil, "survey", words(before), words(v))
	})
	if err != nil {
		return v, err
	}
	return qs.Survey(ctx, a)
}

// spoken cleans texts and tells whether there is a voice for each. Error: *firm.FieldError.
func spoken(field string, texts contract.SpokenTexts) error {
	for language, text := range texts {
		if _, known := route.LanguageNames[language]; !known {
			return firm.Wrong(field, fmt.Sprintf("there is no voice for the language “%s”", language))
		}
		texts[language] = firm.CleanText(text)
	}
	return nil
}

// Surveys implements calls.Router.
func (qs *Queues) Surveys(id uuid.UUID) bool {
	qs.mu.Lock()
	defer qs.mu.Unlock()
	_, asked := qs.surveys[id]
	return asked
}

// chooses decides, once for a call that somebody has answered, whether its customer is asked afterwards; and asks them,
// when its rep has hung up.
func (qs *Queues) chooses(id uuid.UUID, s *call.State) {
	qs.mu.Lock()
	set, chosen := qs.surveys[id]
	decided := qs.decided[id]
	over := s.Phase() == call.PhaseEnded
	if over {
		delete(qs.surveys, id)
		delete(qs.decided, id)
	} else if s.Inbound && !s.Answered().IsZero() {
		qs.decided[id] = true
	}
	begins := chosen && s.Surveyed() && !qs.asking[id]
	if begins {
		qs.asking[id] = true
	}
	qs.mu.Unlock()
	switch {
	case over:
	case begins:
		qs.InBackground(func(ctx context.Context) { qs.survey(ctx, id, set) })
	case s.Inbound && !s.Answered().IsZero() && !decided && len(s.Takers()) > 0:
		qs.InBackground(func(ctx context.Context) { qs.chooseFor(ctx, id) })
	}
}

// chooseFor decides whether the customer of a call is asked about it.
func (qs *Queues) chooseFor(ctx context.Context, id uuid.UUID) {
	set, err := qs.asks(ctx)
	if err != nil || !set.Active {
		return
	}
	line, known := qs.Calls.LineOf(id)
	if !known || len(set.Lines) > 0 && !slices.Contains(set.Lines, line) || rand.IntN(100) >= set.Share {
		return
	}
	row, err := qs.Store.CallByID(ctx, db.CallByIDParams{ID: id})
	if err != nil {
		return
	}
	if set.EveryDays > 0 && row.RemoteE164 != "" {
		asked, err := qs.Store.SurveyedSince(ctx, db.SurveyedSinceParams{E164: row.RemoteE164,
			Since: qs.Clock.Now().AddDate(0, 0, -set.EveryDays)})
		if err != nil || asked {
			return
		}
	}
	if s, there := qs.Calls.State(id); !there || s.Phase() == call.PhaseEnded {
		return
	}
	qs.mu.Lock()
	qs.surveys[id] = set
	qs.mu.Unlock()
}

// asked is a customer who is asked about a call.
type asked struct {
	qs       *Queues
	id       uuid.UUID
	set      asks
	language string
	state    survey.State
	keyed    chan string
	changed  chan struct{}
	rings    time.Time // when what it waits for is over; zero: nothing
	speaks   bool      // what it waits for is that what is said ends
	remark   *survey.Question
	from     time.Duration
	began    time.Time
}

// survey asks the customer of a call about it.
func (qs *Queues) survey(ctx context.Context, id uuid.UUID, set asks) {
	x := &asked{
		qs:       qs,
		id:       id,
		set:      set,
		language: usualLanguage,
		keyed:    make(chan string, 16),
		changed:  make(chan struct{}, 1),
	}
	if c := qs.whoCalls(ctx, id); c.language != "" {
		x.language = c.language
	}
	qs.mu.Lock()
	qs.surveyed[id] = x
	qs.mu.Unlock()
	defer func() {
		qs.mu.Lock()
		delete(qs.surveyed, id)
		delete(qs.asking, id)
		qs.mu.Unlock()
	}()
	x.says(ctx, set.Hello)
	for first := true; !x.state.Done; {
		e := x.waits(ctx)
		if e == nil {
			x.keepsRemark()
			return
		}
		if first { // what is said at the beginning asks nothing yet
			e, first = survey.Begin{}, false
		}
		var effects []survey.Effect
		x.state, effects = survey.Next(set.Questions, x.state, e)
		for _, e := range effects {
			x.perform(ctx, e)
		}
	}
	qs.Calls.Arrivals.SurveyOver(ctx, id)
}

// waits waits for what happens next; nil: the customer has hung up.
func (x *asked) waits(ctx context.Context) survey.Event {
	for {
		var timer <-chan time.Time
		if !x.rings.IsZero() {
			t := x.qs.Clock.NewTimer(x.rings.Sub(x.qs.Clock.Now()))
			defer t.Stop()
			timer = t.Chan()
		}
		select {
		case <-ctx.Done():
			return nil
		case digits := <-x.keyed:
			return survey.Keyed{Digits: digits}
		case <-x.changed:
			if s, there := x.qs.Calls.State(x.id); !there || !s.Surveyed() {
				return nil
			}
		case <-timer:
			x.rings = time.Time{}
			if x.speaks {
				x.speaks = false
				return survey.Spoken{}
			}
			return survey.Elapsed{}
		}
	}
}

func (x *asked) says(ctx context.Context, texts map[string]string) {
	text := texts[x.language]
	if text == "" {
		text = texts[usualLanguage]
	}
	long := x.qs.Calls.Arrivals.Speak(ctx, x.id, calls.VoiceOf(x.language), text, nil)
	x.rings, x.speaks = x.qs.Clock.Now().Add(long), true
}

func (x *asked) perform(ctx context.Context, e survey.Effect) {
	now := x.qs.Clock.Now()
	switch e := e.(type) {
	case survey.Ask:
		x.says(ctx, e.Question.Texts)
	case survey.Thank:
		x.says(ctx, x.set.Thanks)
	case survey.Wait:
		x.qs.Calls.Arrivals.Hush(x.id)
		x.rings, x.speaks = now.Add(e.For), false
	case survey.Record:
		from, sounds := x.qs.Calls.Recordings.RemarkAt(x.id)
		if sounds {
			x.remark, x.from, x.began = &e.Question, from, now
		}
		x.qs.Calls.Arrivals.Tone(x.id)
		x.rings, x.speaks = now.Add(e.For), false
	case survey.Stop:
		x.keepsRemark()
	case survey.Answer:
		x.keeps(db.InsertSurveyAnswerParams{QuestionID: e.Question.ID, Question: e.Question.Texts[usualLanguage],
			Kind: string(e.Question.Kind), Value: e.Value})
	}
}

// leastRemark is how long a remark has to be to be one.
const leastRemark = time.Second

// keepsRemark keeps that a remark was spoken, and where in the recording.
func (x *asked) keepsRemark() {
	q := x.remark
	if x.remark = nil; q == nil {
		return
	}
	if long := x.qs.Clock.Since(x.began); long >= leastRemark {
		x.keeps(db.InsertSurveyAnswerParams{QuestionID: q.ID, Question: q.Texts[usualLanguage], Kind: string(q.Kind),
			FromMs: x.from.Milliseconds(), LongMs: long.Milliseconds()})
	}
}

// keeps keeps an answer, and shows it to whoever looks at the call or the customer.
func (x *asked) keeps(p db.InsertSurveyAnswerParams) {
	p.CallID, p.At = x.id, x.qs.Clock.Now()
	records := x.qs.Calls.Records(x.id)
	x.qs.write(func(ctx context.Context) error {
		if err := x.qs.Store.InsertSurveyAnswer(ctx, p); err != nil {
			return err
		}
		x.qs.PublishHistory(&x.id, records...)
		if len(records) > 0 {
			x.qs.PublishRecord(records...)
		}
		return nil
	})
}

// SurveyOf is what the customer of a call answered about it.
func (qs *Queues) SurveyOf(ctx context.Context, id uuid.UUID) ([]contract.SurveyAnswer, error) {
	rows, err := qs.Store.SurveyAnswers(ctx, id)
	list := []contract.SurveyAnswer{}
	for _, r := range rows {
		x := contract.SurveyAnswer{Question: r.Question, Kind: contract.SurveyAnswerKind(r.Kind), Value: r.Value}
		switch survey.Kind(r.Kind) {
		case survey.Score:
			tone := contract.SatisfactionTone(survey.ClassOf(r.Value))
			x.Text, x.Tone = fmt.Sprintf("%d of 10, %s", r.Value, tone), &tone
		case survey.YesNo:
			x.Text = map[bool]string{true: "yes", false: "no"}[r.Value == 1]
		case survey.Remark:
			x.FromSeconds, x.Seconds = new(float64(r.FromMs)/1000), new(float64(r.LongMs)/1000)
			x.Text = fmt.Sprintf("a spoken remark of %d s", r.LongMs/1000)
		}
		list = append(list, x)
	}
	return list, err
}

// dissatisfied tells whether the last score of somebody says that they would not recommend the firm.
func (qs *Queues) dissatisfied(ctx context.Context, record uuid.UUID) bool {
	last, err := qs.Store.LastScore(ctx, record)
	return err == nil && len(last) > 0 && survey.ClassOf(last[0].Value) == survey.WouldNot
}
