package progress_test

import (
	"fmt"
	"os"
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/pricing"
	"agonal.dev/agonal/core/pricing/pricingtest"
	"agonal.dev/agonal/core/progress"
)

func ExampleFind() {
	all := pricing.Scope{true, true}
	p := &pricing.Problem{
		TaxShown: true,
		Lines:    []pricing.Line{{}, {Amount: 5400}}, // line 0 is the added unit
		Orders:   []pricing.Order{{Key: pricing.Key{Nudge: "code"}, Goal: pricing.Goal{Scope: all}, Lines: all, Percent: 100_000}},
		Ships: []pricing.Shipping{{
			Key: pricing.Key{Nudge: "free"}, Goal: pricing.Goal{Scope: all, Basis: pricing.AfterOrder, Threshold: 6000},
			By: []pricing.ShippingReward{{Form: pricing.Free}},
		}},
		Methods: []pricing.Fees{catalog.Method{Bands: []catalog.Band{{Fee: 590}}}},
	}
	fmt.Println(progress.Find(p, progress.Target{}, nil))
	// Output: {1267 1267 true true false}
}

// reached decides with an added unit of price x, by the naive solver.
func reached(p *pricing.Problem, t progress.Target, x money.Minor) bool {
	q := *p
	q.Lines = append([]pricing.Line{}, p.Lines...)
	q.Lines[0].Amount = x
	o := q.Solve()
	if t.Order {
		return q.OrderStatus(&o, t.Index) == pricing.Reached
	}
	return q.ShipStatus(&o, t.Index) == pricing.Reached
}

// naive tries every addition in turn.
func naive(p *pricing.Problem, t progress.Target, most money.Minor) progress.ToAdd {
	goal := p.Ships
	threshold := money.Minor(0)
	if t.Order {
		threshold = p.Orders[t.Index].Goal.Threshold
	} else {
		threshold = goal[t.Index].Goal.Threshold
	}
	reach := max(threshold, 1)
	is := make([]bool, most+2*reach+2)
	for x := range is {
		is[x] = x > 0 && reached(p, t, money.Minor(x))
	}
	var out progress.ToAdd
	for x := money.Minor(1); x <= most && !out.Exists; x++ {
		if is[x] {
			out.Least, out.Exists = x, true
		}
	}
	for x := out.Least; out.Exists && x <= most+reach && !out.Lasts; x++ {
		holds := true
		for y := x; y <= x+reach && holds; y++ {
			holds = is[y]
		}
		if holds {
			out.Lasting, out.Lasts = x, true
		}
	}
	return out
}

func TestMain(m *testing.M) { os.Exit(pricingtest.Main(m, "4000")) }

func TestFindEqualsTryingEveryAddition(t *testing.T) {
	var cases, notGap, losing int
	rapid.Check(t, func(t *rapid.T) {
		p := pricingtest.Small(t)
		target := progress.Target{Order: len(p.Orders) > 0 && rapid.IntRange(0, 3).Draw(t, "order") == 0}
		goal := p.Ships[0].Goal
		if target.Order {
			goal = p.Orders[0].Goal
		}
		goal.Scope[0] = true
		if target.Order {
			p.Orders[0].Lines[0] = true
		}
		got := progress.Find(p, target, nil)
		most, ok := pricingtest.Alone(p, goal)
		if !ok {
			assert.False(t, got.Exists)
			return
		}
		want := naive(p, target, most)
		assert.Equal(t, want, got)
		cases++
		o := p.Solve()
		if got.Exists && got.Least != goal.Threshold-p.Measure(goal, o.After) {
			notGap++
		}
		if got.Lasting > got.Least {
			losing++
		}
	})
	t.Logf("%d cases; to add is not the gap in %d, lasting lies above to add in %d", cases, notGap, losing)
	assert.Greater(t, notGap*100, cases*5, "the generator makes too few cases where to add is not the gap")
	assert.Positive(t, losing, "the generator makes no case where adding more loses the rung")
}
