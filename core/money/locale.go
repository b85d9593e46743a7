package money

import (
	"fmt"
	"strconv"
	"strings"
	"sync"
	"unicode"

	"github.com/bojanz/currency"
)

// Format prints an amount for a reader, in the manner of a BCP 47 locale:
// "€19.10" in English, "19,10 €" in German. Source of the patterns: CLDR.
func Format(a Amount, locale string) string {
	st := styleOf(locale, a.Currency)
	if st.plain && a.Minor >= 0 && a.Minor < 1_000_000*st.unit {
		return st.print(a.Minor)
	}
	amount, err := currency.NewAmountFromInt64(a.Minor, string(a.Currency))
	if err != nil {
		return a.String()
	}
	return st.formatter.Format(amount)
}

// style is how a locale writes amounts below a million in a currency, learnt
// once from what the formatter prints. plain is false where a locale does not
// fit this mould; then the formatter is asked each time.
type style struct {
	formatter                   *currency.Formatter
	plain                       bool
	before, after, point, group string
	groupThousands              bool // also in numbers of four digits
	digits                      int
	unit                        Minor // minor units in one
}

type styleKey struct {
	locale   string
	currency Currency
}

var styles sync.Map // styleKey → *style; a cache of pure values

func styleOf(locale string, c Currency) *style {
	key := styleKey{locale, c}
	if st, ok := styles.Load(key); ok {
		return st.(*style)
	}
	f := currency.NewFormatter(currency.NewLocale(locale))
	f.MaxDigits = currency.DefaultDigits
	st := &style{formatter: f, digits: c.Digits(), unit: wholeUnit(c.Digits())}
	st.learn(c)
	styles.Store(key, st)
	return st
}

// learn takes the marks from a printed number, and checks that putting them
// together again gives what the formatter prints.
func (st *style) learn(c Currency) {
	print := func(m Minor) string {
		a, err := currency.NewAmountFromInt64(m, string(c))
		if err != nil {
			return ""
		}
		return st.formatter.Format(a)
	}
	long := print(234567 * st.unit)
	at, end := strings.Index(long, "234"), strings.Index(long, "567")
	if at < 0 || end < 0 {
		return
	}
	st.before, st.group = long[:at], long[at+3:end]
	rest := long[end+3:]
	if st.digits > 0 {
		zeros := strings.Index(rest, strings.Repeat("0", st.digits))
		if zeros < 0 {
			return
		}
		st.point, rest = rest[:zeros], rest[zeros+st.digits:]
	}
	st.after = rest
	st.groupThousands = strings.Contains(print(1234*st.unit), "1"+st.group+"234")
	st.plain = true
	for _, m := range []Minor{0, 1, 99, 12*st.unit + st.unit/2, 1234 * st.unit, 98765*st.unit + 1, 999999 * st.unit} {
		st.plain = st.plain && st.print(m) == print(m)
	}
}

func (st *style) print(m Minor) string {
	whole, frac := m/st.unit, m%st.unit
	b := make([]byte, 0, 24)
	b = append(b, st.before...)
	if whole >= 10_000 || whole >= 1000 && st.groupThousands {
		b = strconv.AppendInt(b, whole/1000, 10)
		b = append(b, st.group...)
		b = appendPadded(b, whole%1000, 3)
	} else {
		b = strconv.AppendInt(b, whole, 10)
	}
	if st.digits > 0 {
		b = append(b, st.point...)
		b = appendPadded(b, frac, st.digits)
	}
	return string(append(b, st.after...))
}

func appendPadded(b []byte, n Minor, width int) []byte {
	for u := wholeUnit(width - 1); u > 0; u /= 10 {
		b = append(b, byte('0'+n/u%10))
	}
	return b
}

// ParseTyped reads what a person typed into an amount field, in the manner of
// their locale: "1.234,50" is 1234.50 under "de", and refused under "en".
// Grouping marks must stand where groups of three begin, so that a slip is
// refused and never read as another number; the other decimal mark is read where
// it can mean nothing else ("55,50" under "en"). A currency sign or code around the
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
	whole, frac, pointed := strings.Cut(swapPoint(body, point, digits), point)
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

// swapPoint reads the other decimal mark than the locale's where it can mean
// nothing else: "55,50" under "en", whose groups have three digits.
func swapPoint(body, point string, digits int) string {
	other := map[string]string{".": ",", ",": "."}[point]
	if other == "" || strings.Contains(body, point) || strings.Count(body, other) != 1 {
		return body
	}
	_, frac, _ := strings.Cut(body, other)
	if len(frac) == 0 || len(frac) > min(digits, 2) {
		return body
	}
	return strings.Replace(body, other, point, 1)
}

// plainSpace turns the no-break and thin spaces of locales into plain ones.
func plainSpace(r rune) rune {
	if unicode.IsSpace(r) {
		return ' '
	}
	return r
}

var separatorsOf sync.Map // locale: [2]string

// separators are a locale's decimal and grouping marks.
func separators(locale string) (point, group string) {
	if known, ok := separatorsOf.Load(locale); ok {
		marks := known.([2]string)
		return marks[0], marks[1]
	}
	point, group = printedSeparators(locale)
	separatorsOf.Store(locale, [2]string{point, group})
	return point, group
}

// printedSeparators finds them by printing a number.
func printedSeparators(locale string) (point, group string) {
	f := currency.NewFormatter(currency.NewLocale(locale))
	f.CurrencyDisplay = currency.DisplayNone
	a, err := currency.NewAmount("1234567.89", "EUR")
	if err != nil {
		return ".", ","
	}
	s := strings.TrimSpace(strings.Map(plainSpace, f.Format(a)))
	one, two, seven := strings.Index(s, "1"), strings.Index(s, "2"), strings.Index(s, "7")
	if one < 0 || two < one || seven < 0 {
		return ".", "," // a locale with digits of its own; amounts are typed with 0 to 9
	}
	return strings.TrimSuffix(s[seven+1:], "89"), s[one+1 : two]
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
