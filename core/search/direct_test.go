package search_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"agonal.dev/agonal/core/pricing"
	"agonal.dev/agonal/core/pricing/pricingtest"
	"agonal.dev/agonal/core/search"
)

// The short way gives what the search gives, and is often taken.
func TestTheShortWayGivesWhatTheSearchGives(t *testing.T) {
	t.Parallel()
	short, cases := 0, 0
	rapid.Check(t, func(t *rapid.T) {
		shape := pricingtest.Small
		shape.Bonds = rapid.IntRange(0, 3).Draw(t, "bonds") == 0
		p := shape.Draw(t)
		p.Mode = pricing.BestForShopper
		cases++
		if search.Direct(p) {
			short++
		}
		got, want := search.Solve(p), search.SolveAtLength(p)
		require.Zero(t, want.Gap)
		got.Exact, want.Exact, got.Steps, want.Steps = false, false, 0, 0
		if len(want.Claims) == 0 {
			want.Claims, got.Claims = nil, nil
		}
		require.Equal(t, want, got)
	})
	assert.Greater(t, 5*short, cases, "one in five at least is short: %d of %d", short, cases)
}

// two is a cart of three pieces at 10.00 and two at 4.00, under a nudge on each line.
func two(first, second pricing.Unit) *pricing.Problem {
	first.Key, second.Key = pricing.Key{Priority: 1, Nudge: "first"}, pricing.Key{Priority: 2, Nudge: "second"}
	first.On, second.Nudge, second.On = pricing.Scope{true, false}, 1, pricing.Scope{false, true}
	for _, u := range []*pricing.Unit{&first, &second} {
		u.Goal.Measure = pricing.Units
		u.Goal.Threshold = max(1, u.Goal.Threshold)
		if u.Goal.Scope == nil {
			u.Goal.Scope = u.On
		}
	}
	return &pricing.Problem{
		TaxShown: true, Nudges: make([]pricing.Nudge, 2), Units: []pricing.Unit{first, second},
		Lines: []pricing.Line{{Unit: 1000, Quantity: 3, Amount: 3000}, {Unit: 400, Quantity: 2, Amount: 800, Product: 1, Variant: 1}},
	}
}

// 10 % off each of three at 10.00 and 1.00 off each of two at 4.00:
// 27.00 + 6.00 = 33.00.
func TestNudgesWithUnitsOfTheirOwnAreAllGiven(t *testing.T) {
	p := two(pricing.Unit{Percent: 100_000}, pricing.Unit{Form: pricing.AmountOff, Amount: 100})
	assert.True(t, search.Direct(p))
	o := search.Solve(p)
	assert.Equal(t, int64(3300), o.ToPay)
	assert.Equal(t, []int64{2700, 600}, o.After)
}

// A goal that counts what another nudge takes has fewer units than there are: five
// pieces are asked for, of which the first nudge takes three. One of the two is given,
// the one that saves more: 30.00 − 3.00 + 8.00 = 35.00, against 38.00 − 2.00.
func TestAGoalThatCountsWhatAnotherTakesIsNoShortWay(t *testing.T) {
	second := pricing.Unit{Form: pricing.AmountOff, Amount: 100}
	second.Goal.Scope, second.Goal.Threshold = pricing.Scope{true, true}, 5
	p := two(pricing.Unit{Percent: 100_000}, second)
	assert.False(t, search.Direct(p))
	o := search.Solve(p)
	assert.Equal(t, int64(3500), o.ToPay)
	assert.Equal(t, []bool{true, false}, o.UnitGiven)
}

// Free shipping of 5.90 from 35.00 after unit rewards: with both rewards goods cost
// 33.00, so that the second one, worth 2.00, is better left out: 35.00 and nothing for
// shipping, against 38.90.
func TestWhereLeavingARewardOutPaysTheShortWayIsNotTaken(t *testing.T) {
	p := two(pricing.Unit{Percent: 100_000}, pricing.Unit{Form: pricing.AmountOff, Amount: 100})
	p.Methods = []pricing.Fees{flat(590)}
	p.Ships = []pricing.Shipping{{
		Key: pricing.Key{Priority: 3, Nudge: "free"}, Nudge: -1, By: []pricing.ShippingReward{{Form: pricing.Free}},
		Goal: pricing.Goal{Scope: pricing.Scope{true, true}, Basis: pricing.AfterUnit, Threshold: 3500},
	}}
	assert.False(t, search.Direct(p))
	o := search.Solve(p)
	assert.Equal(t, int64(3500), o.ToPay)
	assert.Equal(t, []bool{true, false}, o.UnitGiven)
}

// Two pieces of one product at 10.00. A break gives the first piece for nothing and
// asks 12.00 each from two on, which saves nothing; another nudge takes 1.00 off each.
// Where that takes one piece, one is left to the break: 9.00 + 0.00.
func TestALowerRungHoldsWhereAnotherNudgeTakesSomeUnits(t *testing.T) {
	all := pricing.Scope{true}
	unit := func(nudge string, at, rung int, form pricing.UnitForm, amount int64) pricing.Unit {
		return pricing.Unit{
			Key: pricing.Key{Priority: 1, Nudge: nudge, Rung: rung}, Nudge: at, Form: form, Amount: amount, On: all,
			Goal: pricing.Goal{Scope: all, Measure: pricing.SameProduct, Threshold: int64(rung + 1)},
		}
	}
	off := unit("off", 1, 0, pricing.AmountOff, 100)
	off.Goal.Measure = pricing.Units
	p := &pricing.Problem{
		TaxShown: true, Nudges: []pricing.Nudge{{Replacing: true}, {}},
		Units: []pricing.Unit{unit("break", 0, 0, pricing.FixedPrice, 0), unit("break", 0, 1, pricing.FixedPrice, 1200), off},
		Lines: []pricing.Line{{Unit: 1000, Quantity: 2, Amount: 2000}},
	}
	assert.False(t, search.Direct(p))
	o := search.Solve(p)
	assert.Equal(t, int64(900), o.ToPay)
	assert.Equal(t, []bool{true, false, true}, o.UnitGiven)
}

// flat is a method with one fee.
type flat int64

func (f flat) Fee(int64, int64) int64 { return int64(f) }

func (f flat) FeeRange(int64, int64, int64) (least, most int64) { return int64(f), int64(f) }
