package calls

import (
	"context"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/call"
	"trundo/internal/desk/firm"
	"trundo/internal/store/db"
)

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
			return who(f.For) + " gave the call to " + who(f.Leg) + because, true
		case call.Returned:
			return "It came back to " + who(f.Leg) + because, true
		case call.Listening, call.Whispering:
			return who(f.Leg) + " listened", true
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
			return who(f.Leg) + " was taken out of the call", true
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

// eventsOf are the events that other programs are told of, by the fact that brings them about.
var eventsOf = map[call.FactKind]contract.WebhookEvent{call.Joined: contract.WebhookEventCallJoined,
	call.PassedOn: contract.WebhookEventCallTransferred, call.Parked: contract.WebhookEventCallParked}

// eventOf is what other programs are told of a fact; "" for nothing.
func eventOf(f call.Fact) contract.WebhookEvent {
	if f.Kind == call.LegAdded && f.As == call.Consulted {
		return contract.WebhookEventCallConsulted
	}
	if f.Kind == call.LegAdded && f.As == call.Handed {
		return contract.WebhookEventCallTransferred
	}
	return eventsOf[f.Kind]
}

// emitParties tells other programs who was asked, joined and given a call.
func (cs *Calls) emitParties(ctx context.Context, q *db.Queries, entries []factsEntry) error {
	for _, e := range entries {
		if !e.State.More() {
			continue
		}
		for _, stored := range e.Facts {
			f, err := ReadFact(stored.Seq, stored.At, stored.Kind, stored.Data)
			if err != nil {
				return err
			}
			event := eventOf(f)
			if event == "" {
				continue
			}
			if wanted, err := cs.Outbox.Wanted(ctx, event); err != nil || !wanted {
				if err != nil {
					return err
				}
				continue
			}
			if err := cs.Outbox.Emit(ctx, q, event, func() (any, error) { return partyEvent(e, f), nil }); err != nil {
				return err
			}
		}
	}
	return nil
}

// partyEvent is what is told of such a fact.
func partyEvent(e factsEntry, f call.Fact) map[string]any {
	told := map[string]any{"call_id": e.Call, "at": f.At}
	put := func(key string, no call.LegNo) {
		l := e.State.Leg(no)
		switch {
		case l == nil:
		case l.User != "":
			told[key+"_user_id"] = l.User
		default:
			told[key+"_number"] = l.Address
		}
	}
	put("to", f.Leg)
	put("from", f.For)
	if f.Kind == call.Parked {
		told["place"] = f.Address
	}
	return told
}
