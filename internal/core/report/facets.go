package report

import (
	"strconv"
)

// Facet is what calls are narrowed and grouped by: it gives a row of each call one of its values.
type Facet struct {
	Key  string
	Kind Kind
	// Edges of bands: a value is the number of the band, from 0; the first is below the first edge. Unit says what they are.
	Edges []int
	Unit  Unit
	// Groups: figures can be by it.
	Groups bool

	column int
	value  func(t row) (int, bool)
}

// Kind is what the values of a facet are.
type Kind string

// The kinds.
const (
	Keys   Kind = "keys"   // ids and words of the firm's
	Times  Kind = "times"  // hours, days, …
	Bands  Kind = "bands"  // of something measured
	Marks  Kind = "marks"  // what is so of a call, each by itself
	Topics Kind = "topics" // what was said
	Words  Kind = "words"  // words that were said or written: the calls are told by whoever asks
	Behind Kind = "behind" // calls that a figure is made of
)

// row reads a row of a book.
type row struct {
	b *Book
	i int
}

func (r row) measure(c int) int { return int(r.b.t.Measure(c, r.i)) }
func (r row) has(f uint32) bool { return r.b.t.Flags(r.i)&f == f }
func (r row) seconds(c int) (int, bool) {
	v := r.measure(c)
	return v / 1000, v >= 0
}

// share of something in a recording, in percent.
func (r row) share(c int) (int, bool) {
	all := r.measure(recorded)
	if all <= 0 {
		return 0, false
	}
	return 100 * r.measure(c) / all, true
}

func (r row) talkShare() (int, bool) {
	all := r.measure(ours) + r.measure(theirs)
	if r.measure(recorded) < 0 || all == 0 {
		return 0, false
	}
	return 100 * r.measure(ours) / all, true
}

// Facets are all there are, in the order in which they are shown.
var Facets = []Facet{
	{Key: "way", Kind: Keys, column: way, Groups: true},
	{Key: "line", Kind: Keys, column: line, Groups: true},
	{Key: "queue", Kind: Keys, column: queue, Groups: true},
	{Key: "rep", Kind: Keys, column: rep, Groups: true},
	{Key: "team", Kind: Keys, column: team, Groups: true},
	{Key: "outcome", Kind: Keys, column: outcome, Groups: true},
	{Key: "type", Kind: Keys, column: callType, Groups: true},
	{Key: "source", Kind: Keys, column: source, Groups: true},
	{Key: "list", Kind: Keys, column: list, Groups: true},
	{Key: "shown", Kind: Keys, column: numberShown, Groups: true},
	{Key: "device", Kind: Keys, column: device, Groups: true},
	{Key: "ending", Kind: Keys, column: ending, Groups: true},
	{Key: "hour", Kind: Times, Groups: true},
	{Key: "weekday", Kind: Times, Groups: true},
	{Key: "day", Kind: Times, Groups: true},
	{Key: "week", Kind: Times, Groups: true},
	{Key: "month", Kind: Times, Groups: true},
	{Key: "has", Kind: Marks},
	{Key: "topic", Kind: Topics, Groups: true},
	{Key: "length", Kind: Bands, Edges: []int{30, 120, 300, 900}, Unit: Seconds, Groups: true,
		value: func(r row) (int, bool) { s, _ := r.seconds(talk); return s, r.has(Answered) }},
	{Key: "wait", Kind: Bands, Edges: []int{10, 20, 60, 180}, Unit: Seconds, Groups: true,
		value: func(r row) (int, bool) { return r.seconds(wait) }},
	{Key: "satisfaction", Kind: Bands, Edges: []int{7, 9}, Unit: Points, Groups: true,
		value: func(r row) (int, bool) { v := r.measure(satisfaction); return v, v >= 0 }},
	{Key: "quality", Kind: Bands, Edges: []int{50, 70, 85}, Unit: Percent, Groups: true,
		value: func(r row) (int, bool) { v := r.measure(quality); return v, v >= 0 }},
	{Key: "talk_share", Kind: Bands, Edges: []int{30, 45, 55, 70}, Unit: Percent, Groups: true,
		value: func(r row) (int, bool) { return r.talkShare() }},
	{Key: "silence", Kind: Bands, Edges: []int{10, 20, 35}, Unit: Percent,
		value: func(r row) (int, bool) { return r.share(silence) }},
	{Key: "overlap", Kind: Bands, Edges: []int{2, 5, 10}, Unit: Percent,
		value: func(r row) (int, bool) { return r.share(overlap) }},
	{Key: "interruptions", Kind: Bands, Edges: []int{1, 3, 6}, Unit: Average,
		value: func(r row) (int, bool) { return r.measure(interruptions), r.measure(recorded) >= 0 }},
	{Key: "hold", Kind: Bands, Edges: []int{1, 30, 120}, Unit: Seconds,
		value: func(r row) (int, bool) { s, _ := r.seconds(hold); return s, r.has(Answered) }},
	{Key: "transfers", Kind: Bands, Edges: []int{1, 2}, Unit: Average,
		value: func(r row) (int, bool) { return r.measure(transfers), r.has(Answered) }},
	{Key: "words", Kind: Words},
	{Key: "notes", Kind: Words},
	{Key: "behind", Kind: Behind},
}

// FacetOf is the one with a key.
func FacetOf(key string) (Facet, bool) {
	for _, f := range Facets {
		if f.Key == key {
			return f, true
		}
	}
	return Facet{}, false
}

// marks are the values of the facet "has": what flags a row has, and has not.
var marks = []struct {
	key        string
	mask, want uint32
}{
	{"recording", HasRecording, HasRecording}, {"transcript", Transcribed, Transcribed}, {"remark", Remarked, Remarked},
	{"survey", Surveyed, Surveyed}, {"voicemail", Voicemail, Voicemail}, {"missed", Missed, Missed},
	{"unreturned", Owed, Owed}, {"abandoned", Abandoned, Abandoned}, {"no_outcome", HasRep | HasOutcome, HasRep},
	{"unfiled", HasRep | Filed, HasRep}, {"bad_line", BadLine, BadLine}, {"handed_over", Transferred, Transferred},
	{"conversation", Spoke, Spoke}, {"came_again", CameAgain, CameAgain}, {"by_hand", ByHand, ByHand},
}

// markOf are the flags of a mark.
func markOf(key string) (mask, want uint32, there bool) {
	for _, m := range marks {
		if m.key == key {
			return m.mask, m.want, true
		}
	}
	return 0, 0, false
}

// Marks are the values of the facet "has", in their order.
func MarkKeys() []string {
	keys := make([]string, len(marks))
	for i, m := range marks {
		keys[i] = m.key
	}
	return keys
}

// band is the number of the band that a value is in.
func (f Facet) band(v int) int {
	n := 0
	for n < len(f.Edges) && v >= f.Edges[n] {
		n++
	}
	return n
}

// values gives for each row the number of a facet's value, -1 for none, and the key of each number. A book that is put into
// meanwhile has further ones.
func (b *Book) values(f Facet, a Asked, cal *Calendar) (value func(i int) int, keys []string) {
	switch {
	case f.Kind == Keys:
		return func(i int) int { return int(b.t.Value(f.column, i)) }, b.keys[f.column]
	case f.Kind == Bands:
		for n := range len(f.Edges) + 1 {
			keys = append(keys, strconv.Itoa(n))
		}
		return func(i int) int {
			v, there := f.value(row{b, i})
			if !there {
				return -1
			}
			return f.band(v)
		}, keys
	case f.Kind == Times:
		return b.times(f.Key, a, cal)
	}
	return func(int) int { return -1 }, nil
}

// times are the values of facets of time. Days, weeks and months are all of those that are asked about, also such as have no
// calls.
func (b *Book) times(key string, a Asked, cal *Calendar) (value func(i int) int, keys []string) {
	switch key {
	case "hour":
		for h := range 24 {
			keys = append(keys, strconv.Itoa(h))
		}
		return func(i int) int { return cal.hour(b.t.At(i)) }, keys
	case "weekday":
		for d := range 7 {
			keys = append(keys, strconv.Itoa((d+int(cal.first))%7))
		}
		return func(i int) int { return (weekdayOf(cal.day(b.t.At(i))) - int(cal.first) + 7) % 7 }, keys
	}
	if a.To <= a.From {
		return func(int) int { return -1 }, nil
	}
	from, to := cal.day(a.From), cal.day(a.To-1)
	switch key {
	case "week":
		from = cal.weekOf(from)
		for d := from; d <= to; d += 7 {
			keys = append(keys, dayKey(d))
		}
		return func(i int) int { return (cal.day(b.t.At(i)) - from) / 7 }, keys
	case "month":
		first := monthOf(from)
		ofDay := make([]int, to-from+1)
		for d := range ofDay {
			ofDay[d] = monthOf(from+d) - first
		}
		for m := first; m <= monthOf(to); m++ {
			keys = append(keys, monthKey(m))
		}
		return func(i int) int { return ofDay[cal.day(b.t.At(i))-from] }, keys
	}
	for d := from; d <= to; d++ {
		keys = append(keys, dayKey(d))
	}
	return func(i int) int { return cal.day(b.t.At(i)) - from }, keys
}
