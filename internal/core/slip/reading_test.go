package slip_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"trundo/internal/core/rights"
	"trundo/internal/core/slip"
)

func TestWhoReadsNotes(t *testing.T) {
	t.Parallel()
	for _, x := range []struct {
		what          string
		reader        slip.Reader
		visible       slip.Visible
		reads, writes bool
	}{
		{"the rep", slip.Reader{User: "ines", Teams: []string{"Sales"}}, slip.ForMe, true, true},
		{"a colleague of the team", slip.Reader{User: "hedda", Teams: []string{"Sales"}}, slip.ForMe, false, false},
		{"a colleague of the team", slip.Reader{User: "hedda", Teams: []string{"Sales"}}, slip.ForTeam, true, false},
		{"a colleague of the team", slip.Reader{User: "hedda", Teams: []string{"Sales"}}, slip.ForAll, true, false},
		{"somebody of another team", slip.Reader{User: "tomas", Teams: []string{"Service"}}, slip.ForTeam, false, false},
		{"somebody of no team", slip.Reader{User: "ada"}, slip.ForTeam, false, false},
		{"who leads", slip.Reader{User: "odile", Corrects: rights.All}, slip.ForTeam, true, true},
		{"who leads", slip.Reader{User: "odile", Corrects: rights.All}, slip.ForMe, false, false},
		{"who leads the team", slip.Reader{User: "odile", Teams: []string{"Sales"}, Corrects: rights.Team}, slip.ForTeam, true, true},
		{"who leads another team", slip.Reader{User: "odile", Teams: []string{"Service"}, Corrects: rights.Team}, slip.ForTeam,
			false, false},
		{"who leads another team", slip.Reader{User: "odile", Teams: []string{"Service"}, Corrects: rights.Team}, slip.ForAll,
			true, false},
		{"nobody", slip.Reader{}, slip.ForAll, true, false},
		{"who finishes it", slip.Reader{User: "berta", Teams: []string{"Service"}}, slip.ForAll, true, true},
		{"who finishes it", slip.Reader{User: "berta", Teams: []string{"Service"}}, slip.ForTeam, true, true},
		{"who finishes it", slip.Reader{User: "berta", Teams: []string{"Service"}}, slip.ForMe, false, false},
	} {
		part := slip.Part{Rep: "ines", Teams: []string{"Sales"}, HandedTo: "berta", Visible: x.visible}
		assert.Equal(t, x.reads, slip.MayRead(x.reader, part), "%s, notes for %s", x.what, x.visible)
		assert.Equal(t, x.writes, slip.MayChange(x.reader, part), "%s, notes for %s", x.what, x.visible)
	}
	assert.False(t, slip.MayRead(slip.Reader{User: "tomas"}, slip.Part{Rep: "ines", Visible: slip.ForTeam}),
		"two without a team are no team")
}
