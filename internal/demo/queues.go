package demo

import (
	"context"
	"encoding/json"
	"fmt"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"trundo/internal/core/route"
)

// Not from the seed's stream: whoever is made after them stays who they were.
func queueID(name string) uuid.UUID { return uuid.NewSHA1(uuid.NameSpaceOID, []byte("queue "+name)) }

// firmSkills are what the people of the firm know, by their place in firmPeople.
var firmSkills = map[int]struct {
	skills    string
	languages []string
}{
	0: {`{"planning":3}`, []string{"en", "fr"}}, 1: {`{"pumps":5,"large systems":3}`, []string{"en"}},
	2: {`{"planning":4,"large systems":4}`, []string{"en", "de"}}, 3: {`{"planning":2}`, []string{"en"}},
	5: {`{"pumps":3}`, []string{"en", "de"}}, 6: {`{"pumps":4,"French":4}`, []string{"en", "fr"}},
	7: {`{"pumps":2,"planning":3}`, []string{"en"}},
}

var firmQueues = []struct {
	name     string
	settings string
	members  []int // of firmPeople
	line     int   // whose calls of the past waited in it
}{
	{
		"Sales",
		`{"needs":{},"rings":1,"ring_seconds":15,"misses":3,"prefer_seconds":20,"relax_seconds":60,"target_seconds":20,
		"max_length":20,"max_wait_seconds":900,"hours":{"spans":[],"off":[]},"zone":"America/New_York","say_position":true,
		"say_wait":true,"comfort":[{"en":"Thank you for waiting. Press 1 and we call you back; you keep your place."}],
		"every_seconds":45,"retries":2,"retry_minutes":15}`,
		[]int{0, 2, 3, 7},
		1,
	},
	{
		"Service",
		`{"needs":{"pumps":2},"rings":1,"ring_seconds":15,"misses":3,"prefer_seconds":20,"relax_seconds":60,"target_seconds":30,
		"max_length":30,"max_wait_seconds":1200,"hours":{"spans":[],"off":[]},"zone":"America/New_York","say_position":true,
		"say_wait":true,"comfort":[{"en":"Thank you for waiting. If water is running where it should not, close the valve before the tank.",
		"fr":"Merci de patienter. Si l’eau coule où elle ne devrait pas, fermez la vanne avant la cuve."},
		{"en":"Press 1 and we call you back; you keep your place.","fr":"Appuyez sur 1 et nous vous rappelons; vous gardez votre place."}],
		"every_seconds":40,"retries":2,"retry_minutes":15}`,
		[]int{1, 5, 6, 7},
		2,
	},
	{
		"Contracts",
		`{"needs":{},"rings":2,"ring_seconds":20,"misses":3,"prefer_seconds":30,"relax_seconds":0,"target_seconds":20,
		"max_length":0,"max_wait_seconds":0,"hours":{"spans":[],"off":[]},"zone":"America/New_York","say_position":true,
		"say_wait":false,"comfort":[],"every_seconds":60,"retries":2,"retry_minutes":15}`,
		[]int{5, 6, 1},
		6,
	},
}

func says(en, fr string) map[string]string { return map[string]string{"en": en, "fr": fr} }

// waits lets somebody wait in a queue, where 1 is a callback; times: at a time of their own choosing, if they wish.
func waits(id, queue string, priority int, times bool) route.Step {
	return route.Step{
		ID:       id,
		Do:       route.Queue,
		Queue:    queueID(queue).String(),
		Priority: priority,
		Options: []route.Option{
			{Key: "1", Steps: []route.Step{{ID: id + "-back", Do: route.Callback, Times: times}}}},
	}
}

// hotline is the route of the service hotline.
func hotline() route.Route {
	return route.Route{Languages: []string{"en", "fr"}, Steps: []route.Step{
		{ID: "closed", Do: route.When, Test: &route.Test{Is: route.Open, Not: true}, Steps: []route.Step{
			{ID: "hours", Do: route.Tell, What: route.TellHours}, {ID: "night", Do: route.Voicemail}}},
		{ID: "french", Do: route.When, Test: &route.Test{Is: route.Speaks, Value: "fr"}, Steps: []route.Step{
			{ID: "speak", Do: route.Language, Language: "fr"}}},
		{ID: "hello", Do: route.Say, Texts: says("Service at Lindenfall Cisterns. Hello.",
			"Service après-vente de Lindenfall Cisterns. Bonjour.")},
		{ID: "case", Do: route.When, Test: &route.Test{Is: route.OpenCase}, Steps: []route.Step{
			{
				ID:      "owner",
				Do:      route.Owner,
				Seconds: 15,
			}, waits("again", "Service", 1, false), {ID: "case-message", Do: route.Voicemail}}},
		{
			ID: "menu",
			Do: route.Menu,
			Texts: says("For a pump or a leak press 1. For your maintenance contract press 2. "+
				"To hear how your order stands press 3.", "Pour une pompe ou une fuite, appuyez sur 1. Pour votre contrat "+
				"d’entretien, appuyez sur 2. Pour savoir où en est votre commande, appuyez sur 3."),
			Options: []route.Option{
				{Key: "1", Steps: []route.Step{waits("pumps", "Service", 0, false)}},
				{Key: "2", Steps: []route.Step{waits("contracts", "Contracts", 0, false)}},
				{
					Key: "3",
					Steps: []route.Step{
						{ID: "order", Do: route.Tell, What: route.TellOrder},
						{ID: "once-more", Do: route.Again},
					},
				},
			},
			Else: []route.Step{waits("anything", "Service", 0, false)},
		},
		{ID: "message", Do: route.Voicemail},
	}}
}

// salesDoor is the route of the sales line.
func salesDoor() route.Route {
	return route.Route{Languages: []string{"en"}, Steps: []route.Step{
		{ID: "hello", Do: route.Say, Texts: map[string]string{"en": "Lindenfall Cisterns, hello."}},
		{ID: "owner", Do: route.Owner, Seconds: 15},
		waits("sales", "Sales", 0, true),
		{ID: "message", Do: route.Voicemail},
	}}
}

// queues makes the firm's queues and the routes of two of its lines.
func (m *maker) queues(ctx context.Context, tx pgx.Tx) error {
	batch := &pgx.Batch{}
	for at, knows := range firmSkills {
		batch.Queue(
			`UPDATE users SET skills = $2, languages = $3 WHERE id = $1`,
			m.users[at],
			[]byte(knows.skills),
			knows.languages,
		)
	}
	for _, q := range firmQueues {
		batch.Queue(
			`INSERT INTO queues (id, name, settings) VALUES ($1, $2, $3::jsonb)`,
			queueID(q.name),
			q.name,
			q.settings,
		)
		for i, member := range q.members {
			batch.Queue(
				`INSERT INTO queue_members (queue_id, user_id, position) VALUES ($1, $2, $3)`,
				queueID(q.name),
				m.users[member],
				i,
			)
		}
	}
	for name, r := range map[string]struct {
		doc  route.Route
		line int
	}{"Service hotline": {hotline(), 2}, "Sales line": {salesDoor(), 1}} {
		text, err := json.Marshal(r.doc)
		if err != nil {
			return err
		}
		id := uuid.NewSHA1(uuid.NameSpaceOID, []byte("route "+name))
		batch.Queue(`INSERT INTO routes (id, name, draft, live) VALUES ($1, $2, $3, 1)`, id, name, text)
		batch.Queue(`INSERT INTO route_versions (route_id, no, doc, at, user_id) VALUES ($1, 1, $2, $3, $4)`, id, text,
			m.now.AddDate(0, -2, 0), m.users[len(m.users)-1])
		batch.Queue(`UPDATE lines SET route_id = $2 WHERE id = $1`, m.lines[r.line], id)
	}
	batch.Queue(`UPDATE queues SET settings = settings || jsonb_build_object('writing', jsonb_build_object(
			'lines', jsonb_build_array($2::text), 'mails', false, 'words', '[]'::jsonb, 'senders', '[]'::jsonb,
			'at_once', 2, 'minutes', 60)) WHERE id = $1`, queueID("Contracts"), m.lines[6].String())
	// Whoever looks at the firm's own page can be called, or write.
	form := uuid.NewSHA1(uuid.NameSpaceOID, []byte("web form Contact page"))
	batch.Queue(
		`INSERT INTO web_forms (id, queue_id, line_id, name, title, hello, calls, messages, makes_case, sites, salt)
		VALUES ($1, $2, $3, 'Contact page', 'Talk to Lindenfall Cisterns', $4, true, true, true,
			'{https://www.lindenfall.example}', $5)`,
		form,
		queueID("Sales"),
		m.lines[1],
		"Tell us when it suits you, and somebody who knows tanks calls you.",
		form[:],
	)
	// Who called the hotline, or about a contract, is asked about it.
	batch.Queue(
		`INSERT INTO settings (key, value) VALUES ('survey', $1)`,
		fmt.Appendf(nil, `{"active":true,"lines":["%s","%s"],"share":100,"every_days":30,
		"hello":{"en":"Please stay for a few short questions.","fr":"Restez en ligne pour quelques courtes questions."},
		"questions":[{"id":"recommend","kind":"score","texts":{"en":"How likely are you to recommend us? Press a number from 0, not at all, to 10.",
			"fr":"Nous recommanderiez-vous? Appuyez sur un chiffre de 0, pas du tout, à 10."}},
		{"id":"solved","kind":"yes_no","texts":{"en":"Is your question solved? Press 1 for yes, 2 for no.","fr":"Votre question est-elle réglée? 1 pour oui, 2 pour non."}},
		{"id":"remark","kind":"remark","texts":{"en":"After the tone, tell us why. Press the hash key when you are done.",
			"fr":"Après le signal, dites-nous pourquoi. Terminez par dièse."}}],
		"thanks":{"en":"Thank you. Goodbye.","fr":"Merci. Au revoir."}}`, m.lines[2], m.lines[6]),
	)
	return tx.SendBatch(ctx, batch).Close()
}

// waited puts the calls that came in on the queues' lines into what is known of the queues.
func (m *maker) waited(ctx context.Context, tx pgx.Tx) error {
	for _, q := range firmQueues {
		if _, err := tx.Exec(ctx, `INSERT INTO queue_waits (id, queue_id, kind, call_id, line_id, e164, ext, since, left_at, how, answered_by)
			SELECT gen_random_uuid(), $1, 'call', c.id, c.line_id, c.remote_e164, c.remote_ext, c.started_at, coalesce(c.answered_at, c.ended_at),
				CASE WHEN c.answered_at IS NOT NULL THEN 'answered' WHEN c.message_ms > 0 THEN 'voicemail' ELSE 'abandoned' END,
				(SELECT s.user_id FROM slips s WHERE s.call_id = c.id LIMIT 1)
			FROM calls c WHERE c.direction = 'inbound' AND c.line_id = $2 AND c.ended_at IS NOT NULL`,
			queueID(q.name), m.lines[q.line]); err != nil {
			return err
		}
	}
	// What some of them said about it, drawn from the calls' own ids.
	_, err := tx.Exec(ctx, `INSERT INTO survey_answers (call_id, question_id, question, kind, value, at)
		SELECT c.id, 'recommend', 'How likely are you to recommend us? Press a number from 0, not at all, to 10.', 'score',
			(ARRAY[10, 9, 9, 8, 7, 10, 4, 9, 8, 2])[1 + ('x' || substr(md5(c.remote_e164), 1, 6))::bit(24)::int % 10], c.ended_at
		FROM calls c WHERE c.direction = 'inbound' AND c.answered_at IS NOT NULL AND c.line_id = ANY ($1)
			AND ('x' || substr(md5(c.remote_e164), 7, 4))::bit(16)::int % 3 = 0`, []uuid.UUID{m.lines[2], m.lines[6]})
	return err
}
