package pricingtest

import (
	"slices"

	"agonal.dev/agonal/core/pricing"
)

// priced goes on to orders, shipping and gifts with what lines cost by now.
func (n *naive) priced(rungs []int, price []int64, saved map[string]int64, lowered [][]int) {
	p := n.p
	before, afterUnits := make([]int64, len(p.Lines)), make([]int64, len(p.Lines))
	for i, l := range p.Lines {
		before[i] = l.Amount
		if l.Quantity == 0 {
			afterUnits[i] = l.Amount
		}
	}
	for i, line := range n.units {
		afterUnits[line] += price[i]
	}
	var keys []pricing.Key
	var given []naiveGiven
	for _, r := range rungs {
		u := p.Units[r]
		if nd := n.nudge(u.Nudge); nd.HasBudget && saved[u.Key.Nudge] > nd.Budget {
			return
		}
		if !slices.Contains(keys, u.Key) {
			keys = append(keys, u.Key)
		}
		given = append(given, naiveGiven{u.Key, n.nudge(u.Nudge), pricing.UnitClass})
	}
	if n.offLimit(before, afterUnits) || !n.floors(before, afterUnits, lowered) {
		return
	}
	methods := []int{-1}
	if len(p.Methods) > 0 {
		methods = nil
		for m := range p.Methods {
			methods = append(methods, m)
		}
	}
	for orders := range 1 << len(p.Orders) {
		o, ok := n.orders(orders, before, afterUnits, lowered)
		if !ok {
			continue
		}
		o.keys, o.given = append(slices.Clone(keys), o.keys...), append(slices.Clone(given), o.given...)
		for _, m := range methods {
			for ships := range 1 << len(p.Ships) {
				n.ships(o, m, ships, before, afterUnits)
			}
		}
	}
}

func (n *naive) offLimit(before, after []int64) bool {
	var off int64
	for i := range before {
		off += before[i] - after[i]
	}
	return n.p.MostOff > 0 && off > n.p.MostOff
}

func (n *naive) floors(before, after []int64, lowered [][]int) bool {
	for i, l := range n.p.Lines {
		if after[i] >= before[i] || l.Quantity == 0 {
			continue
		}
		rate := n.p.Floor
		for _, nudge := range lowered[i] {
			rate = max(rate, n.nudge(nudge).Floor)
		}
		if !n.floor(l, after[i], l.Quantity, rate) {
			return false
		}
	}
	return true
}

type naiveGiven struct {
	key   pricing.Key
	nudge pricing.Nudge
	class pricing.Class
}

type naiveOrders struct {
	after []int64
	keys  []pricing.Key
	given []naiveGiven
}

func (n *naive) all() []int64 {
	out := make([]int64, len(n.p.Lines))
	for i, l := range n.p.Lines {
		out[i] = l.Quantity
	}
	return out
}

// holds judges an order, shipping or gift goal.
func (n *naive) holds(g pricing.Goal, before, afterUnits, after []int64) bool {
	amounts := before
	switch g.Basis {
	case pricing.AfterUnit:
		amounts = afterUnits
	case pricing.AfterOrder:
		amounts = after
	}
	m, any := n.measure(g, n.all(), amounts, -1)
	return n.meets(g, m, any)
}

func (n *naive) orders(set int, before, afterUnits []int64, lowered [][]int) (naiveOrders, bool) {
	p := n.p
	out := naiveOrders{after: slices.Clone(afterUnits)}
	touched := make([][]int, len(lowered))
	for i := range lowered {
		touched[i] = slices.Clone(lowered[i])
	}
	last := -1
	var off int64
	for i := range before {
		off += before[i] - afterUnits[i]
	}
	for i := range p.Orders {
		if set>>i&1 == 1 {
			last = i
		}
	}
	for i, o := range p.Orders {
		if set>>i&1 == 0 {
			continue
		}
		if !n.holds(o.Goal, before, afterUnits, nil) {
			return out, false
		}
		if n.topped(o.Key, o.Nudge, before, afterUnits, nil) {
			return out, false
		}
		weights := make([]int64, len(out.after))
		var base int64
		for j, in := range o.Lines {
			if in {
				weights[j] = out.after[j]
				base += out.after[j]
			}
		}
		take := min(o.Amount, base)
		if o.Percent > 0 {
			take = share(o.Percent, base)
		}
		if o.Cap > 0 {
			take = min(take, o.Cap)
		}
		if p.MostOff > 0 && off+take > p.MostOff {
			if i != last {
				return out, false
			}
			take = p.MostOff - off
		}
		if nd := n.nudge(o.Nudge); take <= 0 || nd.HasBudget && take > nd.Budget {
			return out, false
		}
		off += take
		for j, s := range spread(take, weights) {
			out.after[j] -= s
			if s > 0 {
				touched[j] = append(touched[j], o.Nudge)
			}
		}
		out.keys = append(out.keys, o.Key)
		out.given = append(out.given, naiveGiven{o.Key, n.nudge(o.Nudge), pricing.OrderClass})
	}
	return out, set == 0 || n.floors(before, out.after, touched)
}

func (n *naive) ships(o naiveOrders, m, set int, before, afterUnits []int64) {
	p := n.p
	c := Choice{After: o.after, Units: afterUnits, Keys: slices.Clone(o.keys), Method: m}
	given := slices.Clone(o.given)
	var forFee int64
	shippable := false
	for i, l := range p.Lines {
		c.Pay += o.after[i]
		if !p.TaxShown {
			c.Pay += share(l.Tax, o.after[i])
		}
		if !l.GiftCard {
			forFee += o.after[i]
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
		if m < 0 || !n.holds(s.Goal, before, afterUnits, o.after) {
			return
		}
		if n.topped(s.Key, s.Nudge, before, afterUnits, o.after) {
			return
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
		if nd := n.nudge(s.Nudge); next == fee || nd.HasBudget && fee-next > nd.Budget {
			return
		}
		fee = next
		c.Keys = append(c.Keys, s.Key)
		given = append(given, naiveGiven{s.Key, n.nudge(s.Nudge), pricing.ShippingClass})
	}
	c.Pay += fee
	if !p.TaxShown {
		c.Pay += share(p.ShippingTax, fee)
	}
	slices.SortFunc(c.Keys, pricing.Key.Compare)
	if gifts, ok := n.gifts(given, before, afterUnits, o.after); ok {
		c.Gifts, c.Fee, c.paid = gifts, fee, given
		if n.best == nil || c.better(*n.best) {
			c.by = slices.Clone(n.by)
			n.best = &c
		}
	}
}

func against(a, b pricing.Nudge, ca, cb pricing.Class) bool {
	return a.Group != "" && a.Group == b.Group || a.Refuses&cb != 0 || b.Refuses&ca != 0
}

// gifts gives each gift whose goal holds, or says that the choice is not allowed.
func (n *naive) gifts(given []naiveGiven, before, afterUnits, after []int64) ([]bool, bool) {
	for _, a := range given {
		for _, b := range given {
			if a.key.Nudge != b.key.Nudge && against(a.nudge, b.nudge, a.class, b.class) {
				return nil, false
			}
		}
	}
	out := make([]bool, len(n.p.Gifts))
	left := make([]bool, len(n.p.Gifts)) // gifts that may be given
	for i, g := range n.p.Gifts {
		left[i] = n.holds(g.Goal, before, afterUnits, after) && !n.topped(g.Key, g.Nudge, before, afterUnits, after)
		for _, m := range given {
			if m.key.Nudge != g.Key.Nudge && against(n.nudge(g.Nudge), m.nudge, pricing.GiftClass, m.class) && m.key.Compare(g.Key) < 0 {
				left[i] = false // something of higher priority stands against it
			}
		}
	}
	for slices.Contains(left, true) {
		next := -1 // of the highest list value, or the first of those
		for i, may := range left {
			if may && (next < 0 || n.p.Gifts[i].Worth > n.p.Gifts[next].Worth) {
				next = i
			}
		}
		out[next] = true
		g := n.p.Gifts[next]
		for i, o := range n.p.Gifts {
			if i == next || o.Key.Nudge != g.Key.Nudge && against(n.nudge(g.Nudge), n.nudge(o.Nudge), pricing.GiftClass, pricing.GiftClass) {
				left[i] = false
			}
		}
		for _, m := range given {
			if m.key.Nudge != g.Key.Nudge && against(n.nudge(g.Nudge), m.nudge, pricing.GiftClass, m.class) {
				return nil, false // it is given, so that is not
			}
		}
	}
	return out, true
}

// topped tells whether a higher rung of a replacing ladder holds, of whatever class.
func (n *naive) topped(key pricing.Key, nudge int, before, afterUnits, after []int64) bool {
	if !n.nudge(nudge).Replacing {
		return false
	}
	above := func(k pricing.Key) bool { return k.Nudge == key.Nudge && k.Rung > key.Rung }
	for r, u := range n.p.Units {
		if above(u.Key) && n.unitGoal(r, -1) {
			return true
		}
	}
	for _, o := range n.p.Orders {
		if above(o.Key) && n.holds(o.Goal, before, afterUnits, after) {
			return true
		}
	}
	for _, s := range n.p.Ships {
		if above(s.Key) && n.holds(s.Goal, before, afterUnits, after) {
			return true
		}
	}
	for _, g := range n.p.Gifts {
		if above(g.Key) && n.holds(g.Goal, before, afterUnits, after) {
			return true
		}
	}
	return false
}

// beforeNudges is what lines cost before nudges.
func (n *naive) beforeNudges() []int64 {
	out := make([]int64, len(n.p.Lines))
	for i, l := range n.p.Lines {
		out[i] = l.Amount
	}
	return out
}
