package book_test

import (
	"context"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/desk/book"
	"trundo/internal/desk/firm"
)

// Somebody new comes into the book, with a number, and asks not to be called.
func Example() {
	var bk *book.Book // desk.Open makes it
	enter := func(ctx context.Context, a firm.Actor) error {
		r, err := bk.AddRecord(ctx, a, uuid.NewString(), contract.NewRecord{Kind: contract.RecordKindContact,
			Values: map[string]string{"given": "Berit", "family": "Osterlund", "phone:mobile": "(413) 555-0142"}})
		if err != nil {
			return err // *firm.FieldError names the field
		}
		_, err = bk.MarkRecord(ctx, a, r.ID, contract.DoNotCallMark{On: true})
		return err
	}
	_ = enter
}
