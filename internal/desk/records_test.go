package desk_test

import (
	"fmt"
	"testing"
	"time"

	"trundo/internal/core/rights"
	"trundo/internal/desk/firm"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/contract"
	"trundo/internal/store"
)

// value is a field's text on a sheet.
func value(r contract.Record, key string) string {
	for _, v := range r.Values {
		if v.Key == key {
			return v.Text
		}
	}
	return "?"
}

func TestASheetSaysWhatIsKnown(t *testing.T) {
	w := newWorld(t)
	field := store.NewID()
	_, err := w.store.Pool.Exec(
		t.Context(),
		`INSERT INTO custom_fields (id, record_kind, key, label, type) VALUES ($1, 'contact', 'tank', 'Tank', 'text'), ($2, 'contact', 'pump', 'Pump house phone', 'phone')`,
		store.NewID(),
		field,
	)
	require.NoError(t, err)
	w.clock.Advance(6 * time.Second) // what the desk may have read of the firm when it began is read again
	_, err = w.store.Pool.Exec(t.Context(),
		`UPDATE records SET custom = '{"tank": "12,000 l", "unknown": 1}' WHERE id = $1`, w.berit)
	require.NoError(t, err)
	_, err = w.store.Pool.Exec(t.Context(), `UPDATE phone_numbers SET field_id = $2 WHERE id = $1`, w.office, field)
	require.NoError(t, err)
	sheet, err := w.Book.Record(t.Context(), w.ines, w.berit)
	require.NoError(t, err)
	assert.Equal(t, "12,000 l", value(sheet, "custom.tank"))
	assert.Equal(t, "+14135550119", value(sheet, "custom.pump"))
	assert.Equal(t, nurseryName, sheet.Company.Name)
	require.Len(t, sheet.Numbers, 3)
	byLabel := map[string]contract.PhoneNumber{}
	for _, n := range sheet.Numbers {
		byLabel[n.Label] = n
	}
	assert.Equal(t, "413 555 0142", byLabel["mobile"].Display)
	assert.True(t, byLabel["mobile"].InHours, "ten in the morning there")
	assert.Equal(t, "America/New_York", byLabel["mobile"].Zone)
	assert.Contains(t, byLabel, "Pump house phone", "a telephone field stands among the numbers")
	assert.Contains(t, byLabel["home"].Refused, "mother")
	company, err := w.Book.Record(t.Context(), w.ines, w.vesper)
	require.NoError(t, err)
	assert.Equal(t, []string{"Berit Osterlund"}, names(company.People))
	_, err = w.Book.Record(t.Context(), w.ines, uuid.New())
	require.ErrorIs(t, err, firm.ErrNotFound)
	_, err = w.store.Pool.Exec(t.Context(), `UPDATE records SET deleted_at = now() WHERE id = $1`, w.aron)
	require.NoError(t, err)
	_, err = w.Book.Record(t.Context(), w.ines, w.aron)
	require.ErrorIs(t, err, firm.ErrGone)
}

const nurseryName = "Vesper Hollow Nursery"

func TestAChangeOfARecordIsCheckedKeptAndTold(t *testing.T) {
	w := newWorld(t)
	note, mail, bad := "Mornings are best.", "b.osterlund@vesper.example", "no mail"
	saved, err := w.Book.UpdateRecord(t.Context(), w.ines, w.berit,
		contract.RecordChange{Version: 1, Values: map[string]string{"note": note, "email": mail}})
	require.NoError(t, err)
	assert.Equal(t, []string{note, mail}, []string{saved.Note, value(saved, "email")})
	assert.Equal(t, 2, saved.Version)
	_, err = w.Book.UpdateRecord(t.Context(), w.tomas, w.berit,
		contract.RecordChange{Version: 1, Values: map[string]string{"note": mail}})
	require.ErrorIs(t, err, firm.ErrChangedElse, "from what somebody read before")
	same, err := w.Book.UpdateRecord(t.Context(), w.tomas, w.berit,
		contract.RecordChange{Version: 2, Values: map[string]string{"note": note}})
	require.NoError(t, err)
	assert.Equal(t, 2, same.Version, "nothing changed")
	_, err = w.Book.UpdateRecord(t.Context(), w.ines, w.berit,
		contract.RecordChange{Version: 2, Values: map[string]string{"email": bad}})
	var field *firm.FieldError
	require.ErrorAs(t, err, &field)
	assert.Equal(t, "email", field.Field)
	_, err = w.Book.UpdateRecord(t.Context(), w.ines, uuid.New(),
		contract.RecordChange{Version: 1, Values: map[string]string{"note": note}})
	require.ErrorIs(t, err, firm.ErrNotFound)
	h, err := w.History(t.Context(), w.ines, w.berit, "change", "")
	require.NoError(t, err)
	require.Len(t, h.Entries, 1)
	assert.Equal(t, "Mail: berit@vesper.example → b.osterlund@vesper.example; Note: none → Mornings are best.",
		h.Entries[0].Change.Text)
}

// admin signs in somebody with every right.
func (w *world) admin() firm.Actor {
	w.t.Helper()
	_, err := w.store.Pool.Exec(w.t.Context(), `UPDATE users SET role = 'admin' WHERE login = 'odile'`)
	require.NoError(w.t, err)
	a := w.odile
	a.Role, a.Rights = firm.Admin, rights.Shipped(rights.RoleAdmin)
	return a
}

func (w *world) add(kind contract.RecordKind, values map[string]string, numbers ...string) contract.Record {
	w.t.Helper()
	list := []contract.NewNumber{}
	for _, n := range numbers {
		list = append(list, contract.NewNumber{Typed: n})
	}
	r, err := w.Book.AddRecord(w.t.Context(), w.ines, key(),
		contract.NewRecord{Kind: kind, Values: values, Numbers: &list})
	require.NoError(w.t, err)
	return r
}

func TestARecordOfEachKindIsMadeAndRelated(t *testing.T) {
	w := newWorld(t)
	about := func(more map[string]string) map[string]string {
		v := map[string]string{"name": "North tank", "company": w.vesper.String(), "person": w.berit.String()}
		for k, x := range more {
			v[k] = x
		}
		return v
	}
	deal := w.add(contract.RecordKindDeal, about(map[string]string{"amount": "$18,400", "due": "24 December 2026"}))
	assert.Equal(t, []string{"18400.00 USD", "2026-12-24", "enquiry", "ines"},
		[]string{value(deal, "amount"), value(deal, "due"), value(deal, "stage"), value(deal, "owner")})
	tank := w.add(contract.RecordKindProduct, map[string]string{"name": "Tank", "reference": "T-40", "amount": "14200"})
	quote := w.add(contract.RecordKindQuote, about(map[string]string{"deal": deal.ID.String(), "reference": "Q-1"}))
	w.add(contract.RecordKindCase, about(nil))
	w.add(contract.RecordKindVisit, about(map[string]string{"starts": "2026-03-05 10:00"}))
	quote, err := w.Book.SetItems(t.Context(), w.ines, quote.ID,
		contract.Items{Version: quote.Version, Items: []contract.Item{
			{ProductID: &tank.ID, Label: "Tank", Quantity: "1", Unit: "14200", Discount: "5",
				Tax: "6.25"}, {Label: "Digging", Quantity: "2.5", Unit: "600.10", Discount: "0", Tax: "0"}}})
	require.NoError(t, err)
	// 14,200 less 5 % is 13,490; 6.25 % of that is 843.125, rounded 843.13; 2.5 times 600.10 is 1,500.25.
	assert.Equal(t, []string{"14990.25 USD", "843.13 USD", "15833.38 USD"}, quote.Totals)
	assert.Equal(t, "15833.38 USD", value(quote, "amount"))
	assert.Equal(t, []string{"2.5", "5", "6.25", "13490.00 USD"},
		[]string{quote.Items[1].Quantity, quote.Items[0].Discount, quote.Items[0].Tax, *quote.Items[0].Net})
	order, err := w.Book.OrderFromQuote(t.Context(), w.ines, quote.ID, key())
	require.NoError(t, err)
	assert.Equal(t, []string{"15833.38 USD", "not yet", "not yet", "North tank"},
		[]string{value(order, "amount"), value(order, "delivery"), value(order, "invoice"), value(order, "quote")})
	assert.Len(t, order.Items, 2)
	for _, id := range []uuid.UUID{w.berit, w.vesper} {
		r, err := w.Book.Record(t.Context(), w.ines, id)
		require.NoError(t, err)
		kinds := map[contract.RecordKind]string{}
		for _, x := range r.Related {
			kinds[x.Record.Kind] = x.About
		}
		assert.Equal(t, map[contract.RecordKind]string{"deal": "enquiry", "quote": "accepted", "case": "new",
			"visit": "planned", "order": "open, delivery not yet, invoice not yet"}, kinds)
	}
	d, err := w.Book.Record(t.Context(), w.ines, deal.ID)
	require.NoError(t, err)
	assert.Len(t, d.Related, 2, "quote and order of the deal")

	for name, bad := range map[string]contract.NewRecord{
		"name":   {Kind: contract.RecordKindDeal, Values: map[string]string{}},
		"starts": {Kind: contract.RecordKindVisit, Values: map[string]string{"name": "x"}},
		"ends": {Kind: contract.RecordKindVisit,
			Values: map[string]string{"name": "x", "starts": "2026-03-05 10:00", "ends": "2026-03-05 09:00"}},
		"amount":  {Kind: contract.RecordKindDeal, Values: map[string]string{"name": "x", "amount": "much"}},
		"person":  {Kind: contract.RecordKindDeal, Values: map[string]string{"name": "x", "person": w.vesper.String()}},
		"company": {Kind: contract.RecordKindDeal, Values: map[string]string{"name": "x", "company": uuid.NewString()}},
		"shoe":    {Kind: contract.RecordKindDeal, Values: map[string]string{"name": "x", "shoe": "1"}},
		"family":  {Kind: contract.RecordKindContact, Values: map[string]string{"job": "Grower"}},
		"web": {Kind: contract.RecordKindCompany,
			Values: map[string]string{"name": "x", "web": "javascript:alert(1)"}},
		"numbers": {Kind: contract.RecordKindContact, Values: map[string]string{"family": "x"},
			Numbers: &[]contract.NewNumber{{Typed: "1234567890123456789012345678901234567890"}}},
	} {
		_, err := w.Book.AddRecord(t.Context(), w.ines, key(), bad)
		var field *firm.FieldError
		require.ErrorAs(t, err, &field, name)
		assert.Equal(t, name, field.Field)
	}
	_, err = w.Book.SetItems(t.Context(), w.ines, quote.ID,
		contract.Items{Version: quote.Version + 5, Items: []contract.Item{}})
	require.ErrorIs(t, err, firm.ErrChangedElse)
}

func TestACompanyIsNeverAPartOfItself(t *testing.T) {
	w := newWorld(t)
	part := w.add(contract.RecordKindCompany, map[string]string{"name": "Vesper Glass", "company": w.vesper.String()})
	small := w.add(contract.RecordKindCompany, map[string]string{"name": "Vesper Seeds", "company": part.ID.String()})
	for _, up := range []uuid.UUID{w.vesper, part.ID, small.ID} {
		_, err := w.Book.UpdateRecord(t.Context(), w.ines, w.vesper,
			contract.RecordChange{Version: 1, Values: map[string]string{"company": up.String()}})
		var field *firm.FieldError
		require.ErrorAs(t, err, &field)
		assert.Equal(t, "company", field.Field)
	}
}

func TestALeadBecomesAContactAndKeepsItsHistory(t *testing.T) {
	w := newWorld(t)
	lead := w.add(contract.RecordKindLead, map[string]string{"given": "Joss", "family": "Underhill", "source": "Radio"},
		"607 555 0158")
	c, err := w.Calls.PlaceCall(t.Context(), w.ines, key(), contract.NewCall{NumberID: &lead.Numbers[0].ID})
	require.NoError(t, err)
	require.NoError(t, w.Calls.HangUp(t.Context(), w.ines, c.ID))
	_, err = w.Book.ConvertLead(t.Context(), w.ines, lead.ID, contract.Conversion{Version: 99})
	require.ErrorIs(t, err, firm.ErrChangedElse)
	_, err = w.Book.ConvertLead(t.Context(), w.ines, lead.ID,
		contract.Conversion{Version: lead.Version, CompanyName: ptr("Old Quarry Stables"), DealName: ptr("Tank"),
			DealAmount: ptr("lots")})
	var field *firm.FieldError
	require.ErrorAs(t, err, &field)
	assert.Equal(t, "deal_amount", field.Field)
	contact, err := w.Book.ConvertLead(t.Context(), w.ines, lead.ID,
		contract.Conversion{Version: lead.Version, CompanyName: ptr("Old Quarry Stables"), DealName: ptr("Tank"),
			DealAmount: ptr("900")})
	require.NoError(t, err)
	assert.Equal(t, []any{lead.ID, contract.RecordKindContact, "Old Quarry Stables", 1, "Radio"},
		[]any{contact.ID, contact.Kind, contact.Company.Name, contact.Touches, contact.Source})
	require.Len(t, contact.Related, 1)
	assert.Equal(t, "900.00 USD", contact.Related[0].Text)
	_, err = w.Book.ConvertLead(t.Context(), w.ines, lead.ID, contract.Conversion{Version: contact.Version})
	require.ErrorAs(t, err, &field, "only once")
}

func TestNumbersAreAddedChangedOrderedAndMarked(t *testing.T) {
	w := newWorld(t)
	r, err := w.Book.AddNumber(t.Context(), w.ines, w.berit,
		contract.NewNumber{Label: ptr("Direct"), Typed: "1-413-555-0150 ext. 7"})
	require.NoError(t, err)
	labels := func(r contract.Record) (l []string) {
		for _, n := range r.Numbers {
			l = append(l, n.Label)
		}
		return l
	}
	assert.Equal(t, []string{"mobile", "office", "direct", "home"}, labels(r), "in the usual order")
	assert.Equal(t, []string{"413 555 0150 ext 7", "1-413-555-0150 ext. 7"},
		[]string{r.Numbers[2].Display, r.Numbers[2].Typed})
	_, err = w.Book.SetBookSettings(t.Context(), w.admin(),
		contract.BookSettings{NumberOrderContact: []string{"office", "mobile"}, NumberOrderLead: []string{},
			Layouts: []contract.Layout{
				{Kind: contract.RecordKindContact,
					Fields: []contract.PlacedField{{Key: "email", Place: contract.PlacedFieldPlaceTop}}}}})
	require.NoError(t, err)
	r, err = w.Book.Record(t.Context(), w.ines, w.berit)
	require.NoError(t, err)
	assert.Equal(t, []string{"office", "mobile", "home", "direct"}, labels(r)[:4],
		"the firm's order first, then as they came")
	r, err = w.Book.OrderNumbers(t.Context(), w.ines, w.berit, contract.NumberOrder{Labels: []string{"direct"}})
	require.NoError(t, err)
	assert.Equal(t, "direct", labels(r)[0], "the record's own")
	direct := r.Numbers[0].ID
	r, err = w.Book.ChangeNumber(t.Context(), w.ines, direct,
		contract.NumberChange{Typed: ptr("413 555 0151"), Label: ptr("Desk")})
	require.NoError(t, err)
	assert.Contains(t, labels(r), "desk")
	_, err = w.Book.ChangeNumber(t.Context(), w.ines, direct, contract.NumberChange{Typed: ptr("nobody")})
	var field *firm.FieldError
	require.ErrorAs(t, err, &field)
	assert.Equal(t, "typed", field.Field)
	_, err = w.Book.ChangeNumber(t.Context(), w.ines, direct,
		contract.NumberChange{DoNotCall: ptr(true), Reason: ptr("only by mail")})
	require.NoError(t, err)
	_, err = w.Calls.PlaceCall(t.Context(), w.ines, key(), contract.NewCall{NumberID: &direct})
	var no *firm.RefusedError
	require.ErrorAs(t, err, &no)
	assert.Contains(t, no.Error(), "only by mail")
	r, err = w.Book.RemoveNumber(t.Context(), w.odile, direct)
	require.NoError(t, err)
	assert.NotContains(t, labels(r), "desk")
	_, err = w.Book.RemoveNumber(t.Context(), w.ines, direct)
	require.ErrorIs(t, err, firm.ErrNotFound)
	book, err := w.Book.Book(t.Context(), w.ines)
	require.NoError(t, err)
	assert.Equal(t, []any{"email", contract.FieldDefPlaceTop},
		[]any{book.Kinds[0].Fields[0].Key, book.Kinds[0].Fields[0].Place})
	_, err = w.Book.SetBookSettings(t.Context(), w.ines, contract.BookSettings{})
	require.ErrorIs(t, err, firm.ErrForbidden)
	_, err = w.Book.AddField(t.Context(), w.ines, contract.FieldEdit{})
	require.ErrorIs(t, err, firm.ErrForbidden)
}

func TestATelephoneFieldIsCallableAndFound(t *testing.T) {
	w := newWorld(t)
	_, err := w.Book.AddField(t.Context(), w.admin(),
		contract.FieldEdit{Kind: contract.RecordKindContact, Label: "Pump house phone",
			Type: contract.FieldEditTypePhone})
	require.NoError(t, err)
	r, err := w.Book.UpdateRecord(t.Context(), w.ines, w.berit,
		contract.RecordChange{Version: 1, Values: map[string]string{"custom.pump_house_phone": "(518) 555-0101"}})
	require.NoError(t, err)
	assert.Equal(t, "(518) 555-0101", value(r, "custom.pump_house_phone"))
	var pump contract.PhoneNumber
	for _, n := range r.Numbers {
		if n.Label == "Pump house phone" {
			pump = n
		}
	}
	assert.Equal(t, "518 555 0101", pump.Display)
	c, err := w.Calls.PlaceCall(t.Context(), w.ines, key(), contract.NewCall{NumberID: &pump.ID})
	require.NoError(t, err)
	assert.Equal(t, "Berit Osterlund", c.Links[0].Record.Name)
	require.NoError(t, w.Calls.HangUp(t.Context(), w.ines, c.ID))
	_, err = w.Book.UpdateRecord(t.Context(), w.ines, w.berit,
		contract.RecordChange{Version: r.Version,
			Values: map[string]string{"custom.pump_house_phone": "ask at the gate"}})
	var field *firm.FieldError
	require.ErrorAs(t, err, &field)
	r, err = w.Book.UpdateRecord(t.Context(), w.ines, w.berit,
		contract.RecordChange{Version: r.Version, Values: map[string]string{"custom.pump_house_phone": ""}})
	require.NoError(t, err)
	assert.Len(t, r.Numbers, 3)
}

func TestARemovedRecordIsGoneAndComesBack(t *testing.T) {
	w := newWorld(t)
	c := w.calls() // deleted while being called: the call goes on, and is kept
	require.NoError(t, w.Book.RemoveRecord(t.Context(), w.odile, w.berit))
	_, err := w.Book.UpdateRecord(t.Context(), w.ines, w.berit,
		contract.RecordChange{Version: 1, Values: map[string]string{"note": "x"}})
	require.ErrorIs(t, err, firm.ErrGone, "while it was edited")
	require.ErrorIs(t, w.Book.RemoveRecord(t.Context(), w.odile, w.berit), firm.ErrGone)
	notes, err := w.Calls.SaveNotes(t.Context(), w.ines, c.Slip.ID,
		contract.NotesEdit{Body: "Still here.", Writer: "left"})
	require.NoError(t, err)
	assert.True(t, notes.Saved)
	require.NoError(t, w.Calls.HangUp(t.Context(), w.ines, c.ID))
	_, err = w.Calls.PlaceCall(t.Context(), w.ines, key(), contract.NewCall{NumberID: &w.mobile})
	require.ErrorIs(t, err, firm.ErrNotFound)
	r, err := w.Book.RestoreRecord(t.Context(), w.odile, w.berit)
	require.NoError(t, err)
	assert.Equal(t, 1, r.Touches)
}

func TestWhatComesAndWhatIsOwedIsSeenAtAGlance(t *testing.T) {
	w := newWorld(t)
	order := w.add(contract.RecordKindOrder,
		map[string]string{"name": "Two tanks", "way": "of a customer", "company": w.vesper.String(),
			"person": w.berit.String()})
	due := w.clock.Now().AddDate(0, 0, -2).Format("2006-01-02")
	w.add(contract.RecordKindInvoice,
		map[string]string{"name": "First part", "reference": "I-1", "company": w.vesper.String(),
			"person": w.berit.String(),
			"order":  order.ID.String(), "stage": "sent", "amount": "1200.00 USD", "due": due})
	w.add(contract.RecordKindDelivery,
		map[string]string{"name": "Tanks", "company": w.vesper.String(), "order": order.ID.String(),
			"stage": "on its way",
			"due":   w.clock.Now().AddDate(0, 0, 3).Format("2006-01-02")})
	w.add(contract.RecordKindOrder,
		map[string]string{"name": "Pumps for us", "way": "to a supplier", "company": w.vesper.String(),
			"stage": "open"})
	lines := func(id uuid.UUID) []string {
		sheet, err := w.Book.Record(t.Context(), w.ines, id)
		require.NoError(t, err)
		list := []string{}
		for _, r := range sheet.Related {
			line := fmt.Sprintf("%s %s: %s (%s)", r.Record.Kind, r.Record.Name, r.About, r.Text)
			if r.Late {
				line += " late"
			}
			list = append(list, line)
		}
		return list
	}
	invoice := "invoice First part: sent, due Feb 28, 2026 (1200.00 USD) late"
	assert.Contains(t, lines(w.berit), invoice)
	assert.Contains(t, lines(w.vesper), invoice)
	assert.Contains(t, lines(w.vesper), "delivery Tanks: on its way, due Mar 5, 2026 (Mar 5, 2026)")
	assert.Contains(t, lines(w.vesper), "order Pumps for us: to a supplier: open, delivery none, invoice none ()")
	assert.Contains(t, lines(order.ID), invoice, "and on the order")
	page, err := w.Book.Rows(t.Context(), w.ines,
		contract.RowQuery{Kinds: []contract.RecordKind{contract.RecordKindInvoice}, Sort: ptr("order"),
			Filter: ptr(`{"field":"stage","op":"is","value":"sent"}`)})
	require.NoError(t, err)
	assert.Equal(t, []string{"First part"}, names(page.Rows))
	assert.Equal(t, "Two tanks", page.Rows[0].Values["order"])
	i := w.brings(contract.RecordKindInvoice, "csv",
		"What for,Invoice number,Company,Order,Amount,To be paid by,State\nSecond part,I-2,Vesper Hollow "+
			"Nursery,Two tanks,300.00 USD,2026-04-01,draft\n",
		contract.ImportPlanSameMake)
	w.loads(i.ID)
	assert.Contains(t, lines(order.ID), "invoice Second part: draft, due Apr 1, 2026 (300.00 USD)",
		"or brought in a file")
}
