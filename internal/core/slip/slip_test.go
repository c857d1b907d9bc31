package slip_test

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/core/call"
	"trundo/internal/core/slip"
)

func endedCall(t *testing.T, ended bool) *call.State {
	t.Helper()
	var s call.State
	inputs := []call.Input{call.Place{By: "ines"}}
	if ended {
		inputs = append(inputs, call.HangUp{By: "ines"})
	}
	for _, in := range inputs {
		facts, _, err := call.Decide(s, in, time.Unix(1000, 0))
		require.NoError(t, err)
		for _, f := range facts {
			s = call.Evolve(s, f)
		}
	}
	return &s
}

func TestCanFile(t *testing.T) {
	strict := slip.Rules{OutcomeNeeded: true, TypeNeeded: true}
	tests := []struct {
		name  string
		slip  slip.Slip
		ended bool
		rules slip.Rules
		want  error
		field string
	}{
		{"nothing is compulsory", slip.Slip{State: slip.Open, User: "ines"}, true, slip.Rules{}, nil, ""},
		{"still in the call", slip.Slip{State: slip.Open, User: "ines"}, false, slip.Rules{}, slip.ErrStillInCall, ""},
		{"somebody who was not in the call", slip.Slip{State: slip.Open, User: "odile"}, false, slip.Rules{}, nil, ""},
		{"twice", slip.Slip{State: slip.Filed, User: "ines"}, true, slip.Rules{}, slip.ErrAlreadyFiled, ""},
		{"no outcome", slip.Slip{State: slip.Open, User: "ines", HasType: true}, true, strict, nil, "outcome_id"},
		{"no type", slip.Slip{State: slip.Open, User: "ines", HasOutcome: true}, true, strict, nil, "call_type_id"},
		{"no notes where the outcome asks for them", slip.Slip{State: slip.Open, User: "ines", HasOutcome: true,
			HasType: true, NotesNeeded: true, OutcomeLabel: "Wants an offer"}, true, strict, nil, "notes"},
		{"all there", slip.Slip{State: slip.Open, User: "ines", HasOutcome: true, HasType: true, NotesNeeded: true,
			Notes: "forty thousand litres"}, true, strict, nil, ""},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			err := slip.CanFile(tt.slip, endedCall(t, tt.ended), tt.rules)
			if tt.field != "" {
				var missing *slip.MissingError
				require.ErrorAs(t, err, &missing)
				assert.Equal(t, tt.field, missing.Field)
				assert.NotEmpty(t, missing.Error())
				return
			}
			assert.ErrorIs(t, err, tt.want)
		})
	}
}

func TestNotesFromSeveralWindows(t *testing.T) {
	saved := slip.Notes{Body: "wants a tank", Version: 3, Writer: "left"}
	tests := []struct {
		name string
		edit slip.Edit
		want slip.Notes
		lost bool
	}{
		{"its own next text", slip.Edit{Body: "wants a tank, 40 kl", Base: 3, Writer: "left"},
			slip.Notes{"wants a tank, 40 kl", 4, "left"}, false},
		{"its own next text after a lost answer", slip.Edit{Body: "wants two", Base: 2, Writer: "left"},
			slip.Notes{"wants two", 4, "left"}, false},
		{"another window that has read it", slip.Edit{Body: "wants none", Base: 3, Writer: "right"},
			slip.Notes{"wants none", 4, "right"}, false},
		{"another window that has not", slip.Edit{Body: "wants none", Base: 2, Writer: "right"}, saved, true},
		{"a version from the future", slip.Edit{Body: "wants none", Base: 9, Writer: "left"}, saved, true},
		{"no change", slip.Edit{Body: "wants a tank", Base: 1, Writer: "right"}, saved, false},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			got, err := slip.Save(saved, tt.edit)
			assert.Equal(t, tt.want, got)
			if tt.lost {
				var conflict *slip.ConflictError
				require.ErrorAs(t, err, &conflict)
				assert.Equal(t, saved, conflict.Current)
			} else {
				assert.NoError(t, err)
			}
		})
	}
}

func TestKeepLosesNeitherText(t *testing.T) {
	got := slip.Keep(slip.Notes{Body: "first", Version: 2, Writer: "left"},
		slip.Edit{Body: "second", Base: 1, Writer: "right", At: time.Date(2026, 3, 2, 9, 5, 0, 0, time.UTC)})
	assert.Equal(t, "first\n\n— also written, in another window, at 09:05 UTC —\nsecond", got.Body)
	assert.Equal(t, 3, got.Version)
}

func TestACallIsAboutTheMatterThatIsOpen(t *testing.T) {
	t.Parallel()
	links := []slip.Link{{Record: "berit", Role: slip.Caller}, {Record: "nursery", Role: slip.Company}}
	for name, x := range map[string]struct {
		open slip.Subject
		want bool
	}{
		"their deal": {slip.Subject{Record: "tank", Role: slip.About, Person: "berit"}, true},
		"a colleague’s deal": {slip.Subject{Record: "tank", Role: slip.About, Person: "oskar", Company: "nursery"},
			true},
		"somebody else’s": {slip.Subject{Record: "tank", Role: slip.About, Person: "oskar", Company: "school"},
			false},
		"nobody’s":                {slip.Subject{Record: "tank", Role: slip.About}, false},
		"their own page":          {slip.Subject{Record: "berit", Role: slip.Caller, Company: "nursery"}, false},
		"somebody else of theirs": {slip.Subject{Record: "oskar", Role: slip.Caller, Company: "nursery"}, false},
	} {
		l, is := slip.AboutOpen(x.open, links)
		assert.Equal(t, x.want, is, name)
		if is {
			assert.Equal(t, slip.Link{Record: "tank", Role: slip.About, Reason: "it was open"}, l, name)
		}
	}
	_, is := slip.AboutOpen(slip.Subject{Record: "tank", Role: slip.About, Person: "berit"},
		append(links, slip.Link{Record: "tank", Role: slip.About}))
	assert.False(t, is, "it is on it already")
}

func TestLinksFor(t *testing.T) {
	assert.Equal(t, []slip.Link{{"berit", slip.Caller, "clicked"}, {"vesper", slip.Company, "their company"}},
		slip.LinksFor(slip.Subject{Record: "berit", Role: slip.RoleOf("contact"), Company: "vesper"}, "clicked"))
	assert.Equal(t, []slip.Link{{"berit", slip.Caller, "clicked"}},
		slip.LinksFor(slip.Subject{Record: "berit", Role: slip.RoleOf("lead")}, "clicked"))
	assert.Equal(t, []slip.Link{{"vesper", slip.Company, "clicked"}},
		slip.LinksFor(slip.Subject{Record: "vesper", Role: slip.RoleOf("company"), Company: "parent"}, "clicked"))
	assert.Equal(t, []slip.Link{{"pump", slip.About, "clicked"}, {"berit", slip.Caller, "whom it is about"},
		{"vesper", slip.Company, "their company"}},
		slip.LinksFor(slip.Subject{Record: "pump", Role: slip.RoleOf("case"), Person: "berit", Company: "vesper"},
			"clicked"))
}

func ExampleSave() {
	notes := slip.Notes{Body: "wants a tank", Version: 3, Writer: "left"}
	_, err := slip.Save(notes, slip.Edit{Body: "wants none", Base: 2, Writer: "right"})
	fmt.Println(err)
	// Output: these notes were changed in another window in the meantime
}
