package decide_test

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/decide/decidetest"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/snapshot"
)

// beside is a nudge that offers companions of what one piece of a scope is of.
func beside(scope catalog.Filter, r nudge.Reward) nudge.Definition {
	r.Kind = nudge.Companions
	return nudge.Definition{
		Version: nudge.Version, Name: "Beside it", Placements: []nudge.Placement{nudge.ProductBlock, nudge.CartDrawer},
		Ladder:  nudge.Ladder{Basis: nudge.BeforeNudges, Measure: nudge.Units, Scope: scope, Rungs: []nudge.Rung{{Count: 1, Rewards: []nudge.Reward{r}}}},
		Wording: nudge.Wording{"en": {nudge.Reached: "{product}: {offered} for {offer_price}, {difference}."}},
	}
}

// desk is a shop with a pen in two colours and what goes with it.
func desk(t testing.TB, r nudge.Reward) *snapshot.Snapshot {
	t.Helper()
	eur := func(m money.Minor) map[money.Currency]catalog.Price {
		return map[money.Currency]catalog.Price{"EUR": {Price: m}}
	}
	in := func(colour string) []catalog.Option { return []catalog.Option{{Name: "Colour", Value: colour}} }
	none, two := int64(0), int64(2)
	cat, err := catalog.New([]catalog.Product{
		{ID: "heron", Title: "Heron", Collections: []string{"Pens"}, Variants: []catalog.Variant{
			{SKU: "HERON-BLACK", Options: in("Black"), Prices: eur(3900), Stock: &two}, {SKU: "HERON-BLUE", Options: in("Blue"), Prices: eur(3900)},
		}},
		{ID: "ink", Title: "Ink", Collections: []string{"Inks"}, Variants: []catalog.Variant{
			{SKU: "INK-BLACK", Options: in("Black"), Prices: eur(900)}, {SKU: "INK-BLUE", Options: in("Blue"), Prices: eur(950), Stock: &none},
		}},
		{ID: "blotter", Title: "Blotter", Collections: []string{"Pens", "Desk"}, Variants: []catalog.Variant{{SKU: "BLOTTER", Prices: eur(500)}}},
		{ID: "converter", Title: "Converter", Collections: []string{"Pens"}, Variants: []catalog.Variant{{SKU: "CONVERTER", Prices: eur(750)}}},
		{ID: "case", Title: "Case", Collections: []string{"Desk"}, Variants: []catalog.Variant{{SKU: "CASE", Prices: eur(2200)}}},
		{ID: "card", Title: "Gift card", GiftCard: true, Collections: []string{"Pens"}, Variants: []catalog.Variant{{SKU: "CARD", Prices: eur(2500)}}},
	})
	require.NoError(t, err)
	scope := catalog.Filter{Include: catalog.Selection{Products: []string{"heron"}}}
	s, err := snapshot.Compile(snapshot.Shop{
		Catalog: cat, Regions: []catalog.Region{decidetest.Region(590)}, Companions: map[string]map[string]int64{"heron": {"case": 1800, "blotter": 1200}},
		Nudges: []snapshot.Live{{ID: "beside", Revision: 1, Priority: 1, Definition: beside(scope, r)}},
	})
	require.NoError(t, err)
	return s
}

var tenth = money.Rate(100_000)

func atPen(variant string, lines ...line) decide.Request {
	return decide.Request{Cart: decidetest.Cart(lines...), Moment: decide.Moment{Locale: "en", Page: decide.Page{Kind: nudge.ProductPage, Product: "heron", Variant: variant}}}
}

func offersOf(d decide.Decision) (skus []string) {
	for _, o := range d.Offers {
		for _, it := range o.Items {
			if !it.Taken {
				skus = append(skus, it.SKU)
			}
		}
	}
	return skus
}

// The rules, each worked out by hand from the six products of the shop.
func TestCompanionsAreFoundByARule(t *testing.T) {
	t.Parallel()
	bought := line{SKU: "BLOTTER", Quantity: 1}
	for name, c := range map[string]struct {
		reward nudge.Reward
		asked  decide.Request
		want   []string
	}{
		"by hand, in that order":                  {nudge.Reward{Items: items("CONVERTER", "BLOTTER")}, atPen(""), []string{"CONVERTER", "BLOTTER"}},
		"same collection, bought together first":  {nudge.Reward{Choose: nudge.SameCollection}, atPen(""), []string{"BLOTTER", "CONVERTER"}},
		"not what is in the cart":                 {nudge.Reward{Choose: nudge.SameCollection}, atPen("", bought), []string{"CONVERTER"}},
		"same colour as the variant shown":        {nudge.Reward{Choose: nudge.SameOption, Alike: "Colour"}, atPen("HERON-BLACK"), []string{"INK-BLACK"}},
		"not what is sold out":                    {nudge.Reward{Choose: nudge.SameOption, Alike: "Colour"}, atPen("HERON-BLUE"), nil},
		"what was chosen by hand in its place":    {nudge.Reward{Choose: nudge.SameOption, Alike: "Colour", Items: items("CASE")}, atPen("HERON-BLUE"), []string{"CASE"}},
		"from orders, the likeliest first":        {nudge.Reward{Choose: nudge.BoughtTogether}, atPen(""), []string{"CASE", "BLOTTER"}},
		"no more than are to be shown":            {nudge.Reward{Choose: nudge.BoughtTogether, Most: 1}, atPen(""), []string{"CASE"}},
		"none of a pen that cannot be had":        {nudge.Reward{Items: items("CASE")}, atPen("HERON-BLACK", line{SKU: "HERON-BLACK", Quantity: 2, Plan: ""}), []string{"CASE"}}, // it lies in the cart
		"none on the page of something else":      {nudge.Reward{Items: items("CASE")}, decide.Request{Cart: decidetest.Cart(), Moment: decide.Moment{Page: decide.Page{Kind: nudge.ProductPage, Product: "ink"}}}, nil},
		"beside what lies in the cart, elsewhere": {nudge.Reward{Items: items("CASE")}, decide.Request{Cart: decidetest.Cart(line{SKU: "HERON-BLUE", Quantity: 1}), Moment: decide.Moment{Page: decide.Page{Kind: nudge.CartPage}}}, []string{"CASE"}},
	} {
		d := must(t, desk(t, c.reward), c.asked)
		assert.Equal(t, c.want, offersOf(d), name)
	}
}

func items(skus ...string) (out []nudge.Item) {
	for _, sku := range skus {
		out = append(out, nudge.Item{SKU: sku})
	}
	return out
}

// A pen of 39.00 with a blotter of 5.00 and a converter of 7.50, each a tenth cheaper beside
// it: 4.50 and 6.75, so 50.25 and 1.25 less than one by one; the parcel costs 5.90.
func TestCompanionsCostWhatIsSaidBeforehand(t *testing.T) {
	t.Parallel()
	s := desk(t, nudge.Reward{Items: items("BLOTTER", "CONVERTER"), Percent: &tenth})
	d := must(t, s, atPen(""))
	require.Len(t, d.Offers, 1)
	o := d.Offers[0]
	assert.Equal(t, &decide.OfferMain{SKU: "HERON-BLACK", Label: "Heron, Black", Unit: 3900}, o.Main)
	require.Len(t, o.Together, 4)
	sum := func(skus ...string) decide.Together {
		i := slices.IndexFunc(o.Together, func(x decide.Together) bool { return slices.Equal(x.SKUs, skus) })
		require.GreaterOrEqual(t, i, 0, skus)
		return o.Together[i]
	}
	assert.Equal(t, []string{"BLOTTER", "CONVERTER"}, o.Together[0].SKUs, "all of them first")
	for _, c := range []struct {
		skus         []string
		toPay, saved money.Minor
	}{
		{[]string{"BLOTTER", "CONVERTER"}, 3900 + 450 + 675 + 590, 125},
		{[]string{"BLOTTER"}, 3900 + 450 + 590, 50},
		{[]string{"CONVERTER"}, 3900 + 675 + 590, 75},
		{[]string{}, 3900 + 590, 0},
	} {
		got := sum(c.skus...)
		assert.Equal(t, c.toPay, got.ToPay, c.skus)
		assert.Equal(t, c.toPay-d.ToPay, got.More, c.skus)
		assert.Equal(t, c.saved, got.Saved, c.skus)
	}
	require.Len(t, d.Says, 1)
	assert.Equal(t, "Heron: Blotter and Converter for €11.25, €56.15 more.", d.Says[0].Text)

	// One of them is taken: it has its price beside the pen, and its list price without it.
	cart := decidetest.Cart(line{SKU: "HERON-BLACK", Quantity: 1}).Take("beside", o.Items[0])
	with := must(t, s, decide.Request{Cart: cart})
	assert.Equal(t, money.Minor(3900+450+590), with.ToPay)
	cart.Lines = cart.Lines[1:]
	without := must(t, s, decide.Request{Cart: cart})
	assert.Equal(t, money.Minor(500+590), without.ToPay)
	require.Len(t, without.Left, 1)
	assert.Equal(t, "BLOTTER", without.Left[0].SKU)
}

// Whatever is ticked costs what was said, in any shop and beside any other nudges.
func TestCompanionsKeepTheirPromise(t *testing.T) {
	t.Parallel()
	told := 0
	rapid.Check(t, func(t *rapid.T) {
		if passes(t) {
			return
		}
		shop, r := decidetest.Random(t)
		of := nudge.Reward{Choose: rapid.SampledFrom([]nudge.Choose{"", nudge.SameCollection, nudge.BoughtTogether, nudge.NextSize}).Draw(t, "rule")}
		product := rapid.SampledFrom(shop.Catalog.Products).Draw(t, "page")
		for _, p := range shop.Catalog.Products {
			if p.ID != product.ID && len(of.Items) < 3 {
				of.Items = append(of.Items, nudge.Item{SKU: p.Variants[0].SKU})
			}
		}
		if len(of.Items) == 0 {
			return
		}
		if rapid.Bool().Draw(t, "cheaper") {
			p := money.Rate(rapid.SampledFrom([]int64{100_000, 333_300, 1_000_000}).Draw(t, "by"))
			of.Percent = &p
		}
		d := beside(catalog.Filter{}, of)
		require.NoError(t, d.Valid())
		shop.Nudges = append(shop.Nudges, snapshot.Live{ID: "beside", Revision: 1, Priority: 2, Definition: d})
		r.Trace, r.Moment.Page = false, decide.Page{Kind: nudge.ProductPage, Product: product.ID}
		s, now := decideOn(t, shop, r)
		for _, o := range now.Offers {
			for _, sum := range o.Together {
				told++
				then := r
				if !o.Main.InCart {
					then.Cart = then.Cart.With(o.Main.SKU, 1)
				}
				for _, it := range o.Items {
					if !it.Taken && slices.Contains(sum.SKUs, it.SKU) {
						then.Cart = then.Cart.Take(o.Nudge, it)
					}
				}
				with, err := decide.Decide(s, then)
				require.NoError(t, err)
				if !assert.Equal(t, sum.ToPay, with.ToPay) || !assert.Equal(t, now.ToPay+sum.More, with.ToPay) {
					dump(t, shop, r)
				}
				for _, l := range with.Left {
					if l.Nudge == "beside" {
						assert.NotContains(t, sum.SKUs, l.SKU, "its price is kept")
					}
				}
			}
		}
	})
	assert.Greater(t, told, 100)
}
