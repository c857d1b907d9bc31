package call

import "errors"

// Merged is why a call and its legs end that goes on as a part of another one.
const Merged Reason = "merged"

// Adopt takes the outside parties of another call of By's into this one, with everybody of it.
type Adopt struct {
	By        string   // user id
	Addresses []string // of the outside parties, in the order of their legs there
}

// MergeInto ends a call whose outside parties another one has adopted: nothing is released.
type MergeInto struct {
	By   string // user id
	Call string // the id of the other
}

func (Adopt) input()     {}
func (MergeInto) input() {}

// ErrSameCall is told of a call that is to be joined to itself.
var ErrSameCall = errors.New("this is the same call")

// Mergeable are the outside legs of a call that By can join to another of theirs. Errors: those of a command, ErrAsking,
// ErrCompany.
func (s *State) Mergeable(by string) ([]Leg, error) {
	d := decision{state: *s}
	if _, err := d.speaker(by); err != nil {
		return nil, err
	}
	switch {
	case s.Asking(by) != nil:
		return nil, ErrAsking
	case s.reps() > 1 || s.Internal:
		return nil, ErrCompany
	}
	var legs []Leg
	for _, l := range s.Legs {
		switch {
		case l.Party == Outside && l.State == Up:
			legs = append(legs, l)
		case l.Party != Observer && l.State != Ended && l.User != by:
			return nil, ErrCompany // somebody is still rung
		}
	}
	return legs, nil
}

func (d *decision) adopt(in Adopt) ([]Fact, []Effect, error) {
	mine, err := d.speaker(in.By)
	switch {
	case err != nil:
		return nil, nil, err
	case d.state.Asking(in.By) != nil:
		return nil, nil, ErrAsking
	case d.state.Leg(mine).As == Consulted:
		return nil, nil, ErrConsulted
	case len(in.Addresses) == 0:
		return nil, nil, ErrNotThere
	case d.state.parties()+len(in.Addresses) > MostParties:
		return nil, nil, ErrFull
	}
	for _, address := range in.Addresses {
		if address != "" && d.state.outsideAt(address) {
			return nil, nil, ErrInIt
		}
	}
	for _, address := range in.Addresses {
		no := LegNo(len(d.state.Legs) + 1)
		d.add(Fact{Kind: LegAdded, Leg: no, Party: Outside, Device: "carrier", Address: address, For: mine})
		d.add(Fact{Kind: LegAnswered, Leg: no})
	}
	d.gather(append(d.state.main(mine), mine)...)
	return d.facts, d.effects, nil
}

func (d *decision) mergeInto(in MergeInto) ([]Fact, []Effect, error) {
	if _, err := d.state.Mergeable(in.By); err != nil {
		return nil, nil, err
	}
	for _, l := range d.state.Legs {
		if l.State != Ended {
			d.add(Fact{Kind: LegEnded, Leg: l.No, Reason: Merged})
		}
	}
	d.add(Fact{Kind: CallEnded, Reason: Merged, Word: in.Call})
	return d.facts, d.effects, nil
}
