package book

import (
	"context"
	"strings"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/callable"
	"trundo/internal/core/phone"
	"trundo/internal/core/rights"
	"trundo/internal/desk/firm"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// ImportDoNotCall takes a list of numbers that must not be called, one a line, a reason behind a comma. They hold
// whoever has them, now and later. Error: ErrForbidden.
func (bk *Book) ImportDoNotCall(ctx context.Context, a firm.Actor,
	t contract.DoNotCallText) (contract.DoNotCallResult, error) {
	result := contract.DoNotCallResult{Rejected: []contract.Reject{}}
	if !a.MayDo(rights.Import) {
		return result, firm.ErrForbidden
	}
	f, err := bk.Settings(ctx)
	if err != nil {
		return result, err
	}
	general := firm.CleanReason(t.Reason)
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
		n, err := phone.Parse(strings.Trim(typed, `"' `), f.Region)
		if err != nil {
			result.Rejected = append(result.Rejected,
				contract.Reject{Row: int64(i + 1), Line: int64(i + 1), Field: "number", Reason: err.Error(),
					Cells: []string{line}})
			continue
		}
		if !seen[n.E164] {
			seen[n.E164] = true
			numbers, why = append(numbers, n.E164), append(why, reason)
		}
	}
	err = bk.Store.Tx(ctx, func(q *db.Queries) error {
		added, err := q.AddDoNotCall(ctx,
			db.AddDoNotCallParams{AddedBy: &a.ID, At: bk.Clock.Now(), Numbers: numbers, Reasons: why})
		if err != nil {
			return err
		}
		result.Added, result.Known = int(added), len(numbers)-int(added)
		return bk.Audited(ctx, q, a, "do_not_call", uuid.Nil, "list taken up", map[string]int{},
			map[string]int{"added": result.Added, "known": result.Known, "rejected": len(result.Rejected)})
	})
	if err != nil {
		return result, err
	}
	bk.publishMany()
	return result, nil
}

// DoNotCallList tells how many numbers are on the list, and which came last. Error: ErrForbidden.
func (bk *Book) DoNotCallList(ctx context.Context, a firm.Actor) (contract.DoNotCallPage, error) {
	page := contract.DoNotCallPage{Newest: []contract.DoNotCallNumber{}}
	if !a.MayDo(rights.Import) {
		return page, firm.ErrForbidden
	}
	f, err := bk.Settings(ctx)
	if err != nil {
		return page, err
	}
	total, err := bk.Store.CountDoNotCall(ctx)
	if err != nil {
		return page, err
	}
	page.Total = int(total)
	rows, err := bk.Store.NewestDoNotCall(ctx)
	for _, r := range rows {
		page.Newest = append(page.Newest,
			contract.DoNotCallNumber{Display: phone.Format(r.E164, "", f.Region, a.Style), Reason: r.Reason, At: r.At})
	}
	return page, err
}

// TypedRefused tells why a typed number is not called: it is on the list, or whoever has it asked not to be called.
func (bk *Book) TypedRefused(ctx context.Context, n phone.Number,
	rows []db.NumberCandidatesRow) (*firm.RefusedError, error) {
	listed, err := bk.Store.DoNotCall(ctx, n.E164)
	if err != nil && !store.NotFound(err) {
		return nil, err
	}
	check := func(s callable.Subject, why firm.Reasons) *firm.RefusedError {
		return firm.Refused(callable.Check(s, bk.Hours, bk.Clock.Now()).Refused, why)
	}
	if no := check(callable.Subject{ListedDoNotCall: err == nil}, firm.Reasons{Listed: listed.Reason}); no != nil {
		return no, nil
	}
	for _, row := range rows {
		s := callable.Subject{NumberDoNotCall: row.DncAt != nil && row.Ext == n.Ext}
		if len(rows) == 1 {
			s.PersonDoNotCall = row.RecordDncAt != nil
		}
		var why firm.Reasons
		if s.NumberDoNotCall {
			if why.Number, err = bk.Store.NumberDoNotCallReason(ctx,
				db.NumberDoNotCallReasonParams{E164: &n.E164, Ext: n.Ext, RecordID: row.RecordID}); err != nil &&
				!store.NotFound(err) {
				return nil, err
			}
		}
		if s.PersonDoNotCall {
			person, err := bk.Store.DoNotCallOf(ctx, row.RecordID)
			if err != nil {
				return nil, err
			}
			why.Person = person.DncReason
		}
		if len(rows) == 1 && row.CompanyID != nil {
			company, err := bk.Store.DoNotCallOf(ctx, *row.CompanyID)
			if err != nil {
				return nil, err
			}
			s.CompanyDoNotCall, why.Company = company.DncAt != nil, company.DncReason
		}
		if no := check(s, why); no != nil {
			return no, nil
		}
	}
	return nil, nil
}
