package recording_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"trundo/internal/core/recording"
)

func TestNextTry(t *testing.T) {
	for tries, want := range map[int]time.Duration{1: time.Minute, 3: 30 * time.Minute, 5: 12 * time.Hour} {
		got, again := recording.NextTry(tries)
		assert.Equal(t, want, got, tries)
		assert.True(t, again, tries)
	}
	for _, tries := range []int{-1, 0, 6} {
		_, again := recording.NextTry(tries)
		assert.False(t, again, tries)
	}
}
