package decide_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"agonal.dev/agonal/core/audience"
	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/decide/decidetest"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/snapshot"
)

// forAct gives something for a code of a pool that an act earns.
func forAct(by audience.Act, r nudge.Reward) nudge.Definition {
	d := decidetest.Ladder("Thank you", nudge.BeforeNudges, decidetest.Rung(0, r))
	d.Audience.Pool, d.Audience.EarnedBy = "thanks", by
	d.Placements = []nudge.Placement{nudge.CartDrawer}
	d.Wording = nudge.Wording{"en": {nudge.NotYet: "Share and pay {difference}: {reward}.", nudge.Reached: "Thank you: {reward}."}}
	return d
}

// A tenth off 40.00 is 4.00: it is asked for, and nothing is given before the code is there.
func TestACodeIsEarnedByAnAct(t *testing.T) {
	t.Parallel()
	leaving := forAct(audience.Leaving, decidetest.Percent(tenth))
	leaving.Audience.Pool, leaving.Moment, leaving.Placements = "staying", audience.Leaving, []nudge.Placement{nudge.Dialog}
	s := decidetest.Snapshot(t, 500, decidetest.Goods(t, map[string]money.Minor{"pen": 4000}),
		snapshot.Live{ID: "share", Revision: 1, Priority: 1, Definition: forAct(audience.LinkShared, decidetest.Percent(tenth))},
		snapshot.Live{ID: "stay", Revision: 1, Priority: 2, Definition: leaving})
	pen := decidetest.Cart(line{SKU: "pen", Quantity: 1})
	d := must(t, s, decide.Request{Cart: pen})
	assert.Equal(t, money.Minor(4500), d.ToPay)
	require.Len(t, d.Says, 1)
	assert.Equal(t, "Share and pay €4.00 less: 10 % off the order.", d.Says[0].Text)
	assert.Equal(t, &decide.SaidEarn{Act: audience.LinkShared, Text: "Share my cart", Share: nudge.EarnWordsIn("en").Shared, Gone: nudge.EarnWordsIn("en").Gone}, d.Says[0].Earn)
	assert.Equal(t, []audience.Act{audience.Leaving}, d.Awaits)

	about := must(t, s, decide.Request{Cart: pen, Visit: decide.Visit{Acts: []audience.Act{audience.Leaving}}})
	assert.Equal(t, []string{"stay"}, about.Shown[nudge.Dialog])
	assert.Empty(t, about.Awaits)

	with := pen
	with.Codes, with.PoolCodes = []string{"AB12"}, map[string]string{"AB12": "thanks"}
	d = must(t, s, decide.Request{Cart: with})
	assert.Equal(t, money.Minor(4100), d.ToPay)
	assert.Nil(t, d.Says[0].Earn)
	assert.Equal(t, "Thank you: 10 % off the order.", d.Says[0].Text)

	for name, r := range map[string]decide.Request{
		"an empty cart has nothing to share": {Cart: decidetest.Cart()},
		"no code is left":                    {Cart: pen, Usage: map[string]decide.Usage{"share": {NoCodes: true}, "stay": {NoCodes: true}}},
		"the shopper said no":                {Cart: pen, Visit: decide.Visit{Declined: []string{"share", "stay"}}},
	} {
		assert.Empty(t, must(t, s, r).Says, name)
	}
}

// What is said to be less is what the order costs less with the code, beside any others.
func TestAnEarnedCodeKeepsItsPromise(t *testing.T) {
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
		d := forAct(audience.LinkShared, decidetest.Percent(money.Rate(rapid.SampledFrom([]int64{10_000, 100_000, 500_000}).Draw(t, "share"))))
		d.Ladder.Rungs[0].Thresholds = nudge.Amounts{}
		for _, g := range shop.Regions {
			d.Ladder.Rungs[0].Thresholds[g.ID] = money.Amount{Currency: g.Currency}
		}
		d.Wording["en"][nudge.NotYet] = "{order_total}"
		shop.Nudges = append(shop.Nudges, snapshot.Live{ID: "thanks", Revision: 1, Priority: 2, Definition: d})
		r.Trace = false
		s, now := decideOn(t, shop, r)
		for _, said := range now.Says {
			if said.Nudge != "thanks" || said.Earn == nil {
				continue
			}
			told++
			then := r
			then.Cart = r.Cart.Earned("thanks")
			with, err := decide.Decide(s, then)
			require.NoError(t, err)
			assert.Less(t, with.ToPay, now.ToPay)
			assert.Equal(t, money.Format(money.Amount{Minor: with.ToPay, Currency: with.Currency}, with.Locale), said.Text)
		}
	})
	assert.Greater(t, told, 50)
}
