package decide_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/decide/decidetest"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/snapshot"
)

// byTheStack is a shop that sells notebooks of 12.90 cheaper by the number.
func byTheStack(t *testing.T, measure nudge.Measure, rungs ...nudge.Rung) *snapshot.Snapshot {
	t.Helper()
	stock := int64(11)
	d := decidetest.Ladder("Stack", nudge.BeforeNudges, rungs...)
	d.Ladder.Measure, d.Ladder.Replacing = measure, true
	d.Placements = []nudge.Placement{nudge.ProductBlock, nudge.CartDrawer}
	eur := func(m money.Minor) map[money.Currency]catalog.Price {
		return map[money.Currency]catalog.Price{"EUR": {Price: m}}
	}
	cat, err := catalog.New([]catalog.Product{
		{ID: "dunlin", Title: "Dunlin A5", Variants: []catalog.Variant{{SKU: "DOTS", Prices: eur(1290)}, {SKU: "LINES", Prices: eur(1290), Stock: &stock}}},
		{ID: "card", Title: "Gift card", GiftCard: true, Variants: []catalog.Variant{{SKU: "CARD", Prices: eur(2500)}}},
	})
	require.NoError(t, err)
	s, err := snapshot.Compile(snapshot.Shop{Catalog: cat, Regions: []catalog.Region{decidetest.Region(590)}, Nudges: []snapshot.Live{{ID: "stack", Priority: 1, Definition: d}}})
	require.NoError(t, err)
	return s
}

func pieces(count int64, r nudge.Reward) nudge.Rung {
	return nudge.Rung{Count: count, Rewards: []nudge.Reward{r}}
}

func amountOff(m money.Minor) nudge.Reward {
	return nudge.Reward{Kind: nudge.UnitAmount, Amounts: nudge.Amounts{"home": decidetest.EUR(m)}}
}

func percentOff(p string) nudge.Reward {
	r, err := money.ParsePercent(p)
	if err != nil {
		panic(err)
	}
	return nudge.Reward{Kind: nudge.UnitPercent, Percent: &r}
}

func looking(s *snapshot.Snapshot, t *testing.T, lines ...line) decide.Said {
	t.Helper()
	d := must(t, s, decide.Request{Cart: decidetest.Cart(lines...), Moment: decide.Moment{Locale: "en", Page: decide.Page{Kind: nudge.ProductPage, Product: "dunlin"}}})
	require.Len(t, d.Says, 1)
	return d.Says[0]
}

// Notebooks at 12.90: from 3 on 1.50 off each, from 6 on 2.25, from 12 on 3.00.
func TestPricesByTheNumberAreATableAndAHint(t *testing.T) {
	s := byTheStack(t, nudge.SameProduct, pieces(3, amountOff(150)), pieces(6, amountOff(225)), pieces(12, amountOff(300)))
	said := looking(s, t, line{SKU: "DOTS", Quantity: 5})
	require.Len(t, said.Tables, 2, "one for each variant")
	assert.Equal(t, []decide.PriceRow{
		{From: 1, To: 2, Each: 1290, Range: "1 – 2", Price: "€12.90 each", Total: "€12.90"},
		{From: 3, To: 5, Each: 1140, Here: true, Range: "3 – 5", Price: "€11.40 each", Act: "you have 5", Total: "€57.00"},
		{From: 6, To: 11, Each: 1065, Add: 1, Range: "6 – 11", Price: "€10.65 each", Act: "add 1", Total: "€63.90"},
		{From: 12, Each: 990, Add: 7, Range: "12 and more", Price: "€9.90 each", Act: "add 7", Total: "€118.80"},
	}, said.Tables[0].Rows)
	assert.Equal(t, []decide.Hint{
		{SKU: "DOTS", Add: 1, Was: 1140, Each: 1065, More: 690, Text: "1 more: each €10.65 instead of €11.40. You pay €6.90 more.", Act: "Add 1"},
	}, said.Hints, "six cost 63.90, five 57.00")

	// The lined ones count with the dotted ones; eleven of them are there.
	lined := said.Tables[1]
	assert.Equal(t, "LINES", lined.SKU)
	assert.Equal(t, []int64{0, 0, 1, 7}, []int64{lined.Rows[0].Add, lined.Rows[1].Add, lined.Rows[2].Add, lined.Rows[3].Add})
	assert.Equal(t, []money.Minor{1290, 1140, 1065, 990}, []money.Minor{lined.Rows[0].Each, lined.Rows[1].Each, lined.Rows[2].Each, lined.Rows[3].Each}, "the same as for the dotted ones")
	none := looking(s, t)
	assert.Equal(t, []int64{0, 3, 6, 0}, []int64{none.Tables[1].Rows[0].Add, none.Tables[1].Rows[1].Add, none.Tables[1].Rows[2].Add, none.Tables[1].Rows[3].Add})
	assert.Empty(t, none.Hints)
	assert.Empty(t, looking(s, t, line{SKU: "DOTS", Quantity: 8}).Hints, "four more are many to ask for")
	elsewhere := decide.Request{Cart: decidetest.Cart(line{SKU: "DOTS", Quantity: 5}), Moment: decide.Moment{Page: decide.Page{Kind: nudge.ProductPage, Product: "card"}}}
	d := must(t, s, elsewhere)
	assert.Empty(t, d.In(nudge.ProductBlock), "a gift card is never cheaper by the number")
	assert.Len(t, d.In(nudge.CartDrawer), 1)
	elsewhere.Moment.Placements = []nudge.Placement{nudge.ProductBlock}
	assert.Equal(t, decide.OtherGoods, must(t, s, elsewhere).Nudges[0].Reason)

	steps, err := decide.PieceSteps(s, decide.Request{Cart: decidetest.Cart(line{SKU: "DOTS", Quantity: 5})}, "stack", "DOTS", 12)
	require.NoError(t, err)
	require.Len(t, steps, 12)
	for n, paid := range map[int]money.Minor{1: 1290, 2: 2580, 3: 3420, 4: 4560, 5: 5700, 6: 6390, 11: 11715, 12: 11880} {
		assert.Equal(t, paid, steps[n-1].Paid, n)
		assert.Equal(t, paid+590, steps[n-1].ToPay, n)
		assert.Equal(t, money.Minor(1290*n), steps[n-1].List, n)
	}
	assert.Equal(t, []int{-1, 0, 1, 2}, []int{steps[1].Rung, steps[2].Rung, steps[5].Rung, steps[11].Rung})
}

// 10 % off each from 3 on, 25 % from 6 on, at 12.90: five cost 58.05, six 58.02.
func TestAHintSaysThatOneMoreLowersTheTotal(t *testing.T) {
	s := byTheStack(t, nudge.SameVariant, pieces(3, percentOff("10")), pieces(6, percentOff("25")))
	said := looking(s, t, line{SKU: "DOTS", Quantity: 5}, line{SKU: "LINES", Quantity: 1})
	require.Len(t, said.Hints, 2, "each variant counts by itself")
	assert.Equal(t, decide.Hint{SKU: "DOTS", Add: 1, Was: 1161, Each: 967, More: -3, Text: "1 more: each €9.67 instead of €11.61. You pay €0.03 less.", Act: "Add 1"}, said.Hints[0])
	// Two more of the lined ones: three at 11.61 are 34.83, 21.93 more than one at 12.90.
	assert.Equal(t, decide.Hint{SKU: "LINES", Add: 2, Was: 1290, Each: 1161, More: 2193, Text: "2 more: each €11.61 instead of €12.90. You pay €21.93 more.", Act: "Add 2"}, said.Hints[1])
	assert.Equal(t, "you have 5", said.Tables[0].Rows[1].Act)
}

// Three for the price of two: the third costs nothing, a fourth begins anew.
func TestAHintForASetSaysWhatItsLastPieceCosts(t *testing.T) {
	s := byTheStack(t, nudge.Units, nudge.Rung{Rewards: []nudge.Reward{{Kind: nudge.NForM, Size: 3, PayFor: 2}}})
	said := looking(s, t, line{SKU: "DOTS", Quantity: 2})
	assert.Empty(t, said.Tables, "no piece has a price of its own")
	assert.Equal(t, []decide.Hint{{SKU: "DOTS", Add: 1, Was: 1290, Each: 1290, More: 0, Text: "1 more costs you nothing.", Act: "Add 1"}}, said.Hints)
}

// A block has the merchant's own words above it, a picture, one row pointed out, and the
// time to the nudge's own end, and to no other.
func TestABlockHasItsOwnWordsAndCountsDownToTheRealEnd(t *testing.T) {
	s := byTheStack(t, nudge.SameProduct, pieces(3, amountOff(150)), pieces(6, amountOff(225)))
	shop := s.Shop
	d := shop.Nudges[0].Definition.Clone()
	until := time.Time{}.Add(90 * time.Minute) // requests of these tests are of no moment in particular
	d.Schedule.Until = &until
	d.Headings = map[string]string{"en": "By the stack"}
	d.Look.Countdown, d.Look.Marked, d.Look.PictureOf = true, 2, "dunlin"
	d.Ladder.Rungs[1].Wording = nudge.Wording{"en": {nudge.NotYet: "The second step: {to_add}."}}
	shop.Nudges[0].Definition = d
	s, err := snapshot.Compile(shop)
	require.NoError(t, err)
	said := looking(s, t, line{SKU: "DOTS", Quantity: 1})
	assert.Equal(t, "By the stack", said.Heading)
	assert.Equal(t, &decide.Ends{Seconds: 5400, Text: "{time} left"}, said.Ends)
	assert.Equal(t, []bool{false, false, true}, []bool{said.Tables[0].Rows[0].Marked, said.Tables[0].Rows[1].Marked, said.Tables[0].Rows[2].Marked})
	assert.NotContains(t, said.Text, "second step")
	assert.Contains(t, seen(s, t, line{SKU: "DOTS", Quantity: 3}).Text, "The second step: 3 pieces.", "a rung's own words stand in place of those of all")
	d.Schedule.Until = nil
	shop.Nudges[0].Definition = d
	s, err = snapshot.Compile(shop)
	require.NoError(t, err)
	assert.Nil(t, looking(s, t, line{SKU: "DOTS", Quantity: 1}).Ends, "without an end nothing is counted down")
}

// seen is what is said once the reached state was shown.
func seen(s *snapshot.Snapshot, t *testing.T, lines ...line) decide.Said {
	t.Helper()
	r := decide.Request{Cart: decidetest.Cart(lines...), Moment: decide.Moment{Locale: "en", Page: decide.Page{Kind: nudge.ProductPage, Product: "dunlin"}}}
	r.Visit.Reached = []decide.RungRef{{Nudge: "stack", Rung: 0}}
	d := must(t, s, r)
	require.NotEmpty(t, d.Says)
	return d.Says[0]
}
