package demo

import (
	"fmt"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
)

// texting are the states of the lines' approval for text messages, in the order of firmLines.
var texting = []string{"approved", "approved", "approved", "asked", "none", "asked", "approved", "none"}

// templates are what messages and mails can begin with.
var templates = []struct{ name, channel, subject, body string }{
	{"missed you", "text", "", "Hello {given name}, {rep} of {firm} here. I have just tried to reach you about " +
		"your cistern; call me back on {number} when it suits you. Answer STOP for no more messages."},
	{"visit", "text", "", "Hello {given name}, we come to see the place as agreed. If something comes between, " +
		"please tell us on {number}. {rep}, {firm}"},
	{"offer", "mail", "Your offer from {firm}",
		"Hello {given name},\n\nthank you for talking with me. Here is our offer for {company}, as we went " +
			"through it.\n\nIf anything is unclear, call me on {number}.\n\nKind regards,\n{rep}\n{firm}"},
	{"after the visit", "mail", "What we saw at {company}",
		"Hello {given name},\n\nthank you for showing me around on {date}. I write down what we measured, and " +
			"what I would propose.\n\nKind regards,\n{rep}\n{firm}"},
}

// templateID is the same in every filling, and not from the seed's stream: whoever is made after it stays who they
// were.
func templateID(name string) uuid.UUID {
	return uuid.NewSHA1(uuid.NameSpaceOID, []byte("template "+name))
}

// planning is what a rep says who is asked for a cistern.
const planning = `# Opening
Hello {given name}, this is **{rep}** of {firm}. You asked us about rainwater.
? Is there a tank already? [has_tank]
- Yes -> The tank
- No -> The need
- No time now -> Another day

# The tank
? How many litres does it hold? [litres]
= number
-> The visit

# The need
A few words are enough:
- what is watered, and how much of it
- where the water comes from today
? What is the water for? [use]
- Garden
- House
- Trade

# The visit
We look at the roof and the yard, measure, and tell you what is worth while. It costs nothing.
? Shall we come and see? [visit]
- Yes
- Not yet -> Another day

# Another day
When may we call again?
`

func queueTemplates(batch *pgx.Batch) {
	batch.Queue(`INSERT INTO scripts (id, name, body) VALUES ($1, 'Planning', $2)`, templateID("script"), planning)
	steps := fmt.Sprintf(`[{"act":"mail","template":%q,"after":{"count":0,"unit":"minutes"}},{"act":"call","text":"Ask whether the offer came","after":{"count":2,"unit":"business_days","at":600}},
		{"act":"text","template":%q,"after":{"count":1,"unit":"business_days","at":660}},{"act":"call","text":"Last try","after":{"count":1,"unit":"weeks","at":600}}]`, templateID("offer"), templateID("missed you"))
	batch.Queue(`INSERT INTO sequences (id, name, steps) VALUES ($1, 'After an offer', $2::jsonb)`,
		templateID("sequence"), steps)
	for i, t := range templates {
		batch.Queue(`INSERT INTO templates (id, name, channel, subject, body, position) VALUES ($1, $2, $3, $4, $5, $6)`, templateID(t.name), t.name, t.channel, t.subject, t.body, i)
	}
}

// messages are two conversations: one with the first person of the book, to its end, and one that waits for an answer.
func (m *maker) messages() {
	add := func(p person, incoming bool, channel, address string, line, rep int, at time.Time, subject, body string,
		read bool) {
		at = at.Truncate(time.Microsecond)
		id := uuid.NewSHA1(uuid.NameSpaceOID, []byte(p.name+at.String()))
		state, lineID, sent := "sent", &m.lines[line], &at
		if incoming {
			state, sent = "received", nil
		}
		if channel == "mail" {
			lineID = nil
		}
		var seen *time.Time
		if read {
			seen = &at
		}
		m.add("messages", id, channel, incoming, p.id, address, lineID, m.users[rep], subject, body, state, at, sent,
			seen, !incoming)
		m.add("history", p.id, at, "message", id)
	}
	berit := m.people[0]
	mail := "berit.osterlund@vesperhollownursery.example"
	ago := func(d time.Duration) time.Time { return m.now.Add(-d) }
	add(berit, false, "mail", mail, 0, 0, ago(8*24*time.Hour), "Your offer from Lindenfall Cisterns",
		"Hello Berit,\n\nhere is our offer for the 40,000 l tank, as we went through it on the "+
			"telephone.\n\nKind regards,\nInes Calloway", true)
	add(berit, true, "mail", mail, 0, 0, ago(7*24*time.Hour), "Re: Your offer from Lindenfall Cisterns",
		"Thank you, Ines. I read it with the others on Friday and tell you.\n\nBerit", true)
	add(berit, true, "text", AnswersSoon, 1, 0, ago(50*time.Hour), "",
		"We would like the overflow on the north side. Is that possible at the same price?", true)
	add(berit, false, "text", AnswersSoon, 1, 0, ago(49*time.Hour), "", "Yes, it is. I put it into the offer. Ines",
		true)
	for _, p := range m.people[20:] { // somebody who is not to be left without an answer
		if !p.dnc && len(p.numbers) > 0 && p.numbers[0].e164 != "" && p.owner == 1 {
			add(p, true, "text", p.numbers[0].e164, 1, 1, ago(25*time.Minute), "",
				"Is Thursday at nine still good for you?", false)
			break
		}
	}
}
