package calls

import (
	"context"

	"trundo/internal/contract"
	"trundo/internal/core/call"
	"trundo/internal/store/db"
)

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
