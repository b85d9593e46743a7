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

// stand is what a walk comes to so far.
type stand struct {
	choice  Choice
	lowered [][]int
	units   []int // unit rungs that lower something
	ships   []int // that lower the fee
	fee     int64 // before shipping rewards
	paid    []naiveGiven
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

// stands works out what a walk comes to; false where it is not allowed.
func (n *naive) stands(w walk, method int) (stand, bool) {
	p := n.p
	n.by = w.by
	s := stand{lowered: make([][]int, len(p.Lines))}
	price := make([]int64, len(n.units))
	saved := map[string]int64{}
	var rungs []int
	for i, line := range n.units {
		price[i] = p.Lines[line].Unit - w.off[i]
		if b := w.by[i]; b >= 0 {
			saved[p.Units[b].Key.Nudge] += w.off[i]
			if w.off[i] > 0 {
				s.lowered[line] = append(s.lowered[line], p.Units[b].Nudge)
			}
			if !slices.Contains(rungs, b) {
				rungs = append(rungs, b)
			}
		}
	}
	slices.Sort(rungs)
	for _, r := range rungs {
		if !n.goalAndRung(r, rungs) || !n.everyProduct(r) || n.rewardedBy(p.Units[r].Key.Nudge, w.off) > n.limit(r) {
			return s, false
		}
	}
	all := slices.Clone(rungs)
	for k := 0; k < len(w.stacks); {
		r := w.stacks[k]
		together := 1
		for k+together < len(w.stacks) && apart(p.Units[r]) && p.Units[w.stacks[k+together]].Key.Nudge == p.Units[r].Key.Nudge {
			together++
		}
		any := false
		for _, x := range w.stacks[k : k+together] {
			if n.stack(x, price, saved, s.lowered, append(slices.Clone(all), w.stacks[k:k+together]...)) {
				all, any = append(all, x), true
			}
		}
		if !any {
			return s, false
		}
		k += together
	}
	s.units = all
	before, afterUnits := n.beforeNudges(), make([]int64, len(p.Lines))
	for i, l := range p.Lines {
		if l.Quantity == 0 {
			afterUnits[i] = l.Amount
		}
	}
	for i, line := range n.units {
		afterUnits[line] += price[i]
	}
	for _, r := range all {
		u := p.Units[r]
		if nd := n.nudge(u.Nudge); nd.HasBudget && saved[u.Key.Nudge] > nd.Budget {
			return s, false
		}
		s.choice.Keys = append(s.choice.Keys, u.Key)
		s.paid = append(s.paid, naiveGiven{u.Key, n.nudge(u.Nudge), pricing.UnitClass})
	}
	if n.offLimit(before, afterUnits) || !n.floors(before, afterUnits, s.lowered) {
		return s, false
	}
	o, ok := n.orders(w.orders, before, afterUnits, s.lowered)
	if !ok {
		return s, false
	}
	s.paid = append(s.paid, o.given...)
	c := &s.choice
	c.Keys, c.After, c.Units, c.Method = append(c.Keys, o.keys...), o.after, afterUnits, method
	if n.clash(s.paid) {
		return s, false
	}
	var goods int64
	shippable := false
	for i, l := range p.Lines {
		c.Pay += o.after[i]
		if !p.TaxShown {
			c.Pay += share(l.Tax, o.after[i])
		}
		if !l.GiftCard {
			goods, shippable = goods+o.after[i], true
		}
	}
	if method >= 0 && shippable {
		s.fee = p.Methods[method].Fee(goods, p.Grams)
	}
	fee := s.fee
	for _, i := range w.ships {
		x := p.Ships[i]
		next := lower(x, method, fee)
		nd := n.nudge(x.Nudge)
		one := naiveGiven{x.Key, nd, pricing.ShippingClass}
		if next == fee || nd.HasBudget && fee-next > nd.Budget || !n.holds(x.Goal, before, afterUnits, o.after) || n.topped(x.Key, x.Nudge, before, afterUnits, o.after) || n.clash(append(slices.Clone(s.paid), one)) {
			continue
		}
		fee = next
		s.ships, s.paid, c.Keys = append(s.ships, i), append(s.paid, one), append(c.Keys, x.Key)
	}
	c.Pay += fee
	c.Fee, c.by = fee, slices.Clone(w.by)
	if !p.TaxShown {
		c.Pay += share(p.ShippingTax, fee)
	}
	slices.SortFunc(c.Keys, pricing.Key.Compare)
	c.paid = s.paid
	c.Gifts, ok = n.giftsAsked(w.asked, s.paid, before, afterUnits, o.after)
	return s, ok
}

func lower(x pricing.Shipping, method int, fee int64) int64 {
	if method < 0 {
		return fee
	}
	switch r := x.By[method]; r.Form {
	case pricing.Free:
		return 0
	case pricing.Off:
		return max(0, fee-r.Amount)
	case pricing.Flat:
		return min(fee, r.Amount)
	}
	return fee
}

func (n *naive) clash(given []naiveGiven) bool {
	for i, a := range given {
		for _, b := range given[:i] {
			if a.key.Nudge != b.key.Nudge && against(a.nudge, b.nudge, a.class, b.class) {
				return true
			}
		}
	}
	return false
}

// giftsAsked is gifts for those that have had their turn.
func (n *naive) giftsAsked(asked int, paid []naiveGiven, before, afterUnits, after []int64) ([]bool, bool) {
	q := *n.p
	q.Gifts = q.Gifts[:asked]
	some := *n
	some.p = &q
	out, ok := some.gifts(paid, before, afterUnits, after)
	return append(out, make([]bool, len(n.p.Gifts)-asked)...), ok
}

// keeps tells whether a step may be taken: what it comes to is allowed, and nothing
// that was given before is given no more.
func (n *naive) keeps(was, next walk, method int) bool {
	a, _ := n.stands(was, method)
	b, ok := n.stands(next, method)
	if !ok {
		return false
	}
	for _, r := range a.units {
		if !slices.Contains(b.units, r) {
			return false // a rung that stacks has nothing left to give
		}
	}
	for i, g := range a.choice.Gifts {
		if g && !b.choice.Gifts[i] {
			return false
		}
	}
	before := n.beforeNudges()
	for _, i := range a.ships {
		x := n.p.Ships[i]
		if !slices.Contains(b.ships, i) && (!n.holds(x.Goal, before, b.choice.Units, b.choice.After) || n.topped(x.Key, x.Nudge, before, b.choice.Units, b.choice.After) || !n.nothingLeft(b, i, method)) {
			return false
		}
	}
	return true
}

// nothingLeft tells whether a shipping reward has nothing left to give: the fee is
// no higher than it would make it.
func (n *naive) nothingLeft(s stand, i, method int) bool {
	fee := s.fee
	for _, j := range s.ships {
		fee = lower(n.p.Ships[j], method, fee)
	}
	return lower(n.p.Ships[i], method, fee) == fee
}

// refused tells whether a rung may not stand beside what a walk gives.
func (n *naive) refused(w walk, key pricing.Key, nudge int, class pricing.Class, method int) bool {
	s, _ := n.stands(w, method)
	for _, o := range s.paid {
		if o.key.Nudge != key.Nudge && against(n.nudge(nudge), o.nudge, class, o.class) {
			return true
		}
	}
	for i, g := range s.choice.Gifts {
		if o := n.p.Gifts[i]; g && o.Key.Nudge != key.Nudge && against(n.nudge(nudge), n.nudge(o.Nudge), class, pricing.GiftClass) {
			return true
		}
	}
	return false
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
