package proposal_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"trundo/internal/core/proposal"
)

func TestNumbersAndMailAddressesInNotes(t *testing.T) {
	for notes, want := range map[string][]string{
		"His mobile is 413 555 0199, call after five": {"mobile +14135550199"},
		"(413) 555-0199 ext 12 is the office":         {" +14135550199;ext=12"},
		"new: +44 20 7946 0123 (direct)":              {"direct +442079460123"},
		"cell 413.555.0199 and 413-555-0199 again":    {"mobile +14135550199"},
		"write to Lene.Marrow@Pike.example. Thanks":   {"lene.marrow@pike.example"},
		"a@b.example c@d.example e@f.example g@h.example": {"a@b.example", "c@d.example",
			"e@f.example"},
		"on 2026-11-28 at 14:30, 40,000 l for 18400.50 USD, article 4711": {},
		"order 123456789, serial 00112":                                   {},
		"4111 **** **** 1111":                                             {},
		"":                                                                {},
		"@ and a@ and @b.example":                                         {},
	} {
		got := []string{}
		for _, a := range proposal.Addresses(notes, "US") {
			if a.Mail != "" {
				got = append(got, a.Mail)
			} else {
				got = append(got, a.Label+" "+a.Phone.Key())
			}
		}
		assert.Equal(t, want, got, notes)
	}
}

func FuzzAddresses(f *testing.F) {
	f.Add("mobile (413) 555-0199 ext 12, a@b.example")
	f.Fuzz(func(t *testing.T, notes string) {
		for _, a := range proposal.Addresses(notes, "US") {
			assert.NotEqual(t, a.Mail == "", a.Phone.E164 == "", "either a mail address or a number")
		}
	})
}
