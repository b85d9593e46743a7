package decidetest

import (
	"fmt"
	"time"

	"pgregory.net/rapid"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
)

// Regions are a region with tax shown and one, in yen, without.
func Regions() []catalog.Region {
	home := Region(590)
	home.Methods = append(home.Methods, catalog.Method{ID: "express", Bands: []catalog.Band{{From: 0, Fee: 990}, {From: 8000, Fee: 790}}})
	return []catalog.Region{home, {
		ID: "jp", Name: "Japan", Countries: []string{"JP"}, Languages: []string{"ja"}, Currency: "JPY",
		Tax: map[string]money.Rate{"": 100_000, "books": 80_000}, ShippingTax: 100_000,
		Methods: []catalog.Method{{ID: "standard", Bands: []catalog.Band{{From: 0, Fee: 1200}}}},
	}}
}

var names = []string{"ink", "pen", "book", "nib"}

// Random draws a shop with up to five nudges, and a request to it.
func Random(t *rapid.T) (decide.Shop, decide.Request) {
	var products []catalog.Product
	for i, n := range names {
		ref := rapid.Int64Range(1, 6000).Draw(t, "reference")
		products = append(products, catalog.Product{
			ID: n, Title: n, Collections: []string{"shelf-" + fmt.Sprint(i%2)}, Tags: []string{"tag-" + fmt.Sprint(i%3)},
			GiftCard: i == 3 && rapid.Bool().Draw(t, "gift card"), NeverOff: rapid.IntRange(0, 6).Draw(t, "never off") == 0,
			Variants: []catalog.Variant{{SKU: n, TaxClass: rapid.SampledFrom([]string{"", "books"}).Draw(t, "class"), Weight: 100, Prices: map[money.Currency]catalog.Price{
				"EUR": {Price: rapid.Int64Range(1, 5000).Draw(t, "eur"), Reference: &ref},
				"JPY": {Price: rapid.Int64Range(1, 5000).Draw(t, "jpy")},
			}}},
		})
	}
	cat, err := catalog.New(products)
	if err != nil {
		t.Fatal(err)
	}
	shop := decide.Shop{Catalog: cat, Regions: Regions()}
	if rapid.IntRange(0, 3).Draw(t, "mode") == 0 {
		shop.Settings.Stacking = decide.ByPriority
	}
	for i := range rapid.IntRange(1, 5).Draw(t, "nudges") {
		shop.Nudges = append(shop.Nudges, decide.Live{ID: fmt.Sprintf("n%d", i), Revision: 1, Priority: rapid.IntRange(1, 3).Draw(t, "priority"), Definition: Definition(t)})
	}
	return shop, request(t)
}

// Definition draws a well-formed definition.
func Definition(t *rapid.T) nudge.Definition {
	amount := func(least, most int64) nudge.Amounts {
		return nudge.Amounts{
			"home": {Minor: rapid.Int64Range(least, most).Draw(t, "eur"), Currency: "EUR"},
			"jp":   {Minor: rapid.Int64Range(least, most).Draw(t, "jpy"), Currency: "JPY"},
		}
	}
	d := nudge.Definition{Version: nudge.Version, Name: rapid.StringN(0, 20, 60).Draw(t, "name"), Placements: []nudge.Placement{nudge.TopBar}}
	order := rapid.IntRange(0, 2).Draw(t, "class") == 0
	d.Ladder.Basis = nudge.BeforeNudges
	if !order && rapid.IntRange(0, 3).Draw(t, "basis") > 0 {
		d.Ladder.Basis = nudge.AfterOrder
	}
	d.Ladder.WithoutTax = rapid.IntRange(0, 3).Draw(t, "net") == 0
	if rapid.IntRange(0, 2).Draw(t, "scope") == 0 {
		d.Ladder.Scope.Include.Collections = []string{"shelf-0"}
	}
	if rapid.IntRange(0, 4).Draw(t, "exclude") == 0 {
		d.Ladder.Scope.Exclude.Tags = []string{"tag-1"}
	}
	least := int64(0)
	most := 3
	if order {
		most = 1
	}
	for range rapid.IntRange(1, most).Draw(t, "rungs") {
		r := nudge.Reward{Kind: rapid.SampledFrom([]nudge.Kind{nudge.FreeShipping, nudge.ShippingOff, nudge.ShippingFlat}).Draw(t, "kind")}
		if order {
			p := money.Rate(rapid.SampledFrom([]int64{50_000, 100_000, 125_000, 333_300}).Draw(t, "percent"))
			r = nudge.Reward{Kind: nudge.OrderPercent, Percent: &p}
			if rapid.IntRange(0, 3).Draw(t, "capped") == 0 {
				r.Cap = amount(1, 900)
			}
		} else if r.Kind != nudge.FreeShipping {
			r.Amounts = amount(1, 700)
		}
		if !order && rapid.Bool().Draw(t, "one method") {
			r.Methods = []string{"standard"}
		}
		a := amount(least, least+6000)
		least = max(a["home"].Minor, a["jp"].Minor) + 1
		d.Ladder.Rungs = append(d.Ladder.Rungs, nudge.Rung{Thresholds: a, Rewards: []nudge.Reward{r}})
	}
	if order && rapid.Bool().Draw(t, "code") {
		d.Audience.Code = "TEN"
	}
	d.Wording = nudge.Wording{"en": {nudge.NotYet: "Add {to_add} for {reward}.", nudge.Reached: "Yours: {reward}. {next_to_add} for {next_reward}."}}
	return d
}

func request(t *rapid.T) decide.Request {
	r := decide.Request{Trace: true, Every: rapid.Bool().Draw(t, "every"), Moment: decide.Moment{At: time.Date(2026, 11, 25, 12, 0, 0, 0, time.UTC)}}
	for _, n := range names {
		if rapid.Bool().Draw(t, "in") {
			r.Cart.Lines = append(r.Cart.Lines, decide.CartLine{SKU: n, Quantity: rapid.Int64Range(1, 3).Draw(t, "quantity")})
		}
	}
	r.Cart.Destination = &decide.Destination{Country: rapid.SampledFrom([]string{"DE", "JP"}).Draw(t, "country")}
	if rapid.IntRange(0, 8).Draw(t, "nowhere") == 0 {
		r.Cart.Destination = nil
	}
	if rapid.Bool().Draw(t, "code entered") {
		r.Cart.Codes = []string{"ten"}
	}
	return r
}
