package progress

import (
	"slices"

	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/pricing"
)

// verdict is what holds over a range of additions.
type verdict int

const (
	maybe verdict = iota
	always
	never
)

func certain(lo, hi bool) verdict {
	switch {
	case lo && hi:
		return always
	case !lo && !hi:
		return never
	}
	return maybe
}

// span is a range of minor units, both ends possible.
type span struct{ lo, hi money.Minor }

func (a span) plus(b span) span { return span{a.lo + b.lo, a.hi + b.hi} }

// ranges bounds what can happen for additions from lo to hi. Bounds may be
// wider than the truth, never narrower. Shares of a percentage lie within two
// minor units of the exact proportion: half from rounding the sum, one from the
// largest remainder.
type ranges struct {
	*search
	lo, hi money.Minor
}

const slack = 2

// goods bounds the goods side under a set of order rewards.
type goods struct {
	line  []span // each line after order rewards
	taken []span // what each line lost
	off   span   // everything taken
	exact bool   // every reward of the set takes from the same lines
	mask  pricing.Scope
	sure  bool // the set is surely allowed
	fails bool // the set is surely not allowed
}

// line returns the range of a line before nudges.
func (r *ranges) before(j int) span {
	if j == 0 {
		return span{r.lo, r.hi}
	}
	return span{r.p.Lines[j].Amount, r.p.Lines[j].Amount}
}

// under bounds the goods side with the order rewards marked in given.
func (r *ranges) under(given []bool) goods {
	n := len(r.p.Lines)
	g := goods{line: make([]span, n), taken: make([]span, n), exact: true, sure: true}
	for j := range g.line {
		g.line[j] = r.before(j)
	}
	for i := range r.p.Orders {
		if !given[i] {
			continue
		}
		o := &r.p.Orders[i]
		switch r.beforeGoal(o.Goal) {
		case never:
			g.fails = true
			return g
		case maybe:
			g.sure = false
		}
		r.take(&g, o)
	}
	return g
}

// beforeGoal judges a goal that looks at values before nudges.
func (r *ranges) beforeGoal(goal pricing.Goal) verdict {
	lo := r.at(r.lo).GoalHolds(goal, nil)
	hi := r.at(r.hi).GoalHolds(goal, nil)
	return certain(lo, hi)
}

func (r *ranges) take(g *goods, o *pricing.Order) {
	if g.mask == nil {
		g.mask = o.Lines
	}
	var base span
	for j, in := range o.Lines {
		g.exact = g.exact && in == g.mask[j]
		if in {
			base = base.plus(g.line[j])
		}
	}
	if g.exact {
		// All take from the same lines: what remains there is a step function of
		// the addition that never falls, so its ends are exact.
		base = span{-g.off.lo, -g.off.hi}
		for j, in := range o.Lines {
			if in {
				base = base.plus(r.before(j))
			}
		}
	}
	off := span{capped(o, base.lo), capped(o, base.hi)}
	if off.hi == 0 {
		g.fails = true
	}
	if off.lo == 0 {
		g.sure = false
	}
	g.off = g.off.plus(off)
	full := o.Cap == 0 || off.hi < o.Cap
	for j, in := range o.Lines {
		if !in {
			continue
		}
		was := g.line[j]
		var share span
		if full {
			low, high := sharesOf(o.Percent, was.lo), sharesOf(o.Percent, was.hi)
			share = span{low.lo, high.hi}
			g.line[j] = span{was.lo - low.hi, was.hi - high.lo}
		} else {
			share = span{portion(off.lo, was.lo, base.hi) - slack, portion(off.hi, was.hi, base.lo) + slack}
			g.line[j] = span{was.lo - share.hi, was.hi - share.lo}
		}
		share = span{max(0, share.lo), max(0, min(share.hi, was.hi))}
		g.line[j] = span{max(0, g.line[j].lo), max(0, g.line[j].hi)}
		g.taken[j] = g.taken[j].plus(share)
	}
}

// sharesOf bounds the share that an uncapped percentage takes from a line: the
// sum is rounded by at most half a minor unit, of which a line bears its part at
// most, and the share is that rounded down or up.
func sharesOf(rate money.Rate, line money.Minor) span {
	exact := int64(rate) * (line % int64(money.Whole))
	whole := int64(rate) * (line / int64(money.Whole))
	half := int64(money.Whole) / 2
	return span{max(0, whole+floorDiv(exact-half, int64(money.Whole))), whole - floorDiv(-exact-half, int64(money.Whole))}
}

func floorDiv(a, b int64) int64 {
	q := a / b
	if a%b < 0 {
		q--
	}
	return q
}

func capped(o *pricing.Order, base money.Minor) money.Minor {
	off, _ := o.Percent.Of(max(0, base))
	if o.Cap > 0 {
		off = min(off, o.Cap)
	}
	return off
}

// portion is off × weight ÷ base, for a base of at least one minor unit.
func portion(off, weight, base money.Minor) money.Minor {
	m, err := money.MulDiv(off, weight, max(1, base))
	if err != nil {
		return money.Most
	}
	return m
}

// pay bounds what the goods cost with tax, less the price of the added unit with
// its tax: a figure that can be compared between sets.
func (r *ranges) pay(g goods) span {
	if r.p.TaxShown {
		return span{-g.off.hi, -g.off.lo}
	}
	var out span
	for j, l := range r.p.Lines {
		if j == 0 {
			less := span{g.taken[0].lo + on(l.Tax, g.taken[0].lo) - slack, g.taken[0].hi + on(l.Tax, g.taken[0].hi) + slack}
			out = out.plus(span{-less.hi, -less.lo})
			continue
		}
		out = out.plus(span{g.line[j].lo + on(l.Tax, g.line[j].lo), g.line[j].hi + on(l.Tax, g.line[j].hi)})
	}
	return out
}

func on(rate money.Rate, m money.Minor) money.Minor {
	t, _ := rate.Of(m)
	return t
}

// value bounds the value of lines, tight where the rewards given take from
// these lines only.
func (r *ranges) value(g goods, in func(j int) bool) span {
	all := g.exact
	var v, before span
	for j := range g.line {
		if !in(j) {
			all = all && (g.mask == nil || !g.mask[j])
			continue
		}
		v = v.plus(g.line[j])
		before = before.plus(r.before(j))
	}
	if all {
		return span{before.lo - g.off.lo, before.hi - g.off.hi}
	}
	return v
}

// goalUnder judges a goal under a set of order rewards.
func (r *ranges) goalUnder(goal pricing.Goal, g goods) verdict {
	if goal.Basis == pricing.Before {
		return r.beforeGoal(goal)
	}
	v := r.value(g, func(j int) bool { return goal.Scope[j] })
	if goal.WithoutTax && r.p.TaxShown {
		v = span{}
		for j, in := range goal.Scope {
			if in {
				v = v.plus(span{net(r.p.Lines[j].Tax, g.line[j].lo), net(r.p.Lines[j].Tax, g.line[j].hi)})
			}
		}
	}
	return certain(goal.Holds(v.lo), goal.Holds(v.hi))
}

func net(rate money.Rate, m money.Minor) money.Minor {
	t, _ := rate.Within(m)
	return m - t
}

// best judges the target where the best choice for the shopper is made: all
// sets of order rewards and methods that could win must agree.
func (r *ranges) best() verdict {
	orders := len(r.p.Orders)
	if 1<<orders > pricing.MostSubsets {
		return maybe
	}
	type option struct {
		pay   span
		sure  bool
		judge verdict
	}
	var options []option
	least := money.Minor(1 << 62)
	given := make([]bool, orders)
	for set := range 1 << orders {
		for i := range given {
			given[i] = set>>i&1 == 1
		}
		g := r.under(given)
		if g.fails {
			continue
		}
		pay := r.pay(g)
		for m := range max(1, len(r.p.Methods)) {
			o := option{pay: pay, sure: g.sure}
			fee, holds := r.fee(g, m)
			o.pay = pay.plus(fee)
			o.judge = r.target(given, g, m, holds)
			if o.sure {
				least = min(least, o.pay.hi)
			}
			options = append(options, o)
		}
	}
	out, seen := maybe, false
	for _, o := range options {
		if o.pay.lo > least {
			continue
		}
		if o.judge == maybe || seen && o.judge != out {
			return maybe
		}
		out, seen = o.judge, true
	}
	return out
}

// fee bounds the fee with its tax for method m, and tells which goals hold.
func (r *ranges) fee(g goods, m int) (span, []verdict) {
	holds := make([]verdict, len(r.p.Ships))
	for i := range r.p.Ships {
		holds[i] = r.goalUnder(r.p.Ships[i].Goal, g)
	}
	if len(r.p.Methods) == 0 {
		return span{}, holds
	}
	fee := r.listFee(g, m)
	for i, s := range r.p.Ships {
		if holds[i] != never {
			fee.lo = s.By[m].Lower(fee.lo)
		}
		if holds[i] == always {
			fee.hi = s.By[m].Lower(fee.hi)
		}
	}
	if !r.p.TaxShown {
		fee = span{fee.lo + on(r.p.ShippingTax, fee.lo), fee.hi + on(r.p.ShippingTax, fee.hi)}
	}
	return fee, holds
}

func (r *ranges) listFee(g goods, m int) span {
	v := r.value(g, func(j int) bool { return !r.p.Lines[j].GiftCard })
	least, most := r.p.Methods[m].FeeRange(max(0, v.lo), max(0, v.hi), r.p.Grams)
	return span{least, most}
}

// target judges the target rung if this set and method win.
func (r *ranges) target(given []bool, g goods, m int, holds []verdict) verdict {
	if r.t.Order {
		o := &r.p.Orders[r.t.Index]
		goal := r.beforeGoal(o.Goal)
		switch {
		case goal == never:
			return never
		case given[r.t.Index]:
			return always
		case capped(o, r.lo) == 0:
			return maybe
		}
		return never // left out, or the goal does not hold
	}
	goal := holds[r.t.Index]
	if goal != always {
		return goal
	}
	if len(r.p.Methods) == 0 {
		return always
	}
	form := r.p.Ships[r.t.Index].By[m].Form
	if form == pricing.Free || form == pricing.NoShippingReward {
		return always
	}
	for _, h := range holds {
		if h == maybe {
			return maybe
		}
	}
	if fee := r.listFee(g, m); fee.lo != fee.hi {
		return maybe
	}
	return r.fixed(given, m)
}

// fixed judges a shipping rung over a range in which the fee and every goal stay
// as they are: the set of rungs given is then the same throughout.
func (r *ranges) fixed(given []bool, m int) verdict {
	o, ok := r.at(r.lo).Under(given, m)
	if !ok {
		return maybe
	}
	if r.p.ShipStatus(&o, r.t.Index) == pricing.Reached {
		return always
	}
	return never
}

// byPriority judges the target where rungs are taken in the merchant's order: if
// every goal is certain at its turn, all additions in the range go the same way.
func (r *ranges) byPriority() verdict {
	sure := true
	note := func(v verdict) bool {
		sure = sure && v != maybe
		return v == always
	}
	given, reached := r.p.InOrder(
		func(i int) bool { return note(r.beforeGoal(r.p.Orders[i].Goal)) },
		func(i int, given []bool) bool { return note(r.goalUnder(r.p.Ships[i].Goal, r.under(given))) },
		func(given []bool) bool {
			g := r.under(given)
			return note(certain(g.sure && !g.fails, !g.fails))
		},
	)
	if !sure {
		return maybe
	}
	g := r.under(given)
	holds := make([]verdict, len(r.p.Ships))
	for i := range holds {
		holds[i] = r.goalUnder(r.p.Ships[i].Goal, g)
		if holds[i] == always && !slices.Contains(reached, i) {
			return maybe
		}
	}
	out := r.target(given, g, 0, holds)
	for m := 1; m < len(r.p.Methods); m++ {
		if r.target(given, g, m, holds) != out {
			return maybe
		}
	}
	return out
}
