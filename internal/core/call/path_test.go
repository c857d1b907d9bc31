package call_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"trundo/internal/core/call"
)

func TestPath(t *testing.T) {
	begin := time.Date(2026, 3, 2, 10, 0, 0, 0, time.UTC)
	at := func(s int) time.Time {
		if s < 0 {
			return time.Time{}
		}
		return begin.Add(time.Duration(s) * time.Second)
	}
	// A customer calls, Ines answers after ten seconds, asks Tomas from 60 to 90, and hands over at 90; the call ends
	// at 200.
	lanes := call.Path([]call.PathLeg{
		{Leg: 1, Party: call.Outside, Began: at(0), Answered: at(10), Ended: at(200),
			Talks: []call.PathTalk{{Bridge: 1, From: at(10), To: at(60)}, {Bridge: 1, From: at(90), To: at(200)}}},
		{Leg: 2, Party: call.Rep, Began: at(2), Answered: at(10), Ended: at(90),
			Talks: []call.PathTalk{{Bridge: 2, From: at(65), To: at(90)}, {Bridge: 1, From: at(10), To: at(60)}}},
		{Leg: 3, Party: call.Rep, Began: at(60), Answered: at(65), Ended: at(-1),
			Talks: []call.PathTalk{{Bridge: 2, From: at(65), To: at(90)}, {Bridge: 1, From: at(90), To: at(-1)}}},
		{Leg: 4, Party: call.Observer, Began: at(100), Answered: at(100), Ended: at(150)},
		{Leg: 5, Party: call.Rep, Began: at(3), Answered: at(-1), Ended: at(9)},
	}, at(200))
	span := func(from, to int, m call.LaneMode) call.LaneSpan {
		return call.LaneSpan{From: at(from), To: at(to), Mode: m}
	}
	assert.Equal(t, []call.Lane{
		{
			Leg: 1,
			Spans: []call.LaneSpan{
				span(0, 10, call.LaneRings),
				span(10, 60, call.LaneTalks),
				span(60, 90, call.LaneWaits),
				span(90, 200, call.LaneTalks),
			},
		},
		{
			Leg: 2,
			Spans: []call.LaneSpan{
				span(2, 10, call.LaneRings),
				span(10, 60, call.LaneTalks),
				span(60, 65, call.LaneWaits),
				span(65, 90, call.LaneConsults),
			},
		},
		{
			Leg: 3,
			Spans: []call.LaneSpan{
				span(60, 65, call.LaneRings),
				span(65, 90, call.LaneConsults),
				span(90, 200, call.LaneTalks),
			},
		},
		{Leg: 5, Spans: []call.LaneSpan{span(3, 9, call.LaneRings)}},
	}, lanes)
	assert.Empty(t, call.Path(nil, at(0)))

	// Tomas is asked on bridge 2 from 20 on; at 30 the customer comes to that bridge, so that all three speak.
	lanes = call.Path([]call.PathLeg{
		{Leg: 1, Party: call.Outside, Began: at(0), Answered: at(5), Ended: at(60),
			Talks: []call.PathTalk{{Bridge: 1, From: at(5), To: at(20)}, {Bridge: 2, From: at(30), To: at(60)}}},
		{Leg: 2, Party: call.Rep, Began: at(0), Answered: at(1), Ended: at(60),
			Talks: []call.PathTalk{{Bridge: 1, From: at(5), To: at(20)}, {Bridge: 2, From: at(20), To: at(60)}}},
	}, at(60))
	assert.Equal(t, []call.LaneSpan{span(0, 5, call.LaneRings), span(5, 20, call.LaneTalks), span(20, 30, call.LaneConsults),
		span(30, 60, call.LaneTalks)}, lanes[1].Spans, "until there is somebody to speak with it rings")
}
