package demo

import (
	"encoding/json"
	"fmt"
	"time"

	"github.com/google/uuid"

	"trundo/internal/core/fields"
	"trundo/internal/core/money"
)

// record is a row of records as the demo fills it.
type record struct {
	id                                                       uuid.UUID
	kind, name, source, stage, zone, note, custom, dncReason string
	given, family, job, email, web, address, place           string
	company, owner, person, deal, quote, order               *uuid.UUID
	dnc                                                      *time.Time
	made                                                     time.Time
	reference, delivery, invoice, way                        string
	amount                                                   *int64
	due, starts, ends                                        *time.Time
	tags                                                     []string
}

func (m *maker) record(r record) {
	if r.custom == "" {
		r.custom = `{}`
	}
	if r.tags == nil {
		r.tags = []string{}
	}
	currency := ""
	if r.amount != nil {
		currency = "USD"
	}
	m.add("records", r.id, r.kind, r.name, r.company, r.owner, r.source, r.stage, r.zone, r.note, []byte(r.custom),
		r.dnc, r.dncReason, r.made, r.given, r.family, r.job, r.email,
		r.web, r.address, r.place, r.person, r.deal, r.quote, r.order, r.way, r.reference, r.amount, currency, r.due,
		r.starts, r.ends, r.delivery, r.invoice, r.tags)
}

var products = []struct {
	name, reference string
	price           int64
}{
	{"Tank 4,000 l, polyethylene", "T-4", 129_000}, {"Tank 12,000 l, steel", "T-12",
		468_000}, {"Tank 40,000 l, concrete", "T-40", 1_420_000},
	{"Pump P-2", "P-2", 38_500}, {"Pump P-5, submersible", "P-5", 74_900}, {"Filter F-20", "F-20", 6_450},
	{"Filter F-40", "F-40", 11_900},
	{"Controller C-1", "C-1", 24_900}, {"Overflow set, north side", "O-1", 9_800},
	{"Maintenance plan, one year", "M-1", 42_000}, {"Planning on site, a day", "S-1", 65_000},
}

var matters = []string{"Tank for the glasshouses", "Rain for the brew house", "Cistern under the yard", "Second pump",
	"Water for the school garden", "New tank house", "Filters before winter"}
var troubles = []string{"Pump runs dry", "Filter clogs", "Overflow leaks", "Controller shows E4",
	"No pressure upstairs", "Water smells in August"}

// trade makes products, and deals with their quotes and orders, cases and visits for a part of the people.
func (m *maker) trade(size Size) {
	old := m.now.AddDate(-1, 0, 0)
	ids := make([]uuid.UUID, len(products))
	for i, p := range products {
		ids[i] = m.id(old)
		price := p.price
		m.record(record{id: ids[i], kind: "product", name: p.name, reference: p.reference, stage: "sold",
			amount: &price, made: old})
	}
	for i := 0; i < len(m.people); i += 4 {
		p := m.people[i]
		if p.kind == "contact" {
			m.deal(p, ids, i)
		}
	}
	for i := 1; i < len(m.people); i += 7 {
		p := m.people[i]
		made := m.now.AddDate(0, 0, -1-m.rand.IntN(60))
		stage := pick(m, []string{"new", "working", "waiting for them", "watching", "solved", "solved"})
		m.record(record{id: m.id(made), kind: "case", name: pick(m, troubles), company: p.company, person: &p.id,
			owner: &m.users[4+i%4], stage: stage,
			reference: fmt.Sprintf("C-%04d", 1000+i), made: made})
	}
	made := m.now.AddDate(0, 0, -2)
	m.theirOrder(made)
	m.record(record{id: m.id(made), kind: "case", name: "Pump runs dry", company: m.people[0].company,
		person: &m.people[0].id, owner: &m.users[1], stage: "watching", reference: "C-0999", made: made})
	m.add("do_not_call_numbers", "+14135550198", "asked in writing", m.now.AddDate(0, -3, 0))
}

func (m *maker) deal(p person, productIDs []uuid.UUID, n int) {
	made := m.now.AddDate(0, 0, -3-m.rand.IntN(80))
	stage := pick(m, []string{"enquiry", "visit", "offer", "offer", "decision", "won", "lost"})
	about := pick(m, matters)
	if n == 0 {
		stage, about = "offer", "40,000 l tank"
	}
	var items []money.Item
	var lines [][]any
	quote := m.id(made.Add(time.Hour))
	for i := range 1 + m.rand.IntN(3) {
		x := m.rand.IntN(len(products))
		if n == 0 {
			x = []int{2, 6, 8}[i] // what the deal is about
		}
		it := money.Item{QuantityMilli: int64(1+m.rand.IntN(3)) * 1000, UnitMinor: products[x].price,
			DiscountBP: []int{0, 0, 500, 1000}[m.rand.IntN(4)], TaxBP: 625}
		items = append(items, it)
		lines = append(lines, []any{quote, i, productIDs[x], products[x].name, it.QuantityMilli, it.UnitMinor,
			it.DiscountBP, it.TaxBP})
	}
	total, err := money.Total(items)
	if err != nil {
		panic(err) // a few tanks
	}
	due := m.now.AddDate(0, 0, 5+m.rand.IntN(60))
	deal := m.id(made)
	m.record(record{id: deal, kind: "deal", name: about, company: p.company, person: &p.id, owner: &m.users[p.owner],
		stage: stage, source: pick(m, sources), amount: &total.Net, due: &due, made: made})
	if stage == "enquiry" {
		return
	}
	visit := m.atWork(made.AddDate(0, 0, 4))
	if stage == "visit" {
		visit = m.atWork(m.now.AddDate(0, 0, 1+m.rand.IntN(9)))
	}
	end := visit.Add(90 * time.Minute)
	state := "done"
	if visit.After(m.now) {
		state = "planned"
	}
	m.record(record{id: m.id(made), kind: "visit", name: "Look at the roof and the yard", company: p.company,
		person: &p.id, deal: &deal, owner: &m.users[p.owner], stage: state,
		starts: &visit, ends: &end, made: made})
	if stage == "visit" {
		return
	}
	states := map[string]string{"offer": "sent", "decision": "sent", "won": "accepted", "lost": "declined"}
	m.record(record{id: quote, kind: "quote", name: about, company: p.company, person: &p.id, deal: &deal,
		owner: &m.users[p.owner], stage: states[stage],
		reference: fmt.Sprintf("Q-%04d", 2000+n), amount: &total.Gross, due: &due, made: made.Add(time.Hour)})
	for _, l := range lines {
		m.add("record_items", l...)
	}
	if stage != "won" {
		return
	}
	order := m.id(made.Add(2 * time.Hour))
	m.record(record{id: order, kind: "order", name: about, company: p.company, person: &p.id, deal: &deal,
		quote: &quote, owner: &m.users[p.owner], stage: "open", way: fields.Ways[0],
		reference: fmt.Sprintf("O-%04d", 3000+n), amount: &total.Gross, delivery: pick(m, fields.Delivered),
		invoice: pick(m, fields.Invoiced), made: made.Add(2 * time.Hour)})
	for _, l := range lines {
		m.add("record_items", append([]any{order}, l[1:]...)...)
	}
	// What comes and what is owed, each in another state.
	comes, owed := m.now.AddDate(0, 0, 3+n%9), m.now.AddDate(0, 0, n%20-6)
	m.record(record{id: m.id(made.Add(3 * time.Hour)), kind: "delivery", name: about, company: p.company, person: &p.id,
		order: &order, owner: &m.users[p.owner],
		stage: []string{"planned", "on its way", "delivered"}[n%3], reference: fmt.Sprintf("D-%04d", 4000+n),
		due: &comes, made: made.Add(3 * time.Hour)})
	m.record(record{id: m.id(made.Add(4 * time.Hour)), kind: "invoice", name: about, company: p.company, person: &p.id,
		order: &order, owner: &m.users[p.owner],
		stage: []string{"sent", "paid", "reminded"}[n%3], reference: fmt.Sprintf("I-%04d", 5000+n),
		amount: &total.Gross, due: &owed, made: made.Add(4 * time.Hour)})
}

// theirOrder is what the first person's company has ordered: it is on its way, and its first invoice is late.
func (m *maker) theirOrder(made time.Time) {
	first := m.people[0]
	order, total := m.id(made), int64(142_100)
	comes, owed := m.now.AddDate(0, 0, 4), m.now.AddDate(0, 0, -5)
	about := record{name: "Filters and a second pump", company: first.company, person: &first.id, owner: &m.users[0],
		amount: &total, made: made}
	what := func(kind, stage, reference string, due time.Time) record {
		r := about
		r.id, r.kind, r.stage, r.reference, r.due, r.order = m.id(made), kind, stage, reference, &due, &order
		return r
	}
	main := what("order", "open", "O-2999", comes)
	main.id, main.order, main.way, main.delivery, main.invoice = order, nil, fields.Ways[0], fields.Delivered[1], fields.Invoiced[1]
	m.record(main)
	m.record(what("delivery", "on its way", "D-3999", comes))
	m.record(what("invoice", "reminded", "I-4999", owed))
}

// atWork is some half hour of a working day, on day or just after it.
func (m *maker) atWork(day time.Time) time.Time {
	day = day.In(m.zone)
	for day.Weekday() == time.Saturday || day.Weekday() == time.Sunday {
		day = day.AddDate(0, 0, 1)
	}
	return time.Date(day.Year(), day.Month(), day.Day(), 8+m.rand.IntN(8), 30*m.rand.IntN(2), 0, 0, m.zone)
}

// doubles lets two people stand in the book twice, spelt a little otherwise, as it happens everywhere.
func (m *maker) doubles() {
	for i, spelt := range []string{"Ostrlund", ""} {
		p := m.people[(12+i*9)%len(m.people)]
		if i == 0 {
			p = m.people[0]
		}
		given, family := "", ""
		for j, r := range p.name {
			if r == ' ' {
				given, family = p.name[:j], p.name[j+1:]
				break
			}
		}
		if spelt != "" {
			family = spelt
		}
		id, made := m.id(m.now), m.now.AddDate(0, 0, -9)
		m.record(record{id: id, kind: "lead", name: given + " " + family, given: given, family: family,
			company: p.company, owner: &m.users[2], source: "Spring show leaflet", stage: "new",
			note: "Came by at the show, asked about overflows.", made: made})
		n := p.numbers[0]
		n.typed = ""
		m.number(id, nil, n, 0, nil, "")
	}
}

// household lets two people be reached at one number.
func (m *maker) household() {
	for _, i := range []int{20, 27} {
		m.number(m.people[i%len(m.people)].id, nil, number{e164: Household, label: "home"}, 6, nil, "")
	}
}

// lists makes a hand-made list and some views.
func (m *maker) lists() {
	old := m.now.AddDate(0, -1, 0)
	list := func(name, group, kind, listType string, query map[string]any) uuid.UUID {
		text, err := json.Marshal(query)
		if err != nil {
			panic(err) // plain texts
		}
		id := m.id(old)
		m.add("lists", id, name, group, listType, kind, text, m.users[8], old)
		return id
	}
	show := list("After the spring show", "Campaigns", "people", "hand", map[string]any{})
	for i := 5; i < len(m.people); i += 11 {
		m.add("list_members", show, m.people[i].id, old)
	}
	list("Not called for 30 days", "Care", "people", "view", map[string]any{
		"filter": `{"all":[{"field":"owner","op":"is","value":"me"},{"field":"last_call","op":"not_past","value":"30"},{"field":"do_not_call","op":"is","value":"no"}]}`, "sort": "last_call"})
	list("A call without an outcome", "Care", "people", "view",
		map[string]any{"filter": `{"all":[{"field":"no_outcome","op":"is","value":"yes"}]}`})
	list("Offers waiting for a decision", "Sales", "deal", "view",
		map[string]any{"filter": `{"any":[{"field":"stage","op":"is","value":"offer"},{"field":"stage","op":"is","value":"decision"}]}`,
			"sort": "due"})
	list("Open cases", "Service", "case", "view",
		map[string]any{"filter": `{"all":[{"field":"stage","op":"is_not","value":"solved"}]}`, "sort": "created"})
}
