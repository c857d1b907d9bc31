package prepared_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"trundo/internal/core/prepared"
)

func TestWhichMessageIsOfferedFirst(t *testing.T) {
	t.Parallel()
	usual := prepared.Message{ID: "usual"}
	weekend := prepared.Message{ID: "weekend", Weekdays: []int{6, 7}}
	fair := prepared.Message{ID: "fair", List: "fair"}
	offer := prepared.Message{ID: "offer", Outcome: "wants an offer"}
	both := prepared.Message{ID: "both", List: "fair", Outcome: "wants an offer"}
	all := []prepared.Message{usual, weekend, fair, offer, both}
	monday, sunday := time.Date(2026, 3, 2, 10, 0, 0, 0, time.UTC), time.Date(2026, 3, 8, 10, 0, 0, 0, time.UTC)
	for _, c := range []struct {
		name string
		s    prepared.Situation
		want string
	}{
		{"nothing is known", prepared.Situation{At: monday}, "usual weekend fair offer both"},
		{"on a Sunday", prepared.Situation{At: sunday}, "weekend usual fair offer both"},
		{"of a list", prepared.Situation{At: monday, Lists: []string{"x", "fair"}}, "fair usual weekend offer both"},
		{"after an outcome", prepared.Situation{At: monday, Outcome: "wants an offer"},
			"offer usual weekend fair both"},
		{"two conditions count more than one",
			prepared.Situation{At: sunday, Lists: []string{"fair"}, Outcome: "wants an offer"},
			"both weekend fair offer usual"},
	} {
		got := ""
		for i, m := range prepared.Order(all, c.s) {
			if i > 0 {
				got += " "
			}
			got += m.ID
		}
		assert.Equal(t, c.want, got, c.name)
	}
	assert.Equal(t, "usual", all[0].ID, "what was given stays as it is")
}
