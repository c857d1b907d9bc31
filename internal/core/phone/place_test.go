package phone_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"trundo/internal/core/phone"
)

func TestThePlaceOfANumber(t *testing.T) {
	t.Parallel()
	for e164, want := range map[string][2]string{
		"+14135550142":  {"US", "MA"},
		"+12125550187":  {"US", "NY"},
		"+18025550121":  {"US", "VT"},
		"+12065550100":  {"US", "WA"},
		"+12025550100":  {"US", "DC"},
		"+13035550123":  {"US", "CO"},
		"+16045550123":  {"CA", ""},
		"+447700900982": {"GB", ""},
		"+18005550100":  {"US", ""}, // free of charge: from everywhere
		"":              {"", ""},
		"12":            {"", ""},
	} {
		region, state := phone.Place(e164)
		assert.Equal(t, want, [2]string{region, state}, e164)
	}
}
