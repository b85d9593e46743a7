package decide_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/decide/decidetest"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/snapshot"
)

// A cart of 2 × 14.00, a set of three for 8.00 instead of 9.30, and free shipping from
// 35.00 after price cuts: 36.00 is reached, and the fee of 5.90 struck through.
func TestTheCartIsDrawnInWordsThatAddUp(t *testing.T) {
	goods := decidetest.Goods(t, map[string]money.Minor{"ink": 1400, "blue": 320, "green": 320, "grey": 290})
	three := decidetest.Ladder("Three", nudge.BeforeNudges, nudge.Rung{Count: 3, Rewards: []nudge.Reward{{Kind: nudge.BuiltPrice, Amounts: nudge.Amounts{"home": decidetest.EUR(800)}}}})
	three.Ladder.Measure = nudge.Units
	three.Ladder.Slots = []nudge.Slot{{Scope: catalog.Filter{Include: catalog.Selection{Products: []string{"p-blue", "p-green", "p-grey"}}}, Least: 3, Most: 3}}
	three.Headings = map[string]string{"en": "Three colours"}
	s := decidetest.Snapshot(t, 590, goods,
		snapshot.Live{ID: "three", Priority: 1, Definition: three},
		snapshot.Live{ID: "free", Priority: 2, Definition: decidetest.Ladder("Free", nudge.AfterUnit, decidetest.Rung(3500, decidetest.Free))})
	set := &decide.Build{Nudge: "three", ID: "1"}
	r := decide.Request{Drawn: true, Cart: decidetest.Cart(line{SKU: "ink", Quantity: 2}, line{SKU: "blue", Quantity: 1, Build: set}, line{SKU: "green", Quantity: 1, Build: set}, line{SKU: "grey", Quantity: 1, Build: set})}
	r.Cart.Codes = []string{"NOPE"}
	c := must(t, s, r).Cart
	require.NotNil(t, c)
	assert.EqualValues(t, 5, c.Pieces)
	require.Len(t, c.Groups, 2)
	of, by := c.Groups[0], c.Groups[1]
	assert.Equal(t, []string{"Three colours", "€9.30", "€8.00", "€8.00 for all of it instead of €9.30."}, []string{of.Heading, of.Was, of.Paid, of.Text})
	assert.Len(t, of.Lines, 3)
	assert.Empty(t, of.Lines[0].Paid, "the set has one price")
	assert.Equal(t, "€28.00", by.Lines[0].Paid)
	assert.Equal(t, []decide.DrawnSum{
		{Text: "Goods", Amount: "€37.30"}, {Text: "All of it for €8.00", Amount: "−€1.30"}, {Text: "Standard shipping", Amount: "free", Was: "€5.90"},
	}, c.Sums)
	assert.Equal(t, "€36.00", c.ToPay)
	assert.Equal(t, []decide.DrawnCode{{Code: "NOPE", State: "unknown", Text: "NOPE is not a code of ours."}}, c.Codes)
	r.Drawn = false
	assert.Nil(t, must(t, s, r).Cart, "only where it is asked for")
}
