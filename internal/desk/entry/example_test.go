package entry_test

import (
	"fmt"

	"trundo/internal/desk/entry"
	"trundo/internal/desk/firm"
)

// A passkey belongs to a name that is reached over TLS; this machine alone needs none.
func ExampleEntry_Possible() {
	ways := entry.New(&firm.Firm{Config: &firm.Config{}}, nil)
	for _, at := range []string{"https://calls.example.com", "http://localhost:8080", "http://calls.example.com",
		"https://192.0.2.7"} {
		fmt.Println(at, ways.Possible(at))
	}
	// Output:
	// https://calls.example.com true
	// http://localhost:8080 true
	// http://calls.example.com false
	// https://192.0.2.7 false
}
