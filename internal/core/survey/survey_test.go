package survey_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/core/survey"
)

var questions = []survey.Question{{ID: "score", Kind: survey.Score}, {ID: "solved", Kind: survey.YesNo},
	{ID: "remark", Kind: survey.Remark}}

func told(e survey.Effect) string {
	switch e := e.(type) {
	case survey.Ask:
		return "ask " + e.Question.ID
	case survey.Thank:
		return "thank"
	case survey.Wait:
		return "wait " + e.For.String()
	case survey.Record:
		return "record"
	case survey.Stop:
		return "stop"
	case survey.Answer:
		return fmt.Sprintf("%s=%d", e.Question.ID, e.Value)
	}
	return "finish"
}

func event(text string) survey.Event {
	switch text {
	case "begin":
		return survey.Begin{}
	case "spoken":
		return survey.Spoken{}
	case "elapsed":
		return survey.Elapsed{}
	}
	return survey.Keyed{Digits: text}
}

func TestSurveys(t *testing.T) {
	tests := []struct{ name, events, want string }{
		{"all answered, with a remark", "begin spoken 8 spoken 1 spoken # spoken",
			"ask score; wait 7s; score=8 ask solved; wait 7s; solved=1 ask remark; record; stop thank; finish"},
		{"a ten takes two keys", "begin 1 0", "ask score; wait 2s; score=10 ask solved"},
		{"at once", "begin 10", "ask score; score=10 ask solved"},
		{"a one is one after a moment", "begin 1 elapsed", "ask score; wait 2s; score=1 ask solved"},
		{"a one with the hash", "begin 1#", "ask score; score=1 ask solved"},
		{"a one and something else", "begin 1 5", "ask score; wait 2s; score=1 ask solved"},
		{"zero is a score", "begin 0 2", "ask score; score=0 ask solved; solved=0 ask remark"},
		{"keys that mean nothing", "begin * 5 9 1", "ask score; ; score=5 ask solved; ; solved=1 ask remark"},
		{
			"no key: asked twice, then the next",
			"begin spoken elapsed spoken elapsed",
			"ask score; wait 7s; ask score; wait 7s; ask solved",
		},
		{"nobody there: asked no more", "begin spoken elapsed spoken elapsed spoken elapsed spoken elapsed spoken",
			"ask score; wait 7s; ask score; wait 7s; ask solved; wait 7s; ask solved; wait 7s; thank; finish"},
		{
			"a remark of as long as may be",
			"begin 9 1 spoken elapsed",
			"ask score; score=9 ask solved; solved=1 ask remark; record; stop thank",
		},
		{"no remark", "begin 9 1 #", "ask score; score=9 ask solved; solved=1 ask remark; thank"},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			var s survey.State
			var got []string
			for _, text := range strings.Fields(tt.events) {
				var effects []survey.Effect
				s, effects = survey.Next(questions, s, event(text))
				var words []string
				for _, e := range effects {
					words = append(words, told(e))
				}
				got = append(got, strings.Join(words, " "))
			}
			assert.Equal(t, tt.want, strings.Join(got, "; "))
		})
	}
}

func TestClassOf(t *testing.T) {
	for score, want := range map[int]survey.Class{0: survey.WouldNot, 6: survey.WouldNot, 7: survey.Undecided,
		8: survey.Undecided, 9: survey.Would, 10: survey.Would} {
		assert.Equal(t, want, survey.ClassOf(score), score)
	}
}

// FuzzSurvey lets anything happen: a survey never asks more than its questions twice, and gives each answer once.
func FuzzSurvey(f *testing.F) {
	f.Add([]byte{0, 1, 2, 5, 14, 1, 3})
	f.Fuzz(func(t *testing.T, script []byte) {
		s, _ := survey.Next(questions, survey.State{}, survey.Begin{})
		asked, answers := 1, map[string]int{}
		for _, b := range script {
			var effects []survey.Effect
			s, effects = survey.Next(questions, s, []survey.Event{survey.Begin{}, survey.Spoken{}, survey.Elapsed{},
				survey.Keyed{Digits: string("0123456789*#A"[b%13])}}[b%4])
			for _, e := range effects {
				switch e := e.(type) {
				case survey.Ask:
					asked++
				case survey.Answer:
					answers[e.Question.ID]++
					require.LessOrEqual(t, e.Value, 10)
					require.GreaterOrEqual(t, e.Value, 0)
				}
			}
		}
		require.LessOrEqual(t, asked, 2*len(questions))
		for id, n := range answers {
			require.Equal(t, 1, n, id)
		}
	})
}

// Example: eight of ten is undecided.
func Example() {
	fmt.Println(survey.ClassOf(8))
	// Output: undecided
}

func TestScoreIn(t *testing.T) {
	tests := []struct {
		text string
		want int // -1 for none
	}{
		{"9", 9}, {" 10 ", 10}, {"0", 0}, {"8.", 8}, {"8/10", 8}, {"7 of 10", 7}, {"7 out of 10", 7}, {"10/10", 10},
		{"10 of 10!", 10}, {"A 9, thank you", 9}, {"I would say 6", 6},
		{"", -1}, {"11", -1}, {"-3", -1}, {"eight", -1}, {"8 or 9", -1}, {"8.5", -1}, {"100", -1}, {"413 555 0142", -1},
		{"Call me", -1}, {"Please send 2 new filters for the pump to our yard", -1}, {"10 10 10", -1},
	}
	for _, tt := range tests {
		t.Run(tt.text, func(t *testing.T) {
			score, ok := survey.ScoreIn(tt.text)
			require.Equal(t, tt.want >= 0, ok, "%d", score)
			if ok {
				assert.Equal(t, tt.want, score)
			}
		})
	}
}

func TestWhatAMessageAnswers(t *testing.T) {
	at := time.Date(2026, 3, 2, 15, 0, 0, 0, time.UTC)
	for name, x := range map[string]struct {
		text   string
		scored time.Duration // before; 0 for not yet
		kind   survey.Kind
		score  int
	}{
		"a score":                       {"9, thank you", 0, survey.Score, 9},
		"something else":                {"When do you come?", 0, "", 0},
		"a remark":                      {"She knew the pump.", time.Minute, survey.Remark, 0},
		"a number after the score":      {"10", time.Minute, survey.Remark, 0},
		"a day later":                   {"She knew the pump.", 24 * time.Hour, survey.Remark, 0},
		"later than that, of something": {"When do you come?", 24*time.Hour + time.Second, "", 0},
	} {
		var scored *time.Time
		if x.scored > 0 {
			scored = new(at.Add(-x.scored))
		}
		kind, score := survey.Written(x.text, scored, at)
		assert.Equal(t, x.kind, kind, name)
		assert.Equal(t, x.score, score, name)
	}
}
