package insight

import (
	"context"
	"fmt"
	"strconv"
	"time"

	"trundo/internal/core/datetime"
	"trundo/internal/core/report"
	"trundo/internal/desk/firm"
)

// labels say what the values of facets are called.
type labels struct {
	of     map[string]map[string]string
	region string
}

// none are what having no value is called.
var none = map[string]string{
	"rep":     "Nobody",
	"queue":   "No queue",
	"line":    "No line",
	"source":  "No source",
	"team":    "No team",
	"outcome": "No outcome",
	"type":    "No call type",
	"list":    "No list",
	"shown":   "No number",
}

// words are what values are called that the program itself has.
var words = map[string]map[string]string{
	"way": {"inbound": "Inbound", "outbound": "Outbound", "internal": "Internal"},
	"device": {"browser": "Browser", "telephone": "Own telephone", "carrier": "Telephone network",
		"program": "Calling program", "": "None"},
	"ending": {"ended_by_us": "We hung up", "ended_by_them": "They hung up", "given_up": "Canceled before answer",
		"busy": "Busy", "no_answer": "No answer", "declined": "Declined", "out_of_service": "Out of service",
		"refused": "Refused by the network", "cut_off": "Cut off", "abandoned": "They hung up before an answer",
		"missed": "Nobody answered", "left_message": "Left a voicemail", "announced": "Heard an announcement",
		"message_left": "Our message was left", "callback_taken": "Asked to be called back", "merged": "Joined into another call",
		"dropped": "Ended for them", "hung_up": "Hung up"},
	"has": {"recording": "Recording", "transcript": "Transcript", "remark": "Remark", "survey": "Survey answered",
		"voicemail": "Voicemail", "missed": "Missed", "unreturned": "Unreturned", "abandoned": "Abandoned in a queue",
		"no_outcome": "No outcome", "unfiled": "Not filed", "bad_line": "Bad line reported", "handed_over": "Handed over",
		"conversation": "Conversation", "came_again": "Called again within 7 days", "by_hand": "Logged by hand"},
}

// labels reads what the firm calls its lines, reps and so on.
func (in *Insight) labels(ctx context.Context, f *firm.Settings) (labels, error) {
	l := labels{of: map[string]map[string]string{}, region: f.Region}
	rows, err := in.Store.FigureLabels(ctx)
	if err != nil {
		return l, err
	}
	for _, r := range rows {
		if l.of[r.Facet] == nil {
			l.of[r.Facet] = map[string]string{}
		}
		l.of[r.Facet][r.ID.String()] = r.Label
	}
	numbers, err := in.Store.NumberLabels(ctx)
	l.of["shown"] = map[string]string{}
	for _, n := range numbers {
		l.of["shown"][n.E164] = n.Label
	}
	return l, err
}

// label is what a value of a facet is called.
func (l labels) label(facet, key string) string {
	if text, there := l.of[facet][key]; there {
		return text
	}
	if text, there := words[facet][key]; there {
		return text
	}
	if key == "" {
		if text, there := none[facet]; there {
			return text
		}
		return "None"
	}
	f, _ := report.FacetOf(facet)
	switch {
	case f.Kind == report.Bands:
		return bandLabel(f, key)
	case f.Kind == report.Times:
		return l.time(facet, key)
	}
	return key
}

// bandLabel says what a band goes from and to.
func bandLabel(f report.Facet, key string) string {
	n, err := strconv.Atoi(key)
	if err != nil || n > len(f.Edges) {
		return key
	}
	unit := map[report.Unit]string{report.Seconds: " s", report.Percent: " %"}[f.Unit]
	value := func(v int) string {
		if f.Unit == report.Seconds && v >= 60 {
			return strconv.Itoa(v/60) + " min"
		}
		return strconv.Itoa(v) + unit
	}
	whole := f.Unit == report.Average || f.Unit == report.Points
	switch {
	case n == 0 && whole && f.Edges[0] == 1:
		return "None"
	case n == 0 && f.Edges[0] == 1:
		return "None"
	case n == 0 && whole:
		return "0 to " + strconv.Itoa(f.Edges[0]-1)
	case n == 0:
		return "Under " + value(f.Edges[0])
	case n == len(f.Edges):
		return value(f.Edges[n-1]) + " and more"
	case whole && f.Edges[n]-f.Edges[n-1] == 1:
		return strconv.Itoa(f.Edges[n-1])
	case whole:
		return fmt.Sprintf("%d to %d", f.Edges[n-1], f.Edges[n]-1)
	}
	return value(f.Edges[n-1]) + " to " + value(f.Edges[n])
}

// time says an hour, a weekday, a day, a week or a month.
func (l labels) time(facet, key string) string {
	style := datetime.In(l.region)
	switch facet {
	case "hour":
		n, _ := strconv.Atoi(key)
		return style.Time(time.Date(2000, 1, 1, n, 0, 0, 0, time.UTC))
	case "weekday":
		n, _ := strconv.Atoi(key)
		return time.Weekday(n).String()
	case "month":
		if t, err := time.Parse("2006-01", key); err == nil {
			return t.Format("January 2006")
		}
		return key
	}
	t, err := time.Parse(time.DateOnly, key)
	switch {
	case err != nil:
		return key
	case facet == "week":
		return "Week of " + style.Day(t)
	}
	return style.Weekday(t)
}
