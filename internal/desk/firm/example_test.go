package firm_test

import (
	"context"

	"trundo/internal/core/rights"
	"trundo/internal/desk/firm"
	"trundo/internal/store/db"
)

// A use case asks who acts and what they may, does its work once for its key, and writes the change into the audit.
func Example() {
	var k *firm.Firm // desk.Open makes it
	setGreeting := func(ctx context.Context, a firm.Actor, key, text string) error {
		if !a.MayDo(rights.SetUpFirm) {
			return firm.ErrForbidden
		}
		if text = firm.CleanText(text); text == "" {
			return firm.Wrong("greeting", "say something")
		}
		return k.Store.Tx(ctx, func(q *db.Queries) error {
			return k.Audited(ctx, q, a, "settings", a.ID, "greeting", "", text)
		})
	}
	_ = setGreeting
}
