package recording_test

import (
	"fmt"

	"trundo/internal/core/recording"
)

func ExampleDecide() {
	d := recording.Decide(recording.Request{Line: recording.On, Everybody: recording.Announce,
		Ours: recording.Place{Region: "US", State: "NY"}, Theirs: recording.Place{Region: "US", State: "CA"}})
	fmt.Println(d.Rule, "-", d.Why)
	// Output: announce - in California everybody must agree
}
