package rehearse_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/rehearse"
)

func decision(change func(*decide.Decision)) *rehearse.Expected {
	d := decide.Decision{
		Currency: "EUR", Before: 6200, Goods: 5580, ToPay: 5580, Shipping: &decide.Shipping{Fee: 0},
		Rewards: []decide.Given{{Nudge: "tenth", Text: "10 % off", Amount: 620}, {Nudge: "free", Text: "free shipping", Amount: 590}},
		Gifts:   []decide.GiftOutcome{{Nudge: "gift", Items: []decide.GiftItem{{SKU: "ink", Label: "Kelp Green", Quantity: 2, Unit: 320}}}},
		Codes:   []decide.CodeOutcome{{Code: "TEN", State: "used"}},
		Says:    []decide.Said{{Nudge: "free", Text: "It’s yours."}},
		Shown:   map[nudge.Placement][]string{nudge.TopBar: {"free"}, nudge.CartDrawer: {"free"}, nudge.Launcher: {"other"}},
	}
	if change != nil {
		change(&d)
	}
	e := rehearse.Of(&d)
	return &e
}

func TestWhatADecisionAmountsTo(t *testing.T) {
	none := money.Minor(0)
	assert.Equal(t, &rehearse.Expected{
		Currency: "EUR", Before: 6200, Goods: 5580, Fee: &none, ToPay: 5580,
		Given: []rehearse.Given{{Nudge: "tenth", Text: "10 % off", Worth: 620}, {Nudge: "free", Text: "free shipping", Worth: 590}, {Nudge: "gift", Text: "Kelp Green", Worth: 640}},
		Codes: []rehearse.Code{{Code: "TEN", State: "used"}},
		Said:  []rehearse.Said{{Nudge: "free", Text: "It’s yours.", Places: []nudge.Placement{nudge.CartDrawer, nudge.TopBar}}},
	}, decision(nil))
}

func TestHowADecisionDiffersFromWhatIsExpected(t *testing.T) {
	type diffs = []rehearse.Difference
	for name, c := range map[string]struct {
		change func(*decide.Decision)
		want   diffs
	}{
		"in nothing":       {nil, diffs{}},
		"in what is paid":  {func(d *decide.Decision) { d.ToPay = 5581 }, diffs{{rehearse.ToPay, "", "€55.80", "€55.81"}}},
		"in its goods":     {func(d *decide.Decision) { d.Before, d.Goods = 6300, 5680 }, diffs{{rehearse.Before, "", "€62.00", "€63.00"}, {rehearse.Goods, "", "€55.80", "€56.80"}}},
		"in shipping":      {func(d *decide.Decision) { d.Shipping.Fee = 590 }, diffs{{rehearse.Shipping, "", "€0.00", "€5.90"}}},
		"not sent at all":  {func(d *decide.Decision) { d.Shipping = nil }, diffs{{rehearse.Shipping, "", "€0.00", ""}}},
		"a reward is gone": {func(d *decide.Decision) { d.Rewards = d.Rewards[1:] }, diffs{{rehearse.Gives, "tenth", "10 % off, €6.20", ""}}},
		"another gift":     {func(d *decide.Decision) { d.Gifts[0].Items[0].Label = "Beacon Red" }, diffs{{rehearse.Gives, "gift", "Kelp Green, €6.40", "Beacon Red, €6.40"}}},
		"a code fails":     {func(d *decide.Decision) { d.Codes[0].State = "not_yet" }, diffs{{rehearse.OfCode, "", "TEN: used", "TEN: not yet"}}},
		"another place":    {func(d *decide.Decision) { delete(d.Shown, nudge.TopBar) }, diffs{{rehearse.Says, "free", "cart drawer, top bar: “It’s yours.”", "cart drawer: “It’s yours.”"}}},
		"another nudge speaks": {func(d *decide.Decision) {
			d.Says = append(d.Says, decide.Said{Nudge: "also", Text: "And more."})
			d.Shown[nudge.CartBlock] = []string{"also"}
		}, diffs{{rehearse.Says, "also", "", "cart page: “And more.”"}}},
	} {
		assert.Equal(t, c.want, decision(nil).Differences(decision(c.change), "en"), name)
	}
	without := decision(nil)
	without.Without = []string{"There is no red.", "There is no blue."}
	assert.Equal(t, diffs{{rehearse.OfCart, "", "", "There is no red. There is no blue."}}, decision(nil).Differences(without, "en"))
	refused := &rehearse.Expected{Refused: "nothing is sold there"}
	assert.Equal(t, diffs{{rehearse.Decided, "", "", "nothing is sold there"}}, decision(nil).Differences(refused, "en"), "nothing else is told of what cannot be decided")
}
