package switchboard

import (
	"context"

	"github.com/google/uuid"

	"trundo/internal/carrier"
	"trundo/internal/core/call"
)

// Merge joins the call from to the call into, both of which user speaks in: the outside parties of from go on in into,
// and from ends. Errors: those of call.Decide; call.ErrOver for one that is not in progress here.
func (s *Switchboard) Merge(ctx context.Context, into, from uuid.UUID, user string) error {
	if into == from {
		return call.ErrSameCall
	}
	a, b := s.find(into), s.find(from)
	if a == nil || b == nil {
		return call.ErrOver
	}
	there, _ := s.Snapshot(from)
	legs, err := there.Mergeable(user)
	if err != nil {
		return err
	}
	adopt := call.Adopt{By: user}
	for _, l := range legs {
		adopt.Addresses = append(adopt.Addresses, l.Address)
	}
	if err := s.do(ctx, into, adopt); err != nil {
		return err
	}
	now, _ := s.Snapshot(into)
	adopted := make([]call.LegNo, len(legs))
	for i, l := range legs {
		adopted[i] = newestAt(&now, l.Address)
		s.move(a, b, l.No, adopted[i])
	}
	if err := s.do(ctx, from, call.MergeInto{By: user, Call: into.String()}); err != nil {
		// It ended meanwhile, and its parties with it.
		for _, leg := range adopted {
			_ = s.do(ctx, into, call.CarrierEnded{Leg: leg, Reason: call.EndedByThem})
		}
		return err
	}
	return nil
}

// newestAt is the newest outside leg of an address.
func newestAt(s *call.State, address string) call.LegNo {
	for i := len(s.Legs) - 1; i >= 0; i-- {
		if l := &s.Legs[i]; l.Party == call.Outside && l.Address == address {
			return l.No
		}
	}
	return 0
}

// move lets the carrier's leg of b that was leg was go on as leg is of a, with its voice.
func (s *Switchboard) move(a, b *active, was, is call.LegNo) {
	ref := b.refOf(was)
	s.mu.Lock()
	s.refs[ref] = legOf{a.id, is}
	s.mu.Unlock()
	a.mu.Lock()
	if a.refs == nil {
		a.refs = map[call.LegNo]carrier.Ref{}
	}
	a.refs[is] = ref
	a.mu.Unlock()
	from, to := s.studio.Room(b.id), s.studio.Room(a.id)
	if from != nil && to != nil {
		if v := from.Voice(int(was)); v != nil {
			to.SetVoice(int(is), v)
		}
	}
}
