package decide_test

import (
	"fmt"
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

type line = decide.CartLine

func must(t *testing.T, s *snapshot.Snapshot, r decide.Request) decide.Decision {
	t.Helper()
	d, err := decide.Decide(s, r)
	require.NoError(t, err)
	return d
}

func rungs(d decide.Decision, id string) []decide.RungOutcome {
	for _, n := range d.Nudges {
		if n.Nudge == id {
			return n.Rungs
		}
	}
	return nil
}

func minor(m *money.Minor) money.Minor {
	if m == nil {
		return -1
	}
	return *m
}

// Three rungs over goods of 40.90 and a gift card of 25.00: the gift card is not
// counted, but paid.
func TestLadderCountsAllButGiftCards(t *testing.T) {
	goods := decidetest.Goods(t, map[string]money.Minor{"ink": 1400, "book": 1290, "gift-card": 2500})
	s := decidetest.Snapshot(t, 590, goods, snapshot.Live{ID: "winter", Priority: 1, Definition: decidetest.Ladder("Winter", nudge.BeforeNudges,
		decidetest.Rung(6000, decidetest.Free),
		decidetest.Rung(9500, nudge.Reward{Kind: nudge.ShippingOff, Amounts: nudge.Amounts{"home": decidetest.EUR(100)}}),
		decidetest.Rung(14000, decidetest.Percent(100_000)))})
	d := must(t, s, decide.Request{Cart: decidetest.Cart(line{SKU: "ink", Quantity: 2}, line{SKU: "book", Quantity: 1}, line{SKU: "gift-card", Quantity: 1})})
	r := rungs(d, "winter")
	require.Len(t, r, 3)
	assert.Equal(t, []money.Minor{4090, 4090, 4090}, []money.Minor{r[0].Counted, r[1].Counted, r[2].Counted})
	assert.Equal(t, []money.Minor{1910, 5410, 9910}, []money.Minor{r[0].Gap, r[1].Gap, r[2].Gap})
	assert.Equal(t, money.Minor(6590), d.Goods)
	assert.Equal(t, money.Minor(590), d.Shipping.Fee)
	assert.Equal(t, money.Minor(7180), d.ToPay)
	assert.Equal(t, "Add €19.10 for free shipping.", d.In(nudge.TopBar)[0].Text)
}

// Shipping is free from 60.00 after order rewards; a code takes 10 % off 54.00.
func codeShop(t *testing.T, fee money.Minor, mode snapshot.Stacking) *snapshot.Snapshot {
	code := decidetest.Ladder("Ten off", nudge.BeforeNudges, decidetest.Rung(0, decidetest.Percent(100_000)))
	code.Audience.Code = "TEN"
	free := decidetest.Ladder("Free", nudge.AfterOrder, decidetest.Rung(6000, decidetest.Free))
	s, err := snapshot.Compile(snapshot.Shop{
		Settings: snapshot.Settings{Stacking: mode}, Catalog: decidetest.Goods(t, map[string]money.Minor{"pen": 5400, "cent": 1}),
		Regions: []catalog.Region{decidetest.Region(fee)},
		Nudges:  []snapshot.Live{{ID: "free", Priority: 2, Definition: free}, {ID: "ten", Priority: 1, Definition: code}},
	})
	require.NoError(t, err)
	return s
}

func codeCart() decide.Cart {
	c := decidetest.Cart(line{SKU: "pen", Quantity: 1})
	c.Codes = []string{"ten"}
	return c
}

func TestAnOrderPercentageTakesItsPartOfWhatIsAdded(t *testing.T) {
	s := codeShop(t, 590, snapshot.BestForShopper)
	d := must(t, s, decide.Request{Cart: codeCart()})
	assert.Equal(t, money.Minor(4860), d.Goods)
	assert.Equal(t, money.Minor(5450), d.ToPay)
	r := rungs(d, "free")[0]
	assert.Equal(t, money.Minor(1140), r.Gap)
	assert.Equal(t, money.Minor(1267), minor(r.ToAdd))
	assert.Equal(t, []decide.CodeOutcome{{Code: "ten", State: "used"}}, d.Codes)

	less := must(t, s, decide.Request{Cart: codeCart(), Added: &decide.Added{Nudge: "free", Price: 1266}})
	assert.Equal(t, money.Minor(5999), less.Goods, "one cent less leaves 59.99")
	assert.Equal(t, decide.RungOpen, rungs(less, "free")[0].State)
	full := must(t, s, decide.Request{Cart: codeCart(), Added: &decide.Added{Nudge: "free", Price: 1267}})
	assert.Equal(t, decide.RungReached, rungs(full, "free")[0].State)
}

func TestLeavingTheCodeOutCanReachTheRungSooner(t *testing.T) {
	s := codeShop(t, 690, snapshot.BestForShopper)
	r := rungs(must(t, s, decide.Request{Cart: codeCart()}), "free")[0]
	assert.Equal(t, money.Minor(600), minor(r.ToAdd))
	assert.Equal(t, money.Minor(600), minor(r.Lasting))
	d := must(t, s, decide.Request{Cart: codeCart(), Added: &decide.Added{Nudge: "free", Price: 600}})
	assert.Equal(t, money.Minor(6000), d.ToPay)
	assert.Equal(t, []decide.CodeOutcome{{Code: "ten", State: "left_out"}}, d.Codes)
}

// A ladder of 5 % from 50.00 and, after it, free shipping from 60.00; cart 62.00.
func TestTheLowerRungIsLeftOutWhereThatCostsLess(t *testing.T) {
	def := decidetest.Ladder("Two", nudge.BeforeNudges, decidetest.Rung(5000, decidetest.Percent(50_000)))
	free := decidetest.Ladder("Free", nudge.AfterOrder, decidetest.Rung(6000, decidetest.Free))
	for mode, want := range map[snapshot.Stacking]money.Minor{snapshot.BestForShopper: 6200, snapshot.ByPriority: 6480} {
		s, err := snapshot.Compile(snapshot.Shop{
			Settings: snapshot.Settings{Stacking: mode}, Catalog: decidetest.Goods(t, map[string]money.Minor{"set": 6200}),
			Regions: []catalog.Region{decidetest.Region(590)},
			Nudges:  []snapshot.Live{{ID: "five", Priority: 1, Definition: def}, {ID: "free", Priority: 2, Definition: free}},
		})
		require.NoError(t, err)
		assert.Equal(t, want, must(t, s, decide.Request{Cart: decidetest.Cart(line{SKU: "set", Quantity: 1})}).ToPay, mode)
	}
}

func ExampleDecide() {
	t := &testing.T{}
	goods := decidetest.Goods(t, map[string]money.Minor{"ink": 1400})
	s := decidetest.Snapshot(t, 590, goods, snapshot.Live{ID: "winter", Priority: 1,
		Definition: decidetest.Ladder("Winter", nudge.AfterOrder, decidetest.Rung(6000, decidetest.Free))})
	d, err := decide.Decide(s, decide.Request{Cart: decidetest.Cart(decide.CartLine{SKU: "ink", Quantity: 3})})
	fmt.Println(d.ToPay, d.In(nudge.TopBar)[0].Text, err)
	// Output: 4790 Add €18.00 for free shipping. <nil>
}

// By priority free shipping from 1.07 comes before two for the price of one; with a
// fee of nil the shipping gives nothing and guards nothing.
func TestWhatGivesNothingGuardsNothing(t *testing.T) {
	free := decidetest.Ladder("Free", nudge.AfterUnit, decidetest.Rung(107, decidetest.Free))
	two := decidetest.Ladder("Two for one", nudge.BeforeNudges, nudge.Rung{Rewards: []nudge.Reward{{Kind: nudge.NForM, Size: 2, PayFor: 1}}})
	for fee, want := range map[money.Minor]money.Minor{0: 103, 50: 206} {
		s, err := snapshot.Compile(snapshot.Shop{
			Settings: snapshot.Settings{Stacking: snapshot.ByPriority}, Catalog: decidetest.Goods(t, map[string]money.Minor{"stamp": 103}),
			Regions: []catalog.Region{decidetest.Region(fee)},
			Nudges:  []snapshot.Live{{ID: "free", Priority: 1, Definition: free}, {ID: "two", Priority: 2, Definition: two}},
		})
		require.NoError(t, err)
		assert.Equal(t, want, must(t, s, decide.Request{Cart: decidetest.Cart(line{SKU: "stamp", Quantity: 2})}).ToPay, "fee %d", fee)
	}
}
