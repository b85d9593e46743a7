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

// Without tax and fees, goods at 1.00 that cost 0.40: 1.00 off from 60.00, and 1.00 off from
// 100.00. At 50.00 the first asks for ten more, in the band of 20 %, and brings 10 × 0.60 − 1.00
// = 5.00; the second for fifty more, in that of 50 %, and brings 50 × 0.60 − 2.00 = 28.00.
func twoToWeigh(t *testing.T, settings snapshot.Settings) *snapshot.Snapshot {
	region := decidetest.Region(0)
	region.Tax, region.ShippingTax = map[string]money.Rate{"": 0}, 0
	cost := money.Minor(40)
	goods, err := catalog.New([]catalog.Product{{ID: "euro", Title: "Euro", Variants: []catalog.Variant{{SKU: "euro", Prices: map[money.Currency]catalog.Price{"EUR": {Price: 100, Cost: &cost}}}}}})
	require.NoError(t, err)
	off := nudge.Reward{Kind: nudge.OrderAmount, Amounts: nudge.Amounts{"home": decidetest.EUR(100)}}
	near := decidetest.Ladder("Near", nudge.BeforeNudges, decidetest.Rung(6000, off))
	far := decidetest.Ladder("Far", nudge.BeforeNudges, decidetest.Rung(10000, off))
	s, err := snapshot.Compile(snapshot.Shop{Settings: settings, Catalog: goods, Regions: []catalog.Region{region},
		Nudges: []snapshot.Live{{ID: "near", Revision: 1, Priority: 1, Definition: near}, {ID: "far", Revision: 1, Priority: 2, Definition: far}}})
	require.NoError(t, err)
	return s
}

func TestTheExpectedGainLearnsFromWhatWasAccepted(t *testing.T) {
	s := twoToWeigh(t, snapshot.Settings{})
	for name, c := range map[string]struct {
		usage map[string]decide.Usage
		shows string
	}{
		"28.00 × 1/20 against 5.00 × 1/20":          {nil, "far"},
		"28.00 × 1/111 against 5.00 × 1/20":         {map[string]decide.Usage{"far": {Bands: map[string]decide.Tally{"50": {Shows: 91}}}}, "far"},
		"28.00 × 1/112 is 5.00 × 1/20: by priority": {map[string]decide.Usage{"far": {Bands: map[string]decide.Tally{"50": {Shows: 92}}}}, "near"},
		"shown in vain in another band":             {map[string]decide.Usage{"far": {Bands: map[string]decide.Tally{"beyond": {Shows: 900}}}}, "far"},
		"28.00 × 1/20 against 5.00 × 9/30":          {map[string]decide.Usage{"near": {Bands: map[string]decide.Tally{"20": {Shows: 10, Accepted: 8}}}}, "near"},
	} {
		r := euros(50)
		r.Usage = c.usage
		d := must(t, s, r)
		require.Len(t, d.In(nudge.TopBar), 1, name)
		said := d.In(nudge.TopBar)[0]
		assert.Equal(t, c.shows, said.Nudge, name)
		assert.Equal(t, map[string]string{"near": "20", "far": "50"}[c.shows], said.Band, name)
	}
}

func TestWhereTheMerchantsOrderDecidesNothingIsLearned(t *testing.T) {
	r := euros(50)
	r.Usage = map[string]decide.Usage{"near": {Bands: map[string]decide.Tally{"20": {Shows: 900}}}}
	assert.Equal(t, "near", must(t, twoToWeigh(t, snapshot.Settings{Choice: snapshot.MerchantOrder}), r).In(nudge.TopBar)[0].Nudge)
}

func TestWhatAsksForNothingIsCountedInNoBand(t *testing.T) {
	s := spoken(t, nil)
	band := func(n int64, reached ...int) string {
		r := euros(n)
		for _, i := range reached {
			r.Visit.Reached = append(r.Visit.Reached, decide.RungRef{Nudge: "winter", Rung: i})
		}
		return must(t, s, r).In(nudge.TopBar)[0].Band
	}
	assert.Equal(t, "beyond", band(29), "31.00 of 60.00 is more than half")
	assert.Equal(t, "50", band(30))
	assert.Equal(t, "10", band(54))
	assert.Empty(t, band(60), "it says that it is reached")
	assert.Equal(t, "50", band(60, 0), "35.00 of 95.00 to the next")
	assert.Equal(t, "50", band(40, 0), "lost again: 20.00 of 60.00")
	assert.Empty(t, band(95, 0, 1))
}

func TestHowLikelyANudgeIsBelievedToWork(t *testing.T) {
	for _, c := range []struct {
		prior snapshot.Prior
		seen  decide.Tally
		want  money.Rate
	}{
		{snapshot.DefaultPrior, decide.Tally{}, 50_000},                            // 1 of 20
		{snapshot.DefaultPrior, decide.Tally{Shows: 10, Accepted: 3}, 133_333},     // 4 of 30
		{snapshot.DefaultPrior, decide.Tally{Shows: 1, Accepted: 1}, 95_238},       // 2 of 21
		{snapshot.Prior{Accepted: 2, Refused: 1}, decide.Tally{Shows: 0}, 666_667}, // 2 of 3, rounded up
	} {
		assert.Equal(t, c.want, c.seen.Mean(c.prior))
	}
}
