package formats

import (
	"io"
	"time"

	ics "github.com/arran4/golang-ical"
)

// Event is something in a calendar: a visit, or a follow-up at its time.
type Event struct {
	UID         string
	Summary     string
	Place       string
	Description string
	Start, End  time.Time // End zero: a moment, shown as a quarter of an hour
	AllDay      bool
	Cancelled   bool
	Free        bool // does not count as busy
	Version     int  // grows with each change
}

// WriteCalendar writes events as an iCalendar file (RFC 5545) that can also be subscribed to. made is when it is
// written.
func WriteCalendar(w io.Writer, name string, events []Event, made time.Time) error {
	cal := ics.NewCalendar()
	cal.SetProductId("-//Trundo//Book//EN")
	cal.SetMethod(ics.MethodPublish)
	name = oneKindOfLine(name)
	cal.SetName(name)
	cal.SetXWRCalName(name)
	cal.SetRefreshInterval("PT15M")
	for _, e := range events {
		v := cal.AddEvent(e.UID)
		v.SetDtStampTime(made.UTC())
		v.SetSequence(e.Version)
		v.SetSummary(oneKindOfLine(e.Summary))
		if e.Place != "" {
			v.SetLocation(oneKindOfLine(e.Place))
		}
		if e.Description != "" {
			v.SetDescription(oneKindOfLine(e.Description))
		}
		switch {
		case e.AllDay:
			v.SetAllDayStartAt(e.Start)
			v.SetAllDayEndAt(e.Start.AddDate(0, 0, 1))
		default:
			end := e.End
			if !end.After(e.Start) {
				end = e.Start.Add(15 * time.Minute)
			}
			v.SetStartAt(e.Start.UTC())
			v.SetEndAt(end.UTC())
		}
		status := ics.ObjectStatusConfirmed
		if e.Cancelled {
			status = ics.ObjectStatusCancelled
		}
		v.SetStatus(status)
		if e.Free {
			v.SetTimeTransparency(ics.TransparencyTransparent)
		}
	}
	return cal.SerializeTo(w, ics.WithNewLineWindows)
}
