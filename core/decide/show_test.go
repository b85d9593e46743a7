package decide_test

import (
	"fmt"
	"strings"
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

// One ladder, 60.00 for free shipping by standard and 95.00 for a flat fee by
// express, with words for every state.
func spoken(t *testing.T, change func(*nudge.Definition)) *snapshot.Snapshot {
	region := decidetest.Region(590)
	region.Methods = append(region.Methods, catalog.Method{ID: "express", Bands: []catalog.Band{{Fee: 1290}}})
	d := decidetest.Ladder("Winter", nudge.AfterOrder,
		decidetest.Rung(6000, nudge.Reward{Kind: nudge.FreeShipping, Methods: []string{"standard"}}),
		decidetest.Rung(9500, nudge.Reward{Kind: nudge.ShippingFlat, Methods: []string{"express"}, Amounts: nudge.Amounts{"home": decidetest.EUR(490)}}))
	d.Wording["en"] = map[nudge.State]string{
		nudge.NotYet: "Add {to_add} of {threshold}.", nudge.OneStep: "Only {to_add}.", nudge.Lost: "{to_add} to get {reward} back.",
		nudge.Reached: "Yours: {reward}. {next_to_add} more for {next_reward}. Thank you!",
	}
	d.Wording["de"] = map[nudge.State]string{nudge.NotYet: "Noch {to_add}."}
	if change != nil {
		change(&d)
	}
	s, err := snapshot.Compile(snapshot.Shop{Catalog: decidetest.Goods(t, map[string]money.Minor{"euro": 100}), Regions: []catalog.Region{region}, Nudges: []snapshot.Live{{ID: "winter", Revision: 4, Priority: 1, Definition: d}}})
	require.NoError(t, err)
	return s
}

func euros(n int64) decide.Request {
	r := decide.Request{Cart: decidetest.Cart(), Moment: decide.Moment{At: time.Date(2026, 11, 25, 12, 0, 0, 0, time.UTC)}}
	if n > 0 {
		r.Cart.Lines = []line{{SKU: "euro", Quantity: n}}
	}
	return r
}

func TestWhichSentenceIsDue(t *testing.T) {
	seen := func(rungs ...int) func(*decide.Request) {
		return func(r *decide.Request) {
			for _, i := range rungs {
				r.Visit.Reached = append(r.Visit.Reached, decide.RungRef{Nudge: "winter", Rung: i})
			}
		}
	}
	german := func(r *decide.Request) { r.Moment.Locale = "de-AT" }
	polish := func(r *decide.Request) { r.Moment.Locale = "pl" }
	for name, c := range map[string]struct {
		Euros int64
		With  func(*decide.Request)
		Text  string
		State nudge.State
		Newly bool
	}{
		"empty cart":                            {0, nil, "Add €60.00 of €60.00.", nudge.NotYet, false},
		"some way to go":                        {53, nil, "Add €7.00 of €60.00.", nudge.NotYet, false},
		"a tenth is missing":                    {54, nil, "Only €6.00.", nudge.OneStep, false},
		"reached for the first time":            {60, nil, "Yours: free standard shipping. €35.00 more for express for at most €4.90. Thank you!", nudge.Reached, true},
		"after that, the next rung":             {60, seen(0), "Add €35.00 of €95.00.", nudge.NotYet, false},
		"one step to the next":                  {86, seen(0), "Only €9.00.", nudge.OneStep, false},
		"the last rung, without a next":         {95, seen(0), "Yours: express for at most €4.90. Thank you!", nudge.Reached, true},
		"all reached and seen":                  {95, seen(0, 1), "Yours: express for at most €4.90. Thank you!", nudge.Reached, false},
		"lost again":                            {40, seen(0), "€20.00 to get free standard shipping back.", nudge.Lost, false},
		"in German, with amounts as in Austria": {53, german, "Noch €\u00a07,00.", nudge.NotYet, false},
		"no Polish: the region's language":      {53, polish, "Add 7,00\u00a0€ of 60,00\u00a0€.", nudge.NotYet, false},
	} {
		r := euros(c.Euros)
		if c.With != nil {
			c.With(&r)
		}
		d := must(t, spoken(t, nil), r)
		require.Len(t, d.In(nudge.TopBar), 1, name)
		s := d.In(nudge.TopBar)[0]
		assert.Equal(t, c.Text, s.Text, name)
		assert.Equal(t, c.State, s.State, name)
		assert.Equal(t, c.Newly, s.Newly, name)
		assert.Equal(t, 4, s.Revision)
	}
}

func TestWhyANudgeDoesNotShow(t *testing.T) {
	at := time.Date(2026, 11, 25, 12, 0, 0, 0, time.UTC)
	later, earlier := at.Add(time.Hour), at.Add(-time.Hour)
	for want, c := range map[decide.Reason]struct {
		Change func(*nudge.Definition)
		With   func(*decide.Request)
	}{
		decide.OutsideSchedule: {func(d *nudge.Definition) { d.Schedule.From = &later }, nil},
		decide.OutsideRegion:   {func(d *nudge.Definition) { d.Audience.Regions = []string{"moon"} }, nil},
		decide.CodeMissing:     {func(d *nudge.Definition) { d.Audience.Code = "TEN" }, nil},
		decide.NoThreshold: {func(d *nudge.Definition) {
			for i := range d.Ladder.Rungs {
				d.Ladder.Rungs[i].Thresholds = nudge.Amounts{"home": {Minor: 100 + int64(i), Currency: "JPY"}}
			}
		}, nil},
		decide.OutsidePage: {func(d *nudge.Definition) { d.Audience.Pages = []nudge.Page{nudge.CartPage} }, func(r *decide.Request) { r.Moment.Page.Kind = nudge.HomePage }},
		decide.Dismissed:   {nil, func(r *decide.Request) { r.Visit.Dismissed = []string{"winter"} }},
		decide.NoPlace:     {func(d *nudge.Definition) { d.Placements = nil }, nil},
		decide.NoWords:     {func(d *nudge.Definition) { d.Wording = nil }, nil},
		decide.HiddenReached: {func(d *nudge.Definition) { d.HideWhenReached = true }, func(r *decide.Request) {
			r.Cart.Lines = []line{{SKU: "euro", Quantity: 95}}
			r.Visit.Reached = []decide.RungRef{{Nudge: "winter", Rung: 0}, {Nudge: "winter", Rung: 1}}
		}},
	} {
		r := euros(0)
		r.Every, r.Trace = true, true
		if c.With != nil {
			c.With(&r)
		}
		d := must(t, spoken(t, c.Change), r)
		require.Len(t, d.Nudges, 1, want)
		assert.Equal(t, want, d.Nudges[0].Reason)
		assert.Empty(t, d.In(nudge.TopBar), want)
		said := ""
		for _, s := range d.Trace {
			said += s.Say
		}
		assert.Contains(t, said, decide.Explain(want), "the trace says why")
	}
	ended := must(t, spoken(t, func(d *nudge.Definition) { d.Schedule.Until = &earlier }), euros(0))
	assert.Equal(t, decide.OutsideSchedule, ended.Nudges[0].Reason)
}

// The page says where a nudge shows; its reward stays due on the others.
func TestAPageTakesNoRewardAway(t *testing.T) {
	s := spoken(t, func(d *nudge.Definition) { d.Audience.Pages = []nudge.Page{nudge.CartPage} })
	r := euros(60)
	r.Moment.Page.Kind = nudge.CheckoutPage
	d := must(t, s, r)
	assert.Empty(t, d.In(nudge.TopBar))
	assert.Equal(t, money.Minor(0), d.Shipping.Fee)
	assert.Equal(t, money.Minor(6000), d.ToPay)
}

func TestProgressIsAScaleWithAMarkForEachRung(t *testing.T) {
	d := must(t, spoken(t, nil), euros(70))
	p := d.In(nudge.TopBar)[0].Progress
	assert.Equal(t, decide.Progress{Value: 7000, Most: 9500, Text: "€70.00 of €95.00", Marks: []decide.Mark{
		{At: 6000, Reached: true, Label: "free standard shipping", Goal: "€60.00"}, {At: 9500, Label: "express for at most €4.90", Goal: "€95.00"},
	}}, p)
	full := must(t, spoken(t, nil), euros(300)).In(nudge.TopBar)[0].Progress
	assert.Equal(t, full.Most, full.Value, "never beyond its end")
}

// Standard is 5.90, express 12.90 for goods of 40.00; without a choice the one
// with the least to pay applies, and both are quoted.
func TestEveryMethodIsQuotedAsIfChosen(t *testing.T) {
	s := spoken(t, nil)
	r := euros(95)
	open := must(t, s, r)
	assert.Equal(t, "standard", open.Shipping.Method)
	r.Cart.Method = "express"
	chosen := must(t, s, r)
	assert.Equal(t, money.Minor(490), chosen.Shipping.Fee)
	assert.Equal(t, money.Minor(1290), chosen.Shipping.ListFee)
	assert.Equal(t, money.Minor(9990), chosen.ToPay)
	assert.Equal(t, open.Shipping.Methods, chosen.Shipping.Methods)
	assert.Equal(t, []decide.MethodQuote{{Method: "standard", Name: "standard shipping", ListFee: 590, Fee: 0, ToPay: 9500}, {Method: "express", Name: "express", ListFee: 1290, Fee: 490, ToPay: 9990}}, open.Shipping.Methods)
	r.Cart.Destination, r.Cart.Method = nil, ""
	assert.Nil(t, must(t, s, r).Shipping, "no destination: goods only")
}

func TestACartOfGiftCardsAloneHasNoFee(t *testing.T) {
	goods := decidetest.Goods(t, map[string]money.Minor{"gift-card": 2500, "ink": 1400})
	s := decidetest.Snapshot(t, 590, goods)
	d := must(t, s, decide.Request{Cart: decidetest.Cart(line{SKU: "gift-card", Quantity: 2})})
	assert.Equal(t, money.Minor(0), d.Shipping.Fee)
	assert.Equal(t, money.Minor(5000), d.ToPay)
	d = must(t, s, decide.Request{Cart: decidetest.Cart(line{SKU: "gift-card", Quantity: 2}, line{SKU: "ink", Quantity: 1})})
	assert.Equal(t, money.Minor(6990), d.ToPay)
}

// Carts of any size that a request may hold are decided, whatever is live.
func TestTheLargestCartIsDecided(t *testing.T) {
	prices := map[string]money.Minor{}
	var lines []line
	for i := range 120 {
		sku := fmt.Sprintf("p%03d", i)
		prices[sku] = money.Minor(1 + i%7)
		lines = append(lines, line{SKU: sku, Quantity: decide.MostQuantity / 120})
	}
	half := money.Rate(500_000)
	var live []snapshot.Live
	for i, r := range []nudge.Reward{
		{Kind: nudge.UnitPercent, Percent: &half, Dearest: 1000},
		{Kind: nudge.SetPrice, Size: 3, Amounts: nudge.Amounts{"home": decidetest.EUR(2)}},
		{Kind: nudge.NForM, Size: 3, PayFor: 2},
		{Kind: nudge.Every, Size: 2, Get: 1, Percent: &half, DearestFirst: true},
		{Kind: nudge.Every, Size: 2, Get: 1, Percent: &half},
	} {
		d := decidetest.Ladder("n", nudge.BeforeNudges, nudge.Rung{Count: 2, Rewards: []nudge.Reward{r}})
		d.Ladder.Measure = nudge.Units
		live = append(live, snapshot.Live{ID: fmt.Sprint(i), Priority: i, Definition: d})
	}
	d := must(t, decidetest.Snapshot(t, 590, decidetest.Goods(t, prices), live...), decide.Request{Cart: decidetest.Cart(lines...)})
	assert.Positive(t, d.Off)
	assert.Equal(t, d.Before, d.Goods+d.Off)
}

// What is more than a cart may hold is refused by name.
func TestACartThatIsTooLargeIsRefused(t *testing.T) {
	s := decidetest.Snapshot(t, 590, decidetest.Goods(t, map[string]money.Minor{"a": 100, "b": 200}))
	_, err := decide.Decide(s, decide.Request{Cart: decidetest.Cart(line{SKU: "a", Quantity: 1_000_000})})
	assert.EqualError(t, err, "cart.lines[0].quantity: 1000000 is not from 1 to 10000")
	_, err = decide.Decide(s, decide.Request{Cart: decidetest.Cart(line{SKU: "a", Quantity: 6000}, line{SKU: "b", Quantity: 4001})})
	assert.EqualError(t, err, "cart.lines: 10001 pieces in all lines together are too many; at most 10000")
	lines := make([]line, 500)
	for i := range lines {
		lines[i] = line{ID: fmt.Sprint(i), SKU: "a", Quantity: 1_000_000}
	}
	_, err = decide.Decide(s, decide.Request{Cart: decidetest.Cart(lines...)})
	assert.EqualError(t, err, "cart.lines: 500 lines are too many; at most 200")
}

// Of a rung of two classes the sentence names what is given: at 60.00 the 10 % are
// cheaper than free shipping, at 70.00 both are given.
func TestTheSentenceNamesWhatIsGiven(t *testing.T) {
	def := decidetest.Ladder("Both", nudge.AfterOrder, nudge.Rung{Thresholds: nudge.Amounts{"home": decidetest.EUR(6000)}, Rewards: []nudge.Reward{decidetest.Percent(100_000), decidetest.Free}})
	s := decidetest.Snapshot(t, 590, decidetest.Goods(t, map[string]money.Minor{"ten": 1000}), snapshot.Live{ID: "both", Priority: 1, Definition: def})
	for n, want := range map[int64]string{6: "Yours: 10 % off the order.", 7: "Yours: 10 % off the order and free shipping."} {
		d := must(t, s, decide.Request{Cart: decidetest.Cart(line{SKU: "ten", Quantity: n})})
		assert.Equal(t, want, strings.TrimSpace(d.In(nudge.TopBar)[0].Text))
	}
}

func TestAfterADialogItIsQuietForAWhile(t *testing.T) {
	in := func(quiet int, places ...nudge.Placement) *snapshot.Snapshot {
		shop := spoken(t, func(d *nudge.Definition) { d.Placements = places }).Shop
		shop.Settings.QuietMinutes = quiet
		s, err := snapshot.Compile(shop)
		require.NoError(t, err)
		return s
	}
	for name, c := range map[string]struct {
		s      *snapshot.Snapshot
		since  *int64
		reason decide.Reason
		shown  map[nudge.Placement][]string
	}{
		"none was open":             {in(10, nudge.Dialog), nil, "", map[nudge.Placement][]string{nudge.Dialog: {"winter"}}},
		"one was, a moment ago":     {in(10, nudge.Dialog), new(int64(599)), decide.Quiet, map[nudge.Placement][]string{}},
		"one was, ten minutes ago":  {in(10, nudge.Dialog), new(int64(600)), "", map[nudge.Placement][]string{nudge.Dialog: {"winter"}}},
		"the shop keeps no quiet":   {in(0, nudge.Dialog), new(int64(0)), "", map[nudge.Placement][]string{nudge.Dialog: {"winter"}}},
		"a bar is no dialog":        {in(10, nudge.TopBar), new(int64(0)), "", map[nudge.Placement][]string{nudge.TopBar: {"winter"}}},
		"in its other place it may": {in(10, nudge.Dialog, nudge.TopBar), new(int64(0)), "", map[nudge.Placement][]string{nudge.TopBar: {"winter"}}},
	} {
		r := euros(10)
		r.Visit.SinceDialog = c.since
		d, err := decide.Decide(c.s, r)
		require.NoError(t, err, name)
		assert.Equal(t, c.reason, d.Nudges[0].Reason, name)
		assert.Equal(t, c.shown, d.Shown, name)
	}
	r := euros(10)
	r.Visit.SinceDialog = new(int64(-1))
	_, err := decide.Decide(in(10, nudge.Dialog), r)
	assert.ErrorContains(t, err, "visit.since_dialog")
}

func TestHowOftenANudgeMayShow(t *testing.T) {
	in := func(shop, own nudge.Frequency) *snapshot.Snapshot {
		s := spoken(t, func(d *nudge.Definition) { d.Frequency = own }).Shop
		s.Settings.Frequency = shop
		out, err := snapshot.Compile(s)
		require.NoError(t, err)
		return out
	}
	none := nudge.Frequency{}
	for name, c := range map[string]struct {
		s      *snapshot.Snapshot
		visit  int64
		seen   decide.Remembered
		usage  int64
		enough bool
		told   bool // whether the device is to remember it
	}{
		"no bound":                             {in(none, none), 99, decide.Remembered{Shows: 99, Today: 99}, 99, false, false},
		"twice a visit, once so far":           {in(none, nudge.Frequency{PerVisit: 2}), 1, decide.Remembered{}, 0, false, false},
		"twice a visit":                        {in(none, nudge.Frequency{PerVisit: 2}), 2, decide.Remembered{}, 0, true, false},
		"twice a day, more often before":       {in(none, nudge.Frequency{PerDay: 2}), 0, decide.Remembered{Shows: 9, Today: 1}, 0, false, true},
		"twice a day":                          {in(none, nudge.Frequency{PerDay: 2}), 0, decide.Remembered{Shows: 2, Today: 2}, 0, true, true},
		"thrice ever, twice so far":            {in(none, nudge.Frequency{PerShopper: 3}), 0, decide.Remembered{Shows: 2}, 0, false, true},
		"thrice ever":                          {in(none, nudge.Frequency{PerShopper: 3}), 0, decide.Remembered{Shows: 3}, 0, true, true},
		"thrice ever, as the shop knows":       {in(none, nudge.Frequency{PerShopper: 3}), 0, decide.Remembered{Shows: 1}, 3, true, true},
		"the shop's bound, where it has none":  {in(nudge.Frequency{PerDay: 1}, none), 0, decide.Remembered{Shows: 1, Today: 1}, 0, true, true},
		"its own bound rather than the shop's": {in(nudge.Frequency{PerDay: 1}, nudge.Frequency{PerDay: 3}), 0, decide.Remembered{Shows: 1, Today: 1}, 0, false, true},
	} {
		r := euros(10)
		r.Visit.Shows, r.Visit.Remembered = map[string]int64{"winter": c.visit}, map[string]decide.Remembered{"winter": c.seen}
		r.Usage = map[string]decide.Usage{"winter": {Shows: c.usage}}
		d, err := decide.Decide(c.s, r)
		require.NoError(t, err, name)
		want := decide.Reason("")
		if c.enough {
			want = decide.ShownEnough
		}
		assert.Equal(t, want, d.Nudges[0].Reason, name)
		if !c.enough {
			assert.Equal(t, c.told, d.Says[0].Remember, name)
		}
	}
}
