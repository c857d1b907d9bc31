// Package script reads a script: what a rep may say, with questions whose answers lead on. It is Markdown with four
// kinds of line of its own:
//
//	# Title               a step begins; the first one is where a call begins
//	? Question [key]      asks; the answer is kept under the key
//	- Choice -> Title     an answer to the question above, and the step that follows (without an arrow: the next one)
//	= text                the question above is answered freely (= number: by a number)
//	-> Title              where this step leads without a question
//
// Everything else is what is said.
//
// It must not know calls, records or who reads it.
package script

import (
	"errors"
	"fmt"
	"regexp"
	"strings"
)

// Limits of a script.
const (
	MaxSteps = 100
	MaxBody  = 40_000 // bytes
)

// Choice is an answer that can be picked.
type Choice struct {
	Label string
	To    string // the title of the step that follows; "": the next one
}

// Step is one part of a script.
type Step struct {
	Title    string
	Text     string // Markdown
	Question string
	Key      string
	Choices  []Choice
	Free     string // "text" or "number" where the question is answered freely
	To       string // where it leads without a choice; "": the next one
}

// LineError names a line that cannot be read, from 1.
type LineError struct {
	Line int
	Text string
}

func (e *LineError) Error() string { return fmt.Sprintf("line %d: %s", e.Line, e.Text) }

// ErrEmpty is told of a script without a step.
var ErrEmpty = errors.New("a script begins with a title: # Opening")

var (
	question = regexp.MustCompile(`^\?\s*(.+?)\s*\[([a-z][a-z0-9_]{0,39})\]\s*$`)
	choice   = regexp.MustCompile(`^-\s+(.+?)(?:\s*->\s*(.+?))?\s*$`)
)

// Parse reads a script. Errors: ErrEmpty, *LineError.
func Parse(body string) ([]Step, error) {
	if len(body) > MaxBody {
		return nil, &LineError{1, "a script has at most 40,000 characters"}
	}
	var steps []Step
	at := map[string]int{}    // titles to lines
	where := map[string]int{} // where steps lead, to the line that says so
	keys := map[string]bool{}
	for i, line := range strings.Split(strings.ReplaceAll(body, "\r\n", "\n"), "\n") {
		n, trimmed := i+1, strings.TrimSpace(line)
		if title, is := strings.CutPrefix(trimmed, "# "); is {
			title = strings.TrimSpace(title)
			if _, twice := at[title]; twice {
				return nil, &LineError{n, "there is a step “" + title + "” already"}
			}
			if len(steps) == MaxSteps {
				return nil, &LineError{n, "a script has at most 100 steps"}
			}
			at[title] = n
			steps = append(steps, Step{Title: title})
			continue
		}
		if len(steps) == 0 {
			if trimmed == "" {
				continue
			}
			return nil, ErrEmpty
		}
		s := &steps[len(steps)-1]
		switch {
		case strings.HasPrefix(trimmed, "?"):
			m := question.FindStringSubmatch(trimmed)
			switch {
			case m == nil:
				return nil, &LineError{n, "a question ends with its key: ? Do you have a tank? [has_tank]"}
			case s.Question != "":
				return nil, &LineError{n, "a step asks one question: begin another step"}
			case keys[m[2]]:
				return nil, &LineError{n, "the key “" + m[2] + "” is used twice"}
			}
			s.Question, s.Key = m[1], m[2]
			keys[m[2]] = true
		case s.Question != "" && choice.MatchString(trimmed):
			m := choice.FindStringSubmatch(trimmed)
			if s.Free != "" {
				return nil, &LineError{n, "a question is answered freely or by choices, not both"}
			}
			s.Choices = append(s.Choices, Choice{m[1], m[2]})
			if m[2] != "" {
				where[m[2]] = n
			}
		case s.Question != "" && strings.HasPrefix(trimmed, "="):
			s.Free = strings.TrimSpace(trimmed[1:])
			if s.Free != "text" && s.Free != "number" || len(s.Choices) > 0 {
				return nil, &LineError{n, "a free answer is = text or = number, without choices"}
			}
		case strings.HasPrefix(trimmed, "->"):
			s.To = strings.TrimSpace(trimmed[2:])
			where[s.To] = n
		default:
			s.Text += line + "\n"
		}
	}
	if len(steps) == 0 {
		return nil, ErrEmpty
	}
	for i := range steps {
		s := &steps[i]
		s.Text = strings.TrimSpace(s.Text)
		if s.Question != "" && s.Free == "" && len(s.Choices) == 0 {
			return nil, &LineError{at[s.Title], "the question of “" + s.Title + "” has no answers: - Yes, or = text"}
		}
	}
	for to, line := range where {
		if _, there := at[to]; !there {
			return nil, &LineError{line, "there is no step “" + to + "”"}
		}
	}
	return steps, nil
}

// Path are the places of the steps that answers lead through, from the first one to where an answer is missing or the
// script ends. A step is passed once.
func Path(steps []Step, answers map[string]string) []int {
	place := map[string]int{}
	for i, s := range steps {
		place[s.Title] = i
	}
	var path []int
	seen := map[int]bool{}
	for i := 0; i < len(steps) && !seen[i]; {
		seen[i] = true
		path = append(path, i)
		s := steps[i]
		to := s.To
		if s.Question != "" {
			answer, given := answers[s.Key]
			if !given || answer == "" {
				return path
			}
			for _, c := range s.Choices {
				if c.Label == answer && c.To != "" {
					to = c.To
				}
			}
		}
		next, there := place[to]
		switch {
		case to == "":
			i++
		case there:
			i = next
		default:
			return path
		}
	}
	return path
}
