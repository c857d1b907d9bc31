package formats_test

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/formats"
)

func TestPhrasesAsWebVTT(t *testing.T) {
	t.Parallel()
	var b strings.Builder
	require.NoError(t, formats.WriteWebVTT(&b, []formats.Cue{
		{From: 0, To: 1500 * time.Millisecond, Speaker: "Berit Osterlund", Text: "Good day."},
		{From: 62*time.Minute + 1*time.Millisecond, To: 62 * time.Minute, Speaker: "<us>", Text: "a --> b\n\n& more"},
	}))
	assert.Equal(t, `WEBVTT

00:00:00.000 --> 00:00:01.500
<v Berit Osterlund>Good day.

01:02:00.001 --> 01:02:00.002
<v &lt;us&gt;>a --&gt; b &amp; more
`, b.String())
}
