package proposal_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/core/proposal"
)

func TestFollowUpsInNotes(t *testing.T) {
	t.Parallel()
	zone, err := time.LoadLocation("America/New_York")
	require.NoError(t, err)
	now := time.Date(2026, 11, 25, 10, 30, 0, 0, zone) // a Wednesday
	for notes, want := range map[string]string{
		"Call back thu 3pm": "call 2026-11-26 15:00",
		"She asked me to call her back on Thursday at 3.":    "call 2026-11-26 15:00",
		"Ring again tomorrow morning":                        "call 2026-11-26 09:00",
		"call at 15:45":                                      "call 2026-11-25 15:45",
		"call at 9":                                          "call 2026-11-26 09:00", // today it has passed
		"Call them next week":                                "call 2026-11-30",
		"call next friday, noon":                             "call 2026-12-04 12:00",
		"call on friday":                                     "call 2026-11-27",
		"call wednesday":                                     "call 2026-12-02", // the next one, not today
		"call this sunday evening":                           "call 2026-11-29 18:00",
		"Call back in two weeks":                             "call 2026-12-09",
		"call in 3 days":                                     "call 2026-11-28",
		"call in an hour":                                    "call 2026-11-25 11:30",
		"call in 20 minutes":                                 "call 2026-11-25 10:50",
		"Remind me in a month":                               "task 2026-12-25",
		"send the offer on 3 December":                       "mail 2026-12-03",
		"mail her December 3rd at 8:15 am":                   "mail 2026-12-03 08:15",
		"Visit on 12 jan":                                    "meeting 2027-01-12", // next year's
		"meet 2026-12-01 14:00":                              "meeting 2026-12-01 14:00",
		"follow up next month":                               "task 2026-12-01",
		"Wants an offer. Call on Monday. The tank is green.": "call 2026-11-30",
		"Call Monday. No, call back on Tuesday at 12 pm!":    "call 2026-12-01 12:00",
		"call tonight":                                       "call 2026-11-25 18:00",
		"Phone at 12am tomorrow":                             "call 2026-11-26 00:00",
		"We met on Monday.":                                  "",
		"on thursday he will call the council":               "", // when comes before who
		"Called on Monday and they were out":                 "", // "called" is no act
		"call back":                                          "",
		"He has 3 tanks of 5,000 l":                          "",
		"call on 30 February":                                "",
		"call on 2026-02-30":                                 "",
		"call on 2025-01-01":                                 "", // it lies back
		"call at 25:00 tomorrow":                             "",
		"call at 13pm":                                       "",
		"call in 0 days":                                     "",
		"":                                                   "",
	} {
		got := ""
		if p, ok := proposal.Find(notes, now); ok {
			got = string(p.Act) + " " + p.Due.Format("2006-01-02 15:04")
			if p.DayOnly {
				got = string(p.Act) + " " + p.Due.Format("2006-01-02")
			}
		}
		assert.Equal(t, want, got, notes)
	}
	p, ok := proposal.Find("Is away. Call   back on Friday at 2, she said. Green tank.", now)
	require.True(t, ok)
	assert.Equal(t, "Call back on Friday at 2, she said", p.Text)
}

func TestTheEndOfAMonthAndTheHourThatIsSkipped(t *testing.T) {
	t.Parallel()
	zone, err := time.LoadLocation("America/New_York")
	require.NoError(t, err)
	p, ok := proposal.Find("call in a month", time.Date(2026, 1, 31, 9, 0, 0, 0, zone))
	require.True(t, ok)
	assert.Equal(t, "2026-02-28", p.Due.Format("2006-01-02"))
	// On 8 March 2026 there is no half past two in New York.
	p, ok = proposal.Find("call tomorrow at 2:30 am", time.Date(2026, 3, 7, 9, 0, 0, 0, zone))
	require.True(t, ok)
	assert.Equal(t, "2026-03-08 03:30 EDT", p.Due.Format("2006-01-02 15:04 MST"))
}

func FuzzFind(f *testing.F) {
	for _, s := range []string{"call back thu 3pm", "call on 30 February at 25:99", "meet 9999-99-99",
		"in 999 months call in 999 months"} {
		f.Add(s, int64(1_790_000_000))
	}
	f.Fuzz(func(t *testing.T, notes string, unix int64) {
		now := time.Unix(unix%4_000_000_000, 0).UTC()
		p, ok := proposal.Find(notes, now)
		if !ok {
			return
		}
		assert.False(t, p.Due.AddDate(0, 0, 1).Before(now), "%q proposes %v at %v", notes, p.Due, now)
		assert.NotEmpty(t, p.Text)
	})
}
