package calls

import (
	"context"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/call"
	"trundo/internal/desk/firm"
)

// FactText says a fact in a sentence, with who is on a leg; those that only matter to the machine say nothing.
func FactText(f call.Fact, c contract.Call, who func(call.LegNo) string) string {
	if text, more := partyText(f, who); more {
		return text
	}
	switch f.Kind {
	case call.Placed:
		return c.Slip.RepName + " called " + c.Display
	case call.PlacedInternal:
		if c.Between == nil {
			return ""
		}
		return c.Between.Caller + " called " + c.Between.Called
	case call.Beeped:
		return "The beep: a message begins"
	case call.Muted:
		return "Muted"
	case call.Unmuted:
		return "Heard again"
	case call.Pressed:
		if c.Direction == contract.CallDirectionInbound && f.Leg == 1 ||
			c.Direction == contract.CallDirectionOutbound && f.Leg == 2 {
			return "They pressed " + f.Digits
		}
		return "We pressed " + f.Digits
	case call.LegAdded:
		switch f.Device {
		case call.Voicemail:
			return "Voicemail took the call"
		case call.Announcement:
			return "They heard the announcement"
		case call.Prepared:
			return c.Slip.RepName + " left it to “" + f.Address + "”"
		case call.Attendant:
			return "The route took the call"
		case call.Survey:
			return "They were asked about the call"
		}
		if f.Party == call.Rep && f.As == "" && f.Word != "" && c.Direction == contract.CallDirectionInbound {
			return "It rang for " + who(f.Leg) + ": " + f.Word
		}
	case call.Arrived:
		return "They called " + c.Shown
	case call.Held:
		return "On hold"
	case call.LegRinging:
		if c.Direction == contract.CallDirectionInbound {
			return ""
		}
		return "It rang"
	case call.LegAnswered:
		switch {
		case c.Direction == contract.CallDirectionInbound && f.Leg == 1 &&
			(c.State.AnsweredAt == nil || f.At.Before(c.State.AnsweredAt.Truncate(time.Microsecond))):
			return "" // a machine did
		case c.Direction == contract.CallDirectionInternal && f.Leg == 2:
			return "Answered"
		case c.Direction == contract.CallDirectionInbound && f.Leg == 1:
			return c.Slip.RepName + " answered"
		case c.Direction == contract.CallDirectionOutbound && f.Leg != 1 && f.Leg != 0:
			return "They answered"
		}
	case call.Served:
		return "They were told what they called for"
	case call.CallEnded:
		return ReasonText(f.Reason)
	}
	return ""
}

// ReasonText says why a call ended.
func ReasonText(r call.Reason) string {
	switch r {
	case Unconfirmed:
		return "Not said yet"
	case call.EndedByUs:
		return "We hung up"
	case call.EndedByThem:
		return "They hung up"
	case call.GivenUp:
		return "Canceled before answer"
	case call.Busy:
		return "Busy"
	case call.NoAnswer:
		return "No answer"
	case call.Declined:
		return "Declined"
	case call.OutOfService:
		return "Out of service"
	case call.Refused:
		return "The carrier refused the call"
	case call.CutOff:
		return "Cut off"
	case call.Abandoned:
		return "They hung up before anybody answered"
	case call.Missed:
		return "Nobody answered"
	case call.LeftMessage:
		return "They left a message"
	case call.Announced:
		return "They heard the announcement"
	case call.MessageLeft:
		return "The message was left"
	case call.NoMoment:
		return "No beep came: no message was left"
	case call.HandedOn:
		return "Handed over"
	case call.WasParked:
		return "Parked"
	case call.Dropped:
		return "Removed from the call"
	case call.Merged:
		return "Joined to another call"
	case call.Elsewhere:
		return "Somebody else took it"
	case call.CallbackTaken:
		return "They asked to be called back"
	}
	return ""
}

// partyText says a fact of a call of more than two in a sentence; false: it is no such fact. who is who is on a leg.
func partyText(f call.Fact, who func(call.LegNo) string) (string, bool) {
	because := ""
	if f.Word != "" {
		because = ": " + f.Word
	}
	switch f.Kind {
	case call.LegAdded:
		switch f.As {
		case call.Consulted:
			return who(f.For) + " asked " + who(f.Leg) + because, true
		case call.Handed:
			if f.For == 0 {
				return "It rang at " + who(f.Leg), true
			}
			return who(f.For) + " gave the call to " + who(f.Leg) + because, true
		case call.Returned:
			return "It came back to " + who(f.Leg) + because, true
		case call.Listening, call.Whispering:
			return who(f.Leg) + " listened", true
		}
		if f.Party == call.Outside && f.For != 0 {
			return who(f.For) + " joined another call, with " + who(f.Leg), true
		}
		return "", false
	case call.PassedOn:
		return who(f.For) + " handed the call over to " + who(f.Leg), true
	case call.Joined:
		return who(f.Leg) + " came to the call", true
	case call.Parked:
		return who(f.Leg) + " parked the call at " + f.Address, true
	case call.Recast:
		return "", true
	case call.Said:
		return who(f.Leg) + " said: " + f.Word, true
	case call.Held:
		if f.Leg != 0 {
			return "", true
		}
	case call.LegEnded:
		if f.Reason == call.Dropped {
			return who(f.Leg) + " was removed from the call", true
		}
	}
	return "", false
}

// NamesOfLegs is who is on each leg of a call, for reading.
func (cs *Calls) NamesOfLegs(ctx context.Context, a firm.Actor, id uuid.UUID) (func(call.LegNo) string, error) {
	legs, err := cs.Store.LegsOfCall(ctx, id)
	if err != nil {
		return nil, err
	}
	f, err := cs.Settings(ctx)
	if err != nil {
		return nil, err
	}
	names := map[call.LegNo]string{}
	for _, l := range legs {
		name := l.Name
		if l.Party == string(call.Outside) && l.LegNo > 2 {
			name = cs.Lines.outsideName(ctx, f, a, l.Address)
		}
		names[call.LegNo(l.LegNo)] = name
	}
	return func(no call.LegNo) string {
		if names[no] == "" {
			return "they"
		}
		return names[no]
	}, nil
}
