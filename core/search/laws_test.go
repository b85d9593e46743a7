package search_test

import (
	"fmt"
	"os"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/pricing"
	"agonal.dev/agonal/core/pricing/pricingtest"
	"agonal.dev/agonal/core/search"
)

func TestMain(m *testing.M) { os.Exit(pricingtest.Main(m, "10000")) }

func givenKeys(p *pricing.Problem, o pricing.Outcome) []pricing.Key {
	var keys []pricing.Key
	for i, g := range o.UnitGiven {
		if g {
			keys = append(keys, p.Units[i].Key)
		}
	}
	for i, g := range o.OrderGiven {
		if g {
			keys = append(keys, p.Orders[i].Key)
		}
	}
	for i, g := range o.ShipGiven {
		if g {
			keys = append(keys, p.Ships[i].Key)
		}
	}
	slices.SortFunc(keys, pricing.Key.Compare)
	return keys
}

func TestTheSearchEqualsTryingEverything(t *testing.T) {
	for name, shape := range map[string]pricingtest.Shape{"Small": pricingtest.Small, "Eight": pricingtest.Eight} {
		t.Run(name, func(t *testing.T) {
			if name == "Eight" {
				pricingtest.AFifth(t)
			}
			var features pricingtest.Features
			rapid.Check(t, func(t *rapid.T) {
				p := shape.Draw(t)
				p.Mode = pricing.BestForShopper
				o := search.Solve(p)
				features.Note(p, &o)
				equalsTryingEverything(t, p)
			})
			features.Check(t)
		})
	}
}

func equalsTryingEverything(t *rapid.T, p *pricing.Problem) {
	p.Mode = pricing.BestForShopper
	got, want := search.Solve(p), pricingtest.Best(p)
	if want.Pay != got.ToPay || !slices.Equal(want.Keys, givenKeys(p, got)) || !slices.Equal(want.After, got.After) || !slices.Equal(want.Gifts, got.GiftGiven) || !got.Exact {
		t.Log(pricingtest.Describe(p))
		t.Logf("found %d %v lines %v claims %+v gifts %v", got.ToPay, givenKeys(p, got), got.After, got.Claims, got.GiftGiven)
		t.Logf("naive %d %v lines %v", want.Pay, want.Keys, want.After)
	}
	require.Equal(t, want.Pay, got.ToPay, "to pay")
	require.Equal(t, want.Keys, givenKeys(p, got), "rungs given")
	require.Equal(t, want.After, got.After, "lines")
	require.Equal(t, want.Gifts, got.GiftGiven, "gifts")
	assert.True(t, got.Exact, "gap %d steps %d", got.Gap, got.Steps)
}

func TestBestNeverCostsMoreThanPayingByPriority(t *testing.T) {
	cheaper, contended, left := 0, 0, 0
	cases := 0
	rapid.Check(t, func(t *rapid.T) {
		p := pricingtest.Small.Draw(t)
		p.Mode = pricing.BestForShopper
		best := search.Solve(p)
		p.Mode = pricing.ByPriority
		byPriority := search.Solve(p)
		if best.ToPay > byPriority.ToPay {
			t.Log(pricingtest.Describe(p))
			t.Logf("by priority %v claims %+v lines %v", givenKeys(p, byPriority), byPriority.Claims, byPriority.After)
		}
		require.LessOrEqual(t, best.ToPay, byPriority.ToPay)
		cases++
		if best.ToPay < byPriority.ToPay {
			cheaper++
		}
		if pricingtest.Contended(p) {
			contended++
		}
		if len(givenKeys(p, best)) < len(p.Units)+len(p.Orders)+len(p.Ships) {
			left++
		}
	})
	t.Logf("%d cases: best is cheaper than by priority in %d, a unit is contended for in %d, something is left out in %d", cases, cheaper, contended, left)
	assert.Greater(t, cheaper*100, cases*5)
	assert.Greater(t, contended*100, cases*30)
}

func TestByPriorityTakesNoUnitTwiceAndGivesOnlyWhatHolds(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		p := pricingtest.Small.Draw(t)
		p.Mode = pricing.ByPriority
		o := search.Solve(p)
		taken := make([]int64, len(p.Lines))
		for _, c := range o.Claims {
			if p.Nudges[p.Units[c.Unit].Nudge].Stacks {
				continue
			}
			for _, part := range c.Parts {
				taken[part.Line] += part.Qty
			}
		}
		for i, n := range taken {
			require.LessOrEqual(t, n, p.Lines[i].Quantity, "no unit is taken twice")
		}
		for i, s := range p.Ships {
			if o.ShipGiven[i] {
				require.True(t, p.GoalHolds(s.Goal, &o))
			}
		}
		for i, x := range p.Orders {
			if o.OrderGiven[i] {
				require.True(t, p.GoalHolds(x.Goal, &o))
			}
		}
	})
}

func TestSumsHoldToTheMinorUnit(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		p := pricingtest.Small.Draw(t)
		o := search.Solve(p)
		var before, after, off int64
		for i, l := range p.Lines {
			before += l.Amount
			after += o.After[i]
			require.GreaterOrEqual(t, o.After[i], int64(0))
			require.LessOrEqual(t, o.After[i], o.AfterUnits[i])
			require.LessOrEqual(t, o.AfterUnits[i], l.Amount)
		}
		for _, c := range o.Claims {
			off += c.Saved()
			for _, part := range c.Parts {
				require.GreaterOrEqual(t, part.Off, int64(0))
			}
		}
		for _, a := range o.Applied {
			off += a.Total
			var sum int64
			for _, s := range a.Shares {
				sum += s
			}
			require.Equal(t, a.Total, sum)
		}
		require.Equal(t, after, o.Goods)
		require.Equal(t, before-after, off)
		require.GreaterOrEqual(t, o.Fee, int64(0))
		require.LessOrEqual(t, o.Fee, o.ListFee)
	})
}

// More order rungs than are searched: the answer says that it is a bound, costs
// no more than by priority, and how far the optimum can be.
func TestBeyondTheSearchedSizeTheOutcomeSaysSo(t *testing.T) {
	scope := pricing.Scope{true}
	p := &pricing.Problem{TaxShown: true, Lines: []pricing.Line{{Unit: 100_000, Quantity: 1, Amount: 100_000}},
		Methods: []pricing.Fees{catalog.Method{Bands: []catalog.Band{{Fee: 5000}}}}}
	for i := range 30 {
		p.Orders = append(p.Orders, pricing.Order{Key: pricing.Key{Priority: i + 1, Nudge: fmt.Sprint(i)}, Nudge: -1, Goal: pricing.Goal{Scope: scope}, Lines: scope, Percent: 10_000})
	}
	p.Ships = []pricing.Shipping{{Key: pricing.Key{Nudge: "free"}, Nudge: -1, Goal: pricing.Goal{Scope: scope, Basis: pricing.AfterOrder, Threshold: 75_000}, By: []pricing.ShippingReward{{Form: pricing.Free}}}}
	o := search.Solve(p)
	assert.False(t, o.Exact)
	assert.Positive(t, o.Gap)
	p.Mode = pricing.ByPriority
	assert.LessOrEqual(t, o.ToPay, search.Solve(p).ToPay)
}

// Two units at 100 and three at 10. One nudge lowers the dear ones: from one piece
// counted by 50 each, at exactly two by 1 each instead; it counts all five that no
// other takes. Another lowers the cheap ones by 1 each, and takes them. Both given
// leave two to count: 230 − 2 − 3 = 225. With the other left out all five count,
// the upper end is passed, and the first rung holds: 230 − 100 = 130.
func TestARungPassedByLeavingAnotherOutMayBeBetter(t *testing.T) {
	units := func(nudge string, rung int, on pricing.Scope, at int) pricing.Unit {
		return pricing.Unit{
			Key: pricing.Key{Priority: 1, Nudge: nudge, Rung: rung}, Nudge: at, Form: pricing.AmountOff, On: on, Elsewhere: true,
			Goal: pricing.Goal{Scope: pricing.Scope{true, true}, Measure: pricing.Units, Threshold: 1},
		}
	}
	first, second, other := units("a", 0, pricing.Scope{true, false}, 0), units("a", 1, pricing.Scope{true, false}, 0), units("b", 0, pricing.Scope{false, true}, 1)
	first.Amount, second.Amount, other.Amount = 50, 1, 1
	second.Goal.Threshold, second.Goal.Most = 2, 2
	p := &pricing.Problem{
		TaxShown: true, Nudges: []pricing.Nudge{{Replacing: true}, {}}, Units: []pricing.Unit{first, second, other},
		Lines: []pricing.Line{{Unit: 100, Quantity: 2, Amount: 200}, {Unit: 10, Quantity: 3, Amount: 30, Product: 1, Variant: 1}},
	}
	o := search.Solve(p)
	assert.Equal(t, money.Minor(130), o.ToPay)
	assert.Equal(t, []bool{true, false, false}, o.UnitGiven)
	assert.True(t, o.Exact)
}

func TestByPriorityEqualsTryingEveryTaking(t *testing.T) {
	several := 0
	var features pricingtest.Features
	rapid.Check(t, func(t *rapid.T) {
		p := pricingtest.Small.Draw(t)
		p.Mode = pricing.ByPriority
		want := pricingtest.InOrder(p)
		if len(want) > 1 {
			several++
		}
		got := search.Solve(p)
		features.Note(p, &got)
		for _, c := range want {
			if got.ToPay == c.Pay && slices.Equal(c.Keys, givenKeys(p, got)) && slices.Equal(c.After, got.After) && slices.Equal(c.Gifts, got.GiftGiven) {
				return
			}
		}
		t.Log(pricingtest.Describe(p))
		t.Logf("found %d %v lines %v claims %+v gifts %v method %d fee %d", got.ToPay, givenKeys(p, got), got.After, got.Claims, got.GiftGiven, got.Method, got.Fee)
		for _, c := range want {
			t.Logf("naive %+v", c)
		}
		t.Fatal("not one of them")
	})
	t.Logf("%d with several equally good takings", several)
	features.Check(t)
}
