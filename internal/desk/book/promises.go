package book

import (
	"context"
	"math"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/promise"
	"trundo/internal/core/rights"
	"trundo/internal/desk/firm"
	"trundo/internal/optional"
	"trundo/internal/store/db"
)

// ledgerDays is how far the ledger of colleagues goes back, and ledgerNewest how many promises it tells one by one.
const (
	ledgerDays   = 90
	ledgerNewest = 100
)

// Promises is how promises stand: those to somebody of the book, or one's own of the last ninety days, or those of
// everybody whose day one may see. Errors: firm.ErrNotFound, firm.ErrGone.
func (bk *Book) Promises(ctx context.Context, a firm.Actor, record *uuid.UUID,
	mine bool) (contract.PromiseLedger, error) {
	view := contract.PromiseLedger{By: []contract.PromisesOf{}, Newest: []contract.FollowUp{}}
	p := db.PromisesParams{RecordID: record}
	if record != nil {
		if err := bk.Readable(ctx, *record); err != nil {
			return view, err
		}
	} else {
		p.Since = optional.Time(bk.Clock.Now().AddDate(0, 0, -ledgerDays))
		if mine {
			p.OwnerID = &a.ID
		}
	}
	rows, err := bk.Store.Promises(ctx, p)
	if err != nil {
		return view, err
	}
	var all promise.Ledger
	by, names := map[uuid.UUID]*promise.Ledger{}, map[uuid.UUID]string{}
	for _, r := range rows {
		if record == nil && !bk.MayOf(ctx, a, rights.SeeDays, &r.OwnerID) {
			continue
		}
		f := bk.FollowUpView(db.FollowUpsByIDsRow(r), a)
		all.Add(promise.State(f.Promise))
		if by[r.OwnerID] == nil {
			by[r.OwnerID], names[r.OwnerID] = &promise.Ledger{}, r.OwnerName
		}
		by[r.OwnerID].Add(promise.State(f.Promise))
		if len(view.Newest) < ledgerNewest {
			view.Newest = append(view.Newest, f)
		}
	}
	view.Counts = countsOf(all)
	for id, l := range by {
		view.By = append(view.By, contract.PromisesOf{ID: id, Name: names[id], Counts: countsOf(*l)})
	}
	slices.SortFunc(view.By, func(x, y contract.PromisesOf) int { return strings.Compare(x.Name, y.Name) })
	return view, nil
}

// LedgerOf counts promises, for whoever sees somebody call.
func LedgerOf(rows []db.PromisesRow, now time.Time) promise.Ledger {
	var l promise.Ledger
	for _, r := range rows {
		l.Add(promise.State(promised(db.FollowUpsByIDsRow(r), firm.Actor{}, now)))
	}
	return l
}

func countsOf(l promise.Ledger) contract.PromiseCounts {
	v := contract.PromiseCounts{Kept: l.Kept, Late: l.Late, Broken: l.Broken, Open: l.Open}
	if share, known := l.Share(); known {
		v.KeptPercent = new(int(math.Round(100 * share)))
	}
	return v
}
