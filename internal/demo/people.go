package demo

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"

	"trundo/internal/core/phone"
)

func (m *maker) book(size Size) {
	for _, l := range firmLines {
		m.used[l.e164] = true
	}
	for _, machine := range machineNumbers {
		m.used[machine] = true
	}
	for _, special := range []string{AnswersSoon, NeverAnswers, IsBusy, Declines, NotInService, HangsUpSoon,
		RingsForEver, ConnectionBad, Household, "+14135550119", "+14135550163"} {
		m.used[special] = true
	}
	old := m.now.AddDate(-1, 0, 0)
	tank, pump := m.id(old), m.id(old)
	m.add("custom_fields", tank, "contact", "tank", "Tank", "text", []string{}, 0)
	m.add("custom_fields", pump, "contact", "pump_house_phone", "Pump house phone", "phone", []string{}, 1)
	m.add("custom_fields", m.id(old), "contact", "maintenance", "Maintenance", "choice",
		[]string{"yearly", "every two years", "none"}, 2)
	m.add("custom_fields", m.id(old), "company", "roof", "Roof area, m²", "number", []string{}, 0)
	companies := make([]uuid.UUID, size.Companies)
	m.companies = companies
	mains := make([]number, size.Companies)
	at := make([]int, size.Companies)
	for i := range companies {
		companies[i], at[i] = m.id(old), i%len(places)
		name := companyNames[i%len(companyNames)]
		if n := len(companyNames); i >= n { // the same words in other pairs
			begin, _, _ := strings.Cut(name, " ")
			_, end, _ := strings.Cut(companyNames[(i+7*(i/n))%n], " ")
			name = begin + " " + end
		}
		m.companyNames = append(m.companyNames, name)
		pl := places[at[i]]
		r := record{id: companies[i], kind: "company", name: name, owner: &m.users[i%reps], source: pick(m, sources),
			stage: pick(m, []string{"prospect", "customer", "customer"}),
			zone:  pl.zone, made: old, web: "https://www." + slug(name) + ".example", place: pl.place,
			address: fmt.Sprintf("%d %s", 1+m.rand.IntN(180),
				pick(m, []string{"Mill Lane", "Station Road", "Orchard Street", "Weir Street"}))}
		if i%3 == 0 {
			r.custom = fmt.Sprintf(`{"roof":"%d"}`, 60+10*m.rand.IntN(90))
		}
		m.record(r)
		mains[i] = number{e164: m.fresh(pl.area), label: "main"}
		m.number(companies[i], nil, mains[i], 0, nil, "")
	}
	for i := range size.People {
		m.person(i, companies, mains, at, pump)
	}
}

func (m *maker) person(i int, companies []uuid.UUID, mains []number, at []int, pump uuid.UUID) {
	old := m.now.AddDate(0, 0, -20-m.rand.IntN(340))
	p := person{id: m.id(old), owner: m.rand.IntN(reps)}
	given, family, kind := pick(m, givenNames), pick(m, familyNames), "contact"
	c := m.rand.IntN(len(companies))
	pl := places[at[c]]
	note, custom, stage, job := "", map[string]any{}, pick(m, stages), pick(m, jobs)
	switch i {
	case 0:
		given, family, job, c, p.owner = "Berit", "Osterlund", "Head grower", 0, 0
		pl, stage, note = places[0], "offer sent", "Speaks for the whole nursery. Mornings are best."
		custom["tank"] = "40,000 l, concrete"
	case 1:
		given, family = "Anneliese-Magdalena", "Birkenshaw-Wetherington of Nettlecombe"
	case 2:
		family = family + " <b>O'Quote\"</b>" // a name must never become markup
	default:
		if i%6 == 5 {
			kind, stage = "lead", "new"
		}
		if m.rand.IntN(3) == 0 {
			custom["tank"] = pick(m, tanks)
		}
	}
	if kind == "contact" || m.rand.IntN(2) == 0 {
		p.company = &companies[c]
	}
	var dnc *time.Time
	reason := ""
	if i > 8 && i%41 == 0 {
		t := m.now.AddDate(0, -1, -i%20)
		dnc, reason, p.dnc = &t, "asked on "+t.Format("2 January"), true
	}
	customJSON, err := json.Marshal(custom)
	if err != nil {
		panic(err) // strings only
	}
	var tags []string
	for _, tag := range []string{"spring show", "large system", "winter check", "price sensitive"} {
		if m.rand.IntN(8) == 0 {
			tags = append(tags, tag)
		}
	}
	slices.Sort(tags)
	m.record(record{id: p.id, kind: kind, name: given + " " + family, given: given, family: family, job: job,
		company: p.company, owner: &m.users[p.owner],
		source: pick(m, sources), stage: stage, zone: pl.zone, note: note, custom: string(customJSON), dnc: dnc,
		dncReason: reason, made: old, tags: tags,
		email: fmt.Sprintf("%s.%s@%s.example", slug(given), slug(family), slug(m.companyNames[c]))})
	p.name, p.kind = given+" "+family, kind
	switch specials := []string{AnswersSoon, NeverAnswers, IsBusy, Declines, NotInService, HangsUpSoon, RingsForEver,
		ConnectionBad}; {
	case i == 0:
		p.numbers = []number{{e164: AnswersSoon, label: "mobile"}, {e164: "+14135550119", ext: "12", label: "office"}}
		no := m.now.AddDate(0, -2, 0)
		m.number(p.id, nil, number{e164: "+14135550163", label: "home"}, 2, &no, "asked not to be called at home")
	case i < len(specials):
		p.numbers = []number{{e164: specials[i], label: "mobile"}}
	default:
		for j := range 1 + m.rand.IntN(3)*m.rand.IntN(2) {
			p.numbers = append(p.numbers, number{e164: m.fresh(pl.area), label: labels[j]})
		}
		if p.company != nil && m.rand.IntN(4) == 0 { // at the company's switchboard, by extension
			p.numbers = append(p.numbers, number{e164: mains[c].e164, ext: fmt.Sprint(10 + m.rand.IntN(80)),
				label: "office"})
		}
	}
	if i >= firstMachine && i < firstMachine+len(machineNumbers) {
		p.numbers = append(p.numbers, number{e164: machineNumbers[i-firstMachine], label: "office"})
	}
	if i == 3 {
		m.number(p.id, &pump, number{e164: m.fresh("518"), label: "pump house"}, 5, nil, "")
	}
	for j, n := range p.numbers {
		m.number(p.id, nil, n, j, nil, "")
	}
	if i == 9 {
		m.number(p.id, nil, number{typed: "ask at the gate", label: "office"}, 4, nil, "")
	}
	m.people = append(m.people, p)
}

func (m *maker) number(record uuid.UUID, field *uuid.UUID, n number, position int, dnc *time.Time, reason string) {
	if n.typed == "" {
		n.typed = phone.Format(n.e164, n.ext, "US", phone.National)
	}
	var e164 *string
	region, valid, zones := "", false, []string{}
	if n.e164 != "" {
		e164 = &n.e164
		if parsed, err := phone.Parse(n.e164, "US"); err == nil {
			region, valid = parsed.Region, parsed.Valid
		}
		zones = phone.Zones(n.e164)
		if len(zones) > 4 {
			zones = zones[:4]
		}
	}
	m.add("phone_numbers", m.id(m.now.AddDate(-1, 0, 0)), record, field, n.label, position, n.typed, e164, n.ext,
		phone.Reverse(phone.Digits(n.e164)), valid, region, zones, dnc, reason)
}

// slug keeps the letters and digits of a name, for addresses.
func slug(name string) string {
	return strings.Map(func(r rune) rune {
		switch {
		case r >= 'a' && r <= 'z', r >= '0' && r <= '9':
			return r
		case r >= 'A' && r <= 'Z':
			return r + 'a' - 'A'
		}
		return -1
	}, name)
}
