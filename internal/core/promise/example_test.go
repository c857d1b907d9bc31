package promise_test

import (
	"fmt"
	"time"

	"trundo/internal/core/promise"
)

func ExamplePromise_At() {
	three := time.Date(2026, 3, 4, 15, 0, 0, 0, time.UTC)
	p := promise.Promise{Due: three, Patience: 15 * time.Minute}
	fmt.Println(p.At(three.Add(-time.Hour)), p.At(three.Add(time.Hour)))
	p.Done = three.Add(10 * time.Minute)
	fmt.Println(p.At(three.Add(time.Hour)))
	// Output:
	// open broken
	// kept
}
