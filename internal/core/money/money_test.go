package money_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/core/money"
)

func TestParse(t *testing.T) {
	tests := []struct {
		text string
		want string
		err  error
	}{
		{"18400.50 USD", "18400.50 USD", nil},
		{"USD 18,400.50", "18400.50 USD", nil},
		{"$18,400", "18400.00 USD", nil},
		{"18.400,50 €", "18400.50 EUR", nil},
		{"€18'400.5", "18400.50 EUR", nil},
		{"£ 1 200", "1200.00 GBP", nil},
		{"18400", "18400.00 USD", nil},
		{"1,200", "1200.00 USD", nil},
		{"1.200", "1200.00 USD", nil},
		{"1,20", "1.20 USD", nil},
		{"1.5", "1.50 USD", nil},
		{"1.500", "1500.00 USD", nil}, // a single separator before three digits parts thousands
		{"12.3400", "12.34 USD", nil},
		{"-12.30 usd", "-12.30 USD", nil},
		{".5", "0.50 USD", nil},
		{"1200 JPY", "1200 JPY", nil},
		{"1.250 KWD", "1.250 KWD", nil},
		{"12.3456", "", money.ErrTooMany},
		{"0.5 JPY", "", money.ErrTooMany},
		{"12 QQQ", "", money.ErrCurrency},
		{"twelve", "", money.ErrNotAnAmount},
		{"€ 5 USD", "", money.ErrNotAnAmount},
		{"", "", money.ErrNotAnAmount},
		{"1e5", "", money.ErrNotAnAmount},
		{"100000000001", "", money.ErrTooLarge},
	}
	for _, tt := range tests {
		t.Run(tt.text, func(t *testing.T) {
			a, err := money.Parse(tt.text, "USD")
			require.ErrorIs(t, err, tt.err)
			if tt.err == nil {
				assert.Equal(t, tt.want, a.String())
			}
		})
	}
	assert.Empty(t, money.Amount{}.String())
}

func FuzzParse(f *testing.F) {
	for _, s := range []string{"18400.50 USD", "$1,2", "€", "1.2.3,4", "--5", "5 JPY", "\u202f"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, text string) {
		a, err := money.Parse(text, "USD")
		if err != nil {
			return
		}
		again, err := money.Parse(a.String(), "EUR")
		require.NoError(t, err, "%q gave %q", text, a)
		require.Equal(t, a, again)
	})
}

func TestTotal(t *testing.T) {
	tests := map[string]struct {
		items []money.Item
		want  money.Totals
	}{
		"nothing": {nil, money.Totals{}},
		// 379.81
		"one of 19.99 with 19 %": {[]money.Item{{1000, 1999, 0, 1900}}, money.Totals{Net: 1999, Tax: 380, Gross: 2379}},
		// 2247.75, 140.5
		"two and a half with a discount": {[]money.Item{{2500, 999, 1000, 625}},
			money.Totals{Net: 2248, Tax: 141, Gross: 2389}},
		"rounded on each line": {[]money.Item{{333, 100, 0, 0}, {333, 100, 0, 0}, {334, 100, 0, 0}},
			money.Totals{Net: 99, Gross: 99}},
		"half goes away from zero": {[]money.Item{{500, 1, 0, 0}}, money.Totals{Net: 1, Gross: 1}},
		"a whole discount":         {[]money.Item{{3000, 5000, 10_000, 1900}}, money.Totals{}},
		// -99.9
		"a negative price is money back": {[]money.Item{{1000, -999, 0, 1000}},
			money.Totals{Net: -999, Tax: -100, Gross: -1099}},
	}
	for name, tt := range tests {
		t.Run(name, func(t *testing.T) {
			got, err := money.Total(tt.items)
			require.NoError(t, err)
			assert.Equal(t, tt.want, got)
		})
	}
	_, err := money.Total([]money.Item{{1_000_000_000_000, money.MaxMinor, 0, 0}})
	require.ErrorIs(t, err, money.ErrTooLarge)
}

func ExampleParse() {
	a, _ := money.Parse("$18,400", "USD")
	fmt.Println(a)
	// Output: 18400.00 USD
}
