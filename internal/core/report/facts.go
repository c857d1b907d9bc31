package report

import "trundo/internal/core/columns"

// ID names a call.
type ID = columns.ID

// The columns of values. They are facets under the same names (see Facets).
const (
	way = iota
	line
	queue
	source
	rep
	team
	list
	outcome
	callType
	numberShown
	device
	ending
	keyColumns
	onDay        = keyColumns // of the calendar's, counted from 1970
	valueColumns = keyColumns + 1
)

// The columns of small values, before those of the bands: 0 is none there, else the number of the band and one.
const (
	atHour = iota
	onWeekday
	firstBand
)

// The columns of measures. Times are milliseconds; -1: not known, or there was none.
const (
	ring          = iota // until somebody answered, or nobody did
	wait                 // in the queue in which they waited last
	talk                 // of a part: connected with somebody outside, hold not counted
	hold                 // of a part
	consult              // of a part: with whom was asked
	wrap                 // of a part: from its end until it was filed, at most the firm's limit
	recorded             // of the recording
	ours                 // speech in it
	theirs               // speech in it
	silence              // in it
	overlap              // both spoke
	monologue            // the longest of ours
	interruptions        // either way
	transfers            // how often the call was handed over
	satisfaction         // 0 to 10
	returned             // from a missed call until somebody came back
	tries                // calls to the number before the first conversation
	quality              // of a part: 0 to 100, by scorecard
	measureColumns
)

// Flags of a row. What they say of the call stands in each of its rows.
const (
	Answered      uint32 = 1 << iota // a person answered
	Spoke                            // it was a conversation (core/touch)
	Missed                           // it came in and nobody answered
	Queued                           // it waited in a queue
	Abandoned                        // who waited hung up after more than five seconds
	Short                            // who waited hung up sooner
	InTime                           // who waited was answered within the queue's target
	Voicemail                        // a voicemail was left for us
	Filed                            // of the part
	HasOutcome                       // of the part
	ReachedIt                        // of the part: its outcome says that whoever was meant was spoken with
	LeftMessage                      // of the part: its outcome says that a voicemail was left
	Transferred                      // it was handed over
	CameAgain                        // the same number called in again within seven days of this conversation
	CallbackAsked                    // who waited asked to be called back
	CallbackKept                     // and was
	Owed                             // nobody has come back to it yet
	Returned                         // somebody has, by a conversation, a voicemail or a message
	HasRecording                     // it can be heard
	Transcribed                      // and read
	BadLine                          // a rep reported the line
	ByHand                           // it was made elsewhere and logged
	Remarked                         // somebody put a remark at a moment of it
	FirstTalk                        // the first conversation with its number
	Surveyed                         // the customer gave a score
	HasRep                           // somebody of the firm had a part
	WasOwed                          // it came in, and somebody had to come back to it

	in // the ways, from here on by Put
	out
	internal
)

// ways are the flags of a call's direction, by its key.
var ways = map[string]uint32{"inbound": in, "outbound": out, "internal": internal}

// Part is one rep's part in a call, or a call that no rep had a part in.
type Part struct {
	At int64 // when the call began, seconds since 1970

	Way, Line, Queue, Source, Rep, Team, List, Outcome, Type, Shown, Device, Ending string // keys; "": none

	Flags uint32

	Ring, Wait, Talk, Hold, Consult, Wrap                        int32
	Recorded, Ours, Theirs, Silence, Overlap, Monologue          int32
	Interruptions, Transfers, Satisfaction, Return, Tries, Score int32

	Topics []string // keys of those that were said
}

// Book holds the calls of a firm.
type Book struct {
	t      *columns.Table
	cal    *Calendar
	codes  [keyColumns]map[string]uint16
	keys   [keyColumns][]string
	topics map[string]uint16
	topic  []string
}

// NewBook is one without calls, whose days and hours are those of a calendar.
func NewBook(cal *Calendar) *Book {
	b := &Book{
		t: columns.New(
			columns.Schema{Values: valueColumns, Small: firstBand + len(bands), Measures: measureColumns},
		),
		topics: map[string]uint16{},
		cal:    cal,
	}
	for i := range b.codes {
		b.codes[i], b.keys[i] = map[string]uint16{"": 0}, []string{""}
	}
	return b
}

// Calendar is the book's.
func (b *Book) Calendar() *Calendar { return b.cal }

// SetCalendar gives the book another calendar.
func (b *Book) SetCalendar(cal *Calendar) {
	b.cal = cal
	for i := range b.t.Rows() {
		hour, weekday, day := cal.place(b.t.At(i))
		b.t.SetSmall(atHour, i, hour)
		b.t.SetSmall(onWeekday, i, weekday)
		b.t.SetValue(onDay, i, day)
	}
}

// Calls is how many there are.
func (b *Book) Calls() int { return b.t.Groups() }

// Put makes parts those of a call, in place of those it had; without parts the call is no longer there.
func (b *Book) Put(call ID, parts []Part) {
	rows := make([]columns.Row, len(parts))
	for i, p := range parts {
		rows[i] = b.row(p)
	}
	b.t.Put(call, rows)
}

func (b *Book) row(p Part) columns.Row {
	r := columns.Row{At: p.At, Flags: p.Flags | ways[p.Way], Values: make([]uint16, valueColumns),
		Small: make([]uint8, firstBand+len(bands)),
		Measures: []int32{ring: p.Ring,
			wait: p.Wait, talk: p.Talk, hold: p.Hold, consult: p.Consult, wrap: p.Wrap, recorded: p.Recorded, ours: p.Ours,
			theirs: p.Theirs, silence: p.Silence, overlap: p.Overlap, monologue: p.Monologue, interruptions: p.Interruptions,
			transfers: p.Transfers, satisfaction: p.Satisfaction, returned: p.Return, tries: p.Tries, quality: p.Score}}
	for c, key := range [keyColumns]string{way: p.Way, line: p.Line, queue: p.Queue, source: p.Source, rep: p.Rep,
		team: p.Team, list: p.List, outcome: p.Outcome, callType: p.Type, numberShown: p.Shown, device: p.Device,
		ending: p.Ending} {
		r.Values[c] = b.code(c, key)
	}
	r.Small[atHour], r.Small[onWeekday], r.Values[onDay] = b.cal.place(p.At)
	for n, f := range bands {
		if v, there := f.measured(p); there {
			r.Small[firstBand+n] = uint8(f.band(v)) + 1
		}
	}
	for _, key := range p.Topics {
		r.Tags = append(r.Tags, b.topicCode(key))
	}
	return r
}

// code is that of a key. When a column has as many values as it may, further ones are as none.
func (b *Book) code(column int, key string) uint16 {
	code, there := b.codes[column][key]
	if !there && len(b.keys[column]) <= columns.MaxCode {
		code = uint16(len(b.keys[column]))
		b.codes[column][key] = code
		b.keys[column] = append(b.keys[column], key)
	}
	return code
}

func (b *Book) topicCode(key string) uint16 {
	code, there := b.topics[key]
	if !there {
		code = uint16(len(b.topic))
		b.topics[key] = code
		b.topic = append(b.topic, key)
	}
	return code
}
