//go:build !drill

package main

import "github.com/jonboulle/clockwork"

// clock is the time of the machine.
func clock() clockwork.Clock { return clockwork.NewRealClock() }
