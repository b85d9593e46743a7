package money_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"agonal.dev/agonal/core/money"
)

func TestAPriceIsRoundedDownToItsEnding(t *testing.T) {
	for _, c := range []struct {
		name     string
		ending   money.Ending
		is, want money.Minor
	}{
		{"10.96 ends with .90", money.Ending{Every: 100, At: 90}, 1096, 1090},
		{"10.90 does already", money.Ending{Every: 100, At: 90}, 1090, 1090},
		{"10.89 goes down to 9.90, never up", money.Ending{Every: 100, At: 90}, 1089, 990},
		{"0.85 has none below it and stands", money.Ending{Every: 100, At: 90}, 85, 85},
		{"whole amounts", money.Ending{Every: 100}, 1096, 1000},
		{"0.96 would be nothing and stands", money.Ending{Every: 100}, 96, 96},
		{"a multiple of 10 in yen", money.Ending{Every: 10}, 1487, 1480},
		{"none", money.Ending{}, 1487, 1487},
	} {
		assert.Equal(t, c.want, c.ending.Lower(c.is), c.name)
	}
	rapid.Check(t, func(t *rapid.T) {
		every := rapid.Int64Range(1, 120).Draw(t, "every")
		e := money.Ending{Every: every, At: rapid.Int64Range(0, every-1).Draw(t, "at")}
		p := rapid.Int64Range(0, 500).Draw(t, "price")
		want := p
		for q := p; q > 0; q-- { // the first one down that ends so
			if q%e.Every == e.At {
				want = q
				break
			}
		}
		assert.Equal(t, want, e.Lower(p))
	})
}

func TestAnAmountSaysWhichEndingIsMeant(t *testing.T) {
	for text, want := range map[string]money.Ending{"0.90 EUR": {Every: 100, At: 90}, "1.00 EUR": {Every: 100}, "5.00 EUR": {Every: 500}, "10 JPY": {Every: 10}, "1 JPY": {Every: 1}} {
		a, err := money.ParseAmount(text)
		if assert.NoError(t, err, text) {
			assert.Equal(t, want, money.EndingOf(a), text)
		}
	}
}
