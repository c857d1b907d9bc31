package recording

import "time"

// waits are how long a recogniser is left alone after each try.
var waits = []time.Duration{time.Minute, 5 * time.Minute, 30 * time.Minute, 2 * time.Hour, 12 * time.Hour}

// NextTry is after how long a recording that could not be written down is tried again, when it was tried so often, at
// least once; false: no more.
func NextTry(tries int) (time.Duration, bool) {
	if tries < 1 || tries > len(waits) {
		return 0, false
	}
	return waits[tries-1], true
}
