package wall_test

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"trundo/internal/core/wall"
)

var now = time.Date(2026, 3, 2, 10, 0, 0, 0, time.UTC)

func ago(d time.Duration) time.Time { return now.Add(-d) }

func Example() {
	r := wall.Row{Name: "Ines", Kind: wall.Speaking, Since: ago(25 * time.Minute), Held: ago(2 * time.Minute)}
	fmt.Println(wall.Usual.Needs(r, now))
	// Output: [customer on hold for more than a minute speaking for more than 20 minutes]
}

func TestNeeds(t *testing.T) {
	for name, c := range map[string]struct {
		row    wall.Row
		limits wall.Limits
		want   []string
	}{
		"speaks for as long as is usual": {wall.Row{Kind: wall.Speaking, Since: ago(19 * time.Minute)}, wall.Usual, nil},
		"for exactly as long as is too long": {wall.Row{Kind: wall.Speaking, Since: ago(20 * time.Minute)}, wall.Usual,
			[]string{"speaking for more than 20 minutes"}},
		"never too long": {wall.Row{Kind: wall.Speaking, Since: ago(9 * time.Hour)}, wall.Limits{}, nil},
		"asks": {wall.Row{Kind: wall.Speaking, Since: ago(time.Second), Asks: true}, wall.Usual,
			[]string{"asks for help"}},
		"wraps up": {wall.Row{Kind: wall.Wrapping, Since: ago(6 * time.Minute)}, wall.Usual,
			[]string{"wrapping up for more than 5 minutes"}},
		"away": {wall.Row{Kind: wall.Away, Since: ago(time.Hour)}, wall.Usual,
			[]string{"away for more than 30 minutes"}},
		"at home":                 {wall.Row{Kind: wall.Gone, Since: ago(time.Hour)}, wall.Usual, nil},
		"free for however long":   {wall.Row{Kind: wall.Free, Since: ago(5 * time.Hour)}, wall.Usual, nil},
		"since when is not known": {wall.Row{Kind: wall.Away}, wall.Usual, nil},
		"seconds are seconds": {wall.Row{Kind: wall.Speaking, Held: ago(time.Minute)}, wall.Limits{Hold: 45 * time.Second},
			[]string{"customer on hold for more than 45 seconds"}},
	} {
		assert.Equal(t, c.want, c.limits.Needs(c.row, now), name)
	}
}

func TestOrder(t *testing.T) {
	rows := []wall.Row{
		{Name: "gone", Kind: wall.Gone},
		{Name: "free since five", Kind: wall.Free, Since: ago(5 * time.Minute)},
		{Name: "free since nine", Kind: wall.Free, Since: ago(9 * time.Minute)},
		{Name: "speaks", Kind: wall.Speaking, Since: ago(time.Minute)},
		{Name: "speaks too long", Kind: wall.Speaking, Since: ago(30 * time.Minute)},
		{Name: "away too long", Kind: wall.Away, Since: ago(50 * time.Minute)},
		{Name: "speaks too long and asks", Kind: wall.Speaking, Since: ago(22 * time.Minute), Asks: true},
	}
	var names []string
	for _, i := range wall.Usual.Order(rows, now) {
		names = append(names, rows[i].Name)
	}
	assert.Equal(
		t,
		[]string{"speaks too long and asks", "speaks too long", "away too long", "speaks", "free since nine",
			"free since five", "gone"},
		names,
	)
}
