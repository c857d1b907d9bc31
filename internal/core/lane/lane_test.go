package lane_test

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"trundo/internal/core/lane"
)

// now is Monday 23 November 2026, 14:42 in New York.
var (
	zone, _ = time.LoadLocation("America/New_York")
	now     = time.Date(2026, 11, 23, 14, 42, 0, 0, zone)
)

func in(d time.Duration) time.Time { return now.Add(d) }

func TestReasons(t *testing.T) {
	tests := []struct {
		name   string
		item   lane.Item
		reason string
		when   string
		tone   lane.Tone
	}{
		{"promise, late", lane.Item{Kind: lane.FollowUp, Promised: true, Due: in(-12 * time.Minute)}, "promised 14:30, 12 minutes late", "14:30", lane.Late},
		{"promise, one minute late", lane.Item{Kind: lane.FollowUp, Promised: true, Due: in(-time.Minute)}, "promised 14:41, 1 minute late", "14:41", lane.Late},
		{"due this minute", lane.Item{Kind: lane.FollowUp, Due: in(-30 * time.Second)}, "due 14:41, now", "14:41", lane.Late},
		{"due in five minutes", lane.Item{Kind: lane.FollowUp, Due: in(5 * time.Minute)}, "due at 14:47", "14:47", lane.Now},
		{"due later today", lane.Item{Kind: lane.FollowUp, Due: in(2 * time.Hour)}, "due at 16:42", "16:42", lane.Later},
		{"hours late", lane.Item{Kind: lane.FollowUp, Due: in(-3 * time.Hour)}, "due 11:42, 3 hours late", "11:42", lane.Late},
		{"late since yesterday", lane.Item{Kind: lane.FollowUp, Due: in(-20 * time.Hour)}, "due yesterday, 20 hours late", "yesterday", lane.Late},
		{"days late", lane.Item{Kind: lane.FollowUp, Due: in(-72 * time.Hour)}, "due Fri 20 Nov, 3 days late", "Fri 20 Nov", lane.Late},
		{"on this day", lane.Item{Kind: lane.FollowUp, DayOnly: true, Due: in(-14 * time.Hour)}, "due today", "today", lane.Now},
		{"on yesterday", lane.Item{Kind: lane.FollowUp, DayOnly: true, Due: in(-24 * time.Hour)}, "due yesterday, 1 day late", "yesterday", lane.Late},
		{"tomorrow", lane.Item{Kind: lane.FollowUp, Due: in(24 * time.Hour)}, "due tomorrow", "tomorrow", lane.Later},
		{"no date", lane.Item{Kind: lane.FollowUp}, "no date", "", lane.Later},
		{"slip just now", lane.Item{Kind: lane.UnfiledSlip, Since: in(-20 * time.Second)}, "not filed yet, just ended", "14:41", lane.Now},
		{"slip with notes", lane.Item{Kind: lane.UnfiledSlip, Since: in(-9 * time.Minute), HasNotes: true}, "not filed yet, ended 9 minutes ago, with notes", "14:33", lane.Now},
		{"slip of two hours ago", lane.Item{Kind: lane.UnfiledSlip, Since: in(-2 * time.Hour)}, "not filed yet, ended 2 hours ago", "12:42", lane.Late},
		{"missed today", lane.Item{Kind: lane.MissedCall, Since: in(-2 * time.Hour), Line: "Service", Times: 1}, "missed at 12:42 on Service, nobody called back", "12:42", lane.Late},
		{"missed twice, tried once", lane.Item{Kind: lane.MissedCall, Since: in(-time.Hour), Line: "Sales", Times: 2, Tries: 1}, "missed at 13:42 on Sales, 2 times, tried once", "13:42", lane.Late},
		{"missed on Friday, tried thrice", lane.Item{Kind: lane.MissedCall, Since: in(-72 * time.Hour), Tries: 3}, "missed on Fri 20 Nov, tried 3 times", "20 Nov", lane.Late},
		{"missed, mine now", lane.Item{Kind: lane.MissedCall, Since: in(-time.Hour), Times: 1, TakenBy: "Ines", TakenByMe: true}, "missed at 13:42, you have taken it on", "13:42", lane.Late},
		{"missed, a colleague's now", lane.Item{Kind: lane.MissedCall, Since: in(-time.Hour), Times: 1, TakenBy: "Tomas"}, "missed at 13:42, Tomas has taken it on", "13:42", lane.Later},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			got := lane.Rank([]lane.Item{tt.item}, now, zone, 0)
			assert.Equal(t, tt.reason, got[0].Reason)
			assert.Equal(t, tt.when, got[0].When)
			assert.Equal(t, tt.tone, got[0].Tone)
		})
	}
}

func TestOrder(t *testing.T) {
	items := []lane.Item{
		{ID: "undated", Kind: lane.FollowUp},
		{ID: "tomorrow", Kind: lane.FollowUp, Due: in(24 * time.Hour)},
		{ID: "today, no time", Kind: lane.FollowUp, DayOnly: true, Due: time.Date(2026, 11, 23, 0, 0, 0, 0, zone)},
		{ID: "this evening", Kind: lane.FollowUp, Due: in(3 * time.Hour)},
		{ID: "promised for this evening", Kind: lane.FollowUp, Promised: true, Due: in(4 * time.Hour)},
		{ID: "late", Kind: lane.FollowUp, Due: in(-time.Hour)},
		{ID: "later late", Kind: lane.FollowUp, Due: in(-time.Minute)},
		{ID: "slip", Kind: lane.UnfiledSlip, Since: in(-time.Minute)},
		{ID: "old slip", Kind: lane.UnfiledSlip, Since: in(-time.Hour)},
		{ID: "promise", Kind: lane.FollowUp, Promised: true, Due: in(-time.Minute)},
		{ID: "promise in five minutes", Kind: lane.FollowUp, Promised: true, Due: in(5 * time.Minute)},
		{ID: "b same time", Kind: lane.FollowUp, Due: in(5 * time.Minute)},
		{ID: "a same time", Kind: lane.FollowUp, Due: in(5 * time.Minute)},
	}
	var order []string
	for _, e := range lane.Rank(items, now, zone, 0) {
		order = append(order, e.ID)
	}
	assert.Equal(t, []string{
		"promise", "promise in five minutes", "old slip", "slip", "late", "later late", "a same time", "b same time",
		"this evening", "promised for this evening", "today, no time", "tomorrow", "undated",
	}, order)
}

func TestHorizonLeavesOutWhatIsFarAway(t *testing.T) {
	items := []lane.Item{
		{ID: "tonight", Kind: lane.FollowUp, Due: in(9 * time.Hour)},
		{ID: "next week", Kind: lane.FollowUp, Due: in(7 * 24 * time.Hour)},
	}
	got := lane.Rank(items, now, zone, time.Hour)
	assert.Len(t, got, 1)
	assert.Equal(t, "tonight", got[0].ID, "today counts whatever the horizon")
}

func ExampleRank() {
	for _, e := range lane.Rank([]lane.Item{
		{ID: "1", Kind: lane.FollowUp, Due: in(time.Hour), Text: "Send the plan"},
		{ID: "2", Kind: lane.FollowUp, Promised: true, Due: in(-12 * time.Minute), Text: "Call back"},
	}, now, zone, 0) {
		fmt.Println(e.Text, "·", e.Reason)
	}
	// Output:
	// Call back · promised 14:30, 12 minutes late
	// Send the plan · due at 15:42
}
