package desk

import (
	"context"
	"strings"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/phone"
	"trundo/internal/store/db"
)

// ImportDoNotCall takes a list of numbers that must not be called, one a line, a reason behind a comma. They hold whoever
// has them, now and later. Error: ErrForbidden.
func (d *Desk) ImportDoNotCall(ctx context.Context, a Actor, t contract.DoNotCallText) (contract.DoNotCallResult, error) {
	result := contract.DoNotCallResult{Rejected: []contract.Reject{}}
	if !a.mayDo(Import) {
		return result, ErrForbidden
	}
	f, err := d.firm(ctx)
	if err != nil {
		return result, err
	}
	general := cleanReason(t.Reason)
	var numbers, why []string
	seen := map[string]bool{}
	for i, line := range strings.Split(strings.ReplaceAll(t.Text, "\x00", ""), "\n") {
		line = strings.Trim(strings.TrimSpace(line), "\ufeff")
		if line == "" {
			continue
		}
		typed, reason := line, general
		if at := strings.IndexAny(line, ",;\t"); at >= 0 {
			typed = line[:at]
			if own := strings.TrimSpace(line[at+1:]); own != "" {
				reason = own
			}
		}
		n, err := phone.Parse(strings.Trim(typed, `"' `), f.region)
		if err != nil {
			result.Rejected = append(result.Rejected, contract.Reject{Row: int64(i + 1), Line: int64(i + 1), Field: "number", Reason: err.Error(), Cells: []string{line}})
			continue
		}
		if !seen[n.E164] {
			seen[n.E164] = true
			numbers, why = append(numbers, n.E164), append(why, reason)
		}
	}
	err = d.Store.Tx(ctx, func(q *db.Queries) error {
		added, err := q.AddDoNotCall(ctx, db.AddDoNotCallParams{AddedBy: &a.ID, At: d.Clock.Now(), Numbers: numbers, Reasons: why})
		if err != nil {
			return err
		}
		result.Added, result.Known = int(added), len(numbers)-int(added)
		return d.audited(ctx, q, a, "do_not_call", uuid.Nil, "list taken up", map[string]int{}, map[string]int{"added": result.Added, "known": result.Known, "rejected": len(result.Rejected)})
	})
	if err != nil {
		return result, err
	}
	d.publishMany()
	return result, nil
}

// DoNotCallList tells how many numbers are on the list, and which came last. Error: ErrForbidden.
func (d *Desk) DoNotCallList(ctx context.Context, a Actor) (contract.DoNotCallPage, error) {
	page := contract.DoNotCallPage{Newest: []contract.DoNotCallNumber{}}
	if !a.mayDo(Import) {
		return page, ErrForbidden
	}
	f, err := d.firm(ctx)
	if err != nil {
		return page, err
	}
	total, err := d.Store.CountDoNotCall(ctx)
	if err != nil {
		return page, err
	}
	page.Total = int(total)
	rows, err := d.Store.NewestDoNotCall(ctx)
	for _, r := range rows {
		page.Newest = append(page.Newest, contract.DoNotCallNumber{Display: phone.Format(r.E164, "", f.region, a.Style), Reason: r.Reason, At: r.At})
	}
	return page, err
}
