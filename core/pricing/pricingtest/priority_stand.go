package pricingtest

import (
	"slices"

	"agonal.dev/agonal/core/pricing"
)

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

// stand is what a walk comes to so far.
type stand struct {
	choice  Choice
	lowered [][]int
	units   []int // unit rungs that lower something
	ships   []int // that lower the fee
	fee     int64 // before shipping rewards
	paid    []naiveGiven
}
