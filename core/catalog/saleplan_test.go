package catalog_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/money"
)

func day(n int) time.Time { return time.Date(2026, 12, n, 9, 0, 0, 0, time.UTC) }

// All inks 10 % off, to .90 in euros and to a multiple of 10 in yen.
func TestASaleOfManyIsPlannedAtOnce(t *testing.T) {
	cost := money.Minor(1270)
	eur := func(p money.Minor) map[money.Currency]catalog.Price {
		return map[money.Currency]catalog.Price{"EUR": {Price: p}}
	}
	costly := eur(1400)
	costly["EUR"] = catalog.Price{Price: 1400, Cost: &cost}
	costly["JPY"] = catalog.Price{Price: 2055}
	busy := eur(3200)
	busy["EUR"] = catalog.Price{Price: 3200, Sales: []catalog.Sale{{From: day(8), Until: day(12), Price: 3000}}}
	inks := []string{"Inks"}
	c, err := catalog.New([]catalog.Product{
		{ID: "blue", Title: "Blue", Collections: inks, Variants: []catalog.Variant{{SKU: "B30", Prices: costly}, {SKU: "B100", Prices: busy}, {SKU: "B4", Prices: eur(95)}}},
		{ID: "pilot", Title: "Pilot", Collections: inks, NeverOff: true, Variants: []catalog.Variant{{SKU: "P30", Prices: eur(1400)}}},
		{ID: "card", Title: "Card", Collections: inks, GiftCard: true, Variants: []catalog.Variant{{SKU: "C", Prices: eur(2500)}}},
		{ID: "pen", Title: "Pen", Collections: []string{"Pens"}, Variants: []catalog.Variant{{SKU: "PEN", Prices: eur(5800)}}},
	})
	require.NoError(t, err)
	plan := catalog.SalePlan{
		Scope: catalog.Filter{Include: catalog.Selection{Collections: inks}}, Percent: 100_000, From: day(10), Until: day(14),
		Endings: map[money.Currency]money.Ending{"EUR": {Every: 100, At: 90}, "JPY": {Every: 10}},
	}
	regions := []catalog.Region{{ID: "home", Currency: "EUR"}, {ID: "eu", Currency: "EUR"}, {ID: "jp", Currency: "JPY"}}
	got := map[string]catalog.SaleOutcome{}
	for _, o := range c.PlanSale(plan, regions) {
		got[o.Item.Variant.SKU+" "+string(o.Currency)] = o
	}
	require.Len(t, got, 5, "gift cards and pens are not in it")
	// 14.00 less 1.40 is 12.60, down to 11.90, below the 12.70 that it costs; 2.10 of 14.00 are 15 %.
	b30 := got["B30 EUR"]
	assert.Equal(t, []any{money.Minor(1400), money.Minor(1190), int64(15), true, ""}, []any{b30.Usual, b30.Sale, b30.Percent, b30.Loss, b30.Why})
	// 2055 less 206 is 1849, down to 1840.
	assert.Equal(t, money.Minor(1840), got["B30 JPY"].Sale)
	assert.False(t, plan.TwiceAsMuch(b30), "2.10 off where 1.40 was asked for")
	assert.True(t, plan.TwiceAsMuch(catalog.SaleOutcome{Usual: 320, Sale: 190}), "1.30 off where 0.32 was")
	assert.Equal(t, catalog.SaleThen, got["B100 EUR"].Why)
	assert.Equal(t, catalog.NeverReduced, got["P30 EUR"].Why)
	// 0.95 less 0.10 is 0.85, and no .90 lies below it.
	assert.Equal(t, money.Minor(85), got["B4 EUR"].Sale)
	none := plan
	none.Percent = 1 // a thousandth of a percent rounds to nothing
	none.Endings = nil
	assert.Equal(t, catalog.NothingLess, c.PlanSale(none, regions[:1])[0].Why)
}

func TestASaleComesAndGoesByItself(t *testing.T) {
	p := catalog.Price{Price: 1400}.WithSale(catalog.Sale{From: day(20), Until: day(22), Price: 1000}).WithSale(catalog.Sale{From: day(10), Until: day(14), Price: 1190})
	for at, want := range map[time.Time]money.Minor{
		day(10).Add(-time.Nanosecond): 1400, day(10): 1190, day(14).Add(-time.Nanosecond): 1190, day(14): 1400, day(21): 1000,
	} {
		assert.Equal(t, want, p.At(at).Price, at)
	}
	assert.True(t, p.Sales[0].From.Equal(day(10)), "in the order of time")

	// Taken back before it begins it is gone, later it ends at once; what is over stays.
	gone, ok := p.WithoutSale(day(20), day(22), day(11))
	assert.True(t, ok)
	assert.Len(t, gone.Sales, 1)
	ended, ok := p.WithoutSale(day(10), day(14), day(11))
	assert.True(t, ok)
	assert.Equal(t, money.Minor(1190), ended.At(day(10)).Price, "the history keeps what was in force")
	assert.Equal(t, money.Minor(1400), ended.At(day(11)).Price)
	assert.Len(t, p.Sales, 2, "the price it was is not touched")
	_, ok = p.WithoutSale(day(10), day(14), day(15))
	assert.False(t, ok)
}
