package callerid_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"

	"trundo/internal/core/callerid"
)

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
		{"by hand beats all", lines, callerid.Request{ByHand: "britain", RepLine: "sales", Region: "US"}, "britain", "chosen by hand", nil},
		{"the rep's own", lines, callerid.Request{RepLine: "sales", Region: "US"}, "sales", "your line", nil},
		{"a line in their country before the rep's own", lines, callerid.Request{RepLine: "sales", Region: "GB"}, "britain", "a line in their country", nil},
		{"the rep's own where no line is near", lines, callerid.Request{RepLine: "sales", Region: "FR"}, "sales", "your line", nil},
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

func ExampleChoose() {
	lines := []callerid.Line{{ID: "main", Label: "Main", Region: "US", Main: true}, {ID: "britain", Label: "Britain", Region: "GB"}}
	choice, _ := callerid.Choose(lines, callerid.Request{RepLine: "main", Region: "GB"})
	fmt.Println(choice.Line.Label, "·", choice.Reason)
	// Output: Britain · a line in their country
}
