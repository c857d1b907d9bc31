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
	"time"

	"trundo/internal/desk/firm"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"trundo/internal/core/workday"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// Size is how much is made.
type Size struct{ Companies, People, Calls int }

// Full is the demo's size. First is a smaller firm of the same kind, for tests.
var (
	Full  = Size{Companies: 400, People: 1900, Calls: 6000}
	First = Size{Companies: 60, People: 250, Calls: 800}
)

const seed = 20_261_124

// people of the firm. The line is an index into lines.
var firmPeople = []struct {
	login, name, team, zone, ext string
	role                         firm.Role
	line                         int
}{
	{"ines", "Ines Calloway", "Sales", "America/New_York", "21", firm.Rep, 1},
	{"tomas", "Tomas Reyl", "Service", "America/New_York", "31", firm.Rep, 2},
	{"maren", "Maren Thackeray", "Sales", "America/New_York", "22", firm.Rep, 1},
	{"desmond", "Desmond Arkwell", "Sales", "America/Chicago", "23", firm.Rep, 1},
	{"pilar", "Pilar Winterbourne", "Sales", "Europe/London", "24", firm.Rep, 7},
	{"gunnar", "Gunnar Pettibone", "Service", "America/New_York", "32", firm.Rep, 2},
	{"hedda", "Hedda Lindqvale", "Service", "America/Chicago", "33", firm.Rep, 2},
	{"bastian", "Bastian Crowe", "Sales and service", "America/New_York", "25", firm.Rep, 0},
	{"odile", "Odile Fairweather", "Sales", "America/New_York", "11", firm.Supervisor, 1},
	{"roderick", "Roderick Vane", "Service", "America/New_York", "12", firm.Supervisor, 2},
	{"ada", "Ada Millrace", "Office", "America/New_York", "10", firm.Admin, 0},
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

const always = `{"spans":[],"off":[]}`

// firmRoutes say how each line rings; reps are indexes into firmPeople.
var firmRoutes = []struct {
	line                              int
	mode, hours, unanswered, greeting string
	reps                              []int
}{
	{0, "all", always, "voicemail",
		"This is Lindenfall Cisterns. Nobody can take your call just now; please leave a message after the tone.", nil},
	{1, "all", always, "voicemail",
		"Sales at Lindenfall Cisterns. Tell us where your water comes from and we call you back today.",
		[]int{0, 2, 3, 7}},
	{2, "longest_idle", always, "voicemail", "Service at Lindenfall Cisterns. Tell us what has stopped, and where.",
		[]int{1, 5, 6, 7}},
	{3, "all", always, "voicemail", "", []int{0, 2, 3}},
	{4, "all", `{"spans":[{"days":[1,2,3,4,5],"from":"09:00","to":"17:00"}],"off":[]}`, "announcement", "",
		[]int{0, 2, 3}},
	{5, "longest_idle", always, "end", "", []int{2, 3}},
	{6, "in_order", always, "voicemail", "", []int{5, 6, 1}},
	{7, "all", always, "voicemail", "", []int{4}},
}

// firmStates are the states besides available and away.
var firmStates = []struct {
	label       string
	takes, work bool
}{{"On site", false, true}, {"In a meeting", false, true}, {"At lunch", false, false}}

var firmOutcomes = []struct {
	label               string
	reached, needsNotes bool
	effects             string
}{
	{"Visit agreed", true, false, `[{"kind":"follow_up","act":"task","text":"Confirm the visit to {company}","after":{"count":1,"unit":"business_days","at":600}},
		{"kind":"deal_stage","value":"visit","after":{}}]`},
	{"Wants an offer", true, true, `[{"kind":"follow_up","act":"mail","text":"Send {given name} the offer","after":{"count":1,"unit":"business_days","at":540}},
		{"kind":"deal_stage","value":"offer","after":{}}]`},
	{"Solved", true, false, `[{"kind":"case_state","value":"solved","after":{}}]`},
	{"Call again later", true, false,
		`[{"kind":"follow_up","act":"call","text":"Call {given name} again","after":{"count":2,"unit":"business_days","at":600}}]`},
	{"Not now", true, false, `[]`},
	{"No answer", false, false, `[{"kind":"retry","after":{"count":2,"unit":"hours"}}]`},
	{"Left a message", false, false, `[{"kind":"follow_up","act":"call","text":"Left a message: call again","after":{"count":2,"unit":"business_days","at":600}},
		{"kind":"message","target":"` + templateID("missed you").String() + `","after":{}}]`},
	{"Wrong number", false, false, `[{"kind":"do_not_call","value":"number","after":{}}]`},
	{"Never call", true, true, `[{"kind":"do_not_call","value":"person","after":{}}]`},
}

// busyAt is the place of the outcome "Busy" among them.
const busyAt = 7

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
	companies       []uuid.UUID
	companyNames    []string
	used            map[string]bool
}

type person struct {
	id      uuid.UUID
	name    string
	kind    string
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
	m := &maker{rand: rand.New(rand.NewPCG(seed, seed)), now: now, zone: zone, rows: map[string][][]any{},
		used: map[string]bool{}}
	return pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error {
		q := s.WithTx(tx)
		if err := m.firm(ctx, q, tx); err != nil {
			return err
		}
		m.book(size)
		m.calls(size.Calls)
		m.arrivals(size.Calls / 8)
		m.followUps()
		m.messages()
		m.trade(size)
		m.doubles()
		m.household()
		m.lists()
		for _, table := range tableOrder {
			if _, err := tx.CopyFrom(ctx, pgx.Identifier{table.name}, table.columns,
				pgx.CopyFromRows(m.rows[table.name])); err != nil {
				return fmt.Errorf("filling %s: %w", table.name, err)
			}
		}
		if err := m.waited(ctx, tx); err != nil {
			return fmt.Errorf("who has waited in queues: %w", err)
		}
		if err := m.listening(ctx, q); err != nil {
			return fmt.Errorf("what is listened for: %w", err)
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
	{"custom_fields", []string{"id", "record_kind", "key", "label", "type", "choices", "position"}},
	{"records", []string{"id", "kind", "name", "company_id", "owner_id", "source", "stage", "zone", "note", "custom",
		"dnc_at", "dnc_reason", "created_at", "given", "family",
		"job", "email", "web", "address", "place", "person_id", "deal_id", "quote_id", "order_id", "way", "reference",
		"amount_minor", "currency", "due_on", "starts_at", "ends_at", "delivery", "invoice", "tags"}},
	{"record_items", []string{"record_id", "position", "product_id", "label", "quantity_milli", "unit_minor",
		"discount_bp", "tax_bp"}},
	{"lists", []string{"id", "name", "group_name", "type", "record_kind", "query", "owner_id", "created_at"}},
	{"list_members", []string{"list_id", "record_id", "at"}},
	{"do_not_call_numbers", []string{"e164", "reason", "at"}},
	{"phone_numbers", []string{"id", "record_id", "field_id", "label", "position", "typed", "e164", "ext",
		"digits_reversed", "valid", "region", "zones", "dnc_at", "dnc_reason"}},
	{"calls", []string{"id", "direction", "line_id", "remote_e164", "remote_ext", "remote_typed", "remote_label",
		"caller_id", "caller_id_reason", "device", "placed_by",
		"owner_server", "owner_epoch", "state", "last_seq", "started_at", "rang_at", "answered_at", "ended_at",
		"end_reason", "dial_ms", "ring_ms", "talk_ms", "withheld", "missed_why", "message_ms", "spoke"}},
	{"legs", []string{"call_id", "leg_no", "party", "user_id", "device", "address", "state", "started_at", "rang_at",
		"answered_at", "ended_at", "end_reason"}},
	{"leg_spans", []string{"call_id", "leg_no", "bridge_no", "from_at", "to_at"}},
	{"call_facts", []string{"call_id", "seq", "at", "kind", "schema", "data"}},
	{"slips", []string{"id", "call_id", "user_id", "state", "subject", "call_type_id", "outcome_id", "created_at",
		"filed_at"}},
	{"slip_notes", []string{"slip_id", "body", "version", "saved_at"}},
	{"call_links", []string{"call_id", "record_id", "slip_id", "role", "reason", "linked_by", "at"}},
	{"unreturned", []string{"call_id", "line_id", "remote_e164", "remote_ext", "since"}},
	{"follow_ups", []string{"id", "record_id", "owner_id", "kind", "text", "promised", "due_at", "day_only",
		"created_by", "created_at"}},
	{"messages", []string{"id", "channel", "incoming", "record_id", "address", "line_id", "user_id", "subject", "body",
		"state", "at", "sent_at", "read_at", "by_hand"}},
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
	value, err := json.Marshal(map[string]any{"name": "Lindenfall Cisterns", "region": "US", "currency": "USD",
		"zone": "America/New_York", "outcome_needed": true,
		"type_needed": false, "wrap_seconds": 30})
	if err != nil {
		return err
	}
	if err := q.PutSetting(ctx, db.PutSettingParams{Key: "firm", Value: value}); err != nil {
		return err
	}
	if err := q.PutSetting(ctx, db.PutSettingParams{Key: "first_steps",
		Value: []byte(`{"skipped":[],"closed":true}`)}); err != nil {
		return err
	}
	old := m.now.AddDate(-1, 0, 0)
	batch := &pgx.Batch{}
	for i, l := range firmLines {
		id := m.id(old)
		m.lines = append(m.lines, id)
		batch.Queue(`INSERT INTO lines (id, e164, label, source, region, zone, position, main, texting) VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9)`,
			id, l.e164, l.label, l.source, l.region, l.zone, i, i == 0, texting[i])
	}
	for i, s := range firmStates {
		batch.Queue(`INSERT INTO availability_states (id, label, takes_calls, counts_as_work, position) VALUES ($1, $2, $3, $4, $5)`, m.id(old), s.label, s.takes, s.work, i+2)
	}
	for i, message := range prepared {
		// Not from the seed's stream: whoever is made after it stays who they were.
		batch.Queue(`INSERT INTO prepared_messages (id, name, text, position) VALUES ($1, $2, $3, $4)`,
			uuid.NewSHA1(uuid.NameSpaceOID, []byte(message[0])), message[0], message[1], i)
	}
	queueTemplates(batch)
	for i, o := range firmOutcomes {
		id := m.id(old)
		m.outcomes = append(m.outcomes, id)
		if i >= busyAt {
			i++
		}
		batch.Queue(`INSERT INTO outcomes (id, label, position, reached, needs_notes, effects, left_message) VALUES ($1, $2, $3, $4, $5, $6::jsonb, $7)`, id, o.label, i, o.reached, o.needsNotes, o.effects,
			o.label == "Left a message")
	}
	// Not from the seed's stream, as the prepared messages: who is made after it stays who they were.
	batch.Queue(`INSERT INTO outcomes (id, label, position, reached, effects) VALUES ($1, 'Busy', $2, false, '[{"kind":"retry","after":{"count":20,"unit":"minutes"}}]')`,
		uuid.NewSHA1(uuid.NameSpaceOID, []byte("busy")), busyAt)
	holidays, err := json.Marshal(append(workday.Public("US", m.now.Year()), workday.Public("US", m.now.Year()+1)...))
	if err != nil {
		return err
	}
	batch.Queue(`INSERT INTO settings (key, value) VALUES ('holidays', $1)`, holidays)
	for i, label := range firmCallTypes {
		id := m.id(old)
		m.types = append(m.types, id)
		batch.Queue(`INSERT INTO call_types (id, label, position) VALUES ($1, $2, $3)`, id, label, i)
	}
	if err := tx.SendBatch(ctx, batch).Close(); err != nil {
		return err
	}
	for _, p := range firmPeople {
		id, err := firm.AddUser(ctx, q,
			firm.NewUser{Login: p.login, Name: p.name, Password: firm.DemoPassword, Role: p.role, Zone: p.zone,
				Team:      p.team,
				Extension: p.ext, Line: &m.lines[p.line]})
		if err != nil {
			return err
		}
		m.users = append(m.users, id)
	}
	if err := m.routes(ctx, tx); err != nil {
		return err
	}
	return m.queues(ctx, tx)
}

// routes say whom each line rings; the main line rings every rep.
func (m *maker) routes(ctx context.Context, tx pgx.Tx) error {
	batch := &pgx.Batch{}
	for _, r := range firmRoutes {
		batch.Queue(`UPDATE lines SET ring_mode = $2, hours = $3, unanswered = $4, greeting = $5 WHERE id = $1`,
			m.lines[r.line], r.mode, r.hours, r.unanswered, r.greeting)
		for i, rep := range r.reps {
			batch.Queue(`INSERT INTO line_reps (line_id, user_id, position) VALUES ($1, $2, $3)`, m.lines[r.line],
				m.users[rep], i)
		}
	}
	return tx.SendBatch(ctx, batch).Close()
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
			area = fmt.Sprintf("%d", []int{201, 205, 212, 216, 228, 240, 251, 267, 303, 312, 319, 334, 401, 405, 410,
				434, 440, 501, 502, 504, 513, 518, 540,
				563, 570, 573, 585, 601, 608, 612, 615, 618, 651, 662, 701, 704, 715, 717, 740, 757, 802, 803, 814, 816,
				828, 843, 859, 864, 901, 910, 919, 931, 937}[m.rand.IntN(53)])
		}
	}
}

// Hours are the calling hours of a demo that is started at now. It can be tried at any hour of the day: begun at night,
// its people may be called at night. "" are the usual ones.
func Hours(now time.Time) string {
	zone, err := time.LoadLocation("America/New_York")
	if err != nil {
		return ""
	}
	switch h := now.In(zone).Hour(); {
	case h < 3 || h >= 21:
		return "0:00-24:00"
	case h < 8:
		return "0:00-21:00"
	}
	return ""
}
