package book

import (
	"context"
	"errors"
	"strconv"
	"strings"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/fields"
	"trundo/internal/core/filter"
	"trundo/internal/core/phone"
	"trundo/internal/desk/firm"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

const rowsPerPage = 100

// countLimit is as far as rows are counted.
const countLimit = 100_000

// rowQuery understands what a browser asks for. Errors: *FieldError.
func (bk *Book) rowQuery(a firm.Actor, f *firm.Settings, r contract.RowQuery) (store.RowQuery, error) {
	q := store.RowQuery{Limit: rowsPerPage, List: r.ListID, Reader: a.ID}
	for _, k := range r.Kinds {
		if !fields.Kind(k).Known() {
			return q, firm.About("kinds", errNoKind)
		}
		q.Kinds = append(q.Kinds, fields.Kind(k))
	}
	if len(q.Kinds) == 0 {
		return q, firm.About("kinds", errNoKind)
	}
	if r.Q != nil {
		q.Words = strings.TrimSpace(strings.ReplaceAll(*r.Q, "\x00", ""))
		ends, begins := NumberParts(q.Words, f.Region)
		q.Ends, q.Begins = ends, begins[:]
	}
	list := f.Book.Listed(q.Kinds)
	if r.Filter != nil {
		node, err := filter.Parse(*r.Filter)
		if err != nil {
			return q, firm.About("filter", err)
		}
		mine(&node, a.ID)
		if q.Filter, err = filter.Resolve(node, list, bk.Clock.Now(), a.Zone, f.Home(a)); err != nil {
			return q, firm.About("filter", err)
		}
	}
	if r.Sort != nil && *r.Sort != "" {
		sort, there := fields.Find(list, *r.Sort)
		if !there {
			return q, firm.Wrong("sort", "there is no field “"+*r.Sort+"” to sort by")
		}
		q.Sort = sort
	}
	q.Down = r.Down != nil && *r.Down
	if r.Offset != nil {
		q.Offset = *r.Offset
	}
	if r.Limit != nil {
		q.Limit = *r.Limit
	}
	if r.After != nil {
		q.After = *r.After
	}
	return q, nil
}

// mine puts a's id where a filter says "me".
func mine(n *filter.Node, me uuid.UUID) {
	if n.Field == "owner" && n.Value == "me" {
		n.Value = me.String()
	}
	for i := range n.All {
		mine(&n.All[i], me)
	}
	for i := range n.Any {
		mine(&n.Any[i], me)
	}
}

// NumberParts prepares what somebody typed for a search by number: its digits from the last on, and how a number may
// begin that way, with its country's code or without it for one at home; "" where the text is no number. A number in
// any notation is looked for in its normal form.
func NumberParts(q, region string) (ends string, begins [2]string) {
	if !phone.LooksLikeNumber(q) {
		return "", begins
	}
	d := phone.Digits(q)
	if n, err := phone.Parse(q, region); err == nil && n.Valid {
		d = phone.Digits(n.E164)
	}
	return phone.Reverse(d), [2]string{"+" + d, "+" + phone.CountryCode(region) + d}
}

// Rows are the rows of a list from the asked place on. Errors: *FieldError.
func (bk *Book) Rows(ctx context.Context, a firm.Actor, r contract.RowQuery) (contract.RowPage, error) {
	f, err := bk.Settings(ctx)
	if err != nil {
		return contract.RowPage{}, err
	}
	q, err := bk.rowQuery(a, f, r)
	if err != nil {
		return contract.RowPage{}, err
	}
	ids, err := bk.Store.RowIDs(ctx, q)
	if err != nil {
		return contract.RowPage{}, err
	}
	page := contract.RowPage{Offset: q.Offset}
	page.Rows, err = bk.RecordRowsByID(ctx, a, f, ids)
	return page, err
}

// CountRows counts them, to a limit. Errors: *FieldError.
func (bk *Book) CountRows(ctx context.Context, a firm.Actor, r contract.RowQuery) (contract.RowCount, error) {
	f, err := bk.Settings(ctx)
	if err != nil {
		return contract.RowCount{}, err
	}
	q, err := bk.rowQuery(a, f, r)
	if err != nil {
		return contract.RowCount{}, err
	}
	count, more, err := bk.Store.CountRows(ctx, q, countLimit)
	return contract.RowCount{Count: count, More: more}, err
}

// RecordRowsByID reads rows in the order of ids.
func (bk *Book) RecordRowsByID(ctx context.Context, a firm.Actor, f *firm.Settings,
	ids []uuid.UUID) ([]contract.RecordRow, error) {
	views := make([]contract.RecordRow, 0, len(ids))
	if len(ids) == 0 {
		return views, nil
	}
	rows, err := bk.Store.RecordsByIDs(ctx, ids)
	if err != nil {
		return nil, err
	}
	numbers, err := bk.numbersOf(ctx, a, f, ids)
	if err != nil {
		return nil, err
	}
	calls, err := bk.Store.LastCallsOf(ctx, ids)
	if err != nil {
		return nil, err
	}
	callsOf := map[uuid.UUID]db.LastCallsOfRow{}
	for _, c := range calls {
		callsOf[c.RecordID] = c
	}
	byID := map[uuid.UUID]*db.RecordsByIDsRow{}
	for i := range rows {
		byID[rows[i].Record.ID] = &rows[i]
	}
	for _, id := range ids {
		if r, there := byID[id]; there {
			views = append(views, recordRow(f, r, callsOf[id], numbers[id]))
		}
	}
	return views, nil
}

func recordRow(f *firm.Settings, x *db.RecordsByIDsRow, calls db.LastCallsOfRow,
	numbers []contract.PhoneNumber) contract.RecordRow {
	r := &x.Record
	row := contract.RecordRow{ID: r.ID, Kind: contract.RecordKind(r.Kind), Name: r.Name, Job: r.Job, Stage: r.Stage,
		OwnerName: x.OwnerName,
		Company:   companyRef(r.CompanyID, x.CompanyName), Numbers: firm.OrEmpty(numbers), Values: map[string]string{}}
	custom := customOfRecord(r)
	n := names{x.CompanyName, x.OwnerName, x.PersonName, x.DealName, x.QuoteName, x.OrderName}
	for _, field := range f.Book.Of(fields.Kind(r.Kind)) {
		if field.Type == fields.Long || field.Computed && field.Key != "created" {
			continue
		}
		if v := readable(r, field, valueOf(r, field, custom), n); v != "" {
			row.Values[field.Key] = v
		}
	}
	if calls.Calls > 0 {
		row.Values["last_call"] = calls.LastCall.UTC().Format("2006-01-02T15:04:05Z")
		row.Values["calls"] = strconv.Itoa(calls.Calls)
	}
	return row
}

// Selection understands which records are meant. Errors: *FieldError.
func (bk *Book) Selection(a firm.Actor, f *firm.Settings, s contract.Selection) (store.Selection, error) {
	var out store.Selection
	if s.Without != nil {
		out.Without = *s.Without
	}
	switch {
	case s.Query != nil && s.Ids != nil:
		return out, firm.Wrong("selection", "say either which, or all that a query finds")
	case s.Query != nil:
		q, err := bk.rowQuery(a, f, *s.Query)
		if err != nil {
			return out, err
		}
		out.Query = &q
	case s.Ids != nil && len(*s.Ids) > 0:
		out.IDs = *s.Ids
	default:
		return out, firm.About("selection", errNothing)
	}
	return out, nil
}

var errNothing = errors.New("nothing is selected")
