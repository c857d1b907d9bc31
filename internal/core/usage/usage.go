// Package usage says how use stands against what a firm allows itself, and what it costs.
//
// It must not know where use is counted, or what happens when a limit is reached.
package usage

import (
	"errors"
	"fmt"
	"strconv"
	"strings"
	"time"
)

// What is used.
type What string

// What is counted, each in its unit.
const (
	Minutes  What = "minutes"  // of talk with the outside, begun ones counted whole
	Texts    What = "texts"    // text messages sent
	Recorded What = "recorded" // minutes of recordings made
	Storage  What = "storage"  // megabytes (10^6 bytes) of recordings and files kept
)

// Scope is for whom a limit holds.
type Scope string

// For whom limits hold.
const (
	Firm Scope = "firm"
	Team Scope = "team"
	Rep  Scope = "rep"
	Line Scope = "line"
)

// Level is how use stands against a limit.
type Level string

// The levels. A notice is due where one is reached.
const (
	Under Level = "under"
	Near  Level = "near" // four fifths are used
	Over  Level = "over" // all of it is
)

// near is the part of a limit at which one is told.
const nearPercent = 80

// Of tells how use stands against a limit; a limit of 0 allows nothing.
func Of(used, limit int64) Level {
	switch {
	case used >= limit:
		return Over
	case used*100 >= limit*nearPercent:
		return Near
	}
	return Under
}

// Price is what a minute to numbers that begin with a prefix costs, in hundredths of the currency's minor unit.
type Price struct {
	Prefix    string // of the normal form, such as "+44"; empty: all others
	PerMinute int64
}

// PriceOf gives the price of a minute to a number: that of the longest prefix that fits; false where none does.
func PriceOf(prices []Price, e164 string) (Price, bool) {
	best, found := Price{}, false
	for _, p := range prices {
		if strings.HasPrefix(e164, p.Prefix) && (!found || len(p.Prefix) > len(best.Prefix)) {
			best, found = p, true
		}
	}
	return best, found
}

// Billed is how many minutes are counted for a time of talk: one that has begun counts whole.
func Billed(talk time.Duration) int64 {
	return int64((talk + time.Minute - 1) / time.Minute)
}

// ErrRate is told by ParseRate of what is no price.
var ErrRate = errors.New("this is no price: write it such as 0.015")

// rateDigits is how many digits behind those of the currency's minor unit a rate may have.
const rateDigits = 2

// ParseRate reads a price of the firm's currency, which has so many decimals, in hundredths of its minor unit; empty is
// 0. Error: ErrRate.
func ParseRate(text string, decimals int) (int64, error) {
	if text = strings.TrimSpace(text); text == "" {
		return 0, nil
	}
	whole, part, _ := strings.Cut(strings.ReplaceAll(text, ",", "."), ".")
	places := decimals + rateDigits
	if part = strings.TrimRight(part, "0"); len(part) > places || len(whole) > 6 {
		return 0, ErrRate
	}
	n, err := strconv.ParseUint("0"+whole+part+strings.Repeat("0", places-len(part)), 10, 62)
	if err != nil {
		return 0, ErrRate
	}
	return int64(n), nil
}

// FormatRate writes a rate as ParseRate reads it, with the currency's decimals at least; "" for 0.
func FormatRate(rate int64, decimals int) string {
	if rate == 0 {
		return ""
	}
	places := decimals + rateDigits
	text := fmt.Sprintf("%0*d", places+1, rate)
	whole, part := text[:len(text)-places], text[len(text)-places:]
	for len(part) > decimals && part[len(part)-1] == '0' {
		part = part[:len(part)-1]
	}
	if part == "" {
		return whole
	}
	return whole + "." + part
}
