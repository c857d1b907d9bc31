package queues

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"trundo/internal/contract"
	"trundo/internal/core/rights"
	"trundo/internal/desk/firm"
	"trundo/internal/optional"
	"trundo/internal/store"
	"trundo/internal/store/db"

	"github.com/google/uuid"
)

// Errors of putting a route live.
var (
	ErrFaults = errors.New("something is wrong with the draft still")
	ErrTrials = errors.New("a caller that was kept as a test fares differently now")
)

// PutLive puts the draft live, once nothing is wrong with it and every caller that was kept as a test fares as they
// should; or goes back to an earlier version, whose draft it then is. Errors: firm.ErrForbidden, firm.ErrNotFound,
// firm.ErrChangedElse, ErrFaults, ErrTrials.
func (qs *Queues) PutLive(
	ctx context.Context,
	a firm.Actor,
	id uuid.UUID,
	l contract.RouteLive,
) (contract.RoutePage, error) {
	page, err := qs.Route(ctx, a, id)
	if err != nil {
		return page, err
	}
	if l.BackTo == nil {
		wrong := len(page.Faults) > 0 ||
			slices.ContainsFunc(page.Outline, func(x contract.RouteLine) bool { return len(x.Faults) > 0 })
		switch {
		case wrong:
			return page, ErrFaults
		case slices.ContainsFunc(page.Trials, func(t contract.RouteTrial) bool { return !t.Passes }):
			return page, ErrTrials
		}
	}
	err = qs.Store.Tx(ctx, func(q *db.Queries) error {
		no := optional.Value(l.BackTo)
		if l.BackTo == nil {
			doc, err := docOf(page.Draft)
			if err != nil {
				return err
			}
			text, err := json.Marshal(doc)
			if err != nil {
				return err
			}
			if no, err = q.InsertRouteVersion(ctx, db.InsertRouteVersionParams{RouteID: id, Doc: text,
				At: qs.Clock.Now(), UserID: a.ID}); err != nil {
				return err
			}
		} else {
			text, err := q.RouteVersion(ctx, db.RouteVersionParams{RouteID: id, No: no})
			if store.NotFound(err) {
				return firm.About("back_to", firm.ErrNotFound)
			} else if err != nil {
				return err
			}
			if n, err := q.UpdateRoute(ctx, db.UpdateRouteParams{Name: page.Name, Draft: text, ID: id,
				Version: l.Version}); err != nil || n == 0 {
				return orChanged(err)
			}
			l.Version++
		}
		if n, err := q.SetRouteLive(ctx, db.SetRouteLiveParams{Live: new(int32(no)), ID: id,
			Version: l.Version}); err != nil ||
			n == 0 {
			return orChanged(err)
		}
		was := "none"
		if page.Live != nil {
			was = fmt.Sprint(*page.Live)
		}
		return qs.Audited(ctx, q, a, "route", id, "route put live", map[string]string{"version": was},
			map[string]string{"version": fmt.Sprint(no), "name": page.Name})
	})
	if err != nil {
		return page, err
	}
	qs.changedSetUp(ctx)
	return qs.Route(ctx, a, id)
}

func orChanged(err error) error {
	if err == nil {
		return firm.ErrChangedElse
	}
	return err
}

// SetLineRoute lets a line go by a route that is live, or by its own rule. Errors: firm.ErrForbidden, firm.ErrNotFound,
// *firm.FieldError.
func (qs *Queues) SetLineRoute(
	ctx context.Context,
	a firm.Actor,
	line uuid.UUID,
	r *uuid.UUID,
) (contract.FirmLine, error) {
	if !a.MayDo(rights.Telephony) {
		return contract.FirmLine{}, firm.ErrForbidden
	}
	set, err := qs.readSetUp(ctx)
	if err != nil {
		return contract.FirmLine{}, err
	}
	name := "its own rule"
	if r != nil {
		row, _, err := set.draft(*r)
		if err != nil {
			return contract.FirmLine{}, firm.About("route_id", err)
		}
		if _, live := set.live[*r]; !live {
			return contract.FirmLine{}, firm.Wrong("route_id", "this route has not gone live yet")
		}
		name = row.Name
	}
	err = qs.Store.Tx(ctx, func(q *db.Queries) error {
		n, err := q.SetLineRoute(ctx, db.SetLineRouteParams{RouteID: r, ID: line})
		if err == nil && n == 0 {
			err = firm.ErrNotFound
		}
		if err != nil {
			return err
		}
		return qs.Audited(
			ctx,
			q,
			a,
			"line",
			line,
			"route of a line",
			map[string]string{},
			map[string]string{"route": name},
		)
	})
	if err != nil {
		return contract.FirmLine{}, err
	}
	qs.changedSetUp(ctx)
	lines, err := qs.Calls.Lines.Lines(ctx, a)
	for _, l := range lines {
		if l.ID == line {
			return l, nil
		}
	}
	if err == nil {
		err = firm.ErrNotFound
	}
	return contract.FirmLine{}, err
}
