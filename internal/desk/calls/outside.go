package calls

import (
	"context"

	"github.com/google/uuid"

	"trundo/internal/carrier"
	"trundo/internal/contract"
	"trundo/internal/core/call"
	"trundo/internal/core/phone"
	"trundo/internal/core/rights"
	"trundo/internal/desk/firm"
	"trundo/internal/store"
)

// MayPlayOutside tells whether a may play the other side of the simulated network: everybody in the demo, else who sets
// the firm up. Error: ErrForbidden.
func (ls *Lines) MayPlayOutside(a firm.Actor) error {
	if ls.Demo || a.MayDo(rights.SetUpFirm) {
		return nil
	}
	return firm.ErrForbidden
}

// PlaysOutside remembers that a plays the other side of a leg, which a has called in.
func (ls *Lines) PlaysOutside(a firm.Actor, ref carrier.Ref) {
	ls.mu.Lock()
	defer ls.mu.Unlock()
	if len(ls.played) > 10_000 {
		ls.played = map[carrier.Ref]uuid.UUID{}
	}
	ls.played[ref] = a.ID
}

// MayActOutside tells whether a may see and act on the outside's leg: who sets up on each, others on those that they
// have called in and on those of their own calls. What a colleague's customer presses or says is not theirs. Error:
// ErrNotFound.
func (ls *Lines) MayActOutside(a firm.Actor, ref carrier.Ref) error {
	ls.mu.Lock()
	plays := ls.played[ref] == a.ID
	ls.mu.Unlock()
	if plays || a.MayDo(rights.SetUpFirm) {
		return nil
	}
	if id, there := ls.board.CallOf(ref); there {
		if s, there := ls.board.Snapshot(id); there && s.Concerns(a.ID.String()) {
			return nil
		}
	} else if ls.Telephones.ownTelephone(a.ID, ref) {
		return nil
	}
	return firm.ErrNotFound
}

// OutsideLines are the lines that the outside can call.
func (ls *Lines) OutsideLines(ctx context.Context) ([]contract.OutsideLine, error) {
	lines, err := ls.Store.Lines(ctx)
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
func (ls *Lines) LineNumbers(ctx context.Context) []string {
	lines, err := ls.OutsideLines(ctx)
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
func (ls *Lines) SomebodysNumber(ctx context.Context) string {
	number, err := ls.Store.SomebodysNumber(ctx, store.NewID().String())
	if err != nil || number == nil {
		return ""
	}
	return *number
}

// NormalNumber is a typed number in its normal form. Error: *FieldError about "to".
func (ls *Lines) NormalNumber(ctx context.Context, typed string) (string, error) {
	f, err := ls.Settings(ctx)
	if err != nil {
		return "", err
	}
	n, err := phone.Parse(typed, f.Region)
	if err != nil {
		return "", &firm.FieldError{Field: "to", Err: err}
	}
	return n.E164, nil
}

// WhatIsHeard is what the outside hears on a carrier's leg: a ring, a greeting, a person, or that it is on hold.
func (ls *Lines) WhatIsHeard(ctx context.Context, ref carrier.Ref) string {
	id, there := ls.board.CallOf(ref)
	if !there {
		return ""
	}
	s, there := ls.board.Snapshot(id)
	if !there {
		return ""
	}
	switch phase := s.Phase(); {
	case phase == call.PhaseRinging && s.Inbound && !s.Attended():
		return "it rings"
	case phase == call.PhaseMessage || s.Attended() || s.Surveyed():
		if c := ls.registry.call(id); c != nil {
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
				if who, err := ls.Actor(ctx, u); err == nil {
					return who.Name
				}
			}
		}
	}
	return ""
}

// WhoHas names who of the book has a number: the best guess, or "".
func (ls *Lines) WhoHas(ctx context.Context, number string) (string, error) {
	f, err := ls.Settings(ctx)
	if err != nil {
		return "", err
	}
	n, err := phone.Parse(number, f.Region)
	if err != nil {
		return "", nil
	}
	matches, rows, err := ls.Book.WhoseNumber(ctx, firm.Actor{}, n.E164, n.Ext)
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
