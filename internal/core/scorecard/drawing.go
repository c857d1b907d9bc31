package scorecard

import "cmp"

// Candidate is a rep's part in a call that could be listened to.
type Candidate struct{ Call, Rep, Type string }

// Scored is how many calls of a rep and a type were scored.
type Scored struct {
	Rep, Type string
	Calls     int
}

// CountOf is how many calls of a rep were scored.
func CountOf(scored []Scored, rep string) (n int) {
	for _, s := range scored {
		if s.Rep == rep {
			n += s.Calls
		}
	}
	return n
}

// Draw is the candidate of the rep of whom the fewest calls were scored; of theirs, of the type of which the fewest
// were;
// else the first. The zero value where there is none.
func Draw(candidates []Candidate, scored []Scored) (drawn Candidate) {
	ofType := func(c Candidate) (n int) {
		for _, s := range scored {
			if s.Rep == c.Rep && s.Type == c.Type {
				n += s.Calls
			}
		}
		return n
	}
	for i, c := range candidates {
		if i == 0 || cmp.Or(cmp.Compare(CountOf(scored, c.Rep), CountOf(scored, drawn.Rep)),
			cmp.Compare(ofType(c), ofType(drawn))) < 0 {
			drawn = c
		}
	}
	return drawn
}
