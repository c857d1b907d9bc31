package webforms_test

import (
	"context"
	"fmt"
	"strings"

	"trundo/internal/contract"
	"trundo/internal/desk/firm"
	"trundo/internal/desk/webforms"
)

// An admin adds a form; a stranger fills it in, and is called back.
func Example() {
	var forms *webforms.Forms // desk.Open makes it
	work := func(ctx context.Context, admin firm.Actor, form contract.WebForm) error {
		made, err := forms.PutWebForm(ctx, admin, nil, form)
		if err != nil {
			return err
		}
		mark := strings.TrimPrefix(*made.Path, webforms.FormPath)
		page, err := forms.Page(ctx, mark)
		if err != nil {
			return err
		}
		says, err := forms.FillIn(ctx, mark, webforms.Filled{Token: page.Token, Name: "Aron Pell", Number: "413 555 0142"})
		fmt.Println(says)
		return err
	}
	_ = work
}
