package httpapi

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestTriesAreCountedWhereverTheyComeFrom(t *testing.T) {
	now := time.Date(2026, 3, 2, 9, 0, 0, 0, time.UTC)
	tries := func(t *throttle, login, address string, most int) (n int) {
		for range most {
			if _, ok := t.try(login, address, now); !ok {
				return n
			}
			n++
		}
		return n
	}
	one := newThrottle()
	assert.Equal(t, 8, tries(one, "ines", "192.0.2.1", 100))
	assert.Equal(t, 8, tries(one, "tomas", "192.0.2.1", 100), "a colleague at the same address")
	assert.Equal(t, 8, tries(one, "ines", "192.0.2.2", 100), "herself elsewhere")
	wait, ok := one.try("ines", "192.0.2.1", now)
	require.False(t, ok)
	assert.InDelta(t, 15, wait.Seconds(), 0.1)
	one.in("tomas", "192.0.2.1", now)
	assert.Equal(t, 8, tries(one, "tomas", "192.0.2.1", 100), "who got in begins anew")

	many := newThrottle()
	sum := 0
	for i := range 20 {
		sum += tries(many, "ines", string(rune('a'+i)), 100)
	}
	assert.Equal(t, 40, sum, "one login from many addresses")
	sum = 0
	for i := range 20 {
		sum += tries(many, string(rune('a'+i)), "192.0.2.1", 100)
	}
	assert.Equal(t, 60, sum, "many logins from one address")
	sum = 0
	for i := range 1000 {
		sum += tries(many, string(rune('A'+i)), string(rune('A'+i)), 100)
	}
	assert.Equal(t, 100, sum, "all that are left of two hundred")
}

func TestAFirmBehindOneAddressSignsInAtOnce(t *testing.T) {
	now := time.Date(2026, 3, 2, 9, 0, 0, 0, time.UTC)
	all := newThrottle()
	for i := range 400 {
		login := "rep" + string(rune('a'+i%26)) + string(rune('a'+i/26))
		_, ok := all.try(login, "192.0.2.1", now)
		require.True(t, ok, "rep %d", i)
		all.in(login, "192.0.2.1", now)
	}
	n := 0
	for ; n < 1000; n++ {
		if _, ok := all.try("guess"+string(rune('a'+n%26))+string(rune('a'+n/26)), "192.0.2.1", now); !ok {
			break
		}
	}
	assert.Equal(t, 60, n, "guesses from there are counted as before")
}
