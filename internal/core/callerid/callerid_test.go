package callerid_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/core/callerid"
)

func TestALineThatRestsIsNotShown(t *testing.T) {
	t.Parallel()
	sales, main := callerid.Line{ID: "s", E164: "+14135550110", Region: "US", Rests: true},
		callerid.Line{ID: "m", E164: "+14135550100", Region: "US", Main: true}
	lines := []callerid.Line{sales, main}
	for what, x := range map[string]struct {
		r    callerid.Request
		want string
	}{
		"one's own":              {callerid.Request{RepLine: "s", Region: "US"}, "m"},
		"chosen by hand":         {callerid.Request{ByHand: "s"}, "s"},
		"that which they called": {callerid.Request{Owed: "s"}, "s"},
	} {
		c, err := callerid.Choose(lines, x.r)
		require.NoError(t, err, what)
		assert.Equal(t, x.want, c.Line.ID, what)
	}
	c, err := callerid.Choose(lines[:1], callerid.Request{RepLine: "s"})
	require.NoError(t, err)
	assert.Equal(t, "s", c.Line.ID, "all rest: there is no other")
	c, err = callerid.ChooseMany(lines, callerid.ManyRequest{Rule: callerid.ByNearest, E164: "+14135550119"})
	require.NoError(t, err)
	assert.Equal(t, "m", c.Line.ID, "the nearest that does not rest")
}

func TestChoose(t *testing.T) {
	lines := []callerid.Line{
		{ID: "main", Region: "US", Main: true}, {ID: "sales", Region: "US"}, {ID: "britain", Region: "GB"},
	}
	tests := []struct {
		name    string
		lines   []callerid.Line
		request callerid.Request
		want    string
		reason  string
		err     error
	}{
		{"by hand beats all", lines, callerid.Request{ByHand: "britain", RepLine: "sales", Region: "US"}, "britain",
			"chosen by hand", nil},
		{"the rep's own", lines, callerid.Request{RepLine: "sales", Region: "US"}, "sales", "your line", nil},
		{"a line in their country before the rep's own", lines, callerid.Request{RepLine: "sales", Region: "GB"},
			"britain", "a line in their country", nil},
		{"the rep's own where no line is near", lines, callerid.Request{RepLine: "sales", Region: "FR"}, "sales",
			"your line", nil},
		{"no own line: main", lines, callerid.Request{Region: "US"}, "main", "the main number", nil},
		{"no own line, country unknown: main", lines, callerid.Request{}, "main", "the main number", nil},
		{"no main number: the first", lines[1:], callerid.Request{Region: "FR"}, "sales", "the first line", nil},
		{"a line that is gone", lines, callerid.Request{ByHand: "radio"}, "", "", callerid.ErrUnknownLine},
		{"no line at all", nil, callerid.Request{}, "", "", callerid.ErrNoLine},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			got, err := callerid.Choose(tt.lines, tt.request)
			assert.ErrorIs(t, err, tt.err)
			assert.Equal(t, tt.want, got.Line.ID)
			assert.Equal(t, tt.reason, got.Reason)
		})
	}
}

func TestChooseMany(t *testing.T) {
	lines := []callerid.Line{
		{ID: "main", E164: "+14135550100", Region: "US", Main: true}, {ID: "radio", E164: "+15185550131",
			Region: "US"}, {ID: "britain", E164: "+447700900100", Region: "GB"},
	}
	rep := callerid.Request{RepLine: "radio", Region: "US"}
	tests := []struct {
		name    string
		request callerid.ManyRequest
		want    string
		reason  string
		err     error
	}{
		{"as for a single call", callerid.ManyRequest{Request: rep, Rule: callerid.ByRep}, "radio", "your line", nil},
		{"the list's", callerid.ManyRequest{Request: rep, Rule: callerid.ByList, Named: "main"}, "main",
			"the list's line", nil},
		{"a list without a line", callerid.ManyRequest{Request: rep, Rule: callerid.ByList}, "radio", "your line", nil},
		{"one line", callerid.ManyRequest{Request: rep, Rule: callerid.OneLine, Named: "britain"}, "britain",
			"the round's line", nil},
		{"the nearest by area", callerid.ManyRequest{Request: rep, Rule: callerid.ByNearest, E164: "+15185550177"},
			"radio", "the nearest", nil},
		{"the nearest: the main number where none is nearer",
			callerid.ManyRequest{Request: rep, Rule: callerid.ByNearest, E164: "+12125550177"}, "main", "the nearest",
			nil},
		{"the nearest abroad", callerid.ManyRequest{Rule: callerid.ByNearest, E164: "+447700900333"}, "britain",
			"the nearest", nil},
		{"the one they know", callerid.ManyRequest{Request: rep, Rule: callerid.ByKnown, Known: "main"}, "main",
			"the line they know", nil},
		{"they know none", callerid.ManyRequest{Request: rep, Rule: callerid.ByKnown}, "radio", "your line", nil},
		{"shown often enough: the nearest of the others",
			callerid.ManyRequest{Request: rep, Rule: callerid.ByRep, E164: "+15185550177", Max: 5,
				Shown: map[string]int{"radio": 5}}, "main", "the nearest", nil},
		{"all shown often enough", callerid.ManyRequest{Request: rep, Max: 1,
			Shown: map[string]int{"main": 1, "radio": 1, "britain": 2}}, "", "", callerid.ErrWornOut},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			got, err := callerid.ChooseMany(lines, tt.request)
			assert.ErrorIs(t, err, tt.err)
			assert.Equal(t, tt.want, got.Line.ID)
			assert.Equal(t, tt.reason, got.Reason)
		})
	}
	_, err := callerid.ChooseMany(nil, callerid.ManyRequest{})
	assert.ErrorIs(t, err, callerid.ErrNoLine)
}

func ExampleChoose() {
	lines := []callerid.Line{{ID: "main", Label: "Main", Region: "US", Main: true},
		{ID: "britain", Label: "Britain", Region: "GB"}}
	choice, _ := callerid.Choose(lines, callerid.Request{RepLine: "main", Region: "GB"})
	fmt.Println(choice.Line.Label, "·", choice.Reason)
	// Output: Britain · a line in their country
}
