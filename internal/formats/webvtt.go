package formats

import (
	"fmt"
	"io"
	"strings"
	"time"
)

// Cue is a phrase of a WebVTT file.
type Cue struct {
	From, To time.Duration
	Speaker  string
	Text     string
}

// WriteWebVTT writes phrases as WebVTT (W3C), which players show beside a sound. Cues are in order of their beginning.
func WriteWebVTT(w io.Writer, cues []Cue) error {
	if _, err := io.WriteString(w, "WEBVTT\n"); err != nil {
		return err
	}
	for _, c := range cues {
		if _, err := fmt.Fprintf(w, "\n%s --> %s\n<v %s>%s\n", vttTime(c.From),
			vttTime(max(c.To, c.From+time.Millisecond)), vttText(c.Speaker), vttText(c.Text)); err != nil {
			return err
		}
	}
	return nil
}

func vttTime(d time.Duration) string {
	ms := d.Milliseconds()
	return fmt.Sprintf("%02d:%02d:%02d.%03d", ms/3_600_000, ms/60_000%60, ms/1000%60, ms%1000)
}

// vttText escapes what WebVTT would read as markup; a line stays one line, so that no text ends a cue.
func vttText(s string) string {
	return strings.NewReplacer("&", "&amp;", "<", "&lt;", ">", "&gt;").Replace(strings.Join(strings.Fields(s), " "))
}
