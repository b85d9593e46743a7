package pricing_test

import (
	"math/big"
	"os"
	"slices"
	"sort"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/pricing"
	"agonal.dev/agonal/core/pricing/pricingtest"
)

// A second, slow implementation of the rules, written from their description:
// every subset of every rung with every method, filtered by what is allowed.

func round(num, den *big.Int) int64 {
	two := big.NewInt(2)
	n := new(big.Int).Add(new(big.Int).Mul(num, two), den)
	return n.Quo(n, new(big.Int).Mul(den, two)).Int64()
}

func share(rate money.Rate, m int64) int64 {
	return round(new(big.Int).Mul(big.NewInt(int64(rate)), big.NewInt(m)), big.NewInt(1_000_000))
}

func contained(rate money.Rate, m int64) int64 {
	return round(new(big.Int).Mul(big.NewInt(int64(rate)), big.NewInt(m)), big.NewInt(1_000_000+int64(rate)))
}

// spread gives the whole parts first, then one each to the largest remainders.
func spread(total int64, weights []int64) []int64 {
	var sum int64
	for _, w := range weights {
		sum += w
	}
	type rest struct {
		index int
		left  *big.Rat
	}
	out := make([]int64, len(weights))
	var rests []rest
	given := int64(0)
	for i, w := range weights {
		exact := big.NewRat(total*w, max(sum, 1))
		out[i] = new(big.Int).Quo(exact.Num(), exact.Denom()).Int64()
		given += out[i]
		rests = append(rests, rest{i, new(big.Rat).Sub(exact, new(big.Rat).SetInt64(out[i]))})
	}
	sort.SliceStable(rests, func(a, b int) bool { return rests[a].left.Cmp(rests[b].left) > 0 })
	for k := range int(total - given) {
		out[rests[k].index]++
	}
	return out
}

type naiveChoice struct {
	pay   int64
	keys  []pricing.Key
	after []int64
}

func value(p *pricing.Problem, g pricing.Goal, amounts []int64) int64 {
	var v int64
	for i, in := range g.Scope {
		if in {
			v += amounts[i]
			if g.WithoutTax && p.TaxShown {
				v -= contained(p.Lines[i].Tax, amounts[i])
			}
		}
	}
	return v
}

func holds(p *pricing.Problem, g pricing.Goal, amounts []int64) bool {
	if g.Threshold == 0 {
		return slices.Contains(g.Scope, true)
	}
	return value(p, g, amounts) >= g.Threshold
}

func naiveBest(p *pricing.Problem) naiveChoice {
	before := make([]int64, len(p.Lines))
	for i, l := range p.Lines {
		before[i] = l.Amount
	}
	methods := []int{-1}
	if len(p.Methods) > 0 {
		methods = nil
		for m := range p.Methods {
			methods = append(methods, m)
		}
	}
	var best *naiveChoice
	for _, m := range methods {
		for orders := range 1 << len(p.Orders) {
			after, keys, ok := naiveOrders(p, before, orders)
			if !ok {
				continue
			}
			for ships := range 1 << len(p.Ships) {
				c, ok := naiveShips(p, before, after, keys, m, ships)
				if ok && (best == nil || c.better(*best)) {
					best = &c
				}
			}
		}
	}
	return *best
}

func naiveOrders(p *pricing.Problem, before []int64, set int) (after []int64, keys []pricing.Key, ok bool) {
	after = slices.Clone(before)
	for i, o := range p.Orders {
		if set>>i&1 == 0 {
			continue
		}
		if !holds(p, o.Goal, before) {
			return nil, nil, false
		}
		weights := make([]int64, len(after))
		var base int64
		for j, in := range o.Lines {
			if in {
				weights[j] = after[j]
				base += after[j]
			}
		}
		off := share(o.Percent, base)
		if o.Cap > 0 {
			off = min(off, o.Cap)
		}
		if off == 0 {
			return nil, nil, false // would save nothing: is not given
		}
		for j, s := range spread(off, weights) {
			after[j] -= s
		}
		keys = append(keys, o.Key)
	}
	return after, keys, true
}

func naiveShips(p *pricing.Problem, before, after []int64, keys []pricing.Key, m, set int) (naiveChoice, bool) {
	c := naiveChoice{after: after, keys: slices.Clone(keys)}
	var goods, forFee int64
	shippable := false
	for i, l := range p.Lines {
		goods += after[i]
		c.pay += after[i]
		if !p.TaxShown {
			c.pay += share(l.Tax, after[i])
		}
		if !l.GiftCard {
			forFee += after[i]
			shippable = true
		}
	}
	fee := int64(0)
	if m >= 0 && shippable {
		fee = p.Methods[m].Fee(forFee, p.Grams)
	}
	for i, s := range p.Ships {
		if set>>i&1 == 0 {
			continue
		}
		amounts := after
		if s.Goal.Basis == pricing.Before {
			amounts = before
		}
		if m < 0 || !holds(p, s.Goal, amounts) {
			return c, false
		}
		next := fee
		switch r := s.By[m]; r.Form {
		case pricing.Free:
			next = 0
		case pricing.Off:
			next = max(0, fee-r.Amount)
		case pricing.Flat:
			next = min(fee, r.Amount)
		}
		if next == fee {
			return c, false
		}
		fee = next
		c.keys = append(c.keys, s.Key)
	}
	c.pay += fee
	if !p.TaxShown {
		c.pay += share(p.ShippingTax, fee)
	}
	slices.SortFunc(c.keys, pricing.Key.Compare)
	return c, true
}

func (c naiveChoice) better(o naiveChoice) bool {
	if c.pay != o.pay {
		return c.pay < o.pay
	}
	if len(c.keys) != len(o.keys) {
		return len(c.keys) < len(o.keys)
	}
	if x := slices.CompareFunc(c.keys, o.keys, pricing.Key.Compare); x != 0 {
		return x < 0
	}
	return slices.Compare(c.after, o.after) < 0
}

func givenKeys(p *pricing.Problem, o pricing.Outcome) []pricing.Key {
	var keys []pricing.Key
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

func TestMain(m *testing.M) { os.Exit(pricingtest.Main(m, "4000")) }

func TestTheSearchEqualsTryingEverything(t *testing.T) {
	contested := 0
	rapid.Check(t, func(t *rapid.T) {
		p := pricingtest.Small(t)
		p.Mode = pricing.BestForShopper
		p.Lines[0].Amount = rapid.Int64Range(0, 60).Draw(t, "added")
		got, want := p.Solve(), naiveBest(p)
		assert.Equal(t, want.pay, got.ToPay, "to pay")
		assert.Equal(t, want.keys, givenKeys(p, got), "rungs given")
		assert.Equal(t, want.after, got.After, "lines")
		assert.True(t, got.Exact)
		open := 0
		for _, o := range p.Orders {
			if p.GoalHolds(o.Goal, got.After) {
				open++
			}
		}
		if open > 0 && len(givenKeys(p, got)) < open {
			contested++
		}
	})
	t.Logf("something was left out in %d cases", contested)
}

func TestBestNeverCostsMoreThanPayingByPriority(t *testing.T) {
	cheaper := 0
	rapid.Check(t, func(t *rapid.T) {
		p := pricingtest.Small(t)
		p.Mode = pricing.BestForShopper
		best := p.Solve()
		p.Mode = pricing.ByPriority
		byPriority := p.Solve()
		require.LessOrEqual(t, best.ToPay, byPriority.ToPay)
		if best.ToPay < byPriority.ToPay {
			cheaper++
		}
	})
	t.Logf("best is cheaper than by priority in %d cases", cheaper)
}

func TestSumsHoldToTheMinorUnit(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		p := pricingtest.Small(t)
		o := p.Solve()
		var before, after, shares int64
		for i, l := range p.Lines {
			before += l.Amount
			after += o.After[i]
			require.GreaterOrEqual(t, o.After[i], int64(0))
			require.LessOrEqual(t, o.After[i], l.Amount)
		}
		for _, a := range o.Applied {
			shares += a.Total
			var sum int64
			for _, s := range a.Shares {
				sum += s
			}
			require.Equal(t, a.Total, sum)
		}
		require.Equal(t, after, o.Goods)
		require.Equal(t, before-after, shares)
		require.GreaterOrEqual(t, o.Fee, int64(0))
		require.LessOrEqual(t, o.Fee, o.ListFee)
	})
}

// More order rungs than are searched: the answer says that it is a bound, costs
// no more than by priority, and how far the optimum can be.
func TestBeyondTheSearchedSizeTheOutcomeSaysSo(t *testing.T) {
	scope := pricing.Scope{true}
	p := &pricing.Problem{TaxShown: true, Lines: []pricing.Line{{Amount: 100_000}}}
	for i := range 14 {
		p.Orders = append(p.Orders, pricing.Order{Key: pricing.Key{Priority: i + 1, Nudge: "n"}, Goal: pricing.Goal{Scope: scope}, Lines: scope, Percent: 10_000})
	}
	o := p.Solve()
	assert.False(t, o.Exact)
	p.Mode = pricing.ByPriority
	assert.LessOrEqual(t, o.ToPay, p.Solve().ToPay)
	assert.GreaterOrEqual(t, o.Gap, int64(0))
}
