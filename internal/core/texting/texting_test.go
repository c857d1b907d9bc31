package texting_test

import (
	"strings"
	"testing"
	"time"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"

	"trundo/internal/core/callable"
	"trundo/internal/core/texting"
)

func TestParts(t *testing.T) {
	t.Parallel()
	for _, x := range []struct {
		name        string
		text        string
		parts, left int
		whole       bool
	}{
		{"nothing", "", 1, 160, true},
		{"a full part", strings.Repeat("a", 160), 1, 0, true},
		{"one more makes two of 153", strings.Repeat("a", 161), 2, 145, true},
		{"a full second part", strings.Repeat("a", 306), 2, 0, true},
		{"three", strings.Repeat("a", 307), 3, 152, true},
		{"the euro sign takes two", strings.Repeat("€", 80), 1, 0, true},
		{"umlauts of the alphabet take one", "Größe", 1, 155, true},
		{"another letter makes all of it wide", "Łódź", 1, 66, false},
		{"70 wide ones", strings.Repeat("ł", 70), 1, 0, false},
		{"71 wide ones", strings.Repeat("ł", 71), 2, 63, false},
		{"an emoji takes two", "🙂", 1, 68, false},
	} {
		parts, left, whole := texting.Parts(x.text)
		assert.Equal(t, x.parts, parts, x.name)
		assert.Equal(t, x.left, left, x.name)
		assert.Equal(t, x.whole, whole, x.name)
	}
}

func TestWishes(t *testing.T) {
	t.Parallel()
	for text, want := range map[string]texting.Wish{"STOP": texting.Stop, " stop. ": texting.Stop,
		"“Stop”": texting.Stop, "stop  all": texting.Stop, "Unsubscribe": texting.Stop,
		"arrêt": texting.Stop, "START": texting.Start, "unstop!": texting.Start, "please stop the pump": texting.None,
		"Stop by at nine?": texting.None, "": texting.None,
		"end of the month": texting.None, "End": texting.Stop} {
		assert.Equal(t, want, texting.Read(text), text)
	}
}

func TestWhenAMessageMayBeSent(t *testing.T) {
	t.Parallel()
	hours := callable.Hours{From: 8 * 60, To: 21 * 60}
	for _, x := range []struct{ name, now, want string }{
		{"by day", "2026-11-25T17:00:00Z", "2026-11-25T17:00:00Z"},
		{"at night in New York", "2026-11-26T03:00:00Z", "2026-11-26T13:00:00Z"},
		{"early in New York", "2026-11-25T12:59:00Z", "2026-11-25T13:00:00Z"},
	} {
		now, _ := time.Parse(time.RFC3339, x.now)
		assert.Equal(t, x.want, texting.When(now, []string{"America/New_York"}, hours).UTC().Format(time.RFC3339),
			x.name)
	}
	now, _ := time.Parse(time.RFC3339, "2026-11-25T14:00:00Z")
	assert.Equal(t, "2026-11-25T16:00:00Z",
		texting.When(now, []string{"America/New_York", "America/Los_Angeles"}, hours).UTC().Format(time.RFC3339),
		"both have to allow")
	assert.Equal(t, now, texting.When(now, nil, hours), "where no zone is known")
}

// The parts hold the text and no more than they must.
func FuzzParts(f *testing.F) {
	f.Add("Good day")
	f.Add("€{}🙂")
	f.Fuzz(func(t *testing.T, text string) {
		if !utf8.ValidString(text) {
			return
		}
		parts, left, whole := texting.Parts(text)
		assert.Positive(t, parts)
		assert.GreaterOrEqual(t, left, 0)
		if whole {
			assert.LessOrEqual(t, left, 160)
		} else {
			assert.LessOrEqual(t, left, 70)
		}
	})
}
