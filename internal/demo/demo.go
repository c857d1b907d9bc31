// Package demo makes the made-up firm Lindenfall Cisterns: its people, lines, customers and calls, from one seed,
// dated relative to now. It also plays the outside world.
//
// It must not know HTTP. Nothing in it is true; numbers come only from ranges set apart for fiction.
package demo

import (
	"context"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"trundo/internal/core/call"
	"trundo/internal/core/phone"
	"trundo/internal/core/slip"
	"trundo/internal/desk"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// Size is how much is made.
type Size struct{ Companies, People, Calls int }

// First is the demo's size.
var First = Size{Companies: 60, People: 250, Calls: 800}

const seed = 20_261_124

// people of the firm. The line is an index into lines.
var firmPeople = []struct {
	login, name, team, zone, ext string
	role                         desk.Role
	line                         int
}{
	{"ines", "Ines Calloway", "Sales", "America/New_York", "21", desk.Rep, 1},
	{"tomas", "Tomas Reyl", "Service", "America/New_York", "31", desk.Rep, 2},
	{"maren", "Maren Thackeray", "Sales", "America/New_York", "22", desk.Rep, 1},
	{"desmond", "Desmond Arkwell", "Sales", "America/Chicago", "23", desk.Rep, 1},
	{"pilar", "Pilar Winterbourne", "Sales", "Europe/London", "24", desk.Rep, 7},
	{"gunnar", "Gunnar Pettibone", "Service", "America/New_York", "32", desk.Rep, 2},
	{"hedda", "Hedda Lindqvale", "Service", "America/Chicago", "33", desk.Rep, 2},
	{"bastian", "Bastian Crowe", "Sales and service", "America/New_York", "25", desk.Rep, 0},
	{"odile", "Odile Fairweather", "Sales", "America/New_York", "11", desk.Supervisor, 1},
	{"roderick", "Roderick Vane", "Service", "America/New_York", "12", desk.Supervisor, 2},
	{"ada", "Ada Millrace", "Office", "America/New_York", "10", desk.Admin, 0},
}

var firmLines = []struct{ e164, label, source, region, zone string }{
	{"+14135550100", "Main", "Main number", "US", "America/New_York"},
	{"+14135550110", "Sales", "Sales line", "US", "America/New_York"},
	{"+14135550120", "Service", "Service hotline", "US", "America/New_York"},
	{"+14135550130", "Show", "Spring show leaflet", "US", "America/New_York"},
	{"+15185550131", "Radio", "Local radio spot", "US", "America/New_York"},
	{"+13125550132", "Web offer", "Web offer form", "US", "America/Chicago"},
	{"+14135550133", "Contracts", "Maintenance contract", "US", "America/New_York"},
	{"+447700900100", "Britain", "British line", "GB", "Europe/London"},
}

var firmOutcomes = []struct {
	label               string
	reached, needsNotes bool
}{
	{"Visit agreed", true, false}, {"Wants an offer", true, true}, {"Solved", true, false}, {"Call again later", true, false},
	{"Not now", true, false}, {"No answer", false, false}, {"Left a message", false, false}, {"Wrong number", false, false}, {"Never call", true, true},
}

var firmCallTypes = []string{"Enquiry", "Offer", "Service", "Maintenance", "Spare parts"}

// maker fills the tables of one firm.
type maker struct {
	rand *rand.Rand
	now  time.Time
	zone *time.Location

	rows  map[string][][]any // by table
	users []uuid.UUID
	lines []uuid.UUID

	outcomes, types []uuid.UUID
	people          []person
	used            map[string]bool
}

type person struct {
	id      uuid.UUID
	company *uuid.UUID
	owner   int
	dnc     bool
	numbers []number
}

type number struct {
	e164, ext, label, typed string
}

// Fill makes the firm in an empty, migrated database. Error where there is one already.
func Fill(ctx context.Context, s *store.Store, size Size, now time.Time) error {
	users, err := s.CountUsers(ctx)
	if err != nil {
		return err
	}
	if users > 0 {
		return fmt.Errorf("the database is not empty: the demo is only made in a fresh one")
	}
	zone, err := time.LoadLocation("America/New_York")
	if err != nil {
		return err
	}
	m := &maker{rand: rand.New(rand.NewPCG(seed, seed)), now: now, zone: zone, rows: map[string][][]any{}, used: map[string]bool{}}
	return pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error {
		q := s.WithTx(tx)
		if err := m.firm(ctx, q, tx); err != nil {
			return err
		}
		m.book(size)
		m.calls(size.Calls)
		m.followUps()
		for _, table := range tableOrder {
			if _, err := tx.CopyFrom(ctx, pgx.Identifier{table.name}, table.columns, pgx.CopyFromRows(m.rows[table.name])); err != nil {
				return fmt.Errorf("filling %s: %w", table.name, err)
			}
		}
		_, err := tx.Exec(ctx, "ANALYZE")
		return err
	})
}

// tableOrder is the order in which foreign keys allow tables to be filled.
var tableOrder = []struct {
	name    string
	columns []string
}{
	{"custom_fields", []string{"id", "record_kind", "key", "label", "type", "position"}},
	{"records", []string{"id", "kind", "name", "company_id", "owner_id", "source", "stage", "zone", "note", "custom", "dnc_at", "dnc_reason", "created_at"}},
	{"companies", []string{"record_id", "web", "address", "place"}},
	{"people", []string{"record_id", "given", "family", "job", "email"}},
	{"phone_numbers", []string{"id", "record_id", "field_id", "label", "position", "typed", "e164", "ext", "digits_reversed", "valid", "region", "zones", "dnc_at", "dnc_reason"}},
	{"calls", []string{"id", "direction", "line_id", "remote_e164", "remote_ext", "remote_typed", "remote_label", "caller_id", "caller_id_reason", "device", "placed_by",
		"owner_server", "owner_epoch", "state", "last_seq", "started_at", "rang_at", "answered_at", "ended_at", "end_reason", "dial_ms", "ring_ms", "talk_ms"}},
	{"legs", []string{"call_id", "leg_no", "party", "user_id", "device", "address", "state", "started_at", "rang_at", "answered_at", "ended_at", "end_reason"}},
	{"leg_spans", []string{"call_id", "leg_no", "bridge_no", "from_at", "to_at"}},
	{"call_facts", []string{"call_id", "seq", "at", "kind", "schema", "data"}},
	{"slips", []string{"id", "call_id", "user_id", "state", "subject", "call_type_id", "outcome_id", "created_at", "filed_at"}},
	{"slip_notes", []string{"slip_id", "body", "version", "saved_at"}},
	{"call_links", []string{"call_id", "record_id", "slip_id", "role", "reason", "linked_by", "at"}},
	{"follow_ups", []string{"id", "record_id", "owner_id", "kind", "text", "promised", "due_at", "day_only", "created_by", "created_at"}},
	{"history", []string{"record_id", "at", "kind", "ref_id"}},
}

func (m *maker) add(table string, row ...any) { m.rows[table] = append(m.rows[table], row) }

// id makes a UUIDv7-shaped id from the seed, so that two fillings are alike.
func (m *maker) id(at time.Time) uuid.UUID {
	var id uuid.UUID
	ms := uint64(at.UnixMilli())
	for i := range 6 {
		id[i] = byte(ms >> (8 * (5 - i)))
	}
	for i := 6; i < 16; i++ {
		id[i] = byte(m.rand.UintN(256))
	}
	id[6], id[8] = id[6]&0x0f|0x70, id[8]&0x3f|0x80
	return id
}

func pick[T any](m *maker, from []T) T { return from[m.rand.IntN(len(from))] }

func (m *maker) firm(ctx context.Context, q *db.Queries, tx pgx.Tx) error {
	value, err := json.Marshal(map[string]any{"name": "Lindenfall Cisterns", "region": "US", "outcome_needed": true, "type_needed": false})
	if err != nil {
		return err
	}
	if err := q.PutSetting(ctx, db.PutSettingParams{Key: "firm", Value: value}); err != nil {
		return err
	}
	old := m.now.AddDate(-1, 0, 0)
	batch := &pgx.Batch{}
	for i, l := range firmLines {
		id := m.id(old)
		m.lines = append(m.lines, id)
		batch.Queue(`INSERT INTO lines (id, e164, label, source, region, zone, position, main) VALUES ($1, $2, $3, $4, $5, $6, $7, $8)`,
			id, l.e164, l.label, l.source, l.region, l.zone, i, i == 0)
	}
	for i, o := range firmOutcomes {
		id := m.id(old)
		m.outcomes = append(m.outcomes, id)
		batch.Queue(`INSERT INTO outcomes (id, label, position, reached, needs_notes) VALUES ($1, $2, $3, $4, $5)`, id, o.label, i, o.reached, o.needsNotes)
	}
	for i, label := range firmCallTypes {
		id := m.id(old)
		m.types = append(m.types, id)
		batch.Queue(`INSERT INTO call_types (id, label, position) VALUES ($1, $2, $3)`, id, label, i)
	}
	if err := tx.SendBatch(ctx, batch).Close(); err != nil {
		return err
	}
	for _, p := range firmPeople {
		id, err := desk.AddUser(ctx, q, desk.NewUser{Login: p.login, Name: p.name, Password: desk.DemoPassword, Role: p.role, Zone: p.zone, Team: p.team,
			Extension: p.ext, Line: &m.lines[p.line]})
		if err != nil {
			return err
		}
		m.users = append(m.users, id)
	}
	return nil
}

// reps is the number of those in firmPeople who call.
const reps = 8

// fresh makes a number that nobody has yet: area code, 555, 0100 to 0199; or a British one of the drama range.
func (m *maker) fresh(area string) string {
	for {
		n := fmt.Sprintf("+1%s55501%02d", area, m.rand.IntN(100))
		if area == "44" {
			n = fmt.Sprintf("+4477009%05d", m.rand.IntN(1000))
		}
		if !m.used[n] {
			m.used[n] = true
			return n
		}
		if area != "44" { // the range is small: elsewhere then
			area = fmt.Sprintf("%d", []int{201, 205, 212, 216, 228, 240, 251, 267, 303, 312, 319, 334, 401, 405, 410, 434, 440, 501, 502, 504, 513, 518, 540,
				563, 570, 573, 585, 601, 608, 612, 615, 618, 651, 662, 701, 704, 715, 717, 740, 757, 802, 803, 814, 816, 828, 843, 859, 864, 901, 910, 919, 931, 937}[m.rand.IntN(53)])
		}
	}
}

func (m *maker) book(size Size) {
	for _, l := range firmLines {
		m.used[l.e164] = true
	}
	for _, special := range []string{AnswersSoon, NeverAnswers, IsBusy, Declines, NotInService, HangsUpSoon, RingsForEver, ConnectionBad, "+14135550119", "+14135550163"} {
		m.used[special] = true
	}
	old := m.now.AddDate(-1, 0, 0)
	tank, pump := m.id(old), m.id(old)
	m.add("custom_fields", tank, "contact", "tank", "Tank", "text", 0)
	m.add("custom_fields", pump, "contact", "pump_house_phone", "Pump house phone", "phone", 1)
	companies := make([]uuid.UUID, size.Companies)
	mains := make([]number, size.Companies)
	at := make([]int, size.Companies)
	for i := range companies {
		companies[i], at[i] = m.id(old), i%len(places)
		name := companyNames[i%len(companyNames)]
		if i >= len(companyNames) {
			name = fmt.Sprintf("%s %d", name, i/len(companyNames)+1)
		}
		pl := places[at[i]]
		m.add("records", companies[i], "company", name, nil, m.users[i%reps], pick(m, sources), "", pl.zone, "", []byte(`{}`), nil, "", old)
		m.add("companies", companies[i], "www."+slug(name)+".example", fmt.Sprintf("%d %s", 1+m.rand.IntN(180), pick(m, []string{"Mill Lane", "Station Road", "Orchard Street", "Weir Street"})), pl.place)
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
	name := given + " " + family
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
	m.add("records", p.id, kind, name, p.company, m.users[p.owner], pick(m, sources), stage, pl.zone, note, customJSON, dnc, reason, old)
	m.add("people", p.id, given, family, job, fmt.Sprintf("%s.%s@%s.example", slug(given), slug(family), slug(companyNames[c%len(companyNames)])))
	switch specials := []string{AnswersSoon, NeverAnswers, IsBusy, Declines, NotInService, HangsUpSoon, RingsForEver, ConnectionBad}; {
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
			p.numbers = append(p.numbers, number{e164: mains[c].e164, ext: fmt.Sprint(10 + m.rand.IntN(80)), label: "office"})
		}
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
	m.add("phone_numbers", m.id(m.now.AddDate(-1, 0, 0)), record, field, n.label, position, n.typed, e164, n.ext, phone.Reverse(phone.Digits(n.e164)), valid, region, zones, dnc, reason)
}

// calls makes past calls over ninety days by playing each one through the call machine.
func (m *maker) calls(count int) {
	for i := range count {
		p := m.people[m.rand.IntN(len(m.people))]
		if i < 9 {
			p = m.people[0] // somebody with a history to look at
		}
		if p.dnc || len(p.numbers) == 0 {
			continue
		}
		days := m.rand.IntN(90)
		day := m.now.In(m.zone).AddDate(0, 0, -1-days)
		for day.Weekday() == time.Saturday || day.Weekday() == time.Sunday {
			day = day.AddDate(0, 0, -1)
		}
		// Two humps, late morning and afternoon, as in most offices.
		minute := 9*60 + m.rand.IntN(170)
		if m.rand.IntN(2) == 0 {
			minute = 13*60 + m.rand.IntN(230)
		}
		start := time.Date(day.Year(), day.Month(), day.Day(), 0, minute, m.rand.IntN(60), 0, m.zone).UTC()
		m.call(p, pick(m, p.numbers), start)
	}
}

func (m *maker) call(p person, n number, start time.Time) {
	const s = time.Second
	rep := m.users[p.owner]
	if m.rand.IntN(4) == 0 {
		rep = m.users[m.rand.IntN(reps)]
	}
	address := phone.Number{E164: n.e164, Ext: n.ext}.Key()
	line := firmLines[1]
	var state call.State
	var facts []call.Fact
	at := start
	play := func(after time.Duration, in call.Input) {
		at = at.Add(after)
		more, _, err := call.Decide(state, in, at)
		if err != nil {
			panic(err) // the scripts below are right
		}
		for _, f := range more {
			state = call.Evolve(state, f)
		}
		facts = append(facts, more...)
	}
	play(0, call.Place{By: rep.String(), Device: "browser", Address: address, CallerID: line.e164})
	outcome, notes := 5, pick(m, notesBad)
	switch x := m.rand.IntN(100); {
	case x < 52:
		play(s+time.Duration(m.rand.IntN(1500))*time.Millisecond, call.CarrierRinging{Leg: 2})
		play(time.Duration(3+m.rand.IntN(22))*s, call.CarrierAnswered{Leg: 2})
		talk := time.Duration(20+m.rand.IntN(60)+m.rand.IntN(8)*m.rand.IntN(90)) * s
		if m.rand.IntN(3) == 0 {
			play(talk, call.CarrierEnded{Leg: 2, Reason: call.EndedByThem})
		} else {
			play(talk, call.HangUp{By: rep.String()})
		}
		outcome, notes = []int{0, 1, 1, 2, 2, 2, 3, 3, 4}[m.rand.IntN(9)], pick(m, notesGood)
	case x < 80:
		play(s, call.CarrierRinging{Leg: 2})
		play(time.Duration(22+m.rand.IntN(12))*s, call.HangUp{By: rep.String()})
		if m.rand.IntN(3) == 0 {
			outcome = 6
		}
	case x < 88:
		play(2*s, call.CarrierEnded{Leg: 2, Reason: call.Busy})
	case x < 94:
		play(s, call.CarrierRinging{Leg: 2})
		play(7*s, call.CarrierEnded{Leg: 2, Reason: call.Declined})
	default:
		play(2*s, call.CarrierEnded{Leg: 2, Reason: call.OutOfService})
		outcome = 7
	}
	m.store(p, n, rep, line.e164, state, facts, outcome, notes)
}

func (m *maker) store(p person, n number, rep uuid.UUID, shown string, s call.State, facts []call.Fact, outcome int, notes string) {
	id, slipID := m.id(s.Started), m.id(s.Started)
	parts := s.PartsAt(s.Ended)
	m.add("calls", id, "outbound", m.lines[1], n.e164, n.ext, n.typed, n.label, shown, "your line", "browser", rep, "demo", int64(0), string(s.Phase()), s.Seq,
		s.Started, none(s.Rang()), none(s.Answered()), s.Ended, string(s.Reason), parts.Dialing.Milliseconds(), parts.Ringing.Milliseconds(), parts.Talking.Milliseconds())
	for _, l := range s.Legs {
		var user *uuid.UUID
		if l.Party == call.Rep {
			user = &rep
		}
		m.add("legs", id, int(l.No), string(l.Party), user, l.Device, l.Address, string(l.State), l.Added, none(l.Rang), none(l.Answered), l.Ended, string(l.Reason))
		for _, sp := range l.Spans {
			m.add("leg_spans", id, int(l.No), int(sp.Bridge), sp.From, sp.To)
		}
	}
	for _, f := range facts {
		data, err := json.Marshal(f)
		if err != nil {
			panic(err) // strings and numbers only
		}
		m.add("call_facts", id, f.Seq, f.At, string(f.Kind), call.Schema, data)
	}
	filed := s.Ended.Add(time.Duration(5+m.rand.IntN(50)) * time.Second)
	m.add("slips", slipID, id, rep, string(slip.Filed), "", pick(m, m.types), m.outcomes[outcome], s.Started, filed)
	if notes != "" {
		m.add("slip_notes", slipID, notes, 1, filed)
	}
	company := ""
	if p.company != nil {
		company = p.company.String()
	}
	for _, l := range slip.LinksFor(p.id.String(), false, company, "their number was clicked") {
		record := uuid.MustParse(l.Record)
		m.add("call_links", id, record, slipID, string(l.Role), l.Reason, rep, s.Started)
		m.add("history", record, s.Started, "call", id)
	}
}

func none(t time.Time) *time.Time {
	if t.IsZero() {
		return nil
	}
	return &t
}

// followUps gives every rep something late, something for today and something for later.
func (m *maker) followUps() {
	local := m.now.In(m.zone)
	midnight := time.Date(local.Year(), local.Month(), local.Day(), 0, 0, 0, 0, m.zone)
	for rep := range reps {
		dues := []struct {
			due           time.Time
			promised, day bool
		}{
			{m.now.Add(-12 * time.Minute), true, false}, {m.now.Add(-26 * time.Hour), false, false}, {midnight, false, true},
			{m.now.Add(95 * time.Minute), false, false}, {m.now.Add(4 * time.Hour), true, false}, {midnight.AddDate(0, 0, 1), false, true},
			{m.now.AddDate(0, 0, 6), false, false},
		}
		for i, d := range dues {
			p := m.people[10+(rep*29+i*7)%(len(m.people)-10)]
			for p.dnc {
				p = m.people[10+m.rand.IntN(len(m.people)-10)]
			}
			if rep == 0 && i == 0 {
				p = m.people[0]
			}
			id, made := m.id(m.now), m.now.Add(-time.Duration(30+m.rand.IntN(200))*time.Hour).Truncate(time.Microsecond)
			m.add("follow_ups", id, p.id, m.users[rep], "call", pick(m, followTask), d.promised, d.due.Truncate(time.Minute), d.day, m.users[rep], made)
			m.add("history", p.id, made, "follow_up", id)
		}
	}
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
