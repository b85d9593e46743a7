package money

import (
	"errors"
	"fmt"
	"math"
	"math/bits"
	"slices"
	"strings"

	"github.com/bojanz/currency"
)

// Minor is a number of minor units of a currency that the context names.
// The zero value is nothing at all.
type Minor = int64

// Most is the largest amount accepted from outside, in minor units of any
// currency. It leaves room to multiply by a quantity and to add up a cart
// without leaving int64.
const Most Minor = 1_000_000_000_000

// Currency is an ISO 4217 code such as "EUR". The zero value is no currency.
type Currency string

// UnknownCurrencyError says that a code is not one of ISO 4217.
type UnknownCurrencyError struct{ Code string }

func (e UnknownCurrencyError) Error() string {
	return fmt.Sprintf("%q is not an ISO 4217 currency code", e.Code)
}

// MixedCurrencyError says that two currencies met in one computation.
type MixedCurrencyError struct{ A, B Currency }

func (e MixedCurrencyError) Error() string {
	return fmt.Sprintf("%s and %s cannot be put together", e.A, e.B)
}

// ErrOverflow says that a result does not fit in int64 minor units.
var ErrOverflow = errors.New("the amount is too large")

// ParseCurrency returns the currency of an ISO 4217 code in capitals, or an
// [UnknownCurrencyError].
func ParseCurrency(code string) (Currency, error) {
	if !currency.IsValid(code) {
		return "", UnknownCurrencyError{code}
	}
	return Currency(code), nil
}

// Currencies lists every currency, by code. Source: ISO 4217.
func Currencies() []Currency {
	codes := currency.GetCurrencyCodes()
	out := make([]Currency, len(codes))
	for i, c := range codes {
		out[i] = Currency(c)
	}
	slices.Sort(out)
	return out
}

// Digits returns how many decimals the currency's minor unit has: 0 for JPY,
// 2 for EUR, 3 for KWD. Source: CLDR.
func (c Currency) Digits() int {
	d, ok := currency.GetDigits(string(c))
	if !ok {
		return 2
	}
	return int(d)
}

// Amount is a number of minor units together with its currency.
type Amount struct {
	Minor    Minor
	Currency Currency
}

// String prints the canonical form that [ParseAmount] reads: "60.00 EUR",
// "9000 JPY".
func (a Amount) String() string {
	return Decimal(a.Minor, a.Currency.Digits()) + " " + string(a.Currency)
}

// Decimal prints minor units as a decimal with exactly the given digits and a
// point: 6000, 2 gives "60.00".
func Decimal(m Minor, digits int) string {
	neg := m < 0
	u := uint64(m)
	if neg {
		u = -u
	}
	s := fmt.Sprintf("%0*d", digits+1, u)
	if digits > 0 {
		s = s[:len(s)-digits] + "." + s[len(s)-digits:]
	}
	if neg {
		return "-" + s
	}
	return s
}

// ParseAmount reads the canonical form "60.00 EUR". The number of decimals
// must be the currency's own. Amounts beyond ±[Most] are refused.
func ParseAmount(s string) (Amount, error) {
	num, code, ok := strings.Cut(s, " ")
	if !ok {
		return Amount{}, fmt.Errorf("%q is not an amount such as 60.00 EUR", clip(s))
	}
	c, err := ParseCurrency(code)
	if err != nil {
		return Amount{}, err
	}
	m, err := ParseDecimal(num, c.Digits())
	if err != nil {
		return Amount{}, err
	}
	return Amount{m, c}, nil
}

// ParseDecimal reads a plain decimal with a point, such as "60.00", into minor
// units. Exactly digits decimals are asked for; whole numbers may leave them
// out. Values beyond ±[Most] are refused.
func ParseDecimal(s string, digits int) (Minor, error) {
	body, neg := strings.CutPrefix(s, "-")
	whole, frac, pointed := strings.Cut(body, ".")
	if whole == "" || !allDigits(whole) || (pointed && (frac == "" || !allDigits(frac))) {
		return 0, fmt.Errorf("%q is not a number such as %s", clip(s), Decimal(1250, digits))
	}
	if pointed && len(frac) != digits {
		if digits == 0 {
			return 0, fmt.Errorf("%q has decimals, but this currency has none", clip(s))
		}
		return 0, fmt.Errorf("%q must have %d decimals", clip(s), digits)
	}
	if !pointed {
		frac = strings.Repeat("0", digits)
	}
	var m Minor
	for _, ch := range whole + frac {
		m = m*10 + Minor(ch-'0')
		if m > Most {
			return 0, fmt.Errorf("%q is too large; at most %s", clip(s), Decimal(Most, digits))
		}
	}
	if neg {
		m = -m
	}
	return m, nil
}

func allDigits(s string) bool {
	for i := range len(s) {
		if s[i] < '0' || s[i] > '9' {
			return false
		}
	}
	return true
}

// clip shortens what somebody typed so that an error message stays readable.
func clip(s string) string {
	r := []rune(s)
	if len(r) > 40 {
		return string(r[:40]) + "…"
	}
	return s
}

// MarshalText prints the canonical form.
func (a Amount) MarshalText() ([]byte, error) { return []byte(a.String()), nil }

// UnmarshalText reads the canonical form.
func (a *Amount) UnmarshalText(b []byte) error {
	v, err := ParseAmount(string(b))
	if err != nil {
		return err
	}
	*a = v
	return nil
}

// Add returns a + b, a [MixedCurrencyError] or [ErrOverflow].
func (a Amount) Add(b Amount) (Amount, error) {
	if a.Currency != b.Currency {
		return Amount{}, MixedCurrencyError{a.Currency, b.Currency}
	}
	m, err := Add(a.Minor, b.Minor)
	return Amount{m, a.Currency}, err
}

// Add returns a + b or [ErrOverflow].
func Add(a, b Minor) (Minor, error) {
	s := a + b
	if (s > a) != (b > 0) && b != 0 {
		return 0, ErrOverflow
	}
	return s, nil
}

// Times returns m × n for a quantity n ≥ 0, or [ErrOverflow].
func Times(m Minor, n int64) (Minor, error) {
	if n < 0 {
		return 0, fmt.Errorf("a quantity of %d is negative", n)
	}
	neg, u := abs(m)
	hi, lo := bits.Mul64(u, uint64(n))
	if hi != 0 || lo > math.MaxInt64 {
		return 0, ErrOverflow
	}
	return signed(neg, lo), nil
}

// MulDiv returns m × num ÷ den, rounded half away from zero, with the product
// held in 128 bits. num must be ≥ 0 and den > 0.
func MulDiv(m Minor, num, den int64) (Minor, error) {
	if num < 0 || den <= 0 {
		return 0, fmt.Errorf("%d ÷ %d is not a share", num, den)
	}
	neg, u := abs(m)
	hi, lo := bits.Mul64(u, uint64(num))
	lo, carry := bits.Add64(lo, uint64(den)/2, 0)
	hi += carry
	if hi >= uint64(den) {
		return 0, ErrOverflow
	}
	// For an odd den, den/2 rounds down and the comparison below stays exact:
	// remainders are whole, so half of den is never met.
	q, _ := bits.Div64(hi, lo, uint64(den))
	if q > math.MaxInt64 {
		return 0, ErrOverflow
	}
	return signed(neg, q), nil
}

func abs(m Minor) (neg bool, u uint64) {
	if m < 0 {
		return true, -uint64(m)
	}
	return false, uint64(m)
}

func signed(neg bool, u uint64) Minor {
	if neg {
		return -Minor(u)
	}
	return Minor(u)
}
