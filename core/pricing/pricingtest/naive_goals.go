package pricingtest

import (
	"slices"

	"agonal.dev/agonal/core/pricing"
)

// counts tells how many units of a line a nudge may count: those that no other
// nudge has taken.
func (n *naive) counts(r int) []int64 {
	own := n.p.Units[r]
	out := make([]int64, len(n.p.Lines))
	for i, line := range n.units {
		if b := n.by[i]; b < 0 || n.p.Units[b].Key.Nudge == own.Key.Nudge || n.nudge(own.Nudge).Stacks {
			out[line]++
		}
	}
	return out
}

func (n *naive) kind(g pricing.Goal, line int) int {
	if g.Measure == pricing.SameVariant {
		return n.p.Lines[line].Variant
	}
	return n.p.Lines[line].Product
}

// measure counts; kind limits it to one product (variant), -1 takes the most of any.
func (n *naive) measure(g pricing.Goal, counts, amounts []int64, kind int) (int64, bool) {
	var value, units, weight int64
	same := map[int]int64{}
	any := false
	for i, in := range g.Scope {
		l := n.p.Lines[i]
		if !in || counts[i] == 0 && l.Quantity > 0 || kind >= 0 && n.kind(g, i) != kind {
			continue
		}
		value += amounts[i]
		if g.WithoutTax && n.p.TaxShown {
			value -= contained(l.Tax, amounts[i])
		}
		any = any || l.Quantity > 0 || g.Measure == pricing.Value
		units += counts[i]
		weight += counts[i] * l.Grams
		if counts[i] > 0 {
			same[n.kind(g, i)] += counts[i]
		}
	}
	switch g.Measure {
	case pricing.Value:
		return value, any
	case pricing.Units:
		return units, any
	case pricing.Weight:
		return weight, any
	case pricing.Distinct:
		return int64(len(same)), any
	}
	most := int64(0)
	for _, v := range same {
		most = max(most, v)
	}
	return most, any
}

func (n *naive) meets(g pricing.Goal, m int64, any bool) bool {
	if g.Most > 0 && m > g.Most {
		return false
	}
	return g.Threshold > 0 && m >= g.Threshold || g.Threshold == 0 && any
}

func (n *naive) unitGoal(r, kind int) bool {
	counts := n.counts(r)
	amounts := make([]int64, len(counts))
	for i, l := range n.p.Lines {
		amounts[i] = l.Unit * counts[i]
		if l.Quantity == 0 {
			amounts[i] = l.Amount
		}
	}
	g := n.p.Units[r].Goal
	m, any := n.measure(g, counts, amounts, kind)
	return n.meets(g, m, any)
}

func apart(u pricing.Unit) bool {
	return !u.Elsewhere && (u.Goal.Measure == pricing.SameProduct || u.Goal.Measure == pricing.SameVariant)
}

// kinds lists the products a rung has taken units of, or one entry for all.
func (n *naive) kinds(r int) []int {
	if !apart(n.p.Units[r]) {
		return []int{-1}
	}
	var out []int
	for _, i := range n.took(r) {
		if k := n.kind(n.p.Units[r].Goal, n.units[i]); !slices.Contains(out, k) {
			out = append(out, k)
		}
	}
	return out
}

// goalAndRung checks that a rung's goal holds and, of a replacing ladder, that it
// is the highest that does.
func (n *naive) goalAndRung(r int, rungs []int) bool {
	u := n.p.Units[r]
	for _, k := range n.kinds(r) {
		if !n.unitGoal(r, k) {
			return false
		}
		if !n.nudge(u.Nudge).Replacing && !apart(u) {
			continue // each product has the one rung that it reached
		}
		if n.nudge(u.Nudge).Replacing && n.higherElsewhere(u) {
			return false
		}
		for h, o := range n.p.Units {
			if of := k; o.Key.Nudge == u.Key.Nudge && h > r && (n.nudge(u.Nudge).Replacing || apart(o)) {
				if !apart(o) {
					of = -1
				}
				if n.unitGoal(h, of) {
					return false
				}
			}
		}
		for _, h := range rungs {
			if h != r && n.p.Units[h].Key.Nudge == u.Key.Nudge && n.nudge(u.Nudge).Replacing && (!apart(u) || !apart(n.p.Units[h])) {
				return false
			}
		}
	}
	return true
}

// higherElsewhere tells whether a higher rung of another class holds; in a ladder
// with unit rewards all goals look at values before nudges.
func (n *naive) higherElsewhere(u pricing.Unit) bool {
	before := n.beforeNudges()
	above := func(k pricing.Key, g pricing.Goal) bool {
		return k.Nudge == u.Key.Nudge && k.Rung > u.Key.Rung && n.holds(g, before, before, before)
	}
	for _, o := range n.p.Orders {
		if above(o.Key, o.Goal) {
			return true
		}
	}
	for _, s := range n.p.Ships {
		if above(s.Key, s.Goal) {
			return true
		}
	}
	for _, g := range n.p.Gifts {
		if above(g.Key, g.Goal) {
			return true
		}
	}
	return false
}

// everyProduct checks that a ladder that judges products by themselves rewards
// each that has reached it.
func (n *naive) everyProduct(r int) bool {
	u := n.p.Units[r]
	if !apart(u) {
		return true
	}
	for _, i := range n.free() {
		k := n.kind(u.Goal, n.units[i])
		if !u.Goal.Scope[n.units[i]] {
			continue
		}
		for h := len(n.p.Units) - 1; h >= 0; h-- {
			if n.p.Units[h].Key.Nudge == u.Key.Nudge && apart(n.p.Units[h]) && n.unitGoal(h, k) {
				picked := n.p.Units[h].Pick > 0 && len(n.ofKind(h, k, n.took(h))) > 0
				if n.p.Units[h].Form < pricing.SetPrice && !picked && n.saves(h, n.units[i], n.p.Lines[n.units[i]].Unit) > 0 || n.p.Units[h].Form >= pricing.SetPrice && n.oneSet(h, k) {
					return false
				}
				break
			}
		}
	}
	return true
}

// ofKind keeps the units of one product, or all where kind is below zero.
func (n *naive) ofKind(r, kind int, units []int) []int {
	var out []int
	for _, i := range units {
		if kind < 0 || n.kind(n.p.Units[r].Goal, n.units[i]) == kind {
			out = append(out, i)
		}
	}
	return out
}

// oneSet tells whether a rung could make a set that saves of the free units of a
// product.
func (n *naive) oneSet(r, kind int) bool {
	u := n.p.Units[r]
	free := n.ofKind(r, kind, n.free())
	found := false
	if u.Form != pricing.Every {
		var can []int
		for _, i := range free {
			if u.On[n.units[i]] {
				can = append(can, i)
			}
		}
		subsets(can, int(u.Size), func(set []int) { found = found || n.setOff(r, set, make([]int64, len(n.units))) })
		return found
	}
	for _, i := range free {
		if n.saves(r, n.units[i], n.p.Lines[n.units[i]].Unit) == 0 {
			continue
		}
		var earn []int
		for _, j := range free {
			if j != i && u.Goal.Scope[n.units[j]] {
				earn = append(earn, j)
			}
		}
		subsets(earn, int(u.Size), func(e []int) { found = found || n.rule(r, e, []int{i}, 1) })
	}
	return found
}
