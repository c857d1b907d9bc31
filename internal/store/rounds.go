package store

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"trundo/internal/core/fields"
)

// Whom is somebody who is to be called: themselves, or about a deal or a case of theirs.
type Whom struct {
	ID    uuid.UUID
	About *uuid.UUID
}

// What is called for a record: itself, or of a deal or a case its person, or else its company, if they are there.
const (
	whom = "CASE WHEN r.kind IN ('deal', 'case') THEN coalesce(r.person_id, r.company_id) ELSE r.id END, CASE WHEN " +
		"r.kind IN ('deal', 'case') THEN r.id END"
	there = " AND (r.kind NOT IN ('deal', 'case') OR EXISTS (SELECT FROM records w WHERE w.id = " +
		"coalesce(r.person_id, r.company_id) AND w.deleted_at IS NULL))"
)

// SelectedInOrder reads whom to call for selected records of some kinds, at most limit: those named in the order in
// which they are named, those that a query finds in its order. Nobody comes twice.
func (s *Store) SelectedInOrder(ctx context.Context, sel Selection, kinds []fields.Kind, limit int) ([]Whom, error) {
	var t sqlText
	named := make([]string, len(kinds))
	for i, k := range kinds {
		named[i] = string(k)
	}
	var text string
	if sel.Query != nil {
		text = "SELECT " + whom + " FROM records r WHERE " + sel.Query.where(&t) + " AND r.kind = ANY (" +
			t.arg(named) + ")" + there
		if len(sel.Without) > 0 {
			text += " AND r.id <> ALL (" + t.arg(sel.Without) + ")"
		}
		text += fmt.Sprintf(" ORDER BY %s LIMIT %d", sel.Query.order(&t), limit)
	} else {
		ids := t.arg(sel.IDs)
		text = "SELECT " + whom + " FROM unnest(" + ids +
			"::uuid[]) WITH ORDINALITY n(id, place) JOIN records r ON r.id = n.id WHERE r.deleted_at IS NULL AND " +
			"r.kind = ANY (" +
			t.arg(named) + ")" + there + fmt.Sprintf(" ORDER BY n.place LIMIT %d", limit)
	}
	rows, err := s.Pool.Query(ctx, text, t.args...)
	if err != nil {
		return nil, err
	}
	found, err := pgx.CollectRows(rows, pgx.RowToStructByPos[Whom])
	seen := make(map[uuid.UUID]bool, len(found))
	return slices.DeleteFunc(found, func(w Whom) bool {
		twice := seen[w.ID]
		seen[w.ID] = true
		return twice
	}), err
}

// firstBy are the statements that give, of the ids $1, the first $2 by an order, at the time $3.
var firstBy = map[string]string{
	"valuable": `SELECT coalesce(d.person_id, d.company_id) AS id FROM records d WHERE d.kind = 'deal' AND d.deleted_at IS NULL AND NOT is_over(d.kind, d.stage)
		AND coalesce(d.person_id, d.company_id) = ANY ($1) AND $3::timestamptz IS NOT NULL GROUP BY 1 ORDER BY max(d.amount_minor) DESC NULLS LAST LIMIT $2`,
	"overdue": `SELECT f.record_id FROM follow_ups f WHERE f.state = 'open' AND f.due_at < $3 AND f.record_id = ANY ($1) GROUP BY 1 ORDER BY min(f.due_at) LIMIT $2`,
}

// FirstBy gives, of a long list, the first n by an order; fewer where the order says nothing of the others.
func (s *Store) FirstBy(ctx context.Context, order string, ids []uuid.UUID, n int, now time.Time) ([]uuid.UUID, error) {
	text, there := firstBy[order]
	if !there {
		return nil, nil
	}
	rows, err := s.Pool.Query(ctx, strings.TrimSpace(text), ids, n, now)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[uuid.UUID])
}
