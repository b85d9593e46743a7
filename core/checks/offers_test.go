package checks_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/checks"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
)

// shelf has three inks, two pens of which one is sold out, and a lonely lamp.
func shelf(t *testing.T) *catalog.Catalog {
	none := int64(0)
	product := func(id, collection string, stock *int64) catalog.Product {
		return catalog.Product{ID: id, Title: id, Collections: []string{collection}, Variants: []catalog.Variant{{SKU: id, Stock: stock, Prices: map[money.Currency]catalog.Price{"EUR": {Price: 500}}}}}
	}
	c, err := catalog.New([]catalog.Product{product("Blue", "Inks", nil), product("Red", "Inks", nil), product("Green", "Inks", nil), product("Pen", "Pens", nil), product("Old pen", "Pens", &none), product("Lamp", "Desk", nil)})
	require.NoError(t, err)
	return c
}

func TestGoodsThatNothingGoesWithAreNamed(t *testing.T) {
	_, c := sound(t)
	c.Catalog, c.Regions = shelf(t), c.Regions[:1]
	find := func(change func(*nudge.Definition)) (out []string) {
		d := nudge.Definition{
			Version: 1, Name: "With it", Ladder: nudge.Ladder{Basis: nudge.BeforeNudges, Measure: nudge.Units, Rungs: []nudge.Rung{{Count: 1, Rewards: []nudge.Reward{{Kind: nudge.Companions, Choose: nudge.SameCollection}}}}},
			Placements: []nudge.Placement{nudge.ProductBlock}, Wording: nudge.Wording{"en": {nudge.Reached: "Goes with it."}, "de": {nudge.Reached: "Passt dazu."}},
		}
		change(&d)
		for _, f := range checks.Find(d, c) {
			if f.Field == "ladder.rungs[0].rewards[0]" {
				out = append(out, string(f.Severity)+" "+f.Say)
			}
		}
		return out
	}
	all := func(*nudge.Definition) {}
	// The pen goes with the old one only, which is sold out, and the lamp with nothing; the
	// old one goes with the pen.
	assert.Equal(t, []string{"doubt Nothing goes with Pen; Lamp in Home: no block there. Choose some by hand besides."}, find(all))
	assert.Empty(t, find(func(d *nudge.Definition) { d.Ladder.Scope.Include.Collections = []string{"Inks"} }))
	assert.Equal(t, []string{"stop Nothing goes by this rule with what it counts in Home; choose another rule, or choose by hand."},
		find(func(d *nudge.Definition) { d.Ladder.Scope.Include.Products = []string{"Lamp"} }))
	assert.Empty(t, find(func(d *nudge.Definition) { d.Ladder.Rungs[0].Rewards[0].Items = []nudge.Item{{SKU: "Blue"}} }))
	assert.Equal(t, []string{"stop Nothing goes by this rule with what it counts in Home; choose another rule, or choose by hand."},
		find(func(d *nudge.Definition) {
			d.Ladder.Rungs[0].Rewards[0].Choose, d.Ladder.Rungs[0].Rewards[0].Alike = nudge.SameOption, "colour"
		}))
}
