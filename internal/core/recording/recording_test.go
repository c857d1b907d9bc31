package recording_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"trundo/internal/core/recording"
)

func TestTheStricterPlaceDecides(t *testing.T) {
	t.Parallel()
	ny, ca, ma := recording.Place{Region: "US", State: "NY"}, recording.Place{Region: "US",
		State: "CA"}, recording.Place{Region: "US", State: "MA"}
	gb, us, nowhere := recording.Place{Region: "GB"}, recording.Place{Region: "US"}, recording.Place{}
	const off, ask, tell, on = recording.Off, recording.Ask, recording.Announce, recording.On
	for _, c := range []struct {
		name         string
		line, rep    recording.Rule
		ours, theirs recording.Place
		everybody    recording.Rule
		want         recording.Rule
		why          string
	}{
		{name: "one side's consent is enough", line: on, ours: ny, theirs: ny, everybody: tell, want: on},
		{name: "theirs asks for all", line: on, ours: ny, theirs: ca, everybody: tell, want: tell,
			why: "in California everybody must agree"},
		{name: "ours asks for all", line: on, ours: ma, theirs: ny, everybody: tell, want: tell,
			why: "in Massachusetts everybody must agree"},
		{name: "the firm asks there", line: on, ours: ny, theirs: ca, everybody: ask, want: ask,
			why: "in California everybody must agree"},
		{name: "the firm does not record there", line: on, ours: ny, theirs: ca, everybody: off, want: off,
			why: "in California everybody must agree"},
		{name: "the law never makes it more", line: ask, ours: ca, theirs: ca, everybody: tell, want: ask},
		{name: "told already", line: tell, ours: ca, theirs: ca, everybody: tell, want: tell},
		{name: "told is not enough for the firm there", line: tell, ours: ny, theirs: ca, everybody: ask, want: ask,
			why: "in California everybody must agree"},
		{name: "a line that does not record", line: off, ours: ny, theirs: ca, everybody: tell, want: off},
		{name: "the rep's rule instead of the line's", line: on, rep: off, ours: ny, theirs: ny, everybody: tell,
			want: off, why: "as it is set for you"},
		{name: "the rep's rule is bound by the law too", line: off, rep: on, ours: ny, theirs: ca, everybody: tell,
			want: tell, why: "in California everybody must agree"},
		{name: "abroad", line: on, ours: ny, theirs: gb, everybody: tell, want: tell,
			why: "in a place outside the United States everybody must agree"},
		{name: "a state that is not known", line: on, ours: ny, theirs: us, everybody: tell, want: tell,
			why: "in an unknown state everybody must agree"},
		{name: "a number that was withheld", line: on, ours: ny, theirs: nowhere, everybody: tell, want: tell,
			why: "in an unknown place everybody must agree"},
		{name: "a firm that set nothing", line: on, ours: ny, theirs: ca, want: off,
			why: "in California everybody must agree"},
		{name: "a rule that is none", line: "sometimes", ours: ny, theirs: ny, everybody: tell, want: off},
	} {
		assert.Equal(t, recording.Decision{Rule: c.want, Why: c.why},
			recording.Decide(recording.Request{Line: c.line, Rep: c.rep, Ours: c.ours, Theirs: c.theirs,
				Everybody: c.everybody}), c.name)
	}
}

func TestTheDecisionIsNeverMoreThanWhatAnybodyWants(t *testing.T) {
	t.Parallel()
	rules := []recording.Rule{recording.Off, recording.Ask, recording.Announce, recording.On}
	places := []recording.Place{{}, {Region: "US"}, {Region: "US", State: "NY"}, {Region: "US", State: "WA"},
		{Region: "FR"}}
	for _, line := range rules {
		for _, rep := range append(rules, "") {
			for _, all := range rules {
				for _, ours := range places {
					for _, theirs := range places {
						d := recording.Decide(recording.Request{Line: line, Rep: rep, Ours: ours, Theirs: theirs,
							Everybody: all})
						wanted := line
						if rep != "" {
							wanted = rep
						}
						assert.Equal(t, d.Rule, recording.Stricter(d.Rule, wanted))
						_, a := recording.AllMustAgree(ours)
						_, b := recording.AllMustAgree(theirs)
						if a || b {
							assert.NotEqual(t, recording.On, d.Rule, "%v %v", ours, theirs)
							assert.Equal(t, d.Rule, recording.Stricter(d.Rule, all))
						}
					}
				}
			}
		}
	}
}

func TestWhenARecordingIsDeleted(t *testing.T) {
	t.Parallel()
	day := func(n int) time.Time { return time.Date(2026, 3, n, 12, 0, 0, 0, time.UTC) }
	p := recording.Policy{CallDays: 30, MessageDays: 10}
	never := time.Time{}
	for _, c := range []struct {
		name             string
		now, began, told time.Time
		message, held    bool
		policy           recording.Policy
		want             time.Time
	}{
		{name: "young", now: day(20), began: day(1), policy: p, want: never},
		{name: "a week before its end it is said", now: day(24), began: day(1), policy: p, want: day(31)},
		{name: "a message has its own time", now: day(5), began: day(1), message: true, policy: p, want: day(12)},
		{name: "found too late, it has a week yet", now: day(40), began: day(1), policy: p, want: day(47)},
		{name: "what was said once stays", now: day(45), began: day(1), told: day(47), policy: p, want: day(47)},
		{name: "said, and then the policy kept it for longer", now: day(28), began: day(1), told: day(29), policy: p,
			want: day(35)},
		{name: "held", now: day(60), began: day(1), told: day(47), held: true, policy: p, want: never},
		{name: "kept without end", now: day(60), began: day(1), told: day(47), want: never},
	} {
		assert.Equal(t, c.want, c.policy.Expiry(c.now, c.began, c.told, c.message, c.held), c.name)
	}
}
