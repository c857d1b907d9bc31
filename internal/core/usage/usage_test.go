package usage_test

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/core/usage"
)

func TestHowUseStandsAgainstALimit(t *testing.T) {
	t.Parallel()
	for _, x := range []struct {
		used, limit int64
		want        usage.Level
	}{
		{0, 100, usage.Under}, {79, 100, usage.Under}, {80, 100, usage.Near}, {99, 100, usage.Near},
		{100, 100, usage.Over}, {250, 100, usage.Over}, {0, 0, usage.Over}, {0, 1, usage.Under}, {1, 1, usage.Over},
		{3, 4, usage.Under}, {4, 5, usage.Near},
	} {
		assert.Equal(t, x.want, usage.Of(x.used, x.limit), "%d of %d", x.used, x.limit)
	}
}

func TestTheLongestPrefixPrices(t *testing.T) {
	t.Parallel()
	prices := []usage.Price{{"", 900}, {"+1", 120}, {"+44", 250}, {"+447", 700}}
	for number, want := range map[string]int64{"+14135550142": 120, "+441632960118": 250, "+447700900123": 700,
		"+4930123": 900} {
		got, known := usage.PriceOf(prices, number)
		assert.True(t, known)
		assert.Equal(t, want, got.PerMinute, number)
	}
	_, known := usage.PriceOf(prices[1:], "+4930123")
	assert.False(t, known)
}

func TestABegunMinuteCounts(t *testing.T) {
	t.Parallel()
	for talk, want := range map[time.Duration]int64{0: 0, time.Millisecond: 1, time.Minute: 1, time.Minute + 1: 2,
		59 * time.Second: 1, 3*time.Minute + 30*time.Second: 4} {
		assert.Equal(t, want, usage.Billed(talk), talk)
	}
}

func ExampleOf() {
	fmt.Println(usage.Of(810, 1000), usage.Of(1000, 1000))
	// Output: near over
}

func TestRates(t *testing.T) {
	t.Parallel()
	for text, want := range map[string]int64{"": 0, "0.015": 150, "0,015": 150, "2": 20000, ".5": 5000, "1.0000": 10000,
		"0.0001": 1} {
		got, err := usage.ParseRate(text, 2)
		require.NoError(t, err, text)
		assert.Equal(t, want, got, text)
	}
	for _, text := range []string{"0.00001", "-1", "free", "1.2.3", "12345678", "1e5"} {
		_, err := usage.ParseRate(text, 2)
		require.ErrorIs(t, err, usage.ErrRate, text)
	}
	for rate, want := range map[int64]string{0: "", 150: "0.015", 20000: "2.00", 1: "0.0001", 1234500: "123.45"} {
		assert.Equal(t, want, usage.FormatRate(rate, 2))
	}
	assert.Equal(t, "15", usage.FormatRate(1500, 0), "a currency without decimals")
	yen, err := usage.ParseRate("15", 0)
	require.NoError(t, err)
	assert.EqualValues(t, 1500, yen)
}

func FuzzParseRate(f *testing.F) {
	for _, s := range []string{"0.015", "", "1,5", "999999.9999", "x"} {
		f.Add(s, 2)
	}
	f.Fuzz(func(t *testing.T, text string, decimals int) {
		decimals = min(max(decimals, 0), 4)
		rate, err := usage.ParseRate(text, decimals)
		if err != nil {
			return
		}
		again, err := usage.ParseRate(usage.FormatRate(rate, decimals), decimals)
		require.NoError(t, err)
		assert.Equal(t, rate, again)
	})
}
