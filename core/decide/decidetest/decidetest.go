// Package decidetest builds small shops for tests.
package decidetest

import (
	"testing"

	"github.com/stretchr/testify/require"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/snapshot"
)

// EUR makes an amount in euros from cents.
func EUR(cents int64) money.Amount { return money.Amount{Minor: cents, Currency: "EUR"} }

// Region is a home region in euros with tax shown and one method at a fee.
func Region(fee money.Minor) catalog.Region {
	return catalog.Region{
		ID: "home", Name: "Home", Countries: []string{"DE"}, Languages: []string{"en", "de"}, Currency: "EUR", TaxShown: true,
		Tax: map[string]money.Rate{"": 190_000, "books": 70_000}, ShippingTax: 190_000,
		Methods: []catalog.Method{{ID: "standard", Names: map[string]string{"en": "standard shipping", "de": "Standardversand"}, Bands: []catalog.Band{{Fee: fee}}}},
	}
}

// Goods makes one product per SKU and price in euro cents, all in collection "all".
func Goods(t testing.TB, prices map[string]money.Minor) *catalog.Catalog {
	var ps []catalog.Product
	for sku, p := range prices {
		ps = append(ps, catalog.Product{ID: "p-" + sku, Title: sku, Collections: []string{"all"}, GiftCard: sku == "gift-card",
			Variants: []catalog.Variant{{SKU: sku, Prices: map[money.Currency]catalog.Price{"EUR": {Price: p}}}}})
	}
	c, err := catalog.New(ps)
	require.NoError(t, err)
	return c
}

// Rung makes a rung of the home region.
func Rung(threshold money.Minor, r nudge.Reward) nudge.Rung {
	return nudge.Rung{Thresholds: nudge.Amounts{"home": EUR(threshold)}, Rewards: []nudge.Reward{r}}
}

// Ladder makes a nudge from rungs.
func Ladder(name string, basis nudge.Basis, rungs ...nudge.Rung) nudge.Definition {
	return nudge.Definition{
		Version: nudge.Version, Name: name, Ladder: nudge.Ladder{Basis: basis, Rungs: rungs}, Placements: []nudge.Placement{nudge.TopBar},
		Wording: nudge.Wording{"en": {nudge.NotYet: "Add {to_add} for {reward}.", nudge.Reached: "Yours: {reward}. {next_to_add} more for {next_reward}."}},
	}
}

// Free is free shipping by every method.
var Free = nudge.Reward{Kind: nudge.FreeShipping}

// Percent is a percentage off the order, in millionths.
func Percent(r money.Rate) nudge.Reward { return nudge.Reward{Kind: nudge.OrderPercent, Percent: &r} }

// Snapshot compiles a shop of one region.
func Snapshot(t testing.TB, fee money.Minor, goods *catalog.Catalog, nudges ...snapshot.Live) *snapshot.Snapshot {
	s, err := snapshot.Compile(snapshot.Shop{Catalog: goods, Regions: []catalog.Region{Region(fee)}, Nudges: nudges})
	require.NoError(t, err)
	return s
}

// Cart makes a cart to Germany.
func Cart(lines ...decide.CartLine) decide.Cart {
	return decide.Cart{Lines: lines, Destination: &decide.Destination{Country: "DE"}}
}
