package book

import (
	"cmp"
	"context"
	"slices"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/fields"
	"trundo/internal/core/phone"
	"trundo/internal/core/proposal"
	"trundo/internal/desk/firm"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// ProposeFollowUp reads from notes about a record what is to be done next, and when, in the record's zone: its own,
// else that of its first number that has only one, else a's. Nothing is made of it. Error: ErrNotFound.
func (bk *Book) ProposeFollowUp(ctx context.Context, a firm.Actor, record uuid.UUID,
	notes string) (contract.FollowUpProposal, error) {
	v := contract.FollowUpProposal{Kind: contract.FollowUpProposalKindTask, Addresses: []contract.NotedAddress{}}
	row, err := bk.Store.Record(ctx, record)
	if store.NotFound(err) {
		return v, firm.ErrNotFound
	} else if err != nil {
		return v, err
	}
	if v.Addresses, err = bk.notedAddresses(ctx, a, &row.Record, notes); err != nil {
		return v, err
	}
	zone, err := bk.zoneOf(ctx, a, record, row.Record.Zone)
	if err != nil {
		return v, err
	}
	p, found := proposal.Find(notes, bk.Clock.Now().In(zone))
	if !found {
		return v, nil
	}
	v.Kind = contract.FollowUpProposalKind(p.Act)
	v.Found, v.Text, v.DueAt, v.DayOnly = true, firm.Shorten(p.Text, 500), &p.Due, p.DayOnly
	if v.When = bk.Dates().Weekday(p.Due); !p.DayOnly {
		v.When += ", " + bk.Dates().Time(p.Due)
		if _, theirs := p.Due.Zone(); theirs != offset(p.Due, a.Location()) {
			v.When += " their time"
		}
	}
	return v, nil
}

// notedAddresses are the numbers and the mail address in notes that could be added to whom they are about.
func (bk *Book) notedAddresses(ctx context.Context, a firm.Actor, r *db.Record,
	notes string) ([]contract.NotedAddress, error) {
	list := []contract.NotedAddress{}
	kind := fields.Kind(r.Kind)
	if !kind.Person() && kind != fields.Company {
		return list, nil
	}
	f, err := bk.Settings(ctx)
	if err != nil {
		return nil, err
	}
	found := proposal.Addresses(notes, f.Region)
	if len(found) == 0 {
		return list, nil
	}
	numbers, err := bk.Store.NumbersOf(ctx, []uuid.UUID{r.ID})
	if err != nil {
		return nil, err
	}
	for _, x := range found {
		theirs := slices.ContainsFunc(numbers,
			func(n db.NumbersOfRow) bool { return n.E164 == x.Phone.E164 && n.Ext == x.Phone.Ext })
		switch {
		case x.Mail != "" && r.Email == "":
			list = append(list, contract.NotedAddress{Mail: x.Mail, Display: x.Mail})
		case x.Mail == "" && !theirs:
			list = append(list, contract.NotedAddress{Number: x.Phone.Key(), Label: cmp.Or(x.Label, "mobile"),
				Display: phone.Format(x.Phone.E164, x.Phone.Ext, f.Region, a.Style)})
		}
	}
	return list, nil
}

func offset(at time.Time, zone *time.Location) int {
	_, seconds := at.In(zone).Zone()
	return seconds
}

// zoneOf is where a record is.
func (bk *Book) zoneOf(ctx context.Context, a firm.Actor, record uuid.UUID, own string) (*time.Location, error) {
	if own != "" {
		return firm.ZoneNamed(own), nil
	}
	numbers, err := bk.Store.NumbersOf(ctx, []uuid.UUID{record})
	if err != nil {
		return nil, err
	}
	for _, n := range numbers {
		if zones := phone.Zones(n.E164); len(zones) == 1 {
			return firm.ZoneNamed(zones[0]), nil
		}
	}
	return a.Location(), nil
}
