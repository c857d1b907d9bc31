package surveys

import (
	"cmp"
	"context"
	"math/rand/v2"
	"slices"
	"time"

	"github.com/google/uuid"

	"trundo/internal/core/call"
	"trundo/internal/core/route"
	"trundo/internal/core/survey"
	"trundo/internal/desk/calls"
	"trundo/internal/store/db"
)

// Asks tells whether the customer of a call is to be asked about it once its rep hangs up.
func (sv *Surveys) Asks(id uuid.UUID) bool {
	sv.mu.Lock()
	defer sv.mu.Unlock()
	_, asks := sv.after[id]
	return asks
}

// chooses decides, once for a call that somebody has answered, whether its customer is asked afterwards; and asks them,
// when its rep has hung up.
func (sv *Surveys) chooses(id uuid.UUID, s *call.State) {
	sv.mu.Lock()
	set, chosen := sv.after[id]
	decided := sv.decided[id]
	over := s.Phase() == call.PhaseEnded
	if over {
		delete(sv.after, id)
		delete(sv.decided, id)
	} else if s.Inbound && !s.Answered().IsZero() {
		sv.decided[id] = true
	}
	begins := chosen && s.Surveyed() && !sv.asking[id]
	if begins {
		sv.asking[id] = true
	}
	sv.mu.Unlock()
	switch {
	case over:
		sv.asksByText(id, set, chosen, s)
	case begins:
		sv.InBackground(func(ctx context.Context) { sv.survey(ctx, id, set) })
	case s.Inbound && !s.Answered().IsZero() && !decided && len(s.Takers()) > 0:
		sv.InBackground(func(ctx context.Context) { sv.chooseFor(ctx, id) })
	}
}

// chooseFor decides whether the customer of a call is asked about it.
func (sv *Surveys) chooseFor(ctx context.Context, id uuid.UUID) {
	set, err := sv.asks(ctx)
	if err != nil || !set.Active {
		return
	}
	line, known := sv.Calls.LineOf(id)
	if !known || len(set.Lines) > 0 && !slices.Contains(set.Lines, line) || rand.IntN(100) >= set.Share {
		return
	}
	row, err := sv.Store.CallByID(ctx, db.CallByIDParams{ID: id})
	if err != nil {
		return
	}
	if set.EveryDays > 0 && row.RemoteE164 != "" {
		asked, err := sv.Store.SurveyedSince(ctx, db.SurveyedSinceParams{E164: row.RemoteE164,
			Since: sv.Clock.Now().AddDate(0, 0, -set.EveryDays)})
		if err != nil || asked {
			return
		}
		asked, err = sv.Store.TextedSince(ctx, db.TextedSinceParams{E164: row.RemoteE164,
			Since: sv.Clock.Now().AddDate(0, 0, -set.EveryDays)})
		if err != nil || asked {
			return
		}
	}
	if s, there := sv.Calls.State(id); !there || s.Phase() == call.PhaseEnded {
		return
	}
	sv.mu.Lock()
	sv.after[id] = set
	sv.mu.Unlock()
}

// asked is a customer who is asked about a call.
type asked struct {
	sv       *Surveys
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
	still    func(*call.State) bool // the customer is there to be asked
}

// survey asks the customer of a call about it.
func (sv *Surveys) survey(ctx context.Context, id uuid.UUID, set asks) {
	x := &asked{
		sv:       sv,
		id:       id,
		set:      set,
		language: cmp.Or(sv.speaks(ctx, id), route.UsualLanguage),
		keyed:    make(chan string, 16),
		changed:  make(chan struct{}, 1),
		still:    (*call.State).Surveyed,
	}
	sv.mu.Lock()
	sv.asked[id] = x
	sv.mu.Unlock()
	defer func() {
		sv.mu.Lock()
		delete(sv.asked, id)
		delete(sv.asking, id)
		sv.mu.Unlock()
	}()
	if x.run(ctx) {
		sv.Calls.Arrivals.SurveyOver(ctx, id)
	}
}

// run asks all that is asked; false: the customer has hung up before the end.
func (x *asked) run(ctx context.Context) bool {
	x.says(ctx, x.set.Hello)
	for first := true; !x.state.Done; {
		e := x.waits(ctx)
		if e == nil {
			x.keepsRemark()
			return false
		}
		if first { // what is said at the beginning asks nothing yet
			e, first = survey.Begin{}, false
		}
		var effects []survey.Effect
		x.state, effects = survey.Next(x.set.Questions, x.state, e)
		for _, e := range effects {
			x.perform(ctx, e)
		}
	}
	return true
}

// waits waits for what happens next; nil: the customer has hung up.
func (x *asked) waits(ctx context.Context) survey.Event {
	for {
		var timer <-chan time.Time
		if !x.rings.IsZero() {
			t := x.sv.Clock.NewTimer(x.rings.Sub(x.sv.Clock.Now()))
			defer t.Stop()
			timer = t.Chan()
		}
		select {
		case <-ctx.Done():
			return nil
		case digits := <-x.keyed:
			return survey.Keyed{Digits: digits}
		case <-x.changed:
			if s, there := x.sv.Calls.State(x.id); !there || !x.still(&s) {
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
	text := route.Said(texts, x.language)
	long := x.sv.Calls.Arrivals.Speak(ctx, x.id, calls.VoiceOf(x.language), text, nil)
	x.rings, x.speaks = x.sv.Clock.Now().Add(long), true
}

func (x *asked) perform(ctx context.Context, e survey.Effect) {
	now := x.sv.Clock.Now()
	switch e := e.(type) {
	case survey.Ask:
		x.says(ctx, e.Question.Texts)
	case survey.Thank:
		x.says(ctx, x.set.Thanks)
	case survey.Wait:
		x.sv.Calls.Arrivals.Hush(x.id)
		x.rings, x.speaks = now.Add(e.For), false
	case survey.Record:
		from, sounds := x.sv.Calls.Recordings.RemarkAt(x.id)
		if sounds {
			x.remark, x.from, x.began = &e.Question, from, now
		}
		x.sv.Calls.Arrivals.Tone(x.id)
		x.rings, x.speaks = now.Add(e.For), false
	case survey.Stop:
		x.keepsRemark()
	case survey.Answer:
		x.keeps(db.InsertSurveyAnswerParams{QuestionID: e.Question.ID, Question: e.Question.Texts[route.UsualLanguage],
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
	if long := x.sv.Clock.Since(x.began); long >= leastRemark {
		x.keeps(db.InsertSurveyAnswerParams{QuestionID: q.ID, Question: q.Texts[route.UsualLanguage], Kind: string(q.Kind),
			FromMs: x.from.Milliseconds(), LongMs: long.Milliseconds()})
	}
}

// keeps keeps an answer, and shows it to whoever looks at the call or the customer.
func (x *asked) keeps(p db.InsertSurveyAnswerParams) {
	p.CallID, p.At = x.id, x.sv.Clock.Now()
	records := x.sv.Calls.Records(x.id)
	x.sv.Writes.Add(func(ctx context.Context) error {
		if err := x.sv.Store.InsertSurveyAnswer(ctx, p); err != nil {
			return err
		}
		x.sv.PublishHistory(&x.id, records...)
		if len(records) > 0 {
			x.sv.PublishRecord(records...)
		}
		return nil
	})
}
