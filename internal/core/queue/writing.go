package queue

import (
	"slices"
	"strings"
)

// Writing says which written work waits in a queue. The zero value takes none.
type Writing struct {
	Lines   []string `json:"lines"`   // text messages to these lines
	Mails   bool     `json:"mails"`   // mails
	Words   []string `json:"words"`   // one of them stands in it; none: whatever is written
	Senders []string `json:"senders"` // it comes from one of these addresses, or from an address that ends so
	AtOnce  int      `json:"at_once"` // how much of it somebody has at once
	Minutes int      `json:"minutes"` // within which it is to be answered; 0: at any time
}

// Message is something that somebody wrote.
type Message struct {
	Line    string // of a text message; "" of a mail
	Address string // who wrote it: a number in its normal form, or an address
	Text    string // subject and body
}

// Takes tells whether a message waits in the queue.
func (w Writing) Takes(m Message) bool {
	if m.Line == "" && !w.Mails || m.Line != "" && !slices.Contains(w.Lines, m.Line) {
		return false
	}
	text, address := strings.ToLower(m.Text), strings.ToLower(m.Address)
	said := func(word string) bool {
		word = strings.ToLower(strings.TrimSpace(word))
		return word != "" && strings.Contains(text, word)
	}
	from := func(end string) bool {
		end = strings.ToLower(strings.TrimSpace(end))
		return end != "" && strings.HasSuffix(address, end)
	}
	return (len(w.Words) == 0 || slices.ContainsFunc(w.Words, said)) &&
		(len(w.Senders) == 0 || slices.ContainsFunc(w.Senders, from))
}

// Room is how many more pieces of written work somebody may have who has some.
func (w Writing) Room(has int) int { return max(0, max(1, w.AtOnce)-has) }

// callMe are what a text says whose writer wishes to be called, each alone or with a few words around it.
var callMe = []string{
	"call me",
	"call us",
	"call back",
	"callback",
	"please call",
	"ring me",
	"phone me",
	"give me a call",
	"appelez-moi",
	"rappelez-moi",
	"rufen sie mich an",
	"bitte um rückruf",
	"llámame",
	"llámeme",
}

// fewWords is how long such a text is at most: a longer one says something besides, which is to be read.
const fewWords = 10

// WishesCall tells whether a text message says nothing but that its writer wishes to be called.
func WishesCall(text string) bool {
	text = strings.ToLower(strings.Join(strings.Fields(text), " "))
	if len(strings.Fields(text)) > fewWords || strings.Contains(text, "don't") || strings.Contains(text, "do not") ||
		strings.Contains(text, "not call") {
		return false
	}
	return slices.ContainsFunc(callMe, func(phrase string) bool { return strings.Contains(text, phrase) })
}
