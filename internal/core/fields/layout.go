package fields

// Place is where a field stands on a record's sheet.
type Place string

// The places.
const (
	Top    Place = "top"    // in the line under the name
	Side   Place = "side"   // in the column at the right
	Hidden Place = "hidden" // not on the sheet; lists, filters and files know it all the same
)

// Placed is a field with its place.
type Placed struct {
	Key   string `json:"key"`
	Place Place  `json:"place"`
}

// usualHidden stand in the sheet's title already.
var usualHidden = map[string]bool{"given": true, "family": true, "name": true}

// usualTop are the fields that stand under the name where nobody has said otherwise.
var usualTop = map[string]bool{"job": true, "company": true, "stage": true, "amount": true, "person": true,
	"starts": true, "reference": true}

// Layout puts the fields of a kind in the order and at the places that were set; those that were not mentioned follow
// in their usual order at their usual place. What is not a field any more is passed over.
func Layout(list []Field, set []Placed) []Placed {
	var out []Placed
	done := map[string]bool{}
	for _, p := range set {
		if _, there := Find(list, p.Key); there && !done[p.Key] &&
			(p.Place == Top || p.Place == Side || p.Place == Hidden) {
			out = append(out, p)
			done[p.Key] = true
		}
	}
	for _, f := range list {
		if done[f.Key] || f.Computed {
			continue
		}
		p := Placed{f.Key, Side}
		switch {
		case usualTop[f.Key]:
			p.Place = Top
		case usualHidden[f.Key]:
			p.Place = Hidden
		}
		out = append(out, p)
	}
	return out
}
