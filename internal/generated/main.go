// Command generated notes, in generated.sum, what generated code was made from and what was made, so that a test can
// tell without any generator when the two no longer fit. It must not know what the files mean.
package main

import (
	"flag"
	"fmt"
	"os"
)

func main() {
	write := flag.Bool("write", false, "write generated.sum")
	flag.Parse()
	sum, err := Sum(".")
	if err == nil && *write {
		err = os.WriteFile(File, []byte(sum), 0o644)
	} else if err == nil {
		fmt.Print(sum)
	}
	if err != nil {
		fmt.Fprintln(os.Stderr, "generated:", err)
		os.Exit(1)
	}
}
