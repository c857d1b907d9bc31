package card_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"trundo/internal/core/card"
)

// The numbers are those that schemes publish for tests.
func TestCardNumbersAreHidden(t *testing.T) {
	t.Parallel()
	for text, want := range map[string]string{
		"Card 4111 1111 1111 1111, until 12/27":        "Card •••• 1111, until 12/27",
		"4111111111111111":                             "•••• 1111",
		"4111-1111-1111-1111 12/27":                    "•••• 1111 12/27",
		"5555 5555 5555 4444 and 378282246310005":      "•••• 4444 and •••• 0005",
		"2223003122003222":                             "•••• 3222",
		"6011111111111117":                             "•••• 1117",
		"3530111333300000":                             "•••• 0000",
		"30569309025904":                               "•••• 5904",
		"twice 4111111111111111, 4111111111111111":     "twice •••• 1111, •••• 1111",
		"4111 1111 1111 1112":                          "4111 1111 1111 1112", // the last digit does not fit
		"4111  1111  1111  1111":                       "4111  1111  1111  1111",
		"order 1234567812345670":                       "order 1234567812345670", // no scheme begins so
		"call +44 7700 900 123 or 413 555 0142":        "call +44 7700 900 123 or 413 555 0142",
		"+4111111111111111":                            "+4111111111111111",    // a telephone number
		"41111111111111111111":                         "41111111111111111111", // too long
		"40,000 l tank, 2026-11-25 10:30, $42,999.38":  "40,000 l tank, 2026-11-25 10:30, $42,999.38",
		"IBAN DE89 3704 0044 0532 0130 00 is no card":  "IBAN DE89 3704 0044 0532 0130 00 is no card",
		"01a22028-058e-75b4-8367-89737163b9f4":         "01a22028-058e-75b4-8367-89737163b9f4", // a reference
		"ref A4111111111111111":                        "ref A4111111111111111",
		"ref 4111111111111111b, card 4111111111111111": "ref 4111111111111111b, card •••• 1111",
		"Karte:4111 1111 1111 1111é":                   "Karte:4111 1111 1111 1111é",
		"":                                             "",
	} {
		assert.Equal(t, want, card.Mask(text), text)
	}
}

// What was masked once has nothing left to mask, and nothing but digits and what stands between them is taken away.
func FuzzMask(f *testing.F) {
	f.Add("Card 4111 1111 1111 1111")
	f.Add("4111111111111111 4111111111111111")
	f.Fuzz(func(t *testing.T, text string) {
		masked := card.Mask(text)
		for _, found := range card.Find(text) {
			assert.True(t, strings.Contains(text, found.Text))
			assert.Less(t, strings.Count(masked, found.Text), strings.Count(text, found.Text))
		}
	})
}

func ExampleMask() {
	fmt.Println(card.Mask("Paid with 4111 1111 1111 1111."))
	// Output: Paid with •••• 1111.
}
