package progress

import (
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/pricing"
)

// Plain tells whether reaching a rung is a matter of its goal's value alone: no
// order reward can come into play, nor a unit reward that touches what is counted,
// nothing binds rungs together, and a shipping reward is free, none, or the only
// one there is for every method, so that nothing better can replace it.
func Plain(p *pricing.Problem, t pricing.Ref) bool {
	goal := p.GoalOf(t)
	if len(p.Orders) > 0 || t.Class&(pricing.ShippingClass|pricing.GiftClass) == 0 || goal.Most > 0 || goal.Basis != pricing.Before && p.UnitsTouch(goal.Scope) || p.Bonds().Any() {
		return false
	}
	if t.Class == pricing.GiftClass {
		return true // of a replacing ladder it or one above it is given
	}
	if p.Replaces(p.Ships[t.Index].Nudge) {
		return false
	}
	units := len(p.Units) > 0
	for m, r := range p.Ships[t.Index].By {
		if r.Form == pricing.Free || r.Form == pricing.NoShippingReward && !units {
			continue
		}
		for i := range p.Ships {
			if i != t.Index && p.Ships[i].By[m].Form != pricing.NoShippingReward {
				return false
			}
		}
	}
	return true
}

// FindPlain is [Find] for a rung that is [Plain]: the least price of an added
// unit, taxed at rate, that lifts the goal's counted value to its threshold.
func FindPlain(p *pricing.Problem, goal *pricing.Goal, counted money.Minor, rate money.Rate) ToAdd {
	gap := max(1, goal.Threshold-counted)
	if !goal.WithoutTax || !p.TaxShown {
		return ToAdd{Least: gap, Lasting: gap, Exists: true, Lasts: true}
	}
	x, ok := least(1, money.Most/4, func(x money.Minor) bool { return net(rate, x) >= goal.Threshold-counted })
	return ToAdd{Least: x, Lasting: x, Exists: ok, Lasts: ok}
}

// alone returns the least price at which the added unit, alone in a cart and
// under every order reward there is, makes the goal; false if none does within
// what a cart may hold.
func (s *hunt) alone(goal pricing.Goal) (money.Minor, bool) {
	goal.Most = 0
	worth := func(x money.Minor) money.Minor {
		left := x
		if goal.Basis == pricing.AfterOrder {
			for i := range s.p.Orders {
				if o := &s.p.Orders[i]; o.Lines[0] {
					left -= o.Off(left)
				}
			}
		}
		if goal.WithoutTax && s.p.TaxShown {
			left = net(s.p.Lines[0].Tax, left)
		}
		return left
	}
	return climb(1, money.Most/4, goal.Threshold, worth)
}

// climb returns the least x in [lo, hi] for which worth(x) is at least want; worth
// never falls, and rises by no more than x does.
func climb(lo, hi, want money.Minor, worth func(money.Minor) money.Minor) (money.Minor, bool) {
	x := lo
	for range mostClimbs {
		missing := want - worth(x)
		if missing <= 0 {
			return x, true
		}
		if x += missing; x > hi {
			return 0, false
		}
	}
	return least(x, hi, func(x money.Minor) bool { return worth(x) >= want })
}

// mostClimbs is how many steps are tried before a range is halved.
const mostClimbs = 24

// least returns the least x in [lo, hi] for which a monotone property holds.
func least(lo, hi money.Minor, holds func(money.Minor) bool) (money.Minor, bool) {
	if !holds(hi) {
		return 0, false
	}
	for lo < hi {
		mid := lo + (hi-lo)/2
		if holds(mid) {
			hi = mid
		} else {
			lo = mid + 1
		}
	}
	return lo, true
}
