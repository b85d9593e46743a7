package money

import (
	"fmt"
	"strings"
)

// Rate is an exact share in millionths of the whole: 12.5 % is 125,000. A
// percentage therefore has at most four decimals; more are refused, not
// rounded. The zero value is 0 %.
type Rate int64

// Whole is 100 %.
const Whole Rate = 1_000_000

// ParsePercent reads a percentage from 0 to 100 such as "12.5" or "33.33".
func ParsePercent(s string) (Rate, error) {
	whole, frac, pointed := strings.Cut(s, ".")
	if whole == "" || !allDigits(whole) || (pointed && (frac == "" || !allDigits(frac))) {
		return 0, fmt.Errorf("%q is not a percentage such as 12.5", clip(s))
	}
	if len(frac) > 4 {
		return 0, fmt.Errorf("%q has more than four decimals", clip(s))
	}
	if len(whole) > 3 {
		return 0, fmt.Errorf("%s %% is more than 100 %%", clip(s))
	}
	var r Rate
	for _, ch := range whole + frac + strings.Repeat("0", 4-len(frac)) {
		r = r*10 + Rate(ch-'0')
	}
	if r > Whole {
		return 0, fmt.Errorf("%s %% is more than 100 %%", clip(s))
	}
	return r, nil
}

// String prints the percentage in its shortest form, without a sign: "12.5".
func (r Rate) String() string {
	s := Decimal(int64(r), 4)
	return strings.TrimSuffix(strings.TrimRight(s, "0"), ".")
}

// MarshalText prints the shortest form.
func (r Rate) MarshalText() ([]byte, error) { return []byte(r.String()), nil }

// UnmarshalText reads what [ParsePercent] reads.
func (r *Rate) UnmarshalText(b []byte) error {
	v, err := ParsePercent(string(b))
	if err != nil {
		return err
	}
	*r = v
	return nil
}

// Of returns this share of m, rounded half away from zero.
func (r Rate) Of(m Minor) (Minor, error) { return MulDiv(m, int64(r), int64(Whole)) }

// Within returns the part of m that is this rate of tax when m includes it:
// m × r ÷ (1 + r), rounded half away from zero.
func (r Rate) Within(m Minor) (Minor, error) {
	return MulDiv(m, int64(r), int64(Whole)+int64(r))
}
