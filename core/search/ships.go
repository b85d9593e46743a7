package search

import (
	"slices"

	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/pricing"
)

// ships completes a choice with what holds of the shipping rungs, for every
// method.
func (s *solver) ships(c *pricing.UnitChoice, st pricing.GoodsSide) {
	p := s.p
	holds := shipHolds(p, c, st.After)
	for _, m := range s.methods {
		if m < 0 || s.lone {
			var use []int
			if m >= 0 {
				use = fewest(p, m, p.ListFee(&st, m), holds)
			}
			ship, _ := p.Shipping(&st, m, use)
			s.complete(c, st, ship)
			continue
		}
		fee := p.ListFee(&st, m)
		var can []int
		for i := range p.Ships {
			if holds[i] && p.Ships[i].By[m].Lower(fee) < fee {
				can = append(can, i)
			}
		}
		if len(can) > mostShips {
			if !s.budget {
				s.shipNudges(c, st, m, fee, holds)
				continue
			}
			can = can[:mostShips]
		}
		for set := range 1 << len(can) {
			var use []int
			for k, i := range can {
				if set>>k&1 == 1 {
					use = append(use, i)
				}
			}
			if ship, no := p.Shipping(&st, m, use); no.OK() {
				s.complete(c, st, ship)
			}
		}
	}
}

// mostShips is how many shipping rungs are tried in every combination where
// groups, refusals or budgets bind them.
const mostShips = 8

// shipNudges tries every set of the nudges whose shipping rungs hold: which of
// their rungs bring the fee down furthest does not depend on what binds them.
func (s *solver) shipNudges(c *pricing.UnitChoice, st pricing.GoodsSide, m int, fee money.Minor, holds []bool) {
	p := s.p
	var nudges []string
	for i := range p.Ships {
		if holds[i] && p.Ships[i].By[m].Lower(fee) < fee && !slices.Contains(nudges, p.Ships[i].Key.Nudge) && len(nudges) < 12 {
			nudges = append(nudges, p.Ships[i].Key.Nudge)
		}
	}
	some := make([]bool, len(holds))
	for set := range 1 << len(nudges) {
		for i := range some {
			k := slices.Index(nudges, p.Ships[i].Key.Nudge)
			some[i] = holds[i] && k >= 0 && set>>k&1 == 1
		}
		ship, _ := p.Shipping(&st, m, fewest(p, m, fee, some))
		s.complete(c, st, ship)
	}
}

// fewest returns the rungs that bring the fee of a method down as far as all
// that hold would together: as few as do it, and of those the first by key.
// Beyond three rungs it drops what is not needed from the last one on.
func fewest(p *pricing.Problem, method int, listFee money.Minor, holds []bool) []int {
	lowers := func(i int) bool { return holds[i] && p.Ships[i].By[method].Lower(listFee) < listFee }
	fee, n := listFee, 0
	for i := range p.Ships {
		if lowers(i) {
			fee = p.Ships[i].By[method].Lower(fee)
			n++
		}
	}
	if fee == listFee {
		return nil
	}
	use := make([]int, 0, n)
	for i := range p.Ships {
		if lowers(i) {
			if p.Ships[i].By[method].Lower(listFee) == fee {
				return append(use[:0], i)
			}
			use = append(use, i)
		}
	}
	for size := 2; size <= min(3, len(use)); size++ {
		if pick := pick(p, method, listFee, fee, use, nil, size); pick != nil {
			return pick
		}
	}
	for i := len(use) - 1; i >= 0; i-- {
		without := append(append([]int{}, use[:i]...), use[i+1:]...)
		if p.FeeWith(method, listFee, without) == fee {
			use = without
		}
	}
	return use
}

func pick(p *pricing.Problem, method int, listFee, want money.Minor, from, have []int, size int) []int {
	if size == 0 {
		if p.FeeWith(method, listFee, have) == want {
			return append([]int{}, have...)
		}
		return nil
	}
	for i := range from {
		if pick := pick(p, method, listFee, want, from[i+1:], append(have, from[i]), size-1); pick != nil {
			return pick
		}
	}
	return nil
}

// shipHolds tells which shipping rungs are due.
func shipHolds(p *pricing.Problem, c *pricing.UnitChoice, after []money.Minor) []bool {
	due := make([]bool, len(p.Ships))
	holds := p.HoldsUnder(c, after)
	for i := range p.Ships {
		r := pricing.Ref{Class: pricing.ShippingClass, Index: i}
		due[i] = holds(r) && !p.Topped(r, holds)
	}
	return due
}
