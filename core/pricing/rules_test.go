package pricing_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/pricing"
)

// A cart of three notebooks at 12.90 and one pad at 10.40, both counted by everything.
func desk(nudges ...pricing.Nudge) *pricing.Problem {
	return &pricing.Problem{
		TaxShown: true, Nudges: nudges,
		Lines: []pricing.Line{
			{Unit: 1290, Quantity: 3, Amount: 3870, HasCost: true, Cost: 900},
			{Unit: 1040, Quantity: 1, Amount: 1040, Product: 1, Variant: 1},
		},
	}
}

var (
	everything = pricing.Scope{true, true}
	notebooks  = pricing.Scope{true, false}
)

func unit(nudge int, on pricing.Scope, threshold int64) pricing.Unit {
	return pricing.Unit{
		Key: pricing.Key{Priority: nudge + 1, Nudge: string(rune('a' + nudge))}, Nudge: nudge, On: on, Form: pricing.AmountOff, Amount: 100,
		Goal: pricing.Goal{Scope: everything, Measure: pricing.Units, Threshold: threshold},
	}
}

// takes lets the first unit rung take so many notebooks and pads.
func takes(p *pricing.Problem, n, pads int64) *pricing.Taking {
	u := &p.Units[0]
	t := &pricing.Taking{Picks: []pricing.Pick{{Unit: 0, Kind: -1}}, Free: p.Quantities()}
	c := pricing.Claim{Unit: 0}
	for line, qty := range []int64{n, pads} {
		if qty > 0 {
			t.Free[line] -= qty
			c.Parts = append(c.Parts, p.Parts(u, line, qty, p.Lines[line].Unit)...)
		}
	}
	t.Claims = []pricing.Claim{c}
	return t
}

func TestWhatUnitsMayBeTaken(t *testing.T) {
	cases := []struct {
		name string
		p    func() *pricing.Problem
		take [2]int64
		rule pricing.Rule
	}{
		{"1.00 off every piece, from four: all four take it", func() *pricing.Problem {
			p := desk(pricing.Nudge{})
			p.Units = []pricing.Unit{unit(0, everything, 4)}
			return p
		}, [2]int64{3, 1}, pricing.None},
		{"from five there are too few", func() *pricing.Problem {
			p := desk(pricing.Nudge{})
			p.Units = []pricing.Unit{unit(0, everything, 5)}
			return p
		}, [2]int64{3, 1}, pricing.GoalOpen},
		{"three of four would be a half measure", func() *pricing.Problem {
			p := desk(pricing.Nudge{})
			p.Units = []pricing.Unit{unit(0, everything, 4)}
			return p
		}, [2]int64{3, 0}, pricing.HalfDone},
		{"of a break, the lower step where the higher one holds", func() *pricing.Problem {
			p := desk(pricing.Nudge{Replacing: true})
			low, high := unit(0, everything, 2), unit(0, everything, 4)
			high.Key.Rung = 1
			p.Units = []pricing.Unit{low, high}
			return p
		}, [2]int64{3, 1}, pricing.HigherHolds},
		{"and the same where the higher step is free shipping", func() *pricing.Problem {
			p := desk(pricing.Nudge{Replacing: true})
			p.Units = []pricing.Unit{unit(0, everything, 2)}
			p.Ships = []pricing.Shipping{{Key: pricing.Key{Priority: 1, Nudge: "a", Rung: 1}, Goal: pricing.Goal{Scope: everything, Threshold: 4910}}}
			return p
		}, [2]int64{3, 1}, pricing.HigherHolds},
		{"10 % off goods that cost a cent takes nothing off", func() *pricing.Problem {
			p := desk(pricing.Nudge{})
			p.Lines[0].Unit, p.Lines[0].Amount = 1, 3
			u := unit(0, notebooks, 1)
			u.Form, u.Percent = pricing.PercentOff, 100_000
			p.Units = []pricing.Unit{u}
			return p
		}, [2]int64{3, 0}, pricing.SavesNothing},
		{"three where two may be rewarded in an order", func() *pricing.Problem {
			p := desk(pricing.Nudge{MostUnits: 2})
			p.Units = []pricing.Unit{unit(0, everything, 1)}
			return p
		}, [2]int64{3, 0}, pricing.TooMany},
		{"two where the cheapest one is rewarded", func() *pricing.Problem {
			p := desk(pricing.Nudge{})
			u := unit(0, everything, 1)
			u.Pick = 1
			p.Units = []pricing.Unit{u}
			return p
		}, [2]int64{1, 1}, pricing.TooMany},
		{"a notebook where the pad is the cheapest", func() *pricing.Problem {
			p := desk(pricing.Nudge{})
			u := unit(0, everything, 1)
			u.Pick = 1
			p.Units = []pricing.Unit{u}
			return p
		}, [2]int64{1, 0}, pricing.HalfDone},
		{"the pad, which is the cheapest", func() *pricing.Problem {
			p := desk(pricing.Nudge{})
			u := unit(0, everything, 1)
			u.Pick = 1
			p.Units = []pricing.Unit{u}
			return p
		}, [2]int64{0, 1}, pricing.None},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			p := c.p()
			_, no := p.Allowed(takes(p, c.take[0], c.take[1]))
			assert.Equal(t, c.rule, no.Rule)
		})
	}
}

// 3.00 off each notebook of 12.90 leaves 9.90 gross, 8.32 net of 19 %; at a cost of 9.00
// that is below any floor, and 3 × 3.00 = 9.00 off.
func TestWhatUnitRewardsMayCost(t *testing.T) {
	for name, c := range map[string]struct {
		set  func(*pricing.Problem)
		rule pricing.Rule
	}{
		"nothing forbids it":                     {func(*pricing.Problem) {}, pricing.None},
		"9.00 where 8.99 may be taken off":       {func(p *pricing.Problem) { p.MostOff = 899 }, pricing.OverMostOff},
		"9.00 where 9.00 may be taken off":       {func(p *pricing.Problem) { p.MostOff = 900 }, pricing.None},
		"9.00 out of a budget of 8.99":           {func(p *pricing.Problem) { p.Nudges[0].HasBudget, p.Nudges[0].Budget = true, 899 }, pricing.OverBudget},
		"a line sold below its cost and a floor": {func(p *pricing.Problem) { p.Nudges[0].Floor = 1 }, pricing.UnderFloor},
	} {
		t.Run(name, func(t *testing.T) {
			p := desk(pricing.Nudge{})
			p.Lines[0].Tax = 190_000
			u := unit(0, notebooks, 1)
			u.Amount = 300
			p.Units = []pricing.Unit{u}
			taking := takes(p, 3, 0)
			c.set(p)
			units, no := p.Priced(taking.Claims, taking.Free, nil)
			assert.Equal(t, c.rule, no.Rule)
			assert.Equal(t, []money.Minor{2970, 1040}, units.After)
		})
	}
}

// Four pieces for 49.10 in all.
func TestWhatOrderRewardsMayTake(t *testing.T) {
	for name, c := range map[string]struct {
		set   func(*pricing.Problem)
		rule  pricing.Rule
		after []money.Minor
	}{
		"5.00, spread 3.94 and 1.06":       {func(*pricing.Problem) {}, pricing.None, []money.Minor{3476, 934}},
		"10 %, capped at 4.00":             {func(p *pricing.Problem) { p.Orders[0].Percent, p.Orders[0].Cap = 100_000, 400 }, pricing.None, []money.Minor{3555, 955}},
		"trimmed to 2.00 that may be off":  {func(p *pricing.Problem) { p.MostOff = 200 }, pricing.None, []money.Minor{3712, 998}},
		"5.00 out of a budget of 4.99":     {func(p *pricing.Problem) { p.Nudges[0].HasBudget, p.Nudges[0].Budget = true, 499 }, pricing.OverBudget, nil},
		"a floor of 70 % on the notebooks": {func(p *pricing.Problem) { p.Nudges[0].Floor = 700_000 }, pricing.UnderFloor, nil},
		"nothing to take it from":          {func(p *pricing.Problem) { p.Orders[0].Lines = pricing.Scope{false, false} }, pricing.SavesNothing, nil},
	} {
		t.Run(name, func(t *testing.T) {
			p := desk(pricing.Nudge{})
			p.Orders = []pricing.Order{{Key: pricing.Key{Nudge: "o"}, Goal: pricing.Goal{Scope: everything}, Lines: everything, Amount: 500}}
			c.set(p)
			units := p.NoUnits()
			goods, no := p.Order(&units, []bool{true})
			assert.Equal(t, c.rule, no.Rule)
			if c.after != nil {
				assert.Equal(t, c.after, goods.After)
			}
		})
	}
}

type fee money.Minor

func (f fee) Fee(money.Minor, int64) money.Minor { return money.Minor(f) }
func (f fee) FeeRange(_, _ money.Minor, _ int64) (least, most money.Minor) {
	return money.Minor(f), money.Minor(f)
}

// 3.00 off a fee of 5.90, then a flat fee of 1.90: both give something, each on what
// remains.
func TestWhatShippingRewardsLeaveOfAFee(t *testing.T) {
	p := desk(pricing.Nudge{}, pricing.Nudge{HasBudget: true, Budget: 99})
	p.Methods = []pricing.Fees{fee(590)}
	ship := func(id string, nudge int, form pricing.ShippingForm, amount money.Minor) pricing.Shipping {
		return pricing.Shipping{Key: pricing.Key{Nudge: id}, Nudge: nudge, Goal: pricing.Goal{Scope: everything}, By: []pricing.ShippingReward{{Form: form, Amount: amount}}}
	}
	p.Ships = []pricing.Shipping{ship("a", 0, pricing.Off, 300), ship("b", 0, pricing.Flat, 190), ship("c", 1, pricing.Flat, 190), ship("d", 0, pricing.Flat, 600)}
	units := p.NoUnits()
	goods, _ := p.Order(&units, nil)
	for _, c := range []struct {
		use  []int
		fee  money.Minor
		rule pricing.Rule
	}{
		{nil, 590, pricing.None}, {[]int{0}, 290, pricing.None}, {[]int{0, 1}, 190, pricing.None},
		{[]int{0, 2}, 290, pricing.OverBudget}, {[]int{3}, 590, pricing.SavesNothing},
	} {
		side, no := p.Shipping(&goods, 0, c.use)
		assert.Equal(t, c.rule, no.Rule, c.use)
		assert.Equal(t, c.fee, side.Fee, c.use)
	}
}

// Two nudges of one group, one that refuses gifts, and two gifts: of 5.00 and 9.00.
func TestWhatMayStandTogether(t *testing.T) {
	p := desk(pricing.Nudge{Group: "g"}, pricing.Nudge{Group: "g"}, pricing.Nudge{Refuses: pricing.GiftClass}, pricing.Nudge{})
	key := func(priority int, id string) pricing.Key { return pricing.Key{Priority: priority, Nudge: id} }
	p.Orders = []pricing.Order{{Key: key(1, "a"), Nudge: 0}, {Key: key(2, "b"), Nudge: 1}, {Key: key(3, "c"), Nudge: 2}}
	p.Gifts = []pricing.Gift{{Key: key(2, "d"), Nudge: 3, Worth: 500}, {Key: key(4, "e"), Nudge: 3, Worth: 900}}
	due := func(pricing.Ref) bool { return true }
	order := func(i int) pricing.Ref { return pricing.Ref{Class: pricing.OrderClass, Index: i} }

	assert.Equal(t, pricing.Refusal{Rule: pricing.StandsAgainst, Rung: order(1)}, p.RefuseOneAnother([]pricing.Ref{order(0), order(1)}), "one of a group")
	assert.True(t, p.RefuseOneAnother([]pricing.Ref{order(0), order(2)}).OK())
	_, ok := p.GiftsBeside([]pricing.Ref{order(2)}, 2, due)
	assert.False(t, ok, "a gift of higher priority is due, so what refuses gifts is not given")
	gifts, ok := p.GiftsBeside([]pricing.Ref{order(2)}, 2, func(r pricing.Ref) bool { return r.Index == 1 })
	assert.True(t, ok)
	assert.Equal(t, []bool{false, false}, gifts, "a gift of lower priority is not given beside it")
	gifts, _ = p.GiftsBeside([]pricing.Ref{order(0)}, 2, due)
	assert.Equal(t, []bool{true, true}, gifts)

	p.Nudges[3].Group = "gifts"
	p.Nudges = append(p.Nudges, pricing.Nudge{Group: "gifts"})
	p.Gifts[1].Nudge = 4
	gifts, _ = p.GiftsBeside(nil, 2, due)
	assert.Equal(t, []bool{false, true}, gifts, "of a group the gift of the higher list value")
}
