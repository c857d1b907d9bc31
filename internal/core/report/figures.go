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

// Figure is one number about calls. There is one place that computes it, its definition is one sentence, and the calls it
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
	above, below func(r row) int
}

func one(mask, want uint32) func(r row) int {
	return func(r row) int {
		if r.b.t.Flags(r.i)&mask == want {
			return 1
		}
		return 0
	}
}

// direction is that of a row, by its key.
func direction(key string, f func(r row) int) func(r row) int {
	return func(r row) int {
		if r.b.keys[way][r.b.t.Value(way, r.i)] != key {
			return 0
		}
		return f(r)
	}
}

func outside(f func(r row) int) func(r row) int {
	return func(r row) int {
		if r.b.keys[way][r.b.t.Value(way, r.i)] == "internal" {
			return 0
		}
		return f(r)
	}
}

// measured is the sum of what is known, and how often it is.
func measured(c int) (sum, known func(r row) int) {
	sum = func(r row) int { return max(0, r.measure(c)) }
	known = func(r row) int {
		if r.measure(c) >= 0 {
			return 1
		}
		return 0
	}
	return sum, known
}

// when sums f where the flags are so.
func when(mask, want uint32, f func(r row) int) func(r row) int {
	return func(r row) int {
		if r.b.t.Flags(r.i)&mask != want {
			return 0
		}
		return f(r)
	}
}

func number(c int) func(r row) int { return func(r row) int { return max(0, r.measure(c)) } }

func every(row) int { return 1 }

func average(f Figure, c int) Figure {
	f.above, f.below = measured(c)
	return f
}

// of a share of recordings
func shareOf(f Figure, c int) Figure {
	f.above, f.below = when(HasRecording, HasRecording, number(c)), when(HasRecording, HasRecording, number(recorded))
	f.Unit = Percent
	return f
}

// Figures are all there are, in the order in which they are shown.
var Figures = []Figure{
	{Key: "calls", Name: "Calls", Definition: "Calls with somebody outside, in and out, answered or not.", Unit: Count,
		above: outside(every)},
	{
		Key:        "inbound",
		Name:       "Inbound calls",
		Definition: "Calls that came in from outside, answered or not.",
		Unit:       Count,
		above:      direction("inbound", every),
	},
	{
		Key:        "outbound",
		Name:       "Outbound calls",
		Definition: "Calls that were placed to somebody outside, answered or not.",
		Unit:       Count,
		above:      direction("outbound", every),
	},
	{Key: "answered", Name: "Answered", Definition: "Inbound calls that somebody of the firm answered.", Unit: Count,
		Better: 1, above: direction("inbound", one(Answered, Answered))},
	{
		Key:        "answered_share",
		Name:       "Answered share",
		Definition: "Of the inbound calls, the share that somebody answered.",
		Unit:       Percent,
		Better:     1,
		above:      direction("inbound", one(Answered, Answered)),
		below:      direction("inbound", every),
	},
	{Key: "missed", Name: "Missed", Definition: "Inbound calls that nobody answered.", Unit: Count, Better: -1,
		above: direction("inbound", one(Missed, Missed))},
	{
		Key:  "conversations",
		Name: "Conversations",
		Definition: "Calls in which somebody outside was spoken with: inbound ones that " +
			"were answered, outbound ones unless the outcome says it was a voicemail or the wrong person.",
		Unit:   Count,
		Better: 1,
		above:  outside(one(Spoke, Spoke)),
	},
	{
		Key:        "reached_share",
		Name:       "Reached share",
		Definition: "Of the outbound calls, the share that became a conversation.",
		Unit:       Percent,
		Better:     1,
		above:      direction("outbound", one(Spoke, Spoke)),
		below:      direction("outbound", every),
	},
	{Key: "talk", Name: "Talk time", Definition: "Time reps were connected with somebody outside, without hold.",
		Unit: Seconds, parts: true, above: outside(number(talk))},
	{Key: "talk_average", Name: "Average talk", Definition: "Talk time of a rep's part in a conversation, on average.",
		Unit: Seconds, parts: true, above: when(Spoke|HasRep, Spoke|HasRep, number(talk)), below: one(Spoke|HasRep, Spoke|HasRep)},
	{Key: "hold", Name: "Hold time", Definition: "Time customers were on hold.", Unit: Seconds, Better: -1, parts: true,
		above: number(hold)},
	{
		Key:        "consult",
		Name:       "Consult time",
		Definition: "Time reps spoke with whom they asked while the customer waited.",
		Unit:       Seconds,
		parts:      true,
		above:      number(consult),
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
		above:      direction("outbound", number(ring)),
		below:      direction("outbound", every),
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
		above:      one(Abandoned, Abandoned),
	},
	{
		Key:  "abandoned_share",
		Name: "Abandoned share",
		Definition: "Of the callers who waited in a queue, the share that hung up " +
			"after more than five seconds; who hung up sooner is not counted.",
		Unit:   Percent,
		Better: -1,
		above:  one(Abandoned, Abandoned),
		below:  one(Queued|Short, Queued),
	},
	{
		Key:  "service_level",
		Name: "Service level",
		Definition: "Of the callers who waited in a queue, the share answered within the " +
			"queue's target; who hung up within five seconds is not counted.",
		Unit:   Percent,
		Better: 1,
		above:  one(InTime, InTime),
		below:  one(Queued|Short, Queued),
	},
	{
		Key:  "first_call",
		Name: "Solved at the first call",
		Definition: "Of the inbound conversations, the share after which the same " +
			"number did not call in again within seven days.",
		Unit:   Percent,
		Better: 1,
		above:  direction("inbound", one(Spoke|CameAgain, Spoke)),
		below:  direction("inbound", one(Spoke, Spoke)),
	},
	{Key: "transfers", Name: "Transfers", Definition: "How often calls were handed over to somebody else.", Unit: Count,
		above: number(transfers)},
	{
		Key:        "callbacks",
		Name:       "Callbacks kept",
		Definition: "Of the callers who asked a queue to be called back, the share that was.",
		Unit:       Percent,
		Better:     1,
		above:      one(CallbackKept, CallbackKept),
		below:      one(CallbackAsked, CallbackAsked),
	},
	{
		Key:        "unreturned",
		Name:       "Unreturned",
		Definition: "Missed calls and voicemails that nobody has come back to yet.",
		Unit:       Count,
		Better:     -1,
		above:      one(Owed, Owed),
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
		above:      one(HasOutcome, HasOutcome),
	},
	{
		Key:  "conversion",
		Name: "Reached by outcome",
		Definition: "Of the parts with an outcome, the share whose outcome says that " +
			"whoever was meant was spoken with.",
		Unit:   Percent,
		Better: 1,
		parts:  true,
		above:  one(ReachedIt, ReachedIt),
		below:  one(HasOutcome, HasOutcome),
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
		above:      when(HasRecording, HasRecording, number(ours)),
		below:      when(HasRecording, HasRecording, func(r row) int { return r.measure(ours) + r.measure(theirs) }),
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
		above:      when(HasRecording, HasRecording, number(monologue)),
		below:      one(HasRecording, HasRecording),
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
func (f *Figure) counts(r row) bool {
	if f.below != nil {
		return f.below(r) > 0
	}
	return f.above(r) > 0
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
