package decide_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/decide/decidetest"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/snapshot"
)

// An offer's promise is kept: taken, the order costs exactly so much more, and the right to
// its price stays.
func TestAnOfferCostsWhatItSays(t *testing.T) {
	t.Parallel()
	told := 0
	rapid.Check(t, func(t *rapid.T) {
		if passes(t) {
			return
		}
		shop, r := decidetest.Random(t)
		if len(r.Cart.Lines) == 0 {
			return
		}
		var skus []string
		for _, p := range shop.Catalog.Products {
			for _, v := range p.Variants {
				skus = append(skus, v.SKU)
			}
		}
		of := nudge.Reward{Kind: nudge.OfferAdd, Items: []nudge.Item{{SKU: rapid.SampledFrom(skus).Draw(t, "offered")}}}
		if rapid.Bool().Draw(t, "better") {
			of.Kind, of.InPlaceOf = nudge.OfferBetter, []string{r.Cart.Lines[0].SKU}
		}
		if rapid.Bool().Draw(t, "cheaper") {
			p := money.Rate(rapid.SampledFrom([]int64{100_000, 333_300, 1_000_000}).Draw(t, "by"))
			of.Percent = &p
		}
		d := nudge.Definition{Version: nudge.Version, Name: "offer", Placements: []nudge.Placement{nudge.Dialog}, Wording: nudge.Wording{"en": {nudge.Reached: "{difference}"}}}
		d.Ladder = nudge.Ladder{Basis: nudge.BeforeNudges, Measure: nudge.Units, Rungs: []nudge.Rung{{Count: 1, Rewards: []nudge.Reward{of}}}}
		require.NoError(t, d.Valid())
		shop.Nudges = append(shop.Nudges, snapshot.Live{ID: "offer", Revision: 1, Priority: 2, Definition: d})
		r.Trace = false
		s, now := decideOn(t, shop, r)
		for _, o := range now.Offers {
			if o.Nudge != "offer" {
				continue
			}
			for _, it := range o.Items {
				if it.More == nil {
					continue
				}
				told++
				then := r
				then.Cart = r.Cart.Take("offer", it)
				with, err := decide.Decide(s, then)
				require.NoError(t, err)
				if !assert.Equal(t, now.ToPay+*it.More, with.ToPay) || !assert.Equal(t, *it.ToPay, with.ToPay) {
					dump(t, shop, r)
				}
				for _, l := range with.Left {
					assert.NotEqual(t, "offer", l.Nudge, "its price is kept")
				}
			}
		}
	})
	assert.Greater(t, told, 100)
}
