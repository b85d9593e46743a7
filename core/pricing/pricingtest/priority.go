package pricingtest

import (
	"slices"

	"agonal.dev/agonal/core/pricing"
)

// The choice by priority, tried out from the description of the rules alone: rung
// by rung in the merchant's order, each with every taking of units there is.

// walk is how far the rungs have been taken.
type walk struct {
	by     []int   // per unit: the unit rung that takes it
	off    []int64 // per unit: what it is lowered by, without what stacks
	stacks []int   // unit rungs that go on top
	orders int     // a set of order rungs
	ships  []int   // shipping rungs that have had their turn
	asked  int     // gifts that have had their turn
}

func (w walk) clone() walk {
	w.by, w.off = slices.Clone(w.by), slices.Clone(w.off)
	w.stacks, w.ships = slices.Clone(w.stacks), slices.Clone(w.ships)
	return w
}

// InOrder gives every outcome of taking the rungs in the merchant's order: several
// where equally good takings of units are open.
func InOrder(p *pricing.Problem) []Choice {
	methods := []int{-1}
	if len(p.Methods) > 0 {
		methods = nil
		for m := range p.Methods {
			methods = append(methods, m)
		}
	}
	var out []Choice
	for i, m := range methods {
		var next []Choice
		for _, c := range inOrder(p, m) {
			if i == 0 {
				next = append(next, c)
				continue
			}
			for _, have := range out {
				if c.better(have) {
					next = append(next, c)
				} else {
					next = append(next, have)
				}
			}
		}
		out = distinct(next)
	}
	return out
}

// inOrder is InOrder for one method.
func inOrder(p *pricing.Problem, method int) []Choice {
	n := apartUnits(p)
	type turn struct {
		key   pricing.Key
		class pricing.Class
		index int
	}
	var turns []turn
	for i, u := range p.Units {
		if i > 0 && p.Units[i-1].Key.Nudge == u.Key.Nudge && apart(u) && apart(p.Units[i-1]) {
			continue // a nudge that judges products by themselves is given as a whole
		}
		turns = append(turns, turn{u.Key, pricing.UnitClass, i})
	}
	for i, o := range p.Orders {
		turns = append(turns, turn{o.Key, pricing.OrderClass, i})
	}
	for i, s := range p.Ships {
		turns = append(turns, turn{s.Key, pricing.ShippingClass, i})
	}
	for i, g := range p.Gifts {
		turns = append(turns, turn{g.Key, pricing.GiftClass, i})
	}
	slices.SortStableFunc(turns, func(a, b turn) int { return a.key.Compare(b.key) })
	walks := []walk{{by: n.by, off: make([]int64, len(n.units))}}
	for _, t := range turns {
		var next []walk
		for _, w := range walks {
			switch t.class {
			case pricing.UnitClass:
				next = append(next, n.unitTurn(w, t.index, method)...)
			case pricing.OrderClass:
				next = append(next, n.orderTurn(w, t.index, method))
			case pricing.ShippingClass:
				next = append(next, n.shipTurn(w, t.index, method))
			default:
				w.asked = t.index + 1
				next = append(next, w)
			}
		}
		walks = next
	}
	var out []Choice
	for _, w := range walks {
		s, ok := n.stands(w, method)
		if !ok {
			panic("a walk ends where it may not stand")
		}
		out = append(out, s.choice)
	}
	return distinct(out)
}

func distinct(of []Choice) []Choice {
	var out []Choice
	for _, c := range of {
		if !slices.ContainsFunc(out, func(o Choice) bool { return !o.better(c) && !c.better(o) && slices.Equal(o.Gifts, c.Gifts) }) {
			out = append(out, c)
		}
	}
	return out
}

func (n *naive) orderTurn(w walk, i, method int) walk {
	o := n.p.Orders[i]
	if n.refused(w, o.Key, o.Nudge, pricing.OrderClass, method) {
		return w
	}
	next := w.clone()
	next.orders |= 1 << i
	if n.keeps(w, next, method) {
		return next
	}
	return w
}

func (n *naive) shipTurn(w walk, i, method int) walk {
	x := n.p.Ships[i]
	if method < 0 || n.refused(w, x.Key, x.Nudge, pricing.ShippingClass, method) {
		return w
	}
	next := w.clone()
	next.ships = append(next.ships, i)
	return next
}

// unitTurn takes a unit rung: of all allowed takings those that save most.
func (n *naive) unitTurn(w walk, r, method int) []walk {
	p := n.p
	u := p.Units[r]
	if n.refused(w, u.Key, u.Nudge, pricing.UnitClass, method) {
		return []walk{w}
	}
	rungs := []int{r}
	if apart(u) {
		for h := r + 1; h < len(p.Units) && p.Units[h].Key.Nudge == u.Key.Nudge; h++ {
			if apart(p.Units[h]) {
				rungs = append(rungs, h)
			}
		}
	}
	if n.nudge(u.Nudge).Stacks {
		next := w.clone()
		next.stacks = append(next.stacks, rungs...)
		if n.keeps(w, next, method) {
			return []walk{next}
		}
		return []walk{w}
	}
	most := int64(0)
	var best []walk
	var free []int
	for i, b := range w.by {
		if b < 0 {
			free = append(free, i)
		}
	}
	consider := func(next walk) {
		var saved int64
		for i := range next.off {
			saved += next.off[i] - w.off[i]
		}
		if saved < most || saved == 0 || !n.keeps(w, next, method) {
			return
		}
		if saved > most {
			most, best = saved, nil
		}
		best = append(best, next)
	}
	by := slices.Clone(w.by)
	var price func(at int, off []int64)
	price = func(at int, off []int64) {
		if at == len(rungs) {
			next := w.clone()
			next.by, next.off = slices.Clone(by), slices.Clone(off)
			consider(next)
			return
		}
		if n.by = by; len(n.took(rungs[at])) == 0 {
			price(at+1, off)
			return
		}
		n.ways(rungs[at], off, func(next []int64) {
			price(at+1, next)
			n.by = by
		})
	}
	var assign func(at int)
	assign = func(at int) {
		if at == len(free) {
			price(0, w.off)
			return
		}
		i := free[at]
		least := -1
		if at > 0 && n.units[free[at-1]] == n.units[i] {
			least = by[free[at-1]]
		}
		for _, x := range append([]int{-1}, rungs...) {
			if x >= least && (x < 0 || n.may(x, n.units[i])) {
				by[i] = x
				assign(at + 1)
			}
		}
		by[i] = -1
	}
	assign(0)
	if len(best) == 0 {
		return []walk{w}
	}
	return n.unlike(best)
}

// unlike keeps one of those walks that leave every line the same.
func (n *naive) unlike(of []walk) []walk {
	var out []walk
	seen := map[string]bool{}
	for _, w := range of {
		taken := make([]byte, 0, len(n.units))
		for line := range n.p.Lines {
			for r := range n.p.Units {
				var q byte
				for i, b := range w.by {
					if b == r && n.units[i] == line {
						q++
					}
				}
				taken = append(taken, q)
			}
		}
		if key := string(taken) + string(n.lineTotals(w.off)); !seen[key] {
			seen[key] = true
			out = append(out, w)
		}
	}
	return out
}
