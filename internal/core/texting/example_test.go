package texting_test

import (
	"fmt"
	"strings"

	"trundo/internal/core/texting"
)

func ExampleParts() {
	fmt.Println(texting.Parts(strings.Repeat("a", 161)))
	fmt.Println(texting.Parts("Is it 20 °C?"))
	fmt.Println(texting.Read(" stop "))
	// Output:
	// 2 145 true
	// 1 58 false
	// stop
}
