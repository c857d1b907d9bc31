package phone_test

import (
	"fmt"
	"strings"
	"sync"
	"testing"

	"github.com/nyaruka/phonenumbers"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/core/phone"
)

func TestEveryNotationReducesToTheSameNumber(t *testing.T) {
	for _, typed := range []string{
		"4135550142", "413 555 0142", "(413) 555-0142", "413.555.0142", "1 413 555 0142",
		"+1 413 555 0142", "+1-413-555-0142", "011 1 413 555 0142", "tel:+1-413-555-0142", " 413-555-0142 ",
		"\u00a0413\u00a0555\u00a00142", "４１３ ５５５ ０１４２",
	} {
		n, err := phone.Parse(typed, "US")
		require.NoError(t, err, typed)
		assert.Equal(t, "+14135550142", n.E164, typed)
		assert.Empty(t, n.Ext, typed)
		assert.Equal(t, "US", n.Region, typed)
		assert.True(t, n.Valid, typed)
	}
}

func TestExtensions(t *testing.T) {
	for _, typed := range []string{
		"413 555 0119 ext 12", "413 555 0119 x12", "413-555-0119 ext. 12", "tel:+1-413-555-0119;ext=12",
	} {
		n, err := phone.Parse(typed, "US")
		require.NoError(t, err, typed)
		assert.Equal(t, "+14135550119;ext=12", n.Key(), typed)
	}
}

func TestParseReadsPlansOfOtherCountries(t *testing.T) {
	tests := []struct {
		name, typed, region, e164, in string
		valid                         bool
	}{
		{"trunk zero is dropped", "07700 900123", "GB", "+447700900123", "GB", false},
		{"00 is an international prefix in Britain", "00 1 413 555 0142", "GB", "+14135550142", "US", true},
		{"a bracketed zero is dropped", "+44 (0)7700 900123", "US", "+447700900123", "GB", false},
		{"vanity letters", "413 555 PUMP", "US", "+14135557867", "US", true},
		{"France", "01 99 00 12 34", "FR", "+33199001234", "FR", false},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			n, err := phone.Parse(tt.typed, tt.region)
			require.NoError(t, err)
			assert.Equal(t, tt.e164, n.E164)
			assert.Equal(t, tt.in, n.Region)
			assert.True(t, n.Possible)
		})
	}
}

func TestParseSaysWhatIsWrong(t *testing.T) {
	tests := []struct {
		name, typed string
		want        error
	}{
		{"nothing", "   ", phone.ErrEmpty},
		{"words", "call me", phone.ErrNotANumber},
		{"markup", "<script>alert(1)</script>", phone.ErrNotANumber},
		{"forty digits", strings.Repeat("1234567890", 4), phone.ErrImpossible},
		{"a hundred digits", strings.Repeat("1234567890", 10), phone.ErrTooLong},
		{"four digits", "+1 4135", phone.ErrImpossible},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			_, err := phone.Parse(tt.typed, "US")
			assert.ErrorIs(t, err, tt.want)
		})
	}
}

func TestEmergencyNumbersAreKnownByPlace(t *testing.T) {
	assert.True(t, phone.Emergency("911", "US"))
	assert.True(t, phone.Emergency("9-1-1", "US"))
	assert.True(t, phone.Emergency("112", "US"))
	assert.True(t, phone.Emergency("999", "GB"))
	assert.True(t, phone.Emergency("tel:911", "US"))
	assert.False(t, phone.Emergency("999", "US"))
	assert.False(t, phone.Emergency("413 555 0911", "US"))
	assert.False(t, phone.Emergency("", "US"))
}

func TestFormatForReading(t *testing.T) {
	assert.Equal(t, "413 555 0142", phone.Format("+14135550142", "", "US", phone.National))
	assert.Equal(t, "413 555 0119 ext 12", phone.Format("+14135550119", "12", "US", phone.National))
	assert.Equal(t, "+1 413 555 0142", phone.Format("+14135550142", "", "US", phone.International))
	assert.Equal(t, "+44 7700 900123", phone.Format("+447700900123", "", "US", phone.National))
	assert.Equal(t, "07700 900123", phone.Format("+447700900123", "", "GB", phone.National))
	assert.Equal(t, "nonsense", phone.Format("nonsense", "", "US", phone.National))
}

// The numbers' library hands out the list it keeps: writing into it is a race, and spoils it for the next number.
func TestZonesAreReadSideBySide(t *testing.T) {
	var reading sync.WaitGroup
	for range 8 {
		reading.Go(func() {
			for range 100 {
				assert.Equal(t, []string{"America/New_York"}, phone.Zones("+14135550142"))
			}
		})
	}
	reading.Wait()
}

func TestZones(t *testing.T) {
	assert.Equal(t, []string{"America/New_York"}, phone.Zones("+14135550142"))
	assert.Len(t, phone.Zones("+12085550142"), 2, "area code 208 spans two zones")
	assert.Contains(t, phone.Zones("+447700900123"), "Europe/London")
	assert.Nil(t, phone.Zones("nonsense"))
}

func TestLooksLikeNumber(t *testing.T) {
	for text, want := range map[string]bool{
		"413": true, "0142": true, "+44 7700": true, "413-555-0119 x12": true, "tel:+1": true,
		"Berit": false, "12": false, "Studio 54 East": false, "3M": false, "": false, "x12": false,
	} {
		assert.Equal(t, want, phone.LooksLikeNumber(text), "%q", text)
	}
}

func FuzzParse(f *testing.F) {
	for _, s := range []string{"413 555 0142", "+44 (0)7700 900123", "tel:+1-413-555-0119;ext=12", "٤١٣٥٥٥٠١٤٢", "0x0",
		";ext=", "++1", "\x00"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, typed string) {
		n, err := phone.Parse(typed, "US")
		phone.LooksLikeNumber(typed)
		phone.Emergency(typed, "US")
		if err != nil {
			return
		}
		require.Regexp(t, `^\+[0-9]{2,17}$`, n.E164)
		again, err := phone.Parse(n.Key(), "US")
		if err != nil {
			// A few plans read their own E.164 form back as impossible; they must say so, not panic.
			return
		}
		require.Equal(t, n.Key(), again.Key(), "the normal form is its own normal form")
		for _, r := range phone.Digits(typed) {
			require.True(t, r >= '0' && r <= '9')
		}
	})
}

func ExampleParse() {
	n, _ := phone.Parse("(413) 555-0119 ext. 12", "US")
	fmt.Println(n.E164, n.Ext, "·", phone.Format(n.E164, n.Ext, "US", phone.National))
	// Output: +14135550119 12 · 413 555 0119 ext 12
}

func TestOrder(t *testing.T) {
	labels := []string{"home", "office", "mobile", "Boat"}
	tests := map[string]struct {
		own, firm []string
		want      []int
	}{
		"the usual":              {nil, nil, []int{2, 1, 0, 3}},
		"the firm's":             {nil, []string{"boat", "home"}, []int{3, 0, 1, 2}},
		"the record's own first": {[]string{"office"}, []string{"home"}, []int{1, 0, 2, 3}},
	}
	for name, tt := range tests {
		assert.Equal(t, tt.want, phone.Order(labels, tt.own, tt.firm), name)
	}
	assert.Empty(t, phone.Order(nil, nil, nil))
	assert.Equal(t, "44", phone.CountryCode("GB"))
	assert.Empty(t, phone.CountryCode("??"))
}

// TestEveryRegionsExampleReadsBack takes the numbering plans at their word: the example number that the library's
// metadata has for each region, in each of its notations, is the same number.
func TestEveryRegionsExampleReadsBack(t *testing.T) {
	seen := 0
	for region := range phonenumbers.GetSupportedRegions() {
		example := phonenumbers.GetExampleNumber(region)
		if example == nil {
			continue
		}
		seen++
		want := phonenumbers.Format(example, phonenumbers.E164)
		for _, format := range []phonenumbers.PhoneNumberFormat{phonenumbers.E164, phonenumbers.INTERNATIONAL,
			phonenumbers.NATIONAL, phonenumbers.RFC3966} {
			typed := phonenumbers.Format(example, format)
			n, err := phone.Parse(typed, region)
			require.NoError(t, err, "%s %s", region, typed)
			assert.Equal(t, want, n.E164, "%s %s", region, typed)
			assert.True(t, n.Valid, "%s %s", region, typed)
		}
	}
	assert.Greater(t, seen, 200)
}

func TestALabelBehindANumberIsNoPartOfIt(t *testing.T) {
	for typed, want := range map[string][3]string{
		"413 555 0142 (mobile)":        {"+14135550142", "", "mobile"},
		"(413) 555-0142 (Direct Line)": {"+14135550142", "", "direct line"},
		"413 555 0142 ext 12 (office)": {"+14135550142", "12", "office"},
		"+44 20 7946 0123 (Büro)":      {"+442079460123", "", "büro"},
		"(413) 555-0142":               {"+14135550142", "", ""},
		"413 555 (0142)":               {"+14135550142", "", ""},
		"1 800 FLOWERS":                {"+18003569377", "", ""},
	} {
		n, err := phone.Parse(typed, "US")
		require.NoError(t, err, typed)
		assert.Equal(t, want, [3]string{n.E164, n.Ext, n.Label}, typed)
	}
	_, err := phone.Parse("(mobile)", "US")
	assert.Error(t, err)
}
