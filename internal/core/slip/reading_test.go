package slip_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

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
		{"the rep", slip.Reader{User: "ines", Team: "Sales"}, slip.ForMe, true, true},
		{"a colleague of the team", slip.Reader{User: "hedda", Team: "Sales"}, slip.ForMe, false, false},
		{"a colleague of the team", slip.Reader{User: "hedda", Team: "Sales"}, slip.ForTeam, true, false},
		{"a colleague of the team", slip.Reader{User: "hedda", Team: "Sales"}, slip.ForAll, true, false},
		{"somebody of another team", slip.Reader{User: "tomas", Team: "Service"}, slip.ForTeam, false, false},
		{"somebody of no team", slip.Reader{User: "ada"}, slip.ForTeam, false, false},
		{"who leads", slip.Reader{User: "odile", Leads: true}, slip.ForTeam, true, true},
		{"who leads", slip.Reader{User: "odile", Leads: true}, slip.ForMe, false, false},
		{"nobody", slip.Reader{}, slip.ForAll, true, false},
		{"who finishes it", slip.Reader{User: "berta", Team: "Service"}, slip.ForAll, true, true},
		{"who finishes it", slip.Reader{User: "berta", Team: "Service"}, slip.ForTeam, true, true},
		{"who finishes it", slip.Reader{User: "berta", Team: "Service"}, slip.ForMe, false, false},
	} {
		part := slip.Part{Rep: "ines", Team: "Sales", HandedTo: "berta", Visible: x.visible}
		assert.Equal(t, x.reads, slip.MayRead(x.reader, part), "%s, notes for %s", x.what, x.visible)
		assert.Equal(t, x.writes, slip.MayChange(x.reader, part), "%s, notes for %s", x.what, x.visible)
	}
	assert.False(t, slip.MayRead(slip.Reader{User: "tomas"}, slip.Part{Rep: "ines", Visible: slip.ForTeam}),
		"two without a team are no team")
}
