package outcome

import "slices"

// Offer says for which calls an outcome is there. An empty list stands for all of them.
type Offer struct {
	ID         string
	Active     bool
	Directions []string // "inbound", "outbound"
	Types      []string // ids of call types
	Teams      []string // of the rep
}

// Fits tells whether an outcome can be chosen for a call of a direction and a type; "" is no type yet.
func (o Offer) Fits(direction, callType string) bool {
	return o.Active && among(o.Directions, direction) && among(o.Types, callType)
}

// ForTeam tells whether an outcome is there for the reps of a team at all.
func (o Offer) ForTeam(team string) bool { return o.Active && among(o.Teams, team) }

func among(list []string, x string) bool { return len(list) == 0 || slices.Contains(list, x) }

// Offered is an outcome that is offered for a call.
type Offered struct {
	ID    string
	Place int // decides its key: it is the same whatever type the call has
}

// OfferedFor gives those of all that are offered for a call of a direction and a type to a rep of a team, in their order. The
// one that is chosen stays, also where it would not be offered any more. Among colleagues (direction "internal") none is.
func OfferedFor(all []Offer, direction, callType, team, chosen string) []Offered {
	if direction == "internal" {
		return nil
	}
	var offered []Offered
	place := 0
	for _, o := range all {
		is := o.ID == chosen && chosen != ""
		if !is && (!o.ForTeam(team) || !among(o.Directions, direction)) {
			continue
		}
		if is || among(o.Types, callType) {
			offered = append(offered, Offered{ID: o.ID, Place: place})
		}
		place++
	}
	return offered
}
