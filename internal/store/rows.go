package store

import (
	"context"
	"fmt"
	"strings"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"trundo/internal/core/fields"
	"trundo/internal/core/filter"
)

// RowQuery asks for records: which, in what order, and from where on. Texts in it are values, never SQL.
type RowQuery struct {
	Kinds         []fields.Kind // at least one
	Words         string        // part of a name, mail address, company; folded in the database
	Ends          string        // the end of a number, as digits from the last on
	Begins        []string      // how a number may begin: "+413555", "+1413555"
	List          *uuid.UUID    // only members of this hand-made list
	Reader        uuid.UUID     // whose private lists count besides the shared ones
	Filter        *filter.Expr
	Sort          fields.Field // zero: the name
	Down          bool
	Offset, Limit int
	// After is the row before the one at Offset, where it is known: by names, the rows are read from there on by the
	// index, and nothing is counted off. uuid.Nil: it is not known.
	After uuid.UUID
}

// Selection are records that somebody has picked: those named, or all that a query finds, but for some.
type Selection struct {
	IDs     []uuid.UUID
	Query   *RowQuery
	Without []uuid.UUID
}

// sqlText gathers a statement's arguments.
type sqlText struct{ args []any }

func (t *sqlText) arg(v any) string {
	t.args = append(t.args, v)
	return fmt.Sprintf("$%d", len(t.args))
}

// RowIDs reads the ids of the rows from q.Offset on, in order.
func (s *Store) RowIDs(ctx context.Context, q RowQuery) ([]uuid.UUID, error) {
	if q.After != uuid.Nil && q.byName() {
		ids, err := s.rowsAfter(ctx, q)
		if err != nil || len(ids) > 0 {
			return ids, err
		} // it was the last, or is gone
	}
	var t sqlText
	where := q.where(&t)
	text := fmt.Sprintf("SELECT r.id FROM records r WHERE %s ORDER BY %s LIMIT %d OFFSET %d", where, q.order(&t),
		q.Limit, q.Offset)
	rows, err := s.Pool.Query(ctx, text, t.args...)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[uuid.UUID])
}

// rowsAfter reads the rows after q.After, by names; none where that is gone.
func (s *Store) rowsAfter(ctx context.Context, q RowQuery) ([]uuid.UUID, error) {
	var t sqlText
	where := q.where(&t)
	after := t.arg(q.After)
	is := ">"
	if q.Down {
		is = "<"
	}
	text := fmt.Sprintf("SELECT r.id FROM records r WHERE %s AND (lower(r.name), r.id) %s ((SELECT lower(x.name) "+
		"FROM records x WHERE x.id = %s), %s) ORDER BY %s LIMIT %d",
		where, is, after, after, q.order(&t), q.Limit)
	rows, err := s.Pool.Query(ctx, text, t.args...)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[uuid.UUID])
}

// CountRows counts what q finds, but at most to limit; more tells whether there are more than that.
func (s *Store) CountRows(ctx context.Context, q RowQuery, limit int) (count int, more bool, err error) {
	var t sqlText
	where := q.where(&t)
	err = s.Pool.QueryRow(ctx, fmt.Sprintf("SELECT count(*) FROM (SELECT FROM records r WHERE %s LIMIT %d) x", where,
		limit+1), t.args...).Scan(&count)
	if count > limit {
		return limit, true, err
	}
	return count, false, err
}

// SelectedIDs gives a statement, and its arguments, that reads the ids of the records that are selected; it can stand
// where a table can. Only records that are not deleted are selected.
func (sel Selection) SelectedIDs() (text string, args []any) {
	var t sqlText
	where := "r.deleted_at IS NULL AND r.id = ANY (" + t.arg(sel.IDs) + ")"
	if sel.Query != nil {
		t = sqlText{}
		where = sel.Query.where(&t)
	}
	if len(sel.Without) > 0 {
		where += " AND r.id <> ALL (" + t.arg(sel.Without) + ")"
	}
	return "SELECT r.id FROM records r WHERE " + where, t.args
}

// IsSelected tells whether a record is among those that are selected.
func (s *Store) IsSelected(ctx context.Context, sel Selection, record uuid.UUID) (is bool, err error) {
	text, args := sel.SelectedIDs()
	err = s.Pool.QueryRow(ctx, fmt.Sprintf("SELECT $%d IN (%s)", len(args)+1, text), append(args, record)...).Scan(&is)
	return is, err
}

func (q RowQuery) where(t *sqlText) string {
	kinds := make([]string, len(q.Kinds))
	for i, k := range q.Kinds {
		kinds[i] = "'" + strings.ReplaceAll(string(k), "'", "") + "'"
	}
	// Literals, so that the planner sees that a partial index fits.
	parts := []string{"r.deleted_at IS NULL", "r.kind IN (" + strings.Join(kinds, ", ") + ")"}
	if q.List != nil {
		parts = append(parts, "r.id IN (SELECT m.record_id FROM list_members m JOIN lists l ON l.id = m.list_id "+
			"WHERE l.id = "+t.arg(*q.List)+" AND (l.shared OR l.owner_id = "+t.arg(q.Reader)+"))")
	}
	if q.Words != "" {
		words := "'%' || fold(" + t.arg(likeEscape(q.Words)) + ") || '%'"
		found := "SELECT x.id FROM records x WHERE x.deleted_at IS NULL AND x.search LIKE " + words +
			" UNION SELECT x.id FROM records x JOIN records c ON c.id = x.company_id WHERE c.deleted_at IS NULL AND " +
			"c.kind = 'company' AND c.search LIKE " + words
		if q.Ends != "" {
			found += " UNION SELECT n.record_id FROM phone_numbers n WHERE n.digits_reversed LIKE " + t.arg(q.Ends+"%")
			for _, b := range q.Begins {
				found += " UNION SELECT n.record_id FROM phone_numbers n WHERE n.e164 LIKE " + t.arg(b+"%")
			}
		}
		parts = append(parts, "r.id IN ("+found+")")
	}
	if q.Filter != nil {
		parts = append(parts, condition(t, *q.Filter))
	}
	return strings.Join(parts, " AND ")
}

// byName tells whether rows are in the order of their names.
func (q RowQuery) byName() bool { return q.Sort.Key == "" || q.Sort.Key == "name" }

func (q RowQuery) order(t *sqlText) string {
	text := "lower(r.name)"
	switch q.Sort.Key {
	case "", "name":
	case "company", "person", "deal", "quote", "order":
		text = "(SELECT lower(o.name) FROM records o WHERE o.id = r." + columns[q.Sort.Key] + ")"
	case "owner":
		text = "(SELECT lower(u.name) FROM users u WHERE u.id = r.owner_id)"
	default:
		text = expression(t, q.Sort)
	}
	way := ""
	if q.Down {
		way = " DESC"
	}
	if text == "lower(r.name)" {
		return text + way + ", r.id" + way
	}
	return text + way + " NULLS LAST, lower(r.name), r.id"
}

// columns are the columns of records that fields stand in.
var columns = map[string]string{"name": "name", "given": "given", "family": "family", "job": "job",
	"company": "company_id", "email": "email",
	"stage": "stage", "owner": "owner_id", "source": "source", "tags": "tags", "web": "web", "social": "social",
	"address": "address", "place": "place",
	"zone": "zone", "note": "note", "person": "person_id", "deal": "deal_id", "quote": "quote_id", "order": "order_id",
	"way": "way", "reference": "reference", "amount": "amount_minor",
	"due": "due_on", "starts": "starts_at", "ends": "ends_at", "delivery": "delivery", "invoice": "invoice",
	"created": "created_at"}

const calledAt = "(SELECT max(h.at) FROM history h WHERE h.record_id = r.id AND h.kind = 'call')"

// expression is a field's value in SQL.
func expression(t *sqlText, f fields.Field) string {
	if column, there := columns[f.Key]; there {
		switch f.Type {
		case fields.Text, fields.Choice, fields.Mail, fields.Web, fields.Zone:
			return "NULLIF(r." + column + ", '')"
		}
		return "r." + column
	}
	switch f.Key {
	case "last_call":
		return calledAt
	case "calls":
		return "(SELECT count(*) FROM history h WHERE h.record_id = r.id AND h.kind = 'call')"
	case "no_outcome":
		return "EXISTS (SELECT FROM history h JOIN slips s ON s.call_id = h.ref_id AND s.outcome_id IS NULL WHERE " +
			"h.record_id = r.id AND h.kind = 'call')"
	case "follow_up":
		return "EXISTS (SELECT FROM follow_ups f WHERE f.record_id = r.id AND f.state = 'open')"
	case "do_not_call":
		return "(r.dnc_at IS NOT NULL)"
	case "number":
		return "(SELECT n.e164 FROM phone_numbers n WHERE n.record_id = r.id ORDER BY n.position LIMIT 1)"
	}
	key, _ := strings.CutPrefix(f.Key, fields.Custom)
	text := "(r.custom ->> " + t.arg(key) + "::text)"
	switch f.Type {
	case fields.Number:
		return text + "::numeric"
	case fields.Date:
		return text + "::date"
	}
	return text
}

// condition compiles a filter. It is the only place where a filter becomes SQL.
func condition(t *sqlText, x filter.Expr) string {
	if x.IsGroup() {
		if len(x.Parts) == 0 {
			return "true"
		}
		parts := make([]string, len(x.Parts))
		for i, p := range x.Parts {
			parts[i] = condition(t, p)
		}
		word := " AND "
		if x.Any {
			word = " OR "
		}
		return "(" + strings.Join(parts, word) + ")"
	}
	switch x.Field.Type {
	case fields.Phone:
		return numberCondition(t, x)
	case fields.Tags:
		return tagCondition(t, x)
	case fields.Date, fields.Time:
		return timeCondition(t, x)
	case fields.YesNo:
		value := expression(t, x.Field)
		if strings.HasPrefix(x.Field.Key, fields.Custom) {
			value = "coalesce(" + value + ", 'no') = 'yes'"
		}
		if x.Text == "yes" {
			return value
		}
		return "NOT " + value
	}
	value := expression(t, x.Field)
	switch x.Op {
	case filter.Empty:
		return value + " IS NULL"
	case filter.Filled:
		return value + " IS NOT NULL"
	}
	switch x.Field.Type {
	case fields.Number, fields.Money:
		text := comparison(value, x.Op, t.arg(x.Number)+"::text::numeric")
		if x.Field.Type == fields.Money {
			text = "(r.currency = " + t.arg(x.Currency) + " AND " + text + ")"
		}
		return text
	case fields.User, fields.Ref:
		return idCondition(t, x, value)
	}
	return textCondition(t, x, value)
}

func comparison(value string, op filter.Op, to string) string {
	switch op {
	case filter.Less:
		return value + " < " + to
	case filter.More:
		return value + " > " + to
	case filter.IsNot:
		return value + " IS DISTINCT FROM " + to
	}
	return value + " = " + to
}

func textCondition(t *sqlText, x filter.Expr, value string) string {
	switch x.Op {
	case filter.Is, filter.IsNot:
		if x.Field.Type == fields.Choice {
			return comparison(value, x.Op, t.arg(x.Text)+"::text")
		}
		return comparison("lower("+value+")", x.Op, "lower("+t.arg(x.Text)+"::text)")
	case filter.AnyOf:
		return value + " = ANY (" + t.arg(x.Texts) + "::text[])"
	}
	pattern := "fold(" + t.arg(likeEscape(x.Text)) + "::text) || '%'"
	if x.Op == filter.Contains {
		pattern = "'%' || " + pattern
	}
	text := "fold(" + value + ") LIKE " + pattern
	if x.Field.Key == "name" || x.Field.Key == "email" { // what the index on all of it can narrow first
		text = "(r.search LIKE '%' || " + strings.TrimPrefix(pattern, "'%' || ") + " AND " + text + ")"
	}
	return text
}

func idCondition(t *sqlText, x filter.Expr, value string) string {
	texts := x.Texts
	if x.Op != filter.AnyOf {
		texts = []string{x.Text}
	}
	var ids []uuid.UUID
	for _, text := range texts {
		if id, err := uuid.Parse(text); err == nil {
			ids = append(ids, id)
		}
	}
	in := ""
	if len(ids) > 0 || x.Field.Type != fields.Ref {
		in = value + " = ANY (" + t.arg(ids) + "::uuid[])"
	} else { // a name
		in = value + " IN (SELECT o.id FROM records o WHERE o.deleted_at IS NULL AND o.search LIKE '%' || fold(" +
			t.arg(likeEscape(x.Text)) + ") || '%')"
	}
	if x.Op == filter.IsNot {
		return "coalesce(NOT " + in + ", true)"
	}
	return in
}

func tagCondition(t *sqlText, x filter.Expr) string {
	switch x.Op {
	case filter.Empty:
		return "r.tags = '{}'"
	case filter.Filled:
		return "r.tags <> '{}'"
	case filter.Is:
		return "r.tags @> " + t.arg([]string{x.Text}) + "::text[]"
	case filter.IsNot:
		return "NOT r.tags @> " + t.arg([]string{x.Text}) + "::text[]"
	}
	return "r.tags && " + t.arg(x.Texts) + "::text[]"
}

func timeCondition(t *sqlText, x filter.Expr) string {
	cast := "::timestamptz"
	bound := func(at any) string { return t.arg(at) + cast }
	from, to := any(x.From), any(x.To)
	if x.Field.Type == fields.Date {
		cast = "::text::date"
		from, to = x.From.Format("2006-01-02"), x.To.Format("2006-01-02")
	}
	calls := x.Field.Key == "last_call"
	since := func(at string) string {
		return "EXISTS (SELECT FROM history h WHERE h.record_id = r.id AND h.kind = 'call' AND h.at >= " + at + ")"
	}
	value := expression(t, x.Field)
	switch x.Op {
	case filter.Empty:
		return value + " IS NULL"
	case filter.Filled:
		return value + " IS NOT NULL"
	case filter.Less:
		return value + " < " + bound(from)
	case filter.More:
		if calls {
			return since(bound(to))
		}
		return value + " >= " + bound(to)
	case filter.NotPast:
		if calls {
			return "NOT " + since(bound(from))
		}
		return "coalesce(" + value + " < " + bound(from) + ", true)"
	}
	return "(" + value + " >= " + bound(from) + " AND " + value + " < " + bound(to) + ")"
}

func numberCondition(t *sqlText, x filter.Expr) string {
	of := "SELECT FROM phone_numbers n WHERE n.record_id = r.id"
	if key, custom := strings.CutPrefix(x.Field.Key, fields.Custom); custom {
		of += " AND n.field_id = (SELECT c.id FROM custom_fields c WHERE c.record_kind = r.kind AND c.key = " +
			t.arg(key) + ")"
	}
	digits := strings.Map(func(r rune) rune {
		if r < '0' || r > '9' {
			return -1
		}
		return r
	}, x.Text)
	switch x.Op {
	case filter.Empty:
		return "NOT EXISTS (" + of + ")"
	case filter.Filled:
		return "EXISTS (" + of + ")"
	case filter.Begins:
		return "EXISTS (" + of + " AND n.e164 LIKE ANY (" + t.arg(x.Texts) + "::text[]))"
	}
	return "EXISTS (" + of + " AND n.digits_reversed LIKE " + t.arg(reversed(digits)+"%") + ")"
}

func reversed(s string) string {
	b := []byte(s)
	for i, j := 0, len(b)-1; i < j; i, j = i+1, j-1 {
		b[i], b[j] = b[j], b[i]
	}
	return string(b)
}

// likeEscape makes text stand for itself in a LIKE pattern.
func likeEscape(text string) string {
	return strings.NewReplacer(`\`, `\\`, "%", `\%`, "_", `\_`, "\x00", "").Replace(text)
}
