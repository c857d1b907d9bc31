package desk

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/rights"
	"trundo/internal/desk/firm"
	"trundo/internal/formats"
	"trundo/internal/store/db"
)

// trailKinds are what something can be done to.
var trailKinds = []string{
	"record",
	"call",
	"slip",
	"member",
	"session",
	"settings",
	"line",
	"list",
	"field",
	"import",
	"export",
	"bulk",
	"token",
	"do_not_call",
	"duplicate",
	"role",
	"erasure",
	"topic",
	"scorecard",
	"score",
}

// trailPage is how many entries a page of the trail has.
const trailPage = 100

// TrailQuery is which part of the trail is asked for.
type TrailQuery struct {
	Who         *uuid.UUID // who did it; nil: anybody
	Kind, Q     string     // of what was changed, and in its name or in what was done; empty: whatever
	From, Until *time.Time
	After       string // what the page before gave as next
}

// Trail is a page of what was done, newest first. Errors: firm.ErrForbidden, *firm.FieldError.
func (d *Desk) Trail(ctx context.Context, a firm.Actor, query TrailQuery) (contract.Trail, error) {
	view := contract.Trail{Entries: []contract.TrailEntry{}, Kinds: trailKinds}
	if !a.MayDo(rights.SeeTrail) {
		return view, firm.ErrForbidden
	}
	p := db.TrailParams{Who: query.Who, Kind: query.Kind, Since: query.From, Until: query.Until, Many: trailPage + 1}
	if q := strings.TrimSpace(query.Q); q != "" {
		p.Q = "%" + strings.NewReplacer(`\`, `\\`, `%`, `\%`, `_`, `\_`).Replace(q) + "%"
	}
	if query.After != "" {
		at, id, fits := strings.Cut(query.After, " ")
		lastAt, wrongTime := time.Parse(time.RFC3339Nano, at)
		lastID, wrongID := uuid.Parse(id)
		if !fits || wrongTime != nil || wrongID != nil {
			return view, firm.Wrong("after", "this is no place in the trail")
		}
		p.LastAt, p.LastID = &lastAt, &lastID
	}
	rows, err := d.Store.Trail(ctx, p)
	if err != nil {
		return view, err
	}
	for i, r := range rows {
		if i == trailPage {
			last := rows[i-1]
			next := last.At.UTC().Format(time.RFC3339Nano) + " " + last.ID.String()
			view.Next = &next
			break
		}
		e := contract.TrailEntry{ID: r.ID, At: r.At, Who: r.Actor, Kind: r.SubjectKind,
			What: r.Action, Subject: r.Subject, RecordID: r.RecordID,
			Changes: trailChanges(r.SubjectKind, r.Before, r.After)}
		if r.CallID != uuid.Nil {
			e.CallID = &r.CallID
		}
		view.Entries = append(view.Entries, e)
	}
	return view, nil
}

// trailChanges reads what stood there before and after. What a rep has written is not shown here: who may read it,
// reads
// it on the call's page, where the rules about notes hold.
func trailChanges(kind string, before, after json.RawMessage) []contract.TrailChange {
	b, a := trailValues(before), trailValues(after)
	changes := []contract.TrailChange{}
	fields := slices.AppendSeq(slices.Collect(maps.Keys(b)), maps.Keys(a))
	slices.Sort(fields)
	for _, f := range slices.Compact(fields) {
		if b[f] == a[f] {
			continue
		}
		c := contract.TrailChange{Field: f, Before: b[f], After: a[f]}
		if kind == "slip" && f == "notes" {
			c.Before, c.After = "…", "…"
		}
		changes = append(changes, c)
	}
	return changes
}

// trailValues are the plain values of an entry; settings that are saved as a whole have none that could be told in a
// line.
func trailValues(text json.RawMessage) map[string]string {
	var all map[string]any
	if json.Unmarshal(text, &all) != nil {
		return nil
	}
	values := map[string]string{}
	for k, v := range all {
		switch v := v.(type) {
		case string:
			values[k] = v
		case float64, bool:
			values[k] = fmt.Sprint(v)
		}
	}
	return values
}

// WriteTrail writes all of the trail that is asked for as CSV. Error: firm.ErrForbidden.
func (d *Desk) WriteTrail(ctx context.Context, a firm.Actor, query TrailQuery, w io.Writer) error {
	page, err := d.Trail(ctx, a, query)
	if err != nil {
		return err
	}
	out, err := formats.NewCSVWriter(w, []string{"When", "Who", "Kind", "What", "Of", "Changes"})
	if err != nil {
		return err
	}
	for {
		for _, e := range page.Entries {
			var changes []string
			for _, c := range e.Changes {
				changes = append(changes, c.Field+": "+c.Before+" → "+c.After)
			}
			if err := out.Write([]string{e.At.In(a.Location()).Format(time.RFC3339), e.Who, e.Kind, e.What, e.Subject,
				strings.Join(changes, "; ")}); err != nil {
				return err
			}
		}
		if page.Next == nil {
			return out.Flush()
		}
		query.After = *page.Next
		if page, err = d.Trail(ctx, a, query); err != nil {
			return err
		}
	}
}
