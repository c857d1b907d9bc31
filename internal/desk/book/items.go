package book

import (
	"context"
	"errors"
	"fmt"
	"strconv"
	"strings"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/fields"
	"trundo/internal/core/money"
	"trundo/internal/desk/firm"
	"trundo/internal/optional"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// items are the lines of a quote or an order, and their sums.
func (bk *Book) items(ctx context.Context, r *db.Record) ([]contract.Item, []string, error) {
	views, totals := []contract.Item{}, []string{}
	if r.Kind != string(fields.Quote) && r.Kind != string(fields.Order) {
		return views, totals, nil
	}
	rows, err := bk.Store.Items(ctx, r.ID)
	if err != nil || len(rows) == 0 {
		return views, totals, err
	}
	lines := make([]money.Item, len(rows))
	for i, x := range rows {
		lines[i] = money.Item{QuantityMilli: x.QuantityMilli, UnitMinor: x.UnitMinor, DiscountBP: x.DiscountBp,
			TaxBP: x.TaxBp}
		net, err := lines[i].Net()
		if err != nil {
			return nil, nil, err
		}
		netText := money.Amount{Minor: net, Currency: r.Currency}.String()
		views = append(views, contract.Item{ProductID: x.ProductID, Label: x.Label,
			Quantity: decimal(x.QuantityMilli, 3), Net: &netText,
			Unit:     money.Amount{Minor: x.UnitMinor, Currency: r.Currency}.String(),
			Discount: decimal(int64(x.DiscountBp), 2), Tax: decimal(int64(x.TaxBp), 2)})
	}
	sum, err := money.Total(lines)
	if err != nil {
		return nil, nil, err
	}
	for _, minor := range []int64{sum.Net, sum.Tax, sum.Gross} {
		totals = append(totals, money.Amount{Minor: minor, Currency: r.Currency}.String())
	}
	return views, totals, nil
}

// decimal writes n/10^places without needless zeros.
func decimal(n int64, places int) string {
	s := strconv.FormatInt(n, 10)
	for len(s) <= places {
		s = "0" + s
	}
	return strings.TrimSuffix(strings.TrimRight(s[:len(s)-places]+"."+s[len(s)-places:], "0"), ".")
}

// scaled reads a decimal text as a multiple of 1/10^places, between 0 and limit.
func scaled(text string, places int, limit int64) (int64, error) {
	canonical, err := fields.Field{Type: fields.Number}.Parse(text, fields.Home{})
	if err != nil || canonical == "" {
		return 0, fields.ErrNumber
	}
	whole, fraction, _ := strings.Cut(canonical, ".")
	if len(fraction) > places {
		return 0, fmt.Errorf("at most %d decimals", places)
	}
	n, err := strconv.ParseInt(whole+fraction+strings.Repeat("0", places-len(fraction)), 10, 64)
	if err != nil || n < 0 || n > limit {
		return 0, errors.New("this is out of range")
	}
	return n, nil
}

// SetItems writes the lines of a quote or an order; its amount becomes their sum with tax. Errors: *FieldError,
// ErrNotFound, ErrGone, ErrChangedElse.
func (bk *Book) SetItems(ctx context.Context, a firm.Actor, id uuid.UUID, s contract.Items) (contract.Record, error) {
	f, err := bk.Settings(ctx)
	if err != nil {
		return contract.Record{}, err
	}
	return bk.changeRecord(ctx, a, id, func(q *db.Queries, r *db.Record) error {
		switch {
		case r.Kind != string(fields.Quote) && r.Kind != string(fields.Order):
			return firm.Wrong("id", "only quotes and orders have lines")
		case r.Version != s.Version:
			return firm.ErrChangedElse
		}
		if err := q.DeleteItems(ctx, id); err != nil {
			return err
		}
		before := money.Amount{Currency: r.Currency}
		if r.AmountMinor != nil {
			before.Minor = *r.AmountMinor
		}
		lines := make([]money.Item, len(s.Items))
		currency := ""
		for i, it := range s.Items {
			field := fmt.Sprintf("items.%d.", i)
			p := db.InsertItemParams{RecordID: id, Position: i, ProductID: it.ProductID,
				Label: firm.CleanText(it.Label)}
			if p.Label == "" {
				return firm.About(field+"label", fields.ErrRequired)
			}
			if p.QuantityMilli, err = scaled(it.Quantity, 3, 1_000_000_000_000); err != nil {
				return firm.About(field+"quantity", err)
			}
			unit, err := money.Parse(it.Unit, f.Currency)
			if err != nil {
				return firm.About(field+"unit", err)
			}
			if currency == "" {
				currency = unit.Currency
			} else if currency != unit.Currency {
				return firm.Wrong(field+"unit", "all lines are in one currency, here "+currency)
			}
			discount, err := scaled(it.Discount, 2, 10_000)
			if err != nil {
				return firm.About(field+"discount", err)
			}
			tax, err := scaled(it.Tax, 2, 10_000)
			if err != nil {
				return firm.About(field+"tax", err)
			}
			p.UnitMinor, p.DiscountBp, p.TaxBp = unit.Minor, int(discount), int(tax)
			lines[i] = money.Item{QuantityMilli: p.QuantityMilli, UnitMinor: p.UnitMinor, DiscountBP: p.DiscountBp,
				TaxBP: p.TaxBp}
			if p.ProductID != nil {
				if _, err := bk.named(ctx, q, id,
					fields.Field{Type: fields.Ref, RefKinds: []fields.Kind{fields.Product}},
					p.ProductID.String()); err != nil {
					return firm.About(field+"product_id", err)
				}
			}
			if err := q.InsertItem(ctx, p); err != nil {
				return err
			}
		}
		sum, err := money.Total(lines)
		if err != nil {
			return firm.About("items", err)
		}
		r.AmountMinor, r.Currency = &sum.Gross, currency
		if len(lines) == 0 {
			r.AmountMinor, r.Currency = nil, ""
		}
		if err := q.UpdateRecord(ctx, updateOf(r)); err != nil {
			return err
		}
		return bk.RecordChanged(ctx, q, a, id, map[string]string{"total": before.String()},
			map[string]string{"total": money.Amount{Minor: sum.Gross, Currency: currency}.String()})
	})
}

// OrderFromQuote makes an order of a quote, with its lines. The quote counts as accepted. Errors: *FieldError,
// ErrNotFound, ErrGone, ErrKeyReused.
func (bk *Book) OrderFromQuote(ctx context.Context, a firm.Actor, quote uuid.UUID,
	key string) (contract.Record, error) {
	f, err := bk.Settings(ctx)
	if err != nil {
		return contract.Record{}, err
	}
	id, err := bk.Once(ctx, a, key, "order_from_quote", quote, func(q *db.Queries, id uuid.UUID) error {
		r, err := firm.LockRecord(ctx, q, quote)
		if err != nil {
			return err
		}
		if r.Kind != string(fields.Quote) {
			return firm.Wrong("id", "only a quote becomes an order")
		}
		values := map[string]string{"name": r.Name, "company": optional.ID(r.CompanyID),
			"person": optional.ID(r.PersonID), "deal": optional.ID(r.DealID), "quote": quote.String(),
			"delivery": fields.Delivered[0], "invoice": fields.Invoiced[0], "owner": optional.ID(r.OwnerID)}
		if r.AmountMinor != nil {
			values["amount"] = money.Amount{Minor: *r.AmountMinor, Currency: r.Currency}.String()
		}
		if err := bk.MakeRecord(ctx, q, a, f, id,
			contract.NewRecord{Kind: contract.RecordKindOrder, Values: values}); err != nil {
			return err
		}
		if err := q.CopyItems(ctx, db.CopyItemsParams{FromID: quote, ToID: id}); err != nil {
			return err
		}
		before := r.Stage
		r.Stage = "accepted"
		if err := q.UpdateRecord(ctx, updateOf(&r)); err != nil {
			return err
		}
		return bk.RecordChanged(ctx, q, a, quote, map[string]string{"State": before},
			map[string]string{"State": r.Stage, "order": r.Name})
	})
	if err != nil {
		return contract.Record{}, err
	}
	if store.NotFound(err) {
		return contract.Record{}, firm.ErrNotFound
	}
	bk.PublishRecord(id, quote)
	return bk.Record(ctx, a, id)
}
