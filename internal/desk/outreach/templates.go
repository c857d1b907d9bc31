package outreach

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/rights"
	"trundo/internal/core/wording"
	"trundo/internal/desk/firm"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// Templates are what messages and mails can begin with, in their order; who sets up sees also those that are not
// offered.
func (ou *Outreach) Templates(ctx context.Context, a firm.Actor) ([]contract.Template, error) {
	rows, err := ou.Store.Templates(ctx)
	if err != nil {
		return nil, err
	}
	used := map[uuid.UUID]int{}
	if a.MayDo(rights.Templates) {
		counts, err := ou.Store.TemplatesUsed(ctx)
		if err != nil {
			return nil, err
		}
		for _, c := range counts {
			used[c.ID] = c.Outcomes
		}
	}
	views := []contract.Template{}
	for _, r := range rows {
		if !r.Active && !a.MayDo(rights.Templates) {
			continue
		}
		view := contract.Template{ID: &r.ID, Name: r.Name, Channel: contract.Channel(r.Channel), Subject: r.Subject,
			Body: r.Body, Active: r.Active}
		if n := used[r.ID]; n > 0 {
			words := fmt.Sprintf("sent by %d outcomes", n)
			view.Used = &words
		}
		views = append(views, view)
	}
	return views, nil
}

// SetTemplates keeps them, in their order; those left out are no longer offered. Errors: ErrForbidden, *FieldError.
func (ou *Outreach) SetTemplates(ctx context.Context, a firm.Actor,
	set []contract.Template) ([]contract.Template, error) {
	if !a.MayDo(rights.Templates) {
		return nil, firm.ErrForbidden
	}
	before, err := ou.Templates(ctx, a)
	if err != nil {
		return nil, err
	}
	known := map[uuid.UUID]contract.Template{}
	for _, t := range before {
		known[*t.ID] = t
	}
	var rows []db.PutTemplateParams
	for i, t := range set {
		field := fmt.Sprintf("templates.%d.", i)
		p := db.PutTemplateParams{Name: firm.CleanText(t.Name), Channel: string(t.Channel),
			Subject: firm.CleanText(t.Subject), Body: firm.CleanText(t.Body), Position: i, Active: t.Active}
		switch {
		case p.Name == "":
			return nil, firm.Wrong(field+"name", "a template needs a name")
		case p.Body == "":
			return nil, firm.Wrong(field+"body", "a template says something")
		case t.Channel == contract.ChannelMail && p.Subject == "":
			return nil, firm.Wrong(field+"subject", "a mail has a subject")
		}
		if unknown := append(wording.Unknown(p.Subject), wording.Unknown(p.Body, wording.Meeting)...); len(unknown) > 0 {
			return nil, firm.Wrong(field+"body", "there is no place {"+unknown[0]+"}; there are {"+
				strings.Join(append(slices.Clone(wording.Places), wording.Meeting), "}, {")+"}")
		}
		if t.ID == nil {
			p.ID = store.NewID()
		} else if _, there := known[*t.ID]; !there {
			return nil, firm.Wrong(field+"name", "there is no such template")
		} else {
			p.ID = *t.ID
			delete(known, p.ID)
		}
		rows = append(rows, p)
	}
	for id, t := range known {
		rows = append(rows, db.PutTemplateParams{ID: id, Name: t.Name, Channel: string(t.Channel), Subject: t.Subject,
			Body: t.Body, Position: len(rows)})
	}
	err = ou.Store.Tx(ctx, func(q *db.Queries) error {
		for _, p := range rows {
			if err := q.PutTemplate(ctx, p); err != nil {
				return err
			}
		}
		return ou.Audited(ctx, q, a, "settings", uuid.Nil, "templates", before, set)
	})
	if err != nil {
		return nil, err
	}
	return ou.Templates(ctx, a)
}
