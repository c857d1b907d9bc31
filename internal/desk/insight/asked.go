package insight

import (
	"context"
	"errors"
	"strings"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/report"
	"trundo/internal/core/rights"
	"trundo/internal/core/slip"
	"trundo/internal/core/topics"
	"trundo/internal/desk/firm"
	"trundo/internal/optional"
	"trundo/internal/store/db"
)

// question is what somebody asks of the book, made ready.
type question struct {
	asked  report.Asked
	cal    *report.Calendar
	window report.Window
	reach  rights.Reach
	behind int // changes that are not taken in yet
}

// maxFoundByWords is how many calls words may find; further ones are not looked at.
const maxFoundByWords = 50_000

// ask makes a question ready: what a may see of it, what was meant by its time, and in which calls its words are.
// Errors:
// firm.ErrForbidden, *firm.FieldError.
func (in *Insight) ask(ctx context.Context, a firm.Actor, period string, where []contract.Condition) (question, error) {
	var q question
	if q.reach = a.Rights[rights.SeeFigures]; q.reach == rights.None {
		return q, firm.ErrForbidden
	}
	f, err := in.Settings(ctx)
	if err != nil {
		return q, err
	}
	q.cal = calendar(f)
	if q.window, err = report.Period(period).Window(in.Clock.Now(), q.cal); err != nil {
		return q, firm.About("period", err)
	}
	q.asked = report.Asked{From: q.window.From.Unix(), To: q.window.To.Unix(), Where: conditions(where),
		Scope: in.scope(a, f, rights.SeeFigures)}
	if err := report.Check(q.asked.Where); err != nil {
		return q, firm.About("where", err)
	}
	if !a.Rights[rights.HearRecordings].Covers(q.reach) {
		hear := in.scope(a, f, rights.HearRecordings)
		q.asked.Hear = &hear
	}
	if q.behind, err = in.fresh(ctx); err != nil {
		return q, err
	}
	in.useCalendar(q.cal)
	q.asked.Found, err = in.find(ctx, a, q.asked.Where)
	return q, err
}

// calendar is the firm's own: a report says the same to whoever reads it, wherever they are.
func calendar(f *firm.Settings) *report.Calendar {
	first := time.Monday
	if f.Region == "US" || f.Region == "CA" {
		first = time.Sunday
	}
	zone := f.Zone
	if zone == nil {
		zone = time.UTC
	}
	return report.NewCalendar(zone, first)
}

// useCalendar lets the book's days and hours be those of the firm's zone, where that has changed.
func (in *Insight) useCalendar(cal *report.Calendar) {
	in.mu.RLock()
	same := in.book.Calendar().Same(cal)
	in.mu.RUnlock()
	if !same {
		in.mu.Lock()
		defer in.mu.Unlock()
		in.book.SetCalendar(cal)
	}
}

// scope are those whose calls a right of a's reaches. Calls that nobody had a part in are everybody's but those of who
// sees no more than their own.
func (in *Insight) scope(a firm.Actor, f *firm.Settings, r rights.Right) report.Scope {
	switch a.Rights[r] {
	case rights.All:
		return report.Everything
	case rights.Team:
		s := report.Scope{Reps: []string{a.ID.String()}, Nobody: true}
		for id, teams := range f.TeamsOf {
			if id != a.ID && rights.ShareTeam(a.Teams, teams) {
				s.Reps = append(s.Reps, id.String())
			}
		}
		return s
	case rights.Own:
		return report.Scope{Reps: []string{a.ID.String()}}
	}
	return report.Scope{}
}

func conditions(where []contract.Condition) []report.Condition {
	all := make([]report.Condition, len(where))
	for i, c := range where {
		all[i] = report.Condition{Facet: c.Facet, Values: c.Values, Not: optional.Value(c.Not)}
	}
	return all
}

// find looks up the words of conditions: those that were said, and those that stand in notes that a may read.
func (in *Insight) find(ctx context.Context, a firm.Actor, where []report.Condition) (map[string][]report.ID, error) {
	found := map[string][]report.ID{}
	for _, c := range where {
		if c.Facet != "words" && c.Facet != "notes" {
			continue
		}
		var ids []report.ID
		for _, v := range c.Values {
			side, text := sideOf(v)
			query := wordQuery(text)
			if query == "" {
				return nil, firm.About("where", errNoWord)
			}
			more, err := in.callsWith(ctx, a, c.Facet, side, query)
			if err != nil {
				return nil, err
			}
			ids = append(ids, more...)
		}
		found[report.FoundKey(c)] = ids
	}
	return found, nil
}

var errNoWord = errors.New("type at least one word to look for")

// callsWith are the calls in which words are.
func (in *Insight) callsWith(
	ctx context.Context,
	a firm.Actor,
	facet, side, query string,
) (ids []report.ID, err error) {
	if facet == "words" {
		calls, err := in.Store.CallsWithWords(
			ctx,
			db.CallsWithWordsParams{Side: side, Words: query, Count: maxFoundByWords},
		)
		for _, id := range calls {
			ids = append(ids, report.ID(id))
		}
		return ids, err
	}
	slips, err := in.Store.SlipsWithWords(ctx, db.SlipsWithWordsParams{Words: query, Count: maxFoundByWords})
	for _, s := range slips {
		if slip.MayRead(
			a.Reader(),
			slip.Part{Rep: s.UserID.String(), Teams: s.RepTeams, HandedTo: optional.ID(s.HandedTo),
				Visible: slip.Visible(s.Visible)},
		) {
			ids = append(ids, report.ID(s.CallID))
		}
	}
	return ids, err
}

// sideOf parts "ours:late delivery" into whose words count, and the words.
func sideOf(value string) (side, text string) {
	for _, side := range []string{"ours", "theirs"} {
		if text, of := strings.CutPrefix(value, side+":"); of {
			return side, text
		}
	}
	return "", value
}

// wordQuery is a text as PostgreSQL looks for it: all of its words, however they go on.
func wordQuery(text string) string {
	words := topics.Words(text)
	for i, w := range words {
		words[i] = "'" + strings.ReplaceAll(strings.TrimSuffix(w, "*"), "'", "''") + "':*"
	}
	return strings.Join(words, " & ")
}

// ids are those of calls as the rest of the desk has them.
func idOf(id report.ID) uuid.UUID { return uuid.UUID(id) }
