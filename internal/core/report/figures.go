package report

// Unit is what a figure is measured in.
type Unit string

// The units.
const (
	Count   Unit = "count"
	Seconds Unit = "seconds"
	Percent Unit = "percent"
	Points  Unit = "points" // of a scale, 0 to 10
	Average Unit = "times"  // on average, one place
)

// Figure is one number about calls. There is one place that computes it, its definition is one sentence, and the calls
// it
// is made of can be looked at.
type Figure struct {
	Key        string
	Name       string
	Definition string
	Unit       Unit
	// More: -1, less is better; 1, more is; 0, neither.
	Better int

	// The figure is above divided by below, where below is given; parts: they are those of reps' parts, else of calls.
	parts        bool
	above, below *term
}

// term is what a row adds: nothing where its flags under mask are not want, else what is measured, or one.
type term struct {
	mask, want uint32
	measure    int  // nothing: one
	second     int  // a second measure that is added, or nothing
	known      bool // one where the measure is known
}

const nothing = -1

// one counts rows with these flags, and without those.
func one(with, without uint32) *term {
	return &term{mask: with | without, want: with, measure: nothing, second: nothing}
}

// sumOf sums a measure of rows with these flags, and without those.
func sumOf(measure int, with, without uint32) *term {
	return &term{mask: with | without, want: with, measure: measure, second: nothing}
}

// knownOf counts the rows of which a measure is known.
func knownOf(measure int) *term { return &term{measure: measure, second: nothing, known: true} }

// of is what a row adds.
func (t *term) of(columns [][]int32, flags uint32, i int) int {
	if flags&t.mask != t.want {
		return 0
	}
	if t.measure == nothing {
		return 1
	}
	v := int(columns[t.measure][i])
	switch {
	case v < 0:
		return 0
	case t.known:
		return 1
	case t.second != nothing:
		v += max(0, int(columns[t.second][i]))
	}
	return v
}

// average is a figure that is the mean of a measure, where it is known.
func average(f Figure, measure int) Figure {
	f.above, f.below = sumOf(measure, 0, 0), knownOf(measure)
	return f
}

// shareOf is a figure that is a share of recordings.
func shareOf(f Figure, measure int) Figure {
	f.above, f.below = sumOf(measure, HasRecording, 0), sumOf(recorded, HasRecording, 0)
	f.Unit = Percent
	return f
}

// Figures are all there are, in the order in which they are shown.
var Figures = []Figure{
	{Key: "calls", Name: "Calls", Definition: "Calls with somebody outside, in and out, answered or not.", Unit: Count,
		above: one(0, internal)},
	{
		Key:        "inbound",
		Name:       "Inbound calls",
		Definition: "Calls that came in from outside, answered or not.",
		Unit:       Count,
		above:      one(in, 0),
	},
	{
		Key:        "outbound",
		Name:       "Outbound calls",
		Definition: "Calls that were placed to somebody outside, answered or not.",
		Unit:       Count,
		above:      one(out, 0),
	},
	{Key: "answered", Name: "Answered", Definition: "Inbound calls that somebody of the firm answered.", Unit: Count,
		Better: 1, above: one(in|Answered, 0)},
	{
		Key:        "answered_share",
		Name:       "Answered share",
		Definition: "Of the inbound calls, the share that somebody answered.",
		Unit:       Percent,
		Better:     1,
		above:      one(in|Answered, 0),
		below:      one(in, 0),
	},
	{Key: "missed", Name: "Missed", Definition: "Inbound calls that nobody answered.", Unit: Count, Better: -1,
		above: one(in|Missed, 0)},
	{
		Key:  "conversations",
		Name: "Conversations",
		Definition: "Calls in which somebody outside was spoken with: inbound ones that " +
			"were answered, outbound ones unless the outcome says it was a voicemail or the wrong person.",
		Unit:   Count,
		Better: 1,
		above:  one(Spoke, internal),
	},
	{
		Key:        "reached_share",
		Name:       "Reached share",
		Definition: "Of the outbound calls, the share that became a conversation.",
		Unit:       Percent,
		Better:     1,
		above:      one(out|Spoke, 0),
		below:      one(out, 0),
	},
	{Key: "talk", Name: "Talk time", Definition: "Time reps were connected with somebody outside, without hold.",
		Unit: Seconds, parts: true, above: sumOf(talk, 0, internal)},
	{Key: "talk_average", Name: "Average talk", Definition: "Talk time of a rep's part in a conversation, on average.",
		Unit: Seconds, parts: true, above: sumOf(talk, Spoke|HasRep, internal), below: one(Spoke|HasRep, internal)},
	{Key: "hold", Name: "Hold time", Definition: "Time customers were on hold.", Unit: Seconds, Better: -1, parts: true,
		above: sumOf(hold, 0, 0)},
	{
		Key:        "consult",
		Name:       "Consult time",
		Definition: "Time reps spoke with whom they asked while the customer waited.",
		Unit:       Seconds,
		parts:      true,
		above:      sumOf(consult, 0, 0),
	},
	average(
		Figure{
			Key:  "wrap_up",
			Name: "Average wrap-up",
			Definition: "From the end of a rep's part until it was filed, on average; " +
				"more than the firm's wrap-up limit counts as the limit.",
			Unit:   Seconds,
			Better: -1,
			parts:  true,
		},
		wrap,
	),
	{
		Key:        "ring_out",
		Name:       "Average ringing",
		Definition: "How long outbound calls rang until they were answered or ended, on average.",
		Unit:       Seconds,
		above:      sumOf(ring, out, 0),
		below:      one(out, 0),
	},
	average(
		Figure{
			Key:        "wait",
			Name:       "Average wait",
			Definition: "How long callers waited in a queue, on average, however the wait ended.",
			Unit:       Seconds,
			Better:     -1,
		},
		wait,
	),
	{
		Key:        "abandoned",
		Name:       "Abandoned",
		Definition: "Callers who hung up after waiting more than five seconds in a queue.",
		Unit:       Count,
		Better:     -1,
		above:      one(Abandoned, 0),
	},
	{
		Key:  "abandoned_share",
		Name: "Abandoned share",
		Definition: "Of the callers who waited in a queue, the share that hung up " +
			"after more than five seconds; who hung up sooner is not counted.",
		Unit:   Percent,
		Better: -1,
		above:  one(Abandoned, 0),
		below:  one(Queued, Short),
	},
	{
		Key:  "service_level",
		Name: "Service level",
		Definition: "Of the callers who waited in a queue, the share answered within the " +
			"queue's target; who hung up within five seconds is not counted.",
		Unit:   Percent,
		Better: 1,
		above:  one(InTime, 0),
		below:  one(Queued, Short),
	},
	{
		Key:  "first_call",
		Name: "Solved at the first call",
		Definition: "Of the inbound conversations, the share after which the same " +
			"number did not call in again within seven days.",
		Unit:   Percent,
		Better: 1,
		above:  one(in|Spoke, CameAgain),
		below:  one(in|Spoke, 0),
	},
	{Key: "transfers", Name: "Transfers", Definition: "How often calls were handed over to somebody else.", Unit: Count,
		above: sumOf(transfers, 0, 0)},
	{
		Key:        "callbacks",
		Name:       "Callbacks kept",
		Definition: "Of the callers who asked a queue to be called back, the share that was.",
		Unit:       Percent,
		Better:     1,
		above:      one(CallbackKept, 0),
		below:      one(CallbackAsked, 0),
	},
	{
		Key:        "unreturned",
		Name:       "Unreturned",
		Definition: "Missed calls and voicemails that nobody has come back to yet.",
		Unit:       Count,
		Better:     -1,
		above:      one(Owed, 0),
	},
	average(
		Figure{
			Key:  "time_to_return",
			Name: "Time to return",
			Definition: "From a missed call or voicemail until somebody came " +
				"back by a conversation, a voicemail or a message, on average.",
			Unit:   Seconds,
			Better: -1,
		},
		returned,
	),
	average(
		Figure{
			Key:  "satisfaction",
			Name: "Satisfaction",
			Definition: "What customers answered to whether they would recommend " +
				"us, 0 to 10, on average.",
			Unit:   Points,
			Better: 1,
		},
		satisfaction,
	),
	{
		Key:        "outcomes",
		Name:       "Outcomes",
		Definition: "Reps' parts in calls for which an outcome was chosen.",
		Unit:       Count,
		parts:      true,
		above:      one(HasOutcome, 0),
	},
	{
		Key:  "conversion",
		Name: "Reached by outcome",
		Definition: "Of the parts with an outcome, the share whose outcome says that " +
			"whoever was meant was spoken with.",
		Unit:   Percent,
		Better: 1,
		parts:  true,
		above:  one(ReachedIt, 0),
		below:  one(HasOutcome, 0),
	},
	average(
		Figure{
			Key:  "touches",
			Name: "Calls to the first conversation",
			Definition: "How often a number was called before the " +
				"first conversation with it, on average, over first conversations.",
			Unit:   Average,
			Better: -1,
		},
		tries,
	),
	{
		Key:        "talk_share",
		Name:       "Our talk share",
		Definition: "Of the speech in recordings, the share that was ours.",
		Unit:       Percent,
		above:      sumOf(ours, HasRecording, 0),
		below:      &term{mask: HasRecording, want: HasRecording, measure: ours, second: theirs},
	},
	shareOf(
		Figure{Key: "silence", Name: "Silence", Definition: "Of the recorded time, the share in which nobody spoke."},
		silence,
	),
	shareOf(
		Figure{
			Key:        "overlap",
			Name:       "Talking over",
			Definition: "Of the recorded time, the share in which both spoke.",
		},
		overlap,
	),
	{
		Key:        "monologue",
		Name:       "Longest monologue",
		Definition: "The longest a rep spoke without a break in a recording, on average.",
		Unit:       Seconds,
		above:      sumOf(monologue, HasRecording, 0),
		below:      one(HasRecording, 0),
	},
	average(
		Figure{
			Key:  "quality",
			Name: "Quality",
			Definition: "Points of those that a scorecard could give, on average, over calls " +
				"that were scored.",
			Unit:   Percent,
			Better: 1,
			parts:  true,
		},
		quality,
	),
}

// FigureOf is the one with a key.
func FigureOf(key string) (*Figure, bool) {
	for i := range Figures {
		if Figures[i].Key == key {
			return &Figures[i], true
		}
	}
	return nil, false
}

// counts tells whether the figure is made of a row: it adds to what is divided by, or, without that, to the figure.
func (f *Figure) counts(columns [][]int32, flags uint32, i int) bool {
	if f.below != nil {
		return f.below.of(columns, flags, i) > 0
	}
	return f.above.of(columns, flags, i) > 0
}

// sum is what a figure is computed of.
type sum struct{ above, below, calls int }

// value is the figure itself; nil where there is nothing to divide by.
func (f *Figure) value(s sum) *float64 {
	v := float64(s.above)
	if f.below != nil {
		if s.below == 0 {
			return nil
		}
		v /= float64(s.below)
	}
	switch {
	case f.Unit == Percent && f.Key != "quality":
		v *= 100
	case f.Unit == Seconds:
		v /= 1000
	}
	return &v
}
