package catalog_test

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/money"
)

var now = time.Date(2026, 11, 25, 12, 0, 0, 0, time.UTC)

func ago(days int) time.Time { return now.AddDate(0, 0, -days) }

func minors(m money.Minor) *money.Minor { return &m }

// Sold at 48.00, for one week at 45.00 until 20 days before this reduction began;
// now 39.00.
func pen() catalog.Price {
	return catalog.Price{Price: 3900, Reference: minors(4800), History: []catalog.Change{
		{At: ago(200), Price: 4800}, {At: ago(37), Price: 4500, Sale: true}, {At: ago(30), Price: 4800}, {At: ago(10), Price: 3900, Sale: true},
	}}
}

func ExamplePrice_BadgeAt() {
	asked, _ := pen().BadgeAt(now, true)
	free, _ := pen().BadgeAt(now, false)
	fmt.Println(asked.Percent, asked.Was, free.Percent, free.Was)
	// Output: 13 4500 18 4800
}

func TestThePriorPriceIsTheLowestOfThirtyDays(t *testing.T) {
	p := pen()
	start, ok := catalog.Reduction(p.Timeline(now))
	require.True(t, ok)
	assert.Equal(t, ago(10), start)
	for _, c := range []struct {
		name    string
		change  func(*catalog.Price)
		was     money.Minor
		percent int64
	}{
		{"a further cut keeps the beginning", func(p *catalog.Price) {
			p.Price = 3800
			p.History = append(p.History, catalog.Change{At: ago(2), Price: 3800, Sale: true})
		}, 4500, 15},
		{"a sale that ended exactly 30 days before does not count", func(p *catalog.Price) { p.History[1].At, p.History[2].At = ago(47), ago(40) }, 4800, 18},
		{"one second later it does", func(p *catalog.Price) { p.History[1].At, p.History[2].At = ago(47), ago(40).Add(time.Second) }, 4500, 13},
		{"less history: what there is", func(p *catalog.Price) { p.History = p.History[2:] }, 4800, 18},
		{"no history: no badge", func(p *catalog.Price) { p.History = p.History[3:] }, 0, 0},
		{"not above today's price: no badge", func(p *catalog.Price) { p.History[1].Price = 3900 }, 0, 0},
		{"less than one percent: no badge", func(p *catalog.Price) { p.History[1].Price = 3930 }, 0, 0},
		{"one percent exactly", func(p *catalog.Price) { p.Price, p.History[3].Price, p.History[1].Price = 3960, 3960, 4000 }, 4000, 1},
		{"no sale price: no badge", func(p *catalog.Price) { p.History = append(p.History, catalog.Change{At: ago(1), Price: 3900}) }, 0, 0},
	} {
		p := pen()
		c.change(&p)
		b, ok := p.BadgeAt(now, true)
		assert.Equal(t, c.percent > 0, ok, c.name)
		if ok {
			assert.Equal(t, c.was, b.Was, c.name)
			assert.Equal(t, c.percent, b.Percent, c.name)
		}
	}
}

func TestASaleBeginsAndEndsByItself(t *testing.T) {
	p := catalog.Price{Price: 5000, History: []catalog.Change{{At: ago(100), Price: 5000}}, Sales: []catalog.Sale{{From: ago(1), Until: now, Price: 4000}}}
	assert.Equal(t, money.Minor(5000), p.At(ago(1).Add(-time.Second)).Price)
	in := p.At(ago(1))
	assert.Equal(t, money.Minor(4000), in.Price)
	assert.True(t, in.OnSale())
	assert.Equal(t, money.Minor(5000), p.At(now).Price, "the end is not in it")
	b, ok := p.BadgeAt(now.Add(-time.Hour), true)
	require.True(t, ok)
	assert.Equal(t, catalog.Badge{Now: 4000, Was: 5000, Percent: 20}, b)
	_, ok = p.BadgeAt(now, true)
	assert.False(t, ok)
}

func TestVariantsThatDifferShowUpToAndFrom(t *testing.T) {
	v := func(sku string, price, ref money.Minor) catalog.Variant {
		return catalog.Variant{SKU: sku, Prices: map[money.Currency]catalog.Price{"EUR": {Price: price, Reference: minors(ref)}}}
	}
	r := &catalog.Region{Currency: "EUR"}
	p := catalog.Product{ID: "p", Variants: []catalog.Variant{v("a", 900, 1000), v("b", 1500, 2000)}}
	b, ok := p.BadgeAt(r, now)
	require.True(t, ok)
	assert.Equal(t, catalog.ProductBadge{Percent: 25, UpTo: true, Now: 900, From: true, Was: 2000, Off: 500, UpToOff: true}, b)
	p.Variants = []catalog.Variant{v("a", 900, 1000), v("b", 900, 1000)}
	b, _ = p.BadgeAt(r, now)
	assert.Equal(t, catalog.ProductBadge{Percent: 10, Now: 900, Was: 1000, Off: 100}, b)
}

func TestAnImportKeepsTheHistory(t *testing.T) {
	old, err := catalog.New([]catalog.Product{{ID: "pen", Variants: []catalog.Variant{{SKU: "pen", Prices: map[money.Currency]catalog.Price{"EUR": pen()}}}}})
	require.NoError(t, err)
	in := []catalog.Product{{ID: "pen", Variants: []catalog.Variant{{SKU: "pen", Prices: map[money.Currency]catalog.Price{"EUR": {Price: 4800}, "GBP": {Price: 4200}}}}}}
	catalog.Carry(old, in, now)
	eur := in[0].Variants[0].Prices["EUR"].History
	require.Len(t, eur, 5)
	assert.Equal(t, catalog.Change{At: now, Price: 4800}, eur[4])
	assert.Len(t, in[0].Variants[0].Prices["GBP"].History, 1)
	again, err := catalog.New(in)
	require.NoError(t, err)
	same := []catalog.Product{{ID: "pen", Variants: []catalog.Variant{{SKU: "pen", Prices: map[money.Currency]catalog.Price{"EUR": {Price: 4800}}}}}}
	catalog.Carry(again, same, now.Add(time.Hour))
	assert.Len(t, same[0].Variants[0].Prices["EUR"].History, 5, "the same price again is no change")
}
