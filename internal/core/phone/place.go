package phone

import (
	"strings"

	"github.com/nyaruka/phonenumbers"
)

// states are the states of the United States with the federal district, by their names in the number library's
// metadata.
var states = map[string]string{"Alabama": "AL", "Alaska": "AK", "Arizona": "AZ", "Arkansas": "AR", "California": "CA",
	"Colorado": "CO", "Connecticut": "CT",
	"Delaware": "DE", "Florida": "FL", "Georgia": "GA", "Hawaii": "HI", "Idaho": "ID", "Illinois": "IL",
	"Indiana": "IN", "Iowa": "IA", "Kansas": "KS",
	"Kentucky": "KY", "Louisiana": "LA", "Maine": "ME", "Maryland": "MD", "Massachusetts": "MA", "Michigan": "MI",
	"Minnesota": "MN", "Mississippi": "MS",
	"Missouri": "MO", "Montana": "MT", "Nebraska": "NE", "Nevada": "NV", "New Hampshire": "NH", "New Jersey": "NJ",
	"New Mexico": "NM", "New York": "NY",
	"North Carolina": "NC", "North Dakota": "ND", "Ohio": "OH", "Oklahoma": "OK", "Oregon": "OR", "Pennsylvania": "PA",
	"Rhode Island":   "RI",
	"South Carolina": "SC", "South Dakota": "SD", "Tennessee": "TN", "Texas": "TX", "Utah": "UT", "Vermont": "VT",
	"Virginia": "VA", "Washington State": "WA", "Washington": "WA",
	"West Virginia": "WV", "Wisconsin": "WI", "Wyoming": "WY", "Washington D.C.": "DC", "Washington D.C": "DC",
	"District of Columbia": "DC"}

// Place tells in which country e164 is (ISO 3166, "US"), and in the United States in which state ("MA"), as far as its
// area code says. A mobile number goes with its owner: the place is where the number is from. Empty: not known.
func Place(e164 string) (region, state string) {
	parsed, err := phonenumbers.Parse(e164, "")
	if err != nil {
		return "", ""
	}
	if parsed.GetCountryCode() == 1 {
		// "Massachusetts", or "Springfield, MA"; of Canada "Vancouver, BC".
		name, err := phonenumbers.GetGeocodingForNumber(parsed, "en")
		if at := strings.LastIndex(name, ", "); at >= 0 {
			name = name[at+2:]
		}
		if code := states[name]; err == nil && code != "" {
			return "US", code
		} else if err == nil && stateCodes[name] {
			return "US", name
		}
	}
	if region = phonenumbers.GetRegionCodeForNumber(parsed); region == "" || region == "ZZ" || region == "001" {
		region = mainRegion(parsed)
	}
	return region, ""
}

// stateCodes are the codes of all states.
var stateCodes = func() map[string]bool {
	codes := map[string]bool{}
	for _, code := range states {
		codes[code] = true
	}
	return codes
}()
