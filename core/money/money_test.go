package money_test

import (
	"encoding/json"
	"fmt"
	"math"
	"math/big"
	"strings"
	"testing"

	"github.com/bojanz/currency"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"agonal.dev/agonal/core/money"
)

func ExampleAmount_String() {
	fmt.Println(money.Amount{Minor: 6000, Currency: "EUR"}, money.Amount{Minor: 9000, Currency: "JPY"}, money.Amount{Minor: 1500, Currency: "KWD"})
	// Output: 60.00 EUR 9000 JPY 1.500 KWD
}

func ExampleSpread() {
	shares := make([]money.Minor, 3)
	_ = money.Spread(shares, 1000, []money.Minor{1999, 501, 50})
	fmt.Println(shares)
	// Output: [784 196 20]
}

func TestTenOffTheOrderIsSpreadOverThreeLines(t *testing.T) {
	shares := make([]money.Minor, 3)
	require.NoError(t, money.Spread(shares, 1000, []money.Minor{1999, 501, 50}))
	assert.Equal(t, []money.Minor{784, 196, 20}, shares)
}

func TestFifteenPercentOffThreeHundredThirtyThreeYen(t *testing.T) {
	rate, err := money.ParsePercent("15")
	require.NoError(t, err)
	off, err := rate.Of(333)
	require.NoError(t, err)
	assert.Equal(t, money.Minor(283), 333-off)
}

func TestTheShareOfSomeIsWhatTheyGetOfTheWhole(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		most := rapid.SampledFrom([]money.Minor{3, 50, 100_000, 1 << 40}).Draw(t, "most")
		weights := rapid.SliceOfN(rapid.Int64Range(0, most), 1, 40).Draw(t, "weights")
		of := rapid.SliceOfN(rapid.Bool(), len(weights), len(weights)).Draw(t, "of")
		var sum, want money.Minor
		for _, w := range weights {
			sum += w
		}
		total := rapid.Int64Range(0, sum).Draw(t, "total")
		shares := make([]money.Minor, len(weights))
		require.NoError(t, money.Spread(shares, total, weights))
		for i, s := range shares {
			if of[i] {
				want += s
			}
		}
		require.Equal(t, want, money.ShareOf(total, weights, of, make([]uint64, len(weights))))
	})
}

// Of equal remainders the earlier weight gets what is left, by Spread and by ShareOf.
func TestTiesOfASpreadGoToTheEarlierWeight(t *testing.T) {
	for _, c := range []struct {
		total         money.Minor
		weights, want []money.Minor
	}{
		{1, []money.Minor{1, 1}, []money.Minor{1, 0}},
		{5, []money.Minor{30, 30, 30}, []money.Minor{2, 2, 1}},
		{4, []money.Minor{30, 0, 30, 30}, []money.Minor{2, 0, 1, 1}},
		{3, []money.Minor{10, 20, 10, 20}, []money.Minor{1, 1, 0, 1}}, // exactly 0.5, 1, 0.5, 1
		{1 << 40, []money.Minor{1 << 40, 1 << 40, 1 << 40}, []money.Minor{366503875926, 366503875925, 366503875925}},
	} {
		shares := make([]money.Minor, len(c.weights))
		require.NoError(t, money.Spread(shares, c.total, c.weights))
		assert.Equal(t, c.want, shares)
		for i, want := range c.want {
			of := make([]bool, len(c.weights))
			of[i] = true
			assert.Equal(t, want, money.ShareOf(c.total, c.weights, of, make([]uint64, len(of))), "share %d of %v", i, c.weights)
		}
	}
	assert.Zero(t, money.ShareOf(0, []money.Minor{1}, []bool{true}, make([]uint64, 1)))
	assert.Zero(t, money.ShareOf(0, []money.Minor{0}, []bool{true}, make([]uint64, 1)))
}

func TestTheEdgesOfWhatCanBeComputed(t *testing.T) {
	sum := func(a, b money.Minor) any {
		m, err := money.Add(a, b)
		if err != nil {
			return err
		}
		return m
	}
	assert.Equal(t, money.Minor(math.MaxInt64), sum(math.MaxInt64-1, 1))
	assert.Equal(t, money.ErrOverflow, sum(math.MaxInt64, 1))
	assert.Equal(t, money.Minor(math.MinInt64), sum(math.MinInt64+1, -1))
	assert.Equal(t, money.ErrOverflow, sum(math.MinInt64, -1))
	assert.Equal(t, money.Minor(7), sum(7, 0))
	m, err := money.Times(math.MaxInt64, 1)
	require.NoError(t, err)
	assert.Equal(t, money.Minor(math.MaxInt64), m)
	m, err = money.Times(5, 0)
	require.NoError(t, err)
	assert.Zero(t, m)
	_, err = money.Times(math.MaxInt64/2+1, 2)
	require.ErrorIs(t, err, money.ErrOverflow)
	_, err = money.Times(1, -1)
	require.Error(t, err)
	m, err = money.MulDiv(math.MaxInt64, 1, 1)
	require.NoError(t, err)
	assert.Equal(t, money.Minor(math.MaxInt64), m)
	m, err = money.MulDiv(7, 0, 5)
	require.NoError(t, err)
	assert.Zero(t, m)
	for _, share := range [][2]int64{{-1, 1}, {1, 0}, {1, -1}} {
		_, err = money.MulDiv(1, share[0], share[1])
		require.Error(t, err)
	}
	for text, want := range map[string]money.Minor{"10000000000.00": 1_000_000_000_000, "-0.01": -1, "0.09": 9, "0.00": 0} {
		got, err := money.ParseDecimal(text, 2)
		require.NoError(t, err, text)
		assert.Equal(t, want, got)
	}
	for _, text := range []string{"", "-", ".50", "1.", "1.5", "1.500", "1,50", " 1.50", "1/2", "1:2"} {
		_, err := money.ParseDecimal(text, 2)
		assert.Error(t, err, text)
	}
	_, err = money.ParseDecimal(strings.Repeat("9", 41)+"x", 2)
	require.ErrorContains(t, err, strings.Repeat("9", 40)+"…")
	_, err = money.ParseDecimal(strings.Repeat("x", 40), 2)
	require.NotContains(t, err.Error(), "…")
}

func TestSpreadRefusesWhatCannotBeSpread(t *testing.T) {
	two := make([]money.Minor, 2)
	assert.Error(t, money.Spread(two, 11, []money.Minor{5, 5}), "more than there is")
	assert.Error(t, money.Spread(two, -1, []money.Minor{5, 5}))
	assert.Error(t, money.Spread(two, 1, []money.Minor{-5, 10}))
	assert.Error(t, money.Spread(two, 1, []money.Minor{1}))
	assert.ErrorIs(t, money.Spread(two, 1, []money.Minor{math.MaxInt64, 1}), money.ErrOverflow)
}

func TestSpreadLaws(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		weights := rapid.SliceOfN(rapid.Int64Range(0, 100_000), 1, 12).Draw(t, "weights")
		var sum int64
		for _, w := range weights {
			sum += w
		}
		total := rapid.Int64Range(0, sum).Draw(t, "total")
		shares := make([]money.Minor, len(weights))
		require.NoError(t, money.Spread(shares, total, weights))
		var back int64
		for i, s := range shares {
			back += s
			assert.GreaterOrEqual(t, s, int64(0))
			assert.LessOrEqual(t, s, weights[i])
			exact := new(big.Rat).SetFrac64(total*weights[i], max(sum, 1))
			diff := new(big.Rat).Sub(new(big.Rat).SetInt64(s), exact)
			assert.Negative(t, diff.Abs(diff).Cmp(big.NewRat(1, 1)), "share %d lies within one of its exact part", i)
		}
		assert.Equal(t, total, back)
	})
}

// halfAway is rounding as one would do it on paper, with big numbers.
func halfAway(m, num, den int64) *big.Int {
	n := new(big.Int).Mul(big.NewInt(m), big.NewInt(num))
	neg := n.Sign() < 0
	n.Abs(n).Mul(n, big.NewInt(2)).Add(n, big.NewInt(den))
	n.Quo(n, new(big.Int).Mul(big.NewInt(2), big.NewInt(den)))
	if neg {
		n.Neg(n)
	}
	return n
}

func TestMulDivRoundsHalfAwayFromZeroOrSaysOverflow(t *testing.T) {
	for _, c := range []struct{ m, num, den, want int64 }{
		{5, 1, 2, 3}, {-5, 1, 2, -3}, {1, 1, 3, 0}, {2, 1, 3, 1}, {1290, 125_000, 1_000_000, 161}, {math.MaxInt64, 1, 1, math.MaxInt64},
	} {
		got, err := money.MulDiv(c.m, c.num, c.den)
		require.NoError(t, err)
		assert.Equal(t, c.want, got, "%d × %d ÷ %d", c.m, c.num, c.den)
	}
	rapid.Check(t, func(t *rapid.T) {
		m, num, den := rapid.Int64().Draw(t, "m"), rapid.Int64Range(0, math.MaxInt64).Draw(t, "num"), rapid.Int64Range(1, math.MaxInt64).Draw(t, "den")
		got, err := money.MulDiv(m, num, den)
		want := halfAway(m, num, den)
		if err != nil {
			assert.ErrorIs(t, err, money.ErrOverflow)
			limit := new(big.Int).Abs(want)
			assert.Positive(t, limit.Cmp(big.NewInt(math.MaxInt64)))
			return
		}
		assert.Zero(t, want.Cmp(big.NewInt(got)), "%d × %d ÷ %d = %s, got %d", m, num, den, want, got)
	})
}

func TestSumsOverflowAsErrors(t *testing.T) {
	_, err := money.Add(math.MaxInt64, 1)
	assert.ErrorIs(t, err, money.ErrOverflow)
	_, err = money.Add(math.MinInt64, -1)
	assert.ErrorIs(t, err, money.ErrOverflow)
	_, err = money.Times(math.MaxInt64/2+1, 2)
	assert.ErrorIs(t, err, money.ErrOverflow)
	_, err = money.Times(100, -1)
	assert.Error(t, err)
	_, err = money.Amount{Minor: 1, Currency: "EUR"}.Add(money.Amount{Minor: 1, Currency: "JPY"})
	assert.Equal(t, money.MixedCurrencyError{A: "EUR", B: "JPY"}, err)
}

func TestAmountsReadAndPrintTheSame(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		a := money.Amount{
			Minor:    rapid.Int64Range(-money.Most, money.Most).Draw(t, "minor"),
			Currency: rapid.SampledFrom([]money.Currency{"EUR", "JPY", "GBP", "KWD"}).Draw(t, "currency"),
		}
		b, err := json.Marshal(a)
		require.NoError(t, err)
		var back money.Amount
		require.NoError(t, json.Unmarshal(b, &back))
		assert.Equal(t, a, back)
	})
}

func TestTypedAmounts(t *testing.T) {
	for _, c := range []struct {
		typed, locale string
		currency      money.Currency
		want          money.Minor
		refused       string
	}{
		{"60", "en", "EUR", 6000, ""},
		{"60.5", "en", "EUR", 6050, ""},
		{"€60.00", "en", "EUR", 6000, ""},
		{"1.234,50", "de", "EUR", 123450, ""},
		{"1.234,50 €", "de", "EUR", 123450, ""},
		{"60,00", "de", "EUR", 6000, ""},
		{"1 234,50", "pl", "EUR", 123450, ""},
		{"9,000", "ja", "JPY", 9000, ""},
		{"9000", "en", "JPY", 9000, ""},
		{"1.234,50", "en", "EUR", 0, "not an amount"},
		{"60.00", "de", "EUR", 6000, ""}, // groups have three digits: this can mean nothing else
		{"55,50", "en", "EUR", 5550, ""},
		{"12,5", "en", "EUR", 1250, ""},
		{"1,234", "en", "EUR", 123400, ""},
		{"1.234", "de", "EUR", 123400, ""},
		{"1,2345", "en", "EUR", 0, "not an amount"},
		{"1,23", "en", "JPY", 0, "not an amount"},
		{"12.345", "en", "EUR", 0, "decimals"},
		{"90.5", "en", "JPY", 0, "decimals"},
		{"-5", "en", "EUR", 0, "below zero"},
		{"abc", "en", "EUR", 0, "not an amount"},
		{"1e18", "en", "EUR", 0, "not an amount"},
		{"1000000000000000000", "en", "EUR", 0, "too large"},
		{"", "en", "EUR", 0, "needed"},
		{"£60", "en", "EUR", 0, "not an amount"},
		{"٣", "en", "EUR", 0, "not an amount"},
	} {
		got, err := money.ParseTyped(c.typed, c.locale, c.currency)
		if c.refused != "" {
			assert.ErrorContains(t, err, c.refused, "%q in %s", c.typed, c.locale)
			continue
		}
		require.NoError(t, err, "%q in %s", c.typed, c.locale)
		assert.Equal(t, c.want, got, "%q in %s", c.typed, c.locale)
	}
}

func TestWhatIsShownCanBeTypedBack(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		a := money.Amount{
			Minor:    rapid.Int64Range(0, money.Most).Draw(t, "minor"),
			Currency: rapid.SampledFrom([]money.Currency{"EUR", "JPY", "GBP"}).Draw(t, "currency"),
		}
		locale := rapid.SampledFrom([]string{"en", "de", "pl", "ja", "en-GB", "fr"}).Draw(t, "locale")
		got, err := money.ParseTyped(money.Format(a, locale), locale, a.Currency)
		require.NoError(t, err)
		assert.Equal(t, a.Minor, got)
	})
}

// Amounts are printed as the CLDR formatter prints them, in every locale, also
// where a learnt style stands in for it.
func TestAmountsArePrintedAsCLDRHasIt(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		locale := rapid.SampledFrom([]string{"en", "en-GB", "en-IN", "de", "de-AT", "de-CH", "pl", "ja", "fr", "es", "pt-PT", "sv", "hi", "ar", "fa", "bn", "nl"}).Draw(t, "locale")
		code := rapid.SampledFrom([]money.Currency{"EUR", "GBP", "JPY", "KWD", "PLN", "CHF"}).Draw(t, "currency")
		most := rapid.SampledFrom([]int64{100, 100_000, 10_000_000, money.Most}).Draw(t, "most")
		minor := rapid.Int64Range(-most, most).Draw(t, "minor")
		amount, err := currency.NewAmountFromInt64(minor, string(code))
		require.NoError(t, err)
		f := currency.NewFormatter(currency.NewLocale(locale))
		assert.Equal(t, f.Format(amount), money.Format(money.Amount{Minor: minor, Currency: code}, locale))
	})
}

func TestPercentages(t *testing.T) {
	for in, want := range map[string]money.Rate{"12.5": 125_000, "33.33": 333_300, "100": money.Whole, "0.0001": 1, "0": 0} {
		r, err := money.ParsePercent(in)
		require.NoError(t, err)
		assert.Equal(t, want, r)
		assert.Equal(t, in, r.String())
	}
	for _, bad := range []string{"", "-1", "100.01", "101", "1e2", "12,5", ".5", "5.", "0.00001", "1000"} {
		_, err := money.ParsePercent(bad)
		assert.Error(t, err, bad)
	}
}

func FuzzParseAmount(f *testing.F) {
	f.Add("60.00 EUR")
	f.Add("-9000 JPY")
	f.Fuzz(func(t *testing.T, s string) {
		a, err := money.ParseAmount(s)
		if err != nil {
			return
		}
		back, err := money.ParseAmount(a.String())
		require.NoError(t, err)
		assert.Equal(t, a, back)
	})
}

func FuzzParseTyped(f *testing.F) {
	f.Add("1.234,50", "de")
	f.Add("€ 5", "en")
	f.Fuzz(func(t *testing.T, s, locale string) {
		m, err := money.ParseTyped(s, locale, "EUR")
		if err == nil {
			assert.True(t, m >= 0 && m <= money.Most)
		}
	})
}

func FuzzParsePercent(f *testing.F) {
	f.Add("12.5")
	f.Fuzz(func(t *testing.T, s string) {
		r, err := money.ParsePercent(s)
		if err != nil {
			return
		}
		back, err := money.ParsePercent(r.String())
		require.NoError(t, err)
		assert.Equal(t, r, back)
	})
}
