package match_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"trundo/internal/core/datetime"
	"trundo/internal/core/match"
)

var now = time.Date(2026, 3, 4, 15, 0, 0, 0, time.UTC) // a Wednesday

// is makes a candidate from a name and signs, as in "berit ext:12 open-case".
func is(text string) match.Candidate {
	words := strings.Fields(text)
	c := match.Candidate{Record: words[0]}
	for _, w := range words[1:] {
		word, value, _ := strings.Cut(w, ":")
		var days int
		_, _ = fmt.Sscan(value, &days)
		switch word {
		case "company":
			c.Company = true
		case "ext":
			c.Ext = value
		case "past":
			c.Past = true
		case "mine":
			c.OwnerIsMe = true
		case "learnt":
			c.Learnt = true
		case "deal":
			c.OpenDeal = true
		case "case":
			c.OpenCase = true
		case "spoke":
			c.Spoke = now.AddDate(0, 0, -days)
		case "tried":
			c.Tried = now.AddDate(0, 0, -days)
		default:
			panic(w)
		}
	}
	return c
}

// The order, who is clearly meant ("?" where it has to be asked), and the first one's reason, each worked out by hand
// from the weights.
func TestRank(t *testing.T) {
	tests := []struct {
		name       string
		ext        string
		candidates []string
		order      string
		winner     string
		reason     string
	}{
		// One or none.
		{"nobody", "", nil, "", "?", ""},
		{"one person", "", []string{"berit"}, "berit", "berit", "the same number"},
		{"one company", "", []string{"vesper company"}, "vesper", "vesper", "the company's number"},
		{"one with its extension", "12", []string{"berit ext:12"}, "berit", "berit", "the same number and extension"},
		{"one with an extension, none was dialed", "", []string{"berit ext:12"}, "berit", "berit",
			"the same number, extension 12"},
		{"one with another extension", "13", []string{"berit ext:12"}, "berit", "berit",
			"the same number, extension 12"},
		{"one without, an extension was dialed", "12", []string{"vesper company"}, "vesper", "vesper",
			"the company's number"},
		{"one by an earlier call only", "", []string{"berit past"}, "berit", "?", "an earlier call with this number"},
		{"one by an earlier call, chosen then", "", []string{"berit past learnt"}, "berit", "berit",
			"chosen the last time, an earlier call with this number"},
		{"one of mine, spoken with", "", []string{"berit mine spoke:3"}, "berit", "berit", "the same number, yours"},
		// Exact number with extension.
		{"the exact extension before the main line", "12", []string{"vesper company", "berit ext:12"}, "berit vesper",
			"berit", "the same number and extension"},
		{"the exact extension before another", "12", []string{"aron ext:13", "berit ext:12"}, "berit aron", "berit",
			"the same number and extension"},
		{"a company's exact extension before a person without", "12", []string{"aron", "vesper company ext:12"},
			"vesper aron", "vesper", "the same number and extension"},
		{"the exact extension before all that is likely", "12",
			[]string{"aron tried:1 spoke:1 case deal mine", "vesper company ext:12"}, "vesper aron", "vesper",
			"the same number and extension"},
		{"without an extension those with one come last", "", []string{"berit ext:12", "vesper company"},
			"vesper berit", "?", "the company's number"},
		{"two colleagues behind one number, no extension heard", "", []string{"berit ext:12", "aron ext:13"},
			"aron berit", "?", "the same number, extension 13"},
		{"two with another extension than was dialed", "14", []string{"berit ext:12", "aron ext:13"}, "aron berit", "?",
			"the same number, extension 13"},
		{"the main line before other extensions", "14", []string{"berit ext:12", "vesper company"}, "vesper berit",
			"vesper", "the company's number"},
		// Own number before a company's main line.
		{"a person before the company", "", []string{"vesper company", "berit"}, "berit vesper", "berit",
			"the same number"},
		{"a person before a company of mine", "", []string{"vesper company mine", "berit"}, "berit vesper", "berit",
			"the same number"},
		{"a person before a company with an open case", "", []string{"vesper company case", "berit"}, "berit vesper",
			"?", "the same number"},
		{"two companies in one house", "", []string{"vesper company", "arnau company"}, "arnau vesper", "?",
			"the company's number"},
		{"two companies, one of mine", "", []string{"vesper company mine", "arnau company"}, "vesper arnau", "?",
			"the company's number, yours"},
		// A household.
		{"equal ones in a fixed order", "", []string{"berit", "aron"}, "aron berit", "?", "the same number"},
		{"the owner's own first", "", []string{"aron", "berit mine"}, "berit aron", "?", "the same number, yours"},
		{"an open case before an open deal", "", []string{"aron deal", "berit case"}, "berit aron", "?",
			"the same number, an open case"},
		{"an open deal before nothing", "", []string{"aron", "berit deal"}, "berit aron", "?",
			"the same number, an open deal"},
		{"an open deal before mine", "", []string{"aron mine", "berit deal"}, "berit aron", "?",
			"the same number, an open deal"},
		{"last spoken with before an open case", "", []string{"aron case", "berit spoke:20"}, "berit aron", "?",
			"the same number, last spoken with"},
		{"the later conversation counts", "", []string{"aron spoke:9", "berit spoke:2"}, "berit aron", "?",
			"the same number, last spoken with"},
		{"the earlier conversation counts for nothing", "", []string{"aron spoke:9 case", "berit spoke:2"},
			"berit aron", "?", "the same number, last spoken with"},
		{"a case and a deal before the last conversation", "", []string{"aron spoke:9", "berit case deal"},
			"berit aron", "?", "the same number, an open case, an open deal"},
		// They return our call.
		{"we have just tried one of them", "", []string{"aron", "berit tried:0"}, "berit aron", "?",
			"the same number, we called them today"},
		{"an attempt before a conversation", "", []string{"aron spoke:1", "berit tried:1"}, "berit aron", "?",
			"the same number, we called them yesterday"},
		{"an attempt two days ago", "", []string{"aron", "berit tried:2"}, "berit aron", "?",
			"the same number, we called them on Mon 2 Mar"},
		{"an attempt too long ago", "", []string{"aron", "berit tried:4"}, "aron berit", "?", "the same number"},
		{"tried and last spoken with is clear", "", []string{"aron", "berit tried:1 spoke:30"}, "berit aron", "berit",
			"the same number, we called them yesterday, last spoken with"},
		{"tried, but the other was spoken with", "", []string{"aron spoke:1 case", "berit tried:1"}, "aron berit", "?",
			"the same number, last spoken with, an open case"},
		{"we tried the company", "", []string{"berit", "vesper company tried:0 spoke:3"}, "berit vesper", "?",
			"the same number"},
		{"we tried the company, which has a case of mine", "",
			[]string{"berit", "vesper company tried:0 spoke:3 case mine"}, "vesper berit", "?",
			"the company's number, we called them today, last spoken with"},
		// What a rep has chosen.
		{"a choice before all that is likely", "", []string{"aron tried:0 spoke:0 case deal mine", "berit learnt"},
			"berit aron", "berit", "chosen the last time, the same number"},
		{"a choice before a person's own number", "", []string{"berit", "vesper company learnt"}, "vesper berit",
			"vesper", "chosen the last time, the company's number"},
		{"a choice for the number, and another's exact extension", "12",
			[]string{"berit ext:12", "vesper company learnt"}, "vesper berit", "vesper",
			"chosen the last time, the company's number"},
		{"one choice makes a company's main line nobody's own", "", []string{"aron learnt", "berit", "vesper company"},
			"aron berit vesper", "?", "the same number"},
		{"nor a switchboard whose people have extensions", "", []string{"aron ext:14 learnt", "berit ext:12"},
			"aron berit", "?", "the same number, extension 14"},
		{"with the extension it counts", "12", []string{"aron ext:12 learnt", "berit ext:12", "vesper company"},
			"aron berit vesper", "aron",
			"chosen the last time, the same number and extension"},
		// Earlier calls.
		{"stored before an earlier call", "", []string{"aron past", "berit"}, "berit aron", "berit", "the same number"},
		{"a stored extension before an earlier call", "", []string{"aron past", "berit ext:12"}, "berit aron", "berit",
			"the same number, extension 12"},
		{"two by earlier calls", "", []string{"berit past spoke:2", "aron past spoke:9"}, "berit aron", "?",
			"an earlier call with this number, last spoken with"},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			var candidates []match.Candidate
			for _, c := range tt.candidates {
				candidates = append(candidates, is(c))
			}
			got := match.Rank(candidates, tt.ext, now, datetime.Style{})
			var order []string
			for _, m := range got {
				order = append(order, m.Record)
			}
			assert.Equal(t, tt.order, strings.Join(order, " "))
			winner, found := match.Winner(got)
			if !found {
				winner = "?"
			}
			assert.Equal(t, tt.winner, winner)
			if len(got) > 0 {
				assert.Equal(t, tt.reason, got[0].Reason)
			}
		})
	}
}

func TestAttach(t *testing.T) {
	rank := func(candidates ...string) []match.Match {
		var cs []match.Candidate
		for _, c := range candidates {
			cs = append(cs, is(c))
		}
		return match.Rank(cs, "", now, datetime.Style{})
	}
	tests := []struct {
		name    string
		matches []match.Match
		open    string
		record  string
		ask     bool
	}{
		{"the only one", rank("berit"), "", "berit", false},
		{"the open record is one of them", rank("berit", "aron"), "berit", "berit", false},
		{"another record is open", rank("berit"), "fenna", "", true},
		{"several and none is open", rank("berit", "aron"), "", "", true},
		{"several, one clearly, and none is open", rank("berit", "vesper company"), "", "berit", false},
		{"nobody", nil, "", "", true},
		{"nobody, and a record is open", nil, "fenna", "", true},
		{"the open record only by an earlier call", rank("berit past"), "berit", "", true},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			record, ask := match.Attach(tt.matches, tt.open)
			assert.Equal(t, tt.record, record)
			assert.Equal(t, tt.ask, ask)
		})
	}
}

func ExampleRank() {
	for _, m := range match.Rank([]match.Candidate{{Record: "the nursery", Company: true},
		{Record: "Berit", OwnerIsMe: true}}, "", time.Now(), datetime.Style{}) {
		fmt.Println(m.Record, "·", m.Reason)
	}
	// Output:
	// Berit · the same number, yours
	// the nursery · the company's number
}
