package desk

import (
	"context"
	"strings"

	"trundo/internal/contract"
	"trundo/internal/core/phone"
	"trundo/internal/desk/book"
	"trundo/internal/desk/firm"
	"trundo/internal/store/db"
)

const found = 8

// Find is what the top field offers: for nothing typed the calls just made; else who and what matches, best first,
// colleagues among them, and the number itself where the text is one.
func (d *Desk) Find(ctx context.Context, a firm.Actor, q string) (contract.FindResult, error) {
	q = strings.TrimSpace(strings.ReplaceAll(q, "\x00", ""))
	result := contract.FindResult{Records: []contract.RecordRow{}, Recent: []contract.Call{},
		Colleagues: []contract.Colleague{}}
	f, err := d.Settings(ctx)
	if err != nil {
		return result, err
	}
	if q == "" {
		result.Recent, err = d.recentCalls(ctx, a, found)
		return result, err
	}
	ends, begins := book.NumberParts(q, f.Region)
	ids, err := d.Store.Find(ctx, a.ID, q, ends, begins, found)
	if err != nil {
		return result, err
	}
	if result.Records, err = d.Book.RecordRowsByID(ctx, a, f, ids); err != nil {
		return result, err
	}
	if result.Colleagues, err = d.findColleagues(ctx, q); err != nil {
		return result, err
	}
	if phone.LooksLikeNumber(q) {
		result.Dial = dialOffer(q, f, a)
	}
	return result, nil
}

// findColleagues finds people of the firm by the beginning of a part of their name, or by extension.
func (d *Desk) findColleagues(ctx context.Context, q string) ([]contract.Colleague, error) {
	all, err := d.Team.Colleagues(ctx)
	if err != nil {
		return nil, err
	}
	hits := []contract.Colleague{}
	for _, c := range all {
		fits := c.Extension != "" && c.Extension == q
		words := " " + strings.ToLower(c.Name)
		fits = fits || strings.Contains(words, " "+strings.ToLower(q))
		if fits && len(hits) < 4 {
			hits = append(hits, c)
		}
	}
	return hits, nil
}

func dialOffer(q string, f *firm.Settings, a firm.Actor) *contract.DialOffer {
	offer := &contract.DialOffer{Typed: q, Display: q}
	if phone.Emergency(q, f.Region) {
		offer.Problem = "emergency services cannot be reached from here: use another telephone"
		return offer
	}
	n, err := phone.Parse(q, f.Region)
	if err != nil {
		offer.Problem = err.Error()
		return offer
	}
	offer.Display = phone.Format(n.E164, n.Ext, f.Region, a.Style)
	return offer
}

func (d *Desk) recentCalls(ctx context.Context, a firm.Actor, count int32) ([]contract.Call, error) {
	ids, err := d.Store.RecentCallIDs(ctx, db.RecentCallIDsParams{UserID: a.ID, Count: count})
	if err != nil {
		return nil, err
	}
	return d.Calls.CallLines(ctx, a, ids)
}
