package filter_test

import (
	"fmt"
	"time"

	"trundo/internal/core/fields"
	"trundo/internal/core/filter"
)

func Example() {
	now := time.Date(2026, 3, 4, 15, 0, 0, 0, time.UTC)
	node, err := filter.Parse(`{"all": [{"field": "family", "op": "begins", "value": "Ost"}]}`)
	if err != nil {
		panic(err)
	}
	read, err := filter.Resolve(node, fields.BuiltIn(fields.Contact), now, time.UTC, fields.Home{})
	if err != nil {
		panic(err)
	}
	fmt.Println(read.Parts[0].Field.Label, read.Parts[0].Op, read.Parts[0].Text)
	node.All[0].Field = "shoe_size"
	_, err = filter.Resolve(node, fields.BuiltIn(fields.Contact), now, time.UTC, fields.Home{})
	fmt.Println(err != nil)
	// Output:
	// Family name begins Ost
	// true
}
