package audio_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"trundo/internal/core/audio"
)

func TestAnswerer(t *testing.T) {
	t.Parallel()
	// Each letter is half a second (25 frames): t they speak, o we speak, b both, a dot silence.
	for what, voices := range map[string]struct {
		heard  string
		person bool
	}{
		"nobody has spoken":                          {"....", false},
		"somebody says their name and waits":         {"..tt.", true},
		"somebody says hello while we begin":         {"tbb.", true},
		"only we have spoken":                        {".ooo", false},
		"a greeting talks on for four seconds":       {".tttttttt.", false},
		"a greeting that pauses for breath":          {".ttt.ttttttttt", false},
		"a long answer to what we have said":         {"t.oo.tttttttttttt", true},
		"a business greeting, shorter than a minute": {"ttttttt...", true},
	} {
		var a audio.Answerer
		for _, v := range voices.heard {
			ours, theirs := -70.0, -70.0
			if v == 'o' || v == 'b' {
				ours = -20
			}
			if v == 't' || v == 'b' {
				theirs = -20
			}
			for range 25 {
				a.Add(ours, theirs)
			}
		}
		assert.Equal(t, voices.person, a.Person(), what)
	}
}
