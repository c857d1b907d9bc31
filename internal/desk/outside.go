package desk

import (
	"context"

	"trundo/internal/contract"
	"trundo/internal/core/phone"
)

// OutsideLines are the lines that the outside can call.
func (d *Desk) OutsideLines(ctx context.Context) ([]contract.OutsideLine, error) {
	lines, err := d.Store.Lines(ctx)
	if err != nil {
		return nil, err
	}
	views := []contract.OutsideLine{}
	for _, l := range lines {
		if l.Active {
			views = append(views, contract.OutsideLine{E164: l.E164, Label: l.Label, Source: l.Source})
		}
	}
	return views, nil
}

// NormalNumber is a typed number in its normal form. Error: *FieldError about "to".
func (d *Desk) NormalNumber(ctx context.Context, typed string) (string, error) {
	f, err := d.firm(ctx)
	if err != nil {
		return "", err
	}
	n, err := phone.Parse(typed, f.region)
	if err != nil {
		return "", &FieldError{Field: "to", Err: err}
	}
	return n.E164, nil
}

// WhoHas names who of the book has a number: the best guess, or "".
func (d *Desk) WhoHas(ctx context.Context, number string) (string, error) {
	f, err := d.firm(ctx)
	if err != nil {
		return "", err
	}
	n, err := phone.Parse(number, f.region)
	if err != nil {
		return "", nil
	}
	matches, rows, err := d.whoseNumber(ctx, Actor{}, n.E164, n.Ext)
	if err != nil || len(matches) == 0 {
		return "", err
	}
	for _, r := range rows {
		if r.RecordID.String() == matches[0].Record {
			return r.Name, nil
		}
	}
	return "", nil
}
