package report

import (
	"strconv"
)

// Facet is what calls are narrowed and grouped by: it gives a row of each call one of its values.
type Facet struct {
	Key  string
	Kind Kind
	// Edges of bands: a value is the number of the band, from 0; the first is below the first edge. Unit says what they
	// are.
	Edges []int
	Unit  Unit
	// Groups: figures can be by it.
	Groups bool

	column   int                      // of the table, by its kind
	measured func(p Part) (int, bool) // of bands: what is measured, where it is known
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

// seconds of something that is known.
func seconds(ms int32) (int, bool) { return int(ms) / 1000, ms >= 0 }

// share of something in a recording, in percent.
func share(of int32, p Part) (int, bool) {
	if p.Recorded <= 0 {
		return 0, false
	}
	return int(100 * int64(of) / int64(p.Recorded)), true
}

func has(p Part, flag uint32) bool { return p.Flags&flag != 0 }

func talkShare(p Part) (int, bool) {
	all := int64(p.Ours) + int64(p.Theirs)
	if p.Recorded < 0 || all == 0 {
		return 0, false
	}
	return int(100 * int64(p.Ours) / all), true
}

// Facets are all there are, in the order in which they are shown.
var Facets = numbered([]Facet{
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
		measured: func(p Part) (int, bool) { s, _ := seconds(p.Talk); return s, has(p, Answered) }},
	{Key: "wait", Kind: Bands, Edges: []int{10, 20, 60, 180}, Unit: Seconds, Groups: true,
		measured: func(p Part) (int, bool) { return seconds(p.Wait) }},
	{Key: "satisfaction", Kind: Bands, Edges: []int{7, 9}, Unit: Points, Groups: true,
		measured: func(p Part) (int, bool) { return int(p.Satisfaction), p.Satisfaction >= 0 }},
	{Key: "quality", Kind: Bands, Edges: []int{50, 70, 85}, Unit: Percent, Groups: true,
		measured: func(p Part) (int, bool) { return int(p.Score), p.Score >= 0 }},
	{Key: "talk_share", Kind: Bands, Edges: []int{30, 45, 55, 70}, Unit: Percent, Groups: true,
		measured: talkShare},
	{Key: "silence", Kind: Bands, Edges: []int{10, 20, 35}, Unit: Percent,
		measured: func(p Part) (int, bool) { return share(p.Silence, p) }},
	{Key: "overlap", Kind: Bands, Edges: []int{2, 5, 10}, Unit: Percent,
		measured: func(p Part) (int, bool) { return share(p.Overlap, p) }},
	{Key: "interruptions", Kind: Bands, Edges: []int{1, 3, 6}, Unit: Average,
		measured: func(p Part) (int, bool) { return int(p.Interruptions), p.Recorded >= 0 }},
	{Key: "hold", Kind: Bands, Edges: []int{1, 30, 120}, Unit: Seconds,
		measured: func(p Part) (int, bool) { s, _ := seconds(p.Hold); return s, has(p, Answered) }},
	{Key: "transfers", Kind: Bands, Edges: []int{1, 2}, Unit: Average,
		measured: func(p Part) (int, bool) { return int(p.Transfers), has(p, Answered) }},
	{Key: "words", Kind: Words},
	{Key: "notes", Kind: Words},
	{Key: "behind", Kind: Behind},
})

// bands are the facets of them, in the order of their columns.
var bands = func() (all []Facet) {
	for _, f := range Facets {
		if f.Kind == Bands {
			all = append(all, f)
		}
	}
	return all
}()

// numbered gives facets of bands their columns.
func numbered(all []Facet) []Facet {
	n := firstBand
	for i := range all {
		if all[i].Kind == Bands {
			all[i].column = n
			n++
		}
	}
	return all
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

// values gives for each row the number of a facet's value, -1 for none, and the key of each number. Days, weeks and
// months
// are all of those that are asked about, also such as have no calls.
func (b *Book) values(f Facet, a Asked) (value func(i int) int, keys []string) {
	switch {
	case f.Kind == Keys:
		return func(i int) int { return int(b.t.Value(f.column, i)) }, b.keys[f.column]
	case f.Kind == Bands:
		return func(i int) int { return int(b.t.Small(f.column, i)) - 1 }, f.bandKeys()
	case f.Kind == Times:
		return b.times(f.Key, a)
	}
	return func(int) int { return -1 }, nil
}

func (f Facet) bandKeys() (keys []string) {
	for n := range len(f.Edges) + 1 {
		keys = append(keys, strconv.Itoa(n))
	}
	return keys
}

func hourKeys() (keys []string) {
	for h := range 24 {
		keys = append(keys, strconv.Itoa(h))
	}
	return keys
}

// weekdayKeys are the weekdays from the first of a week.
func (c *Calendar) weekdayKeys() (keys []string) {
	for d := range 7 {
		keys = append(keys, strconv.Itoa((d+int(c.first))%7))
	}
	return keys
}

// times are the values of facets of time.
func (b *Book) times(key string, a Asked) (value func(i int) int, keys []string) {
	switch key {
	case "hour":
		return func(i int) int { return int(b.t.Small(atHour, i)) }, hourKeys()
	case "weekday":
		return func(i int) int { return (int(b.t.Small(onWeekday, i)) - int(b.cal.first) + 7) % 7 }, b.cal.weekdayKeys()
	}
	if a.To <= a.From {
		return func(int) int { return -1 }, nil
	}
	from, to := b.cal.day(a.From), b.cal.day(a.To-1)
	numbers := make([]int32, to-from+1) // of each day
	add := func(d int, key string) {
		if len(keys) == 0 || keys[len(keys)-1] != key {
			keys = append(keys, key)
		}
		numbers[d-from] = int32(len(keys) - 1)
	}
	for d := from; d <= to; d++ {
		switch key {
		case "week":
			add(d, dayKey(b.cal.weekOf(d)))
		case "month":
			add(d, monthKey(monthOf(d)))
		default:
			add(d, dayKey(d))
		}
	}
	return func(i int) int {
		d := int(b.t.Value(onDay, i)) - from
		if d < 0 || d >= len(numbers) {
			return -1
		}
		return int(numbers[d])
	}, keys
}
