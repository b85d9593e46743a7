package money

import (
	"fmt"
	"strings"
	"sync"
	"unicode"

	"github.com/bojanz/currency"
)

// Format prints an amount for a reader, in the manner of a BCP 47 locale:
// "€19.10" in English, "19,10 €" in German. Source of the patterns: CLDR.
func Format(a Amount, locale string) string {
	amount, err := currency.NewAmountFromInt64(a.Minor, string(a.Currency))
	if err != nil {
		return a.String()
	}
	return formatter(locale).Format(amount)
}

var formatters sync.Map // locale string → *currency.Formatter; a cache of pure values

func formatter(locale string) *currency.Formatter {
	if f, ok := formatters.Load(locale); ok {
		return f.(*currency.Formatter)
	}
	f := currency.NewFormatter(currency.NewLocale(locale))
	f.MaxDigits = currency.DefaultDigits
	formatters.Store(locale, f)
	return f
}

// ParseTyped reads what a person typed into an amount field, in the manner of
// their locale: "1.234,50" is 1234.50 under "de", and refused under "en".
// Grouping marks must stand where groups of three begin, so that a slip is
// refused and never read as another number. A currency sign or code around the
// number is let be; one of another currency is refused. The amount must be from
// 0 to [Most].
func ParseTyped(s, locale string, c Currency) (Minor, error) {
	digits := c.Digits()
	point, group := separators(locale)
	body := strings.TrimSpace(strings.Map(plainSpace, s))
	example := Format(Amount{1234 * wholeUnit(digits), c}, locale)
	if body == "" {
		return 0, fmt.Errorf("an amount is needed here, such as %s", example)
	}
	sign, _ := currency.GetSymbol(string(c), currency.NewLocale(locale))
	for _, mark := range []string{string(c), sign} {
		if mark == "" {
			continue
		}
		if rest, ok := strings.CutPrefix(body, mark); ok {
			body = strings.TrimSpace(rest)
		} else if rest, ok := strings.CutSuffix(body, mark); ok {
			body = strings.TrimSpace(rest)
		}
	}
	if strings.HasPrefix(body, "-") || strings.HasPrefix(body, "−") {
		return 0, fmt.Errorf("%s is below zero; an amount of 0 or more is needed", clip(s))
	}
	whole, frac, pointed := strings.Cut(body, point)
	plain, ok := ungroup(whole, group)
	if !ok || (pointed && !allDigits(frac)) {
		return 0, fmt.Errorf("%q is not an amount; write it like %s", clip(s), example)
	}
	if pointed && (len(frac) > digits || digits == 0 || frac == "") {
		return 0, fmt.Errorf("%q has the wrong number of decimals for %s; write it like %s", clip(s), c, example)
	}
	if pointed {
		plain += "." + frac + strings.Repeat("0", digits-len(frac))
	}
	m, err := ParseDecimal(plain, digits)
	if err != nil {
		return 0, fmt.Errorf("%q is too large; at most %s", clip(s), Format(Amount{Most, c}, locale))
	}
	return m, nil
}

// plainSpace turns the no-break and thin spaces of locales into plain ones.
func plainSpace(r rune) rune {
	if unicode.IsSpace(r) {
		return ' '
	}
	return r
}

// separators finds a locale's decimal and grouping marks by printing a number.
func separators(locale string) (point, group string) {
	f := currency.NewFormatter(currency.NewLocale(locale))
	f.CurrencyDisplay = currency.DisplayNone
	a, err := currency.NewAmount("1234567.89", "EUR")
	if err != nil {
		return ".", ","
	}
	s := strings.TrimSpace(strings.Map(plainSpace, f.Format(a)))
	one, six := strings.Index(s, "1"), strings.Index(s, "7")
	point = strings.TrimSuffix(s[six+1:], "89")
	group = s[one+1 : strings.Index(s, "2")]
	return point, group
}

// ungroup takes the grouping marks out of a whole number; false where they do
// not stand before groups of three.
func ungroup(whole, group string) (string, bool) {
	if whole == "" {
		return "", false
	}
	if group == "" || !strings.Contains(whole, group) {
		return whole, allDigits(whole)
	}
	parts := strings.Split(whole, group)
	for i, p := range parts {
		if !allDigits(p) || (i > 0 && len(p) != 3) || (i == 0 && (p == "" || len(p) > 3)) {
			return "", false
		}
	}
	return strings.Join(parts, ""), true
}

// wholeUnit is one whole unit of a currency with so many decimals.
func wholeUnit(digits int) Minor {
	u := Minor(1)
	for range digits {
		u *= 10
	}
	return u
}
