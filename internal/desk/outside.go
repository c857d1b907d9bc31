package desk

import (
	"context"

	"github.com/google/uuid"

	"trundo/internal/carrier"
	"trundo/internal/contract"
	"trundo/internal/core/call"
	"trundo/internal/core/phone"
	"trundo/internal/store"
)

// MayPlayOutside tells whether a may play the other side of the simulated network: everybody in the demo, else who sets the firm up. Error: ErrForbidden.
func (d *Desk) MayPlayOutside(a Actor) error {
	if d.Demo || a.mayDo(SetUp) {
		return nil
	}
	return ErrForbidden
}

// PlaysOutside remembers that a plays the other side of a leg, which a has called in.
func (d *Desk) PlaysOutside(a Actor, ref carrier.Ref) {
	d.mu.Lock()
	defer d.mu.Unlock()
	if len(d.played) > 10_000 {
		d.played = map[carrier.Ref]uuid.UUID{}
	}
	d.played[ref] = a.ID
}

// MayActOutside tells whether a may see and act on the outside's leg: who sets up on each, others on those that they have called in and on those of
// their own calls. What a colleague's customer presses or says is not theirs. Error: ErrNotFound.
func (d *Desk) MayActOutside(a Actor, ref carrier.Ref) error {
	d.mu.Lock()
	plays := d.played[ref] == a.ID
	d.mu.Unlock()
	if plays || a.mayDo(SetUp) {
		return nil
	}
	if id, there := d.board.CallOf(ref); there {
		if s, there := d.board.Snapshot(id); there && s.Concerns(a.ID.String()) {
			return nil
		}
	} else if d.ownTelephone(a.ID, ref) {
		return nil
	}
	return ErrNotFound
}

// OutsideLines are the lines that the outside can call.
func (d *Desk) OutsideLines(ctx context.Context) ([]contract.OutsideLine, error) {
	lines, err := d.Store.Lines(ctx)
	if err != nil {
		return nil, err
	}
	views := []contract.OutsideLine{}
	for _, l := range lines {
		if l.Active {
			views = append(views, contract.OutsideLine{E164: l.E164, Label: l.Label, Source: l.Source})
		}
	}
	return views, nil
}

// LineNumbers are the lines that the outside can call.
func (d *Desk) LineNumbers(ctx context.Context) []string {
	lines, err := d.OutsideLines(ctx)
	if err != nil {
		return nil
	}
	numbers := make([]string, len(lines))
	for i, l := range lines {
		numbers[i] = l.E164
	}
	return numbers
}

// SomebodysNumber is the number of anybody in the book; "" where there is none.
func (d *Desk) SomebodysNumber(ctx context.Context) string {
	number, err := d.Store.SomebodysNumber(ctx, store.NewID().String())
	if err != nil || number == nil {
		return ""
	}
	return *number
}

// NormalNumber is a typed number in its normal form. Error: *FieldError about "to".
func (d *Desk) NormalNumber(ctx context.Context, typed string) (string, error) {
	f, err := d.firm(ctx)
	if err != nil {
		return "", err
	}
	n, err := phone.Parse(typed, f.region)
	if err != nil {
		return "", &FieldError{Field: "to", Err: err}
	}
	return n.E164, nil
}

// WhatIsHeard is what the outside hears on a carrier's leg: a ring, a greeting, a person, or that it is on hold.
func (d *Desk) WhatIsHeard(ctx context.Context, ref carrier.Ref) string {
	id, there := d.board.CallOf(ref)
	if !there {
		return ""
	}
	s, there := d.board.Snapshot(id)
	if !there {
		return ""
	}
	switch phase := s.Phase(); {
	case phase == call.PhaseRinging && s.Inbound:
		return "it rings"
	case phase == call.PhaseMessage:
		if c := d.calls.call(id); c != nil {
			return c.hears
		}
	case phase == call.PhaseSpeaking && s.OnHold:
		return "on hold"
	case phase == call.PhaseSpeaking:
		for _, user := range s.Takers() {
			if s.Muted(user) {
				return "nothing: they are muted"
			}
			if u, err := uuid.Parse(user); err == nil {
				if who, err := d.Actor(ctx, u); err == nil {
					return who.Name
				}
			}
		}
	}
	return ""
}

// WhoHas names who of the book has a number: the best guess, or "".
func (d *Desk) WhoHas(ctx context.Context, number string) (string, error) {
	f, err := d.firm(ctx)
	if err != nil {
		return "", err
	}
	n, err := phone.Parse(number, f.region)
	if err != nil {
		return "", nil
	}
	matches, rows, err := d.WhoseNumber(ctx, Actor{}, n.E164, n.Ext)
	if err != nil || len(matches) == 0 {
		return "", err
	}
	for _, r := range rows {
		if r.RecordID.String() == matches[0].Record {
			return r.Name, nil
		}
	}
	return "", nil
}
