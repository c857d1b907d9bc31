package queues

import (
	"context"
	"fmt"
	"slices"
	"time"

	"github.com/google/uuid"

	"trundo/internal/core/fields"
	"trundo/internal/core/filter"
	"trundo/internal/core/queue"
	"trundo/internal/core/route"
	"trundo/internal/desk/firm"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// Why somebody is asked first.
const (
	whyOwner  = "owns the record"
	whySpoken = "spoke with them last"
)

// caller is who calls, as far as that is known.
type caller struct {
	e164, ext, name string
	record          *uuid.UUID // nil: nobody of the book, or not clear who
	owner           *uuid.UUID
	language        string
	prefers         []queue.Preference
	facts           *db.CallerFactsRow
}

// whoCalls finds out who calls.
func (qs *Queues) whoCalls(ctx context.Context, id uuid.UUID) caller {
	var c caller
	row, err := qs.Store.CallByID(ctx, db.CallByIDParams{ID: id})
	if err != nil {
		return c
	}
	c.e164, c.ext = row.RemoteE164, row.RemoteExt
	if records := qs.Calls.Records(id); len(records) > 0 {
		qs.knows(ctx, &c, records[0], id)
	}
	return c
}

// knows adds what is known of a caller's record.
func (qs *Queues) knows(ctx context.Context, c *caller, record, call uuid.UUID) {
	closed := slices.Concat(fields.Closed[fields.Case], fields.Closed[fields.Deal])
	facts, err := qs.Store.CallerFacts(ctx, db.CallerFactsParams{Closed: closed, RecordID: record})
	if err != nil {
		return
	}
	c.record, c.owner, c.facts, c.name = &facts.ID, facts.OwnerID, &facts, facts.Name
	c.language = qs.languageOf(ctx, record)
	if c.owner != nil {
		c.prefers = append(c.prefers, queue.Preference{ID: c.owner.String(), Why: whyOwner})
	}
	spoke, err := qs.Store.LastSpoken(ctx, db.LastSpokenParams{RecordID: record, Without: call})
	if err != nil {
		return
	}
	var last *db.LastSpokenRow
	for i := range spoke {
		if last == nil || spoke[i].At.After(last.At) {
			last = &spoke[i]
		}
	}
	if last != nil && (c.owner == nil || *c.owner != last.UserID) {
		c.prefers = append(c.prefers, queue.Preference{ID: last.UserID.String(), Why: whySpoken})
	}
}

// languageOf is the language that a record is marked with, by a tag with its name; "" without one.
func (qs *Queues) languageOf(ctx context.Context, record uuid.UUID) string {
	for code, name := range route.LanguageNames {
		x := &filter.Expr{Field: fields.Field{Key: "tags", Type: fields.Tags}, Op: filter.Is, Text: name}
		if fits, err := qs.fits(ctx, record, x, fields.Contact, fields.Lead, fields.Company); err == nil && fits {
			return code
		}
	}
	return ""
}

func (qs *Queues) fits(ctx context.Context, record uuid.UUID, x *filter.Expr, kinds ...fields.Kind) (bool, error) {
	sel := store.Selection{Query: &store.RowQuery{Kinds: kinds, Filter: x}}
	return qs.Store.IsSelected(ctx, sel, record)
}

// holds tells whether what a test looks at is so, for a caller on a line at a time.
func (qs *Queues) holds(ctx context.Context, t route.Test, l lineOf, c *caller, now time.Time) bool {
	switch t.Is {
	case route.Open:
		if t.Hours != nil {
			return t.Hours.Open(now.In(l.at()))
		}
		return l.hours.Open(now.In(l.at()))
	case route.DayOff:
		return slices.Contains(l.hours.Off, now.In(l.at()).Format(time.DateOnly))
	case route.Known:
		return c.record != nil
	case route.Owned:
		return c.owner != nil
	case route.OwnerFree:
		return c.owner != nil && len(qs.free(ctx, []string{c.owner.String()})) > 0
	case route.Speaks:
		return c.language == t.Value
	case route.Unreturned:
		owes, err := qs.Store.OwesNumber(ctx, c.e164)
		return err == nil && owes
	}
	if c.facts == nil {
		return false
	}
	switch t.Is {
	case route.OfKind:
		return c.facts.Kind == t.Value
	case route.OpenCase:
		return c.facts.OpenCase
	case route.OpenDeal:
		return c.facts.OpenDeal
	case route.Promised:
		return c.facts.Promised
	case route.Dissatisfied:
		return qs.Surveys.Dissatisfied(ctx, *c.record)
	case route.Fits:
		return qs.fitsFilter(ctx, t, *c.record)
	}
	return false
}

// at is the zone of a line; that of nobody's is UTC.
func (l lineOf) at() *time.Location {
	if l.zone == nil {
		return time.UTC
	}
	return l.zone
}

// fitsFilter tells whether a record fits a filter as an admin has written it.
func (qs *Queues) fitsFilter(ctx context.Context, t route.Test, record uuid.UUID) bool {
	x, err := qs.resolve(ctx, t)
	if err != nil || x == nil {
		return false
	}
	fits, err := qs.fits(ctx, record, x, fields.Kind(t.Kind))
	return err == nil && fits
}

// resolve understands the filter of a test. Error: *filter.Error.
func (qs *Queues) resolve(ctx context.Context, t route.Test) (*filter.Expr, error) {
	f, err := qs.Settings(ctx)
	if err != nil || t.Filter == nil {
		return nil, err
	}
	return filter.Resolve(*t.Filter, f.Book.Of(fields.Kind(t.Kind)), qs.Clock.Now(), f.Zone,
		f.Home(firm.Actor{Zone: f.Zone}))
}

// informsAt is what a caller is told at a time about how something stands; false: there was nothing to tell.
func (qs *Queues) informsAt(ctx context.Context, e route.Inform, l lineOf, c *caller, now time.Time) (string, bool) {
	p := in(e.Language)
	if e.What == route.TellHours {
		now := now.In(l.at())
		if l.hours.Open(now) {
			return "We are open now.", true
		}
		return l.hours.ClosedText(now, qs.Dates()), true
	}
	kind := map[string]fields.Kind{route.TellCase: fields.Case, route.TellOrder: fields.Order}[e.What]
	digits, code := "", e.Digits["code"]
	for name, typed := range e.Digits {
		if name != "code" {
			digits = typed
		}
	}
	rows, err := qs.Store.CallersMatter(
		ctx,
		db.CallersMatterParams{RecordID: c.record, Code: code, Kind: string(kind), Digits: digits},
	)
	if err != nil || len(rows) == 0 {
		return p.nothing, false
	}
	// Whoever knows a number may not know how another's order stands: it is the caller's own, or they know the last four
	// digits of a telephone number of its owner.
	if m := rows[0]; m.Theirs || m.Coded && len(code) >= 4 {
		return fmt.Sprintf(p.stands, m.Name, m.Stage), true
	}
	return p.nothing, false
}
