package lane_test

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"trundo/internal/core/datetime"
	"trundo/internal/core/lane"
)

// now is Monday 23 November 2026, 14:42 in New York.
var (
	zone, _ = time.LoadLocation("America/New_York")
	now     = time.Date(2026, 11, 23, 14, 42, 0, 0, zone)
	reader  = lane.Reader{Zone: zone}
)

// whole is a reason with what of it presses.
func whole(e lane.Entry) string {
	if e.Late == "" {
		return e.Reason
	}
	return e.Reason + ", " + e.Late
}

func TestTimesAreWrittenAsTheReaderDoes(t *testing.T) {
	us := lane.Reader{Zone: zone, Dates: datetime.In("US")}
	got := lane.Rank([]lane.Item{{ID: "a", Kind: lane.FollowUp, Promised: true, Due: in(-12 * time.Minute)},
		{ID: "b", Kind: lane.MissedCall, Since: in(-72 * time.Hour), Times: 1}}, now, us, 0)
	assert.Equal(t, []string{"promised 2:30 PM", "12 minutes late", "2:30 PM"},
		[]string{got[0].Reason, got[0].Late, got[0].When})
	assert.Equal(t, []string{"missed on Fri, Nov 20", "nobody called back", "Nov 20"},
		[]string{got[1].Reason, got[1].Late, got[1].When})
}

func in(d time.Duration) time.Time { return now.Add(d) }

func TestReasons(t *testing.T) {
	tests := []struct {
		name   string
		item   lane.Item
		reason string
		when   string
		tone   lane.Tone
	}{
		{"promise, late", lane.Item{Kind: lane.FollowUp, Promised: true, Due: in(-12 * time.Minute)},
			"promised 14:30, 12 minutes late", "14:30", lane.Late},
		{"promise, one minute late", lane.Item{Kind: lane.FollowUp, Promised: true, Due: in(-time.Minute)},
			"promised 14:41, 1 minute late", "14:41", lane.Late},
		{"due this minute", lane.Item{Kind: lane.FollowUp, Due: in(-30 * time.Second)}, "due 14:41, now", "14:41",
			lane.Late},
		{"due in five minutes", lane.Item{Kind: lane.FollowUp, Due: in(5 * time.Minute)}, "due at 14:47", "14:47",
			lane.Now},
		{"due later today", lane.Item{Kind: lane.FollowUp, Due: in(2 * time.Hour)}, "due at 16:42", "16:42",
			lane.Later},
		{"hours late", lane.Item{Kind: lane.FollowUp, Due: in(-3 * time.Hour)}, "due 11:42, 3 hours late", "11:42",
			lane.Late},
		{"late since yesterday", lane.Item{Kind: lane.FollowUp, Due: in(-20 * time.Hour)},
			"due yesterday, 20 hours late", "yesterday", lane.Late},
		{"days late", lane.Item{Kind: lane.FollowUp, Due: in(-72 * time.Hour)}, "due Fri 20 Nov, 3 days late",
			"Fri 20 Nov", lane.Late},
		{"on this day", lane.Item{Kind: lane.FollowUp, DayOnly: true, Due: in(-14 * time.Hour)}, "due today", "today",
			lane.Now},
		{"on yesterday", lane.Item{Kind: lane.FollowUp, DayOnly: true, Due: in(-24 * time.Hour)},
			"due yesterday, 1 day late", "yesterday", lane.Late},
		{"tomorrow", lane.Item{Kind: lane.FollowUp, Due: in(24 * time.Hour)}, "due tomorrow", "tomorrow", lane.Later},
		{"no date", lane.Item{Kind: lane.FollowUp}, "no date", "", lane.Later},
		{"slip just now", lane.Item{Kind: lane.UnfiledSlip, Since: in(-20 * time.Second)}, "not filed yet, just ended",
			"14:41", lane.Now},
		{"slip with notes", lane.Item{Kind: lane.UnfiledSlip, Since: in(-9 * time.Minute), HasNotes: true},
			"not filed yet, ended 9 minutes ago, with notes", "14:33", lane.Now},
		{"slip of two hours ago", lane.Item{Kind: lane.UnfiledSlip, Since: in(-2 * time.Hour)},
			"not filed yet, ended 2 hours ago", "12:42", lane.Late},
		{"missed today", lane.Item{Kind: lane.MissedCall, Since: in(-2 * time.Hour), Line: "Service", Times: 1},
			"missed at 12:42 on Service, nobody called back", "12:42", lane.Late},
		{"missed twice, tried once", lane.Item{Kind: lane.MissedCall, Since: in(-time.Hour), Line: "Sales", Times: 2,
			Tries: 1}, "missed at 13:42 on Sales, 2 times, tried once", "13:42", lane.Late},
		{"missed on Friday, tried thrice", lane.Item{Kind: lane.MissedCall, Since: in(-72 * time.Hour), Tries: 3},
			"missed on Fri 20 Nov, tried 3 times", "20 Nov", lane.Late},
		{"a message", lane.Item{Kind: lane.MissedCall, Since: in(-time.Hour), Line: "Sales", Times: 1,
			Voicemail: 34 * time.Second}, "left a message of 0:34 at 13:42 on Sales, nobody called back", "13:42",
			lane.Late},
		{"a message of Friday", lane.Item{Kind: lane.MissedCall, Since: in(-72 * time.Hour), Times: 1,
			Voicemail: 94 * time.Second}, "left a message of 1:34 on Fri 20 Nov, nobody called back", "20 Nov",
			lane.Late},
		{"a colleague's note", lane.Item{Kind: lane.Note, Since: in(-time.Hour), From: "Ines"}, "from Ines at 13:42",
			"13:42", lane.Now},
		{"a colleague's note of Friday", lane.Item{Kind: lane.Note, Since: in(-72 * time.Hour), From: "Ines"},
			"from Ines on Fri 20 Nov", "20 Nov", lane.Now},
		{"callable for a while", lane.Item{Kind: lane.FollowUp, Due: in(-time.Hour),
			Closes: in(40*time.Minute + time.Second)}, "due 13:42, callable for 40 more minutes, 1 hour late", "13:42",
			lane.Late},
		{"callable for a moment", lane.Item{Kind: lane.FollowUp, DayOnly: true, Due: in(-14 * time.Hour),
			Closes: in(20 * time.Second)}, "due today, callable for 1 more minute", "today", lane.Now},
		{"callable for long", lane.Item{Kind: lane.FollowUp, Due: in(-time.Hour), Closes: in(2 * time.Hour)},
			"due 13:42, 1 hour late", "13:42", lane.Late},
		{"callable for a while, but due tomorrow",
			lane.Item{Kind: lane.FollowUp, Due: in(24 * time.Hour), Closes: in(time.Minute)}, "due tomorrow",
			"tomorrow", lane.Later},
		{"missed, mine now", lane.Item{Kind: lane.MissedCall, Since: in(-time.Hour), Times: 1, TakenBy: "Ines",
			TakenByMe: true}, "missed at 13:42, you have taken it on", "13:42", lane.Late},
		{"missed, a colleague's now", lane.Item{Kind: lane.MissedCall, Since: in(-time.Hour), Times: 1,
			TakenBy: "Tomas"}, "missed at 13:42, Tomas has taken it on", "13:42", lane.Later},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			got := lane.Rank([]lane.Item{tt.item}, now, reader, 0)
			assert.Equal(t, tt.reason, whole(got[0]))
			assert.Equal(t, tt.when, got[0].When)
			assert.Equal(t, tt.tone, got[0].Tone)
		})
	}
}

// Pairs of entries, the one that stands first and the one after it, each by the rule that tells them apart.
func TestWhichOfTwoIsFirst(t *testing.T) {
	follow := func(change func(*lane.Item)) lane.Item {
		it := lane.Item{Kind: lane.FollowUp, ID: "m", Due: in(-time.Hour)}
		change(&it)
		return it
	}
	late, none := follow(func(*lane.Item) {}), func(*lane.Item) {}
	missed := lane.Item{Kind: lane.MissedCall, ID: "m", Since: in(-time.Hour), Times: 1}
	colleagues := missed
	colleagues.TakenBy = "Tomas"
	note := lane.Item{Kind: lane.Note, ID: "m", Since: in(-time.Hour), From: "Ines"}
	slip := lane.Item{Kind: lane.UnfiledSlip, ID: "m", Since: in(-time.Hour)}
	today := func(change func(*lane.Item)) lane.Item {
		return follow(func(it *lane.Item) {
			it.DayOnly, it.Due = true, time.Date(2026, 11, 23, 0, 0, 0, 0,
				zone)
			change(it)
		})
	}
	at := func(d time.Duration) lane.Item { return follow(func(it *lane.Item) { it.Due = in(d) }) }
	promise := func(d time.Duration) lane.Item {
		return follow(func(it *lane.Item) { it.Due, it.Promised = in(d), true })
	}
	since := func(it lane.Item, d time.Duration) lane.Item { it.Since = in(d); return it }
	tests := map[string][2]lane.Item{
		"promise before habit":                          {promise(-time.Minute), late},
		"promise before a slip":                         {promise(-time.Minute), slip},
		"promise before a missed call":                  {promise(9 * time.Minute), missed},
		"an older promise":                              {promise(-2 * time.Hour), promise(-time.Hour)},
		"a slip before a missed call":                   {slip, missed},
		"a slip before what is late":                    {slip, late},
		"an older slip":                                 {since(slip, -2*time.Hour), slip},
		"a promise for later does not push":             {late, promise(time.Hour)},
		"a missed call by its time, before":             {since(missed, -2*time.Hour), late},
		"a missed call by its time, after":              {late, since(missed, -30*time.Minute)},
		"an older missed call":                          {since(missed, -2*time.Hour), missed},
		"a missed call before the rest of today":        {missed, at(2 * time.Hour)},
		"one that a colleague has taken on comes later": {at(2 * time.Hour), colleagues},
		"a note among missed calls":                     {since(note, -2*time.Hour), missed},
		"a note before the rest of today":               {note, today(none)},
		"late before today":                             {late, today(none)},
		"due in ten minutes before today":               {at(10 * time.Minute), today(none)},
		"at a time before any time":                     {at(2 * time.Hour), today(none)},
		"today before tomorrow":                         {today(none), at(24 * time.Hour)},
		"late of yesterday before late of today":        {at(-20 * time.Hour), late},
		"a day that has passed before today": {follow(func(it *lane.Item) {
			it.DayOnly, it.Due = true,
				in(-48*time.Hour)
		}), today(none)},
		"tomorrow before the day after": {at(24 * time.Hour), at(48 * time.Hour)},
		"tomorrow before undated": {at(24 * time.Hour),
			follow(func(it *lane.Item) { it.Due = time.Time{} })},
		"closing soon before older": {follow(func(it *lane.Item) {
			it.Due,
				it.Closes = in(-time.Minute), in(40*time.Minute)
		}), late},
		"closing soon, today": {today(func(it *lane.Item) { it.Closes = in(40 * time.Minute) }), at(2 * time.Hour)},
		"closing in two hours is not soon": {late,
			follow(func(it *lane.Item) { it.Due, it.Closes = in(-time.Minute), in(2*time.Hour) })},
		"closed already is not soon": {late,
			follow(func(it *lane.Item) { it.Due, it.Closes = in(-time.Minute), in(-time.Minute) })},
		"closing soon does not pass a promise": {promise(-time.Minute),
			follow(func(it *lane.Item) { it.Closes = in(time.Minute) })},
		"closing soon does not pull from tomorrow": {today(none),
			follow(func(it *lane.Item) { it.Due, it.Closes = in(24*time.Hour), in(time.Minute) })},
		"the larger deal, at the same time": {follow(func(it *lane.Item) { it.Value = 200 }),
			follow(func(it *lane.Item) { it.Value = 100 })},
		"the larger deal, on the same day": {today(func(it *lane.Item) { it.Value = 1 }), today(none)},
		"time before value": {at(-2 * time.Hour),
			follow(func(it *lane.Item) { it.Value = 1_000_000 })},
		"a deal before none": {follow(func(it *lane.Item) { it.Value = 1 }), late},
		"missed and mine before a colleague's": {func() lane.Item {
			m := missed
			m.TakenBy,
				m.TakenByMe = "Ines", true
			return m
		}(), colleagues},
	}
	for name, pair := range tests {
		t.Run(name, func(t *testing.T) {
			for _, ids := range [][2]string{{"a", "b"}, {"b", "a"}} { // whatever the ids say
				first, second := pair[0], pair[1]
				first.ID, second.ID = ids[0], ids[1]
				got := lane.Rank([]lane.Item{second, first}, now, reader, 0)
				assert.Equal(t, first.ID, got[0].ID)
			}
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
	for _, e := range lane.Rank(items, now, reader, 0) {
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
	got := lane.Rank(items, now, reader, time.Hour)
	assert.Len(t, got, 1)
	assert.Equal(t, "tonight", got[0].ID, "today counts whatever the horizon")
}

func ExampleRank() {
	for _, e := range lane.Rank([]lane.Item{
		{ID: "1", Kind: lane.FollowUp, Due: in(time.Hour), Text: "Send the plan"},
		{ID: "2", Kind: lane.FollowUp, Promised: true, Due: in(-12 * time.Minute), Text: "Call back"},
	}, now, reader, 0) {
		fmt.Println(e.Text, "·", whole(e))
	}
	// Output:
	// Call back · promised 14:30, 12 minutes late
	// Send the plan · due at 15:42
}

func TestAPausedRoundStandsAmongWhatIsDueToday(t *testing.T) {
	zone := time.FixedZone("there", -5*3600)
	now := time.Date(2026, 3, 2, 12, 0, 0, 0, zone)
	got := lane.Rank([]lane.Item{
		{Kind: lane.Round, ID: "a", Since: now.Add(-51 * time.Minute), Left: 53, Text: "Spring filters"},
		{Kind: lane.Round, ID: "b", Since: now.AddDate(0, 0, -1), Left: 20, Why: "handed over by Ines"},
		{Kind: lane.Round, ID: "c", Since: now, Left: 1, Why: "you were away"},
		{Kind: lane.FollowUp, ID: "d", Due: now.AddDate(0, 0, 1), Text: "Tomorrow"},
		{Kind: lane.UnfiledSlip, ID: "e", Since: now},
	}, now, lane.Reader{Zone: zone}, 0)
	var said []string
	for _, e := range got {
		said = append(said, e.ID+" "+e.When+": "+whole(e))
	}
	assert.Equal(t, []string{"e 12:00: not filed yet, just ended", "b 20 left: round handed over by Ines on Sun 1 Mar",
		"a 53 left: round paused at 11:09",
		"c 1 left: round paused, you were away at 12:00", "d tomorrow: due tomorrow"}, said)
}
