package presence_test

import (
	"fmt"
	"time"

	"trundo/internal/core/presence"
)

func ExampleRep_Free() {
	nine := time.Date(2026, 3, 4, 9, 0, 0, 0, time.UTC)
	ines := presence.Rep{ID: "ines", State: "Available", Takes: true, Since: nine, Window: true}
	what, since := ines.Doing()
	fmt.Println(what, since.Format("15:04"), ines.Free())
	ines.Calls, ines.SpeakingSince = 1, nine.Add(time.Hour)
	what, since = ines.Doing()
	fmt.Println(what, since.Format("15:04"), ines.Free())
	// Output:
	// Available 09:00 true
	// Speaking 10:00 false
}
