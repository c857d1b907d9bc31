// Package money is amounts in integer minor units with their currency, read from what people type, and the totals of
// a quote's lines.
//
// It must not know records, exchange rates or who may see an amount. Currencies and their decimals are those of
// ISO 4217, as golang.org/x/text/currency has them.
package money

import (
	"errors"
	"fmt"
	"math"
	"math/big"
	"strconv"
	"strings"

	"golang.org/x/text/currency"
)

// Errors of Parse. They are shown to the user as they are.
var (
	ErrNotAnAmount = errors.New("this is not an amount of money: write it like 18400.50 USD")
	ErrCurrency    = errors.New("this currency is not known: use its three letters, like USD")
	ErrTooMany     = errors.New("this currency does not have that many decimals")
	ErrTooLarge    = errors.New("this amount is too large")
)

// Amount is a sum of money. The zero value is nothing, in no currency.
type Amount struct {
	Minor    int64  // in the currency's smallest unit: cents of a dollar
	Currency string // ISO 4217, "USD"
}

// signs are the currency signs that are read. The dollar sign means home's dollars.
var signs = map[string]string{"€": "EUR", "£": "GBP", "$": ""}

// Decimals tells how many decimals a currency has: 2 for USD, 0 for JPY, 3 for KWD. Error: ErrCurrency.
func Decimals(code string) (int, error) {
	unit, err := currency.ParseISO(code)
	if err != nil || len(code) != 3 {
		return 0, ErrCurrency
	}
	scale, _ := currency.Standard.Rounding(unit)
	return scale, nil
}

// Parse reads "18400.50 USD", "USD 18,400.50", "$18,400", "18.400,50 €" or "18400"; without a currency it is home's. A
// single separator followed by exactly three digits parts thousands. Errors: ErrNotAnAmount, ErrCurrency, ErrTooMany,
// ErrTooLarge.
func Parse(text, home string) (Amount, error) {
	rest := strings.TrimSpace(text)
	if len(rest) > 60 {
		return Amount{}, ErrTooLarge
	}
	code := ""
	for sign, c := range signs {
		if strings.Contains(rest, sign) {
			code, rest = c, strings.TrimSpace(strings.Replace(rest, sign, "", 1))
		}
	}
	if letters := strings.Trim(rest, "-+0123456789., '\u00a0\u202f"); letters != "" {
		if len(letters) != 3 || code != "" && !strings.EqualFold(letters, code) {
			return Amount{}, ErrNotAnAmount
		}
		code, rest = letters, strings.TrimSpace(strings.Replace(rest, letters, "", 1))
	}
	if code == "" {
		code = home
	}
	code = strings.ToUpper(code)
	decimals, err := Decimals(code)
	if err != nil {
		return Amount{}, err
	}
	minor, err := parseMinor(rest, decimals)
	return Amount{minor, code}, err
}

func parseMinor(text string, decimals int) (int64, error) {
	negative := strings.HasPrefix(text, "-")
	text = strings.NewReplacer(" ", "", "'", "", "\u00a0", "", "\u202f", "").Replace(strings.TrimLeft(text, "-+"))
	whole, fraction := text, ""
	if i := strings.LastIndexAny(text, ".,"); i >= 0 {
		sep, other := text[i:i+1], ","
		if sep == "," {
			other = "."
		}
		after := text[i+1:]
		single := strings.Count(text, sep) == 1
		if single && (len(after) != 3 || strings.Contains(text[:i], other) || decimals == 3 && sep == ".") {
			whole, fraction = text[:i], after
		}
		whole = strings.NewReplacer(".", "", ",", "").Replace(whole)
	}
	if whole == "" && fraction == "" || strings.Trim(whole+fraction, "0123456789") != "" {
		return 0, ErrNotAnAmount
	}
	for len(fraction) > decimals && strings.HasSuffix(fraction, "0") {
		fraction = fraction[:len(fraction)-1]
	}
	if len(fraction) > decimals {
		return 0, ErrTooMany
	}
	fraction += strings.Repeat("0", decimals-len(fraction))
	n, err := strconv.ParseInt("0"+whole+fraction, 10, 64)
	if err != nil || n > MaxMinor {
		return 0, ErrTooLarge
	}
	if negative {
		n = -n
	}
	return n, nil
}

// MaxMinor is the largest amount that is taken: a hundred thousand millions with two decimals.
const MaxMinor = 10_000_000_000_000

// String writes an amount so that Parse reads it back: "18400.50 USD". Nothing is "".
func (a Amount) String() string {
	if a.Currency == "" {
		return ""
	}
	decimals, err := Decimals(a.Currency)
	if err != nil {
		return ""
	}
	if decimals == 0 {
		return fmt.Sprintf("%d %s", a.Minor, a.Currency)
	}
	unit := int64(math.Pow10(decimals))
	sign, n := "", a.Minor
	if n < 0 {
		sign, n = "-", -n
	}
	return fmt.Sprintf("%s%d.%0*d %s", sign, n/unit, decimals, n%unit, a.Currency)
}

// Item is a line of a quote or an order.
type Item struct {
	QuantityMilli int64 // thousandths of a unit
	UnitMinor     int64 // price of one unit, without tax, in minor units
	DiscountBP    int   // discount on the line in hundredths of a percent, 0 to 10000
	TaxBP         int   // tax on the line after discount, in hundredths of a percent
}

// Totals of lines, in minor units.
type Totals struct{ Net, Tax, Gross int64 }

// Total adds lines up. Each line's net and tax are rounded by themselves, half away from zero, so that what is printed
// on each line adds up to the sum. Error: ErrTooLarge.
func Total(items []Item) (Totals, error) {
	var t Totals
	for _, it := range items {
		net, err := share(it.QuantityMilli, it.UnitMinor, int64(10_000-it.DiscountBP), 10_000_000)
		if err != nil {
			return Totals{}, err
		}
		tax, err := share(net, int64(it.TaxBP), 1, 10_000)
		if err != nil {
			return Totals{}, err
		}
		t.Net, t.Tax = t.Net+net, t.Tax+tax
	}
	t.Gross = t.Net + t.Tax
	if t.Gross > MaxMinor || t.Gross < -MaxMinor {
		return Totals{}, ErrTooLarge
	}
	return t, nil
}

// Net is a line's amount without tax, rounded half away from zero. Error: ErrTooLarge.
func (it Item) Net() (int64, error) {
	t, err := Total([]Item{{it.QuantityMilli, it.UnitMinor, it.DiscountBP, 0}})
	return t.Net, err
}

// share is a·b·c/d, rounded half away from zero, without overflow on the way.
func share(a, b, c, d int64) (int64, error) {
	n := new(big.Int).Mul(big.NewInt(a), big.NewInt(b))
	n.Mul(n, big.NewInt(c)).Mul(n, big.NewInt(2))
	half := big.NewInt(d)
	if n.Sign() < 0 {
		half = half.Neg(half)
	}
	n.Add(n, half).Quo(n, big.NewInt(2*d))
	if !n.IsInt64() || n.Int64() > MaxMinor || n.Int64() < -MaxMinor {
		return 0, ErrTooLarge
	}
	return n.Int64(), nil
}
