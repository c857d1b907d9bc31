// Package scorecard says what a call is worth by a list of questions with points.
//
// It must not know calls, who scores, or who is scored.
package scorecard

import (
	"errors"
	"fmt"
	"math"
	"slices"
)

// Question is what is looked at in a call. Without a must-have the call has failed, whatever else was good.
type Question struct {
	ID     string `json:"id"`
	Text   string `json:"text"`
	Help   string `json:"help,omitempty"`
	Points int    `json:"points"` // that can be had, 1 to 100
	Must   bool   `json:"must"`
}

// NotAsked are the points of a question that could not be answered of this call: it does not count.
const NotAsked = -1

// Mark is what a question was given.
type Mark struct {
	Question string `json:"question"`
	Points   int    `json:"points"` // 0 to those that can be had, or NotAsked
	Note     string `json:"note,omitempty"`
	AtMs     *int   `json:"at_ms,omitempty"` // the moment that it is about
}

// ErrMark is told by Score of a mark for no question, of more points than there are, of a second one, or of one that is
// missing.
var ErrMark = errors.New("each question takes one mark, of as many points as it has")

// ErrNothingAsked is told by Score where no question counts.
var ErrNothingAsked = errors.New("at least one question has to be answered")

// Result is what a call is worth.
type Result struct {
	Percent int // of the points that could be had, 0 to 100, rounded to the nearest
	Failed  bool
}

// Score is what marks make of a call. Each question needs one. Errors: ErrMark, ErrNothingAsked.
func Score(questions []Question, marks []Mark) (Result, error) {
	if len(marks) != len(questions) {
		return Result{}, ErrMark
	}
	had, could, failed := 0, 0, false
	for _, q := range questions {
		at := slices.IndexFunc(marks, func(m Mark) bool { return m.Question == q.ID })
		if at < 0 || marks[at].Points > q.Points || marks[at].Points < NotAsked {
			return Result{}, fmt.Errorf("%q: %w", q.Text, ErrMark)
		}
		p := marks[at].Points
		if p == NotAsked {
			continue
		}
		had, could = had+p, could+q.Points
		failed = failed || q.Must && p == 0
	}
	if could == 0 {
		return Result{}, ErrNothingAsked
	}
	return Result{int(math.Round(100 * float64(had) / float64(could))), failed}, nil
}

// Difference is a question that people who scored the same call gave different marks.
type Difference struct {
	Question  Question
	Low, High int
}

// Differences are the questions on which several scores of one call differ, the widest first. A question that one of
// them
// did not ask differs by all of its points.
func Differences(questions []Question, scores ...[]Mark) (all []Difference) {
	for _, q := range questions {
		d := Difference{Question: q, Low: math.MaxInt, High: math.MinInt}
		for _, marks := range scores {
			for _, m := range marks {
				if m.Question == q.ID {
					d.Low, d.High = min(d.Low, m.Points), max(d.High, m.Points)
				}
			}
		}
		if d.High > d.Low {
			all = append(all, d)
		}
	}
	slices.SortStableFunc(all, func(a, b Difference) int { return b.width() - a.width() })
	return all
}

func (d Difference) width() int {
	if d.Low == NotAsked {
		return d.Question.Points
	}
	return d.High - d.Low
}
