package progress

import (
	"slices"

	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/pricing"
)

// quick judges ranges of additions for carts in which nothing binds rungs to one
// another and all order rewards take from the same lines. Sums that do not depend
// on the addition are worked out once for each unit choice, so that a range is
// judged by a few additions and comparisons. What it says is as certain as what
// ranges says, by the same bounds.
type quick struct {
	p       *pricing.Problem
	choices []quickChoice
	orders  []counted
	ships   []counted
	gifts   []counted
	table   []span // per method: the least and most its fee table holds
	taxes   struct{ least, most money.Rate }

	// Of the range and choice at hand.
	lo, hi  money.Minor
	steps   [mostQuick]taken
	holds   []verdict
	known   []bool // which of holds have been worked out
	options []option
	given   []bool        // the set of order rewards at hand
	weights []money.Minor // room for what each line costs
	rests   []uint64
	after   []money.Minor // with it, each line for a single addition; empty until asked for
}

// mostQuick is how many order rewards are judged in every set.
const mostQuick = 6

// counted is a goal, and what of the lines it counts order rewards take from.
type counted struct {
	goal    *pricing.Goal
	any     bool // anything but the added unit is counted
	lines   int  // lines that are counted and lowered
	outside bool // whether lines that are lowered are not counted
}

// quickChoice is a unit choice with the sums that goals and fees look at, without
// the added unit.
type quickChoice struct {
	units *pricing.UnitChoice
	pay   money.Minor // what lines cost before order rewards, with tax where it comes on top
	base  money.Minor // of lines that order rewards take from
	fee   money.Minor // goods that fee tables look at
	// Per goal: its measure before order rewards, and what of it order rewards take
	// from.
	orders, ships, gifts []sums
}

type sums struct{ value, lowered int64 }

// taken is what one order reward takes of its base.
type taken struct {
	order     int
	base, off span
}

// quickFor returns a quick judge, nil where the problem is not of the kind it
// judges.
func quickFor(p *pricing.Problem, choices []pricing.UnitChoice) *quick {
	if p.Mode != pricing.BestForShopper || len(p.Orders) > mostQuick || p.MostOff > 0 || p.Bonds().Any() {
		return nil
	}
	for i := range p.Orders {
		if p.Replaces(p.Orders[i].Nudge) || !slices.Equal(p.Orders[i].Lines[1:], p.Orders[0].Lines[1:]) {
			return nil
		}
	}
	for i := range p.Ships {
		if p.Replaces(p.Ships[i].Nudge) {
			return nil
		}
	}
	q := &quick{p: p, holds: make([]verdict, len(p.Ships)), known: make([]bool, len(p.Ships)), given: make([]bool, len(p.Orders)), weights: make([]money.Minor, len(p.Lines)), rests: make([]uint64, len(p.Lines)), choices: make([]quickChoice, len(choices))}
	for i := range p.Orders {
		q.orders = append(q.orders, q.counted(&p.Orders[i].Goal))
	}
	for i := range p.Ships {
		q.ships = append(q.ships, q.counted(&p.Ships[i].Goal))
	}
	for i := range p.Gifts {
		q.gifts = append(q.gifts, q.counted(&p.Gifts[i].Goal))
	}
	for _, m := range p.Methods {
		least, most := m.FeeRange(0, money.Most, p.Grams)
		q.table = append(q.table, span{least, most})
	}
	q.taxes.least = money.Whole
	for _, l := range p.Lines {
		q.taxes.least, q.taxes.most = min(q.taxes.least, l.Tax), max(q.taxes.most, l.Tax)
	}
	for i := range choices {
		q.choices[i] = q.choice(&choices[i])
	}
	return q
}

func (q *quick) counted(g *pricing.Goal) counted {
	c := counted{goal: g}
	for j := 1; j < len(g.Scope); j++ {
		lowered := len(q.p.Orders) > 0 && q.p.Orders[0].Lines[j]
		switch {
		case g.Scope[j] && lowered:
			c.lines++
		case lowered:
			c.outside = true
		}
		c.any = c.any || g.Scope[j] && (q.p.Lines[j].Quantity > 0 || g.Measure == pricing.Value)
	}
	return c
}

func (q *quick) choice(u *pricing.UnitChoice) quickChoice {
	c := quickChoice{units: u}
	for j := 1; j < len(q.p.Lines); j++ {
		l := &q.p.Lines[j]
		c.pay += u.After[j]
		if !q.p.TaxShown {
			c.pay += on(l.Tax, u.After[j])
		}
		if len(q.p.Orders) > 0 && q.p.Orders[0].Lines[j] {
			c.base += u.After[j]
		}
		if !l.GiftCard {
			c.fee += u.After[j]
		}
	}
	all := make([]sums, len(q.orders)+len(q.ships)+len(q.gifts))
	c.orders, c.ships, c.gifts = all[:len(q.orders)], all[len(q.orders):len(q.orders)+len(q.ships)], all[len(q.orders)+len(q.ships):]
	for i := range q.orders {
		c.orders[i] = q.sums(q.orders[i].goal, u)
	}
	for i := range q.ships {
		c.ships[i] = q.sums(q.ships[i].goal, u)
	}
	for i := range q.gifts {
		c.gifts[i] = q.sums(q.gifts[i].goal, u)
	}
	return c
}

func (q *quick) sums(g *pricing.Goal, u *pricing.UnitChoice) (s sums) {
	if g.Measure != pricing.Value {
		s.value, _ = q.p.MeasureOf(*g, u.After)
		return s
	}
	for j := 1; j < len(g.Scope); j++ {
		if !g.Scope[j] {
			continue
		}
		a := u.After[j]
		if g.Basis == pricing.Before {
			a = q.p.Lines[j].Amount
		}
		if len(q.p.Orders) > 0 && q.p.Orders[0].Lines[j] {
			s.lowered += a
		}
		if g.WithoutTax && q.p.TaxShown {
			a = net(q.p.Lines[j].Tax, a)
		}
		s.value += a
	}
	return s
}

// fits tells whether the added unit is lowered by all order rewards or by none.
func (q *quick) fits() bool {
	for i := range q.p.Orders {
		if q.p.Orders[i].Lines[0] != q.p.Orders[0].Lines[0] {
			return false
		}
	}
	return true
}

// lowersAdded tells whether order rewards take from the added unit.
func (q *quick) lowersAdded() bool { return len(q.p.Orders) > 0 && q.p.Orders[0].Lines[0] }

// early judges a goal by its measure before order rewards.
func (q *quick) early(c *counted, s sums) verdict { return q.meets(c, q.value(c, s)) }

// value is the range of a goal's measure before order rewards.
func (q *quick) value(c *counted, s sums) span {
	v := span{s.value, s.value}
	if c.goal.Measure == pricing.Value && c.goal.Scope[0] {
		v = v.plus(q.added(c.goal))
	}
	return v
}

// added is what the added unit is worth to a value goal.
func (q *quick) added(g *pricing.Goal) span {
	if g.WithoutTax && q.p.TaxShown {
		rate := q.p.Lines[0].Tax
		return span{net(rate, q.lo), net(rate, q.hi)}
	}
	return span{q.lo, q.hi}
}

func (q *quick) meets(c *counted, v span) verdict {
	g := c.goal
	any := c.any || g.Measure == pricing.Value && g.Scope[0]
	out := certain(g.Meets(v.lo, any), g.Meets(v.hi, any))
	if out == never && g.Most > 0 && v.lo < g.Threshold && v.hi > g.Most {
		return maybe
	}
	return out
}

// late judges a goal after order rewards: given are the first n steps.
func (q *quick) late(c *counted, s sums, n int, choice *quickChoice) verdict {
	v, exact := q.bounds(c, s, n)
	if out := q.meets(c, v); exact || out != maybe || q.lo != q.hi {
		return out
	}
	// Of a single addition what each line then costs decides.
	var m int64
	any := c.any || c.goal.Scope[0]
	if n == 1 && (!c.goal.WithoutTax || !q.p.TaxShown) {
		m = q.value(c, s).lo - q.share(c, choice)
	} else {
		m, any = q.p.MeasureOf(*c.goal, q.lines(choice))
	}
	holds := c.goal.Meets(m, any)
	return certain(holds, holds)
}

// bounds bounds a goal's measure after the order rewards of the first n steps; exact
// tells that for a single addition both ends are its measure.
func (q *quick) bounds(c *counted, s sums, n int) (v span, exact bool) {
	g := c.goal
	v = q.value(c, s)
	if n == 0 || g.Basis != pricing.AfterOrder || g.Measure != pricing.Value {
		return v, true
	}
	added := q.lowersAdded()
	lines := c.lines
	if added && g.Scope[0] {
		lines++
	}
	if lines == 0 {
		return v, true
	}
	isNet := g.WithoutTax && q.p.TaxShown
	if !isNet && !c.outside && (g.Scope[0] || !added) {
		for _, t := range q.steps[:n] {
			v = span{v.lo - t.off.lo, v.hi - t.off.hi}
		}
		return v, true
	}
	// A part of the lines that are lowered is counted. Each one's share is its exact
	// part of the sum, rounded down or up, so that k shares lie less than k from
	// theirs.
	w := span{s.lowered, s.lowered}
	if added && g.Scope[0] {
		w = w.plus(span{q.lo, q.hi})
	}
	was := w
	k := money.Minor(lines)
	for _, t := range q.steps[:n] {
		o := &q.p.Orders[t.order]
		if o.Percent > 0 && (o.Cap == 0 || t.off.hi < o.Cap) {
			low, high := sharesOf(o.Percent, w.lo), sharesOf(o.Percent, w.hi)
			w = span{w.lo - low.hi - k + 1, w.hi - high.lo + k - 1}
		} else {
			w = span{w.lo - portion(t.off.hi, w.hi, t.base.lo) - k, w.hi - portion(t.off.lo, w.lo, t.base.hi) + k}
		}
		w = span{max(0, w.lo), max(0, min(w.hi, was.hi))}
	}
	if !isNet {
		return span{v.lo - (was.lo - w.lo), v.hi - (was.hi - w.hi)}, false
	}
	// What is lost, net of the tax within it, lies between the loss itself and the
	// loss without the highest rate.
	lost := span{max(0, was.lo-w.lo), max(0, was.hi-w.hi)}
	return span{v.lo - max(lost.lo, lost.hi) - k - 1, v.hi - net(q.taxes.most, min(lost.lo, lost.hi)) + k + 1}, false
}

// share is what the one order reward of the set at hand takes from the lines that a
// goal counts, for a single addition.
func (q *quick) share(c *counted, choice *quickChoice) money.Minor {
	lowered := q.p.Orders[0].Lines
	for j, in := range lowered {
		switch {
		case !in:
			q.weights[j] = 0
		case j == 0:
			q.weights[j] = q.lo
		default:
			q.weights[j] = choice.units.After[j]
		}
	}
	return money.ShareOf(q.steps[0].off.lo, q.weights, c.goal.Scope, q.rests)
}

// lines is what each line costs under the choice and the set at hand, for a single
// addition.
func (q *quick) lines(c *quickChoice) []money.Minor {
	if len(q.after) == 0 {
		q.p.Lines[0].Amount = q.lo
		q.after = append(q.after, c.units.After...)
		q.after[0] = q.lo
		q.after = q.p.AfterOrders(pricing.UnitChoice{After: q.after}, q.given)
	}
	return q.after
}

// judge tells whether the target is reached for all, none, or perhaps some
// additions of a range.
func (q *quick) judge(s *search, lo, hi money.Minor) verdict {
	q.lo, q.hi = lo, hi
	q.options = q.options[:0]
	r := ranges{search: s, lo: lo, hi: hi, bonds: s.bonds}
	least := money.Minor(1 << 62)
	for i := range q.choices {
		c := &q.choices[i]
		allowed := r.allows(c.units)
		if allowed == never {
			continue
		}
		for set := 1<<len(q.orders) - 1; set >= 0; set-- {
			q.set(&r, i, set, allowed == always, &least)
		}
	}
	out := agreed(q.options, least)
	if out != maybe || lo == hi || slices.ContainsFunc(q.options, func(o option) bool { return o.pay.lo <= least && o.judge == maybe }) {
		return out // what is not certain of the target here is its own goal, or what it takes
	}
	return r.steady(q.options, least)
}

// set judges a unit choice with a set of order rewards on top of it.
func (q *quick) set(r *ranges, at, set int, sure bool, least *money.Minor) {
	c := &q.choices[at]
	base := span{c.base, c.base}
	if q.lowersAdded() {
		base = base.plus(span{q.lo, q.hi})
	}
	var off span
	n := 0
	q.after = q.after[:0]
	for i := range q.orders {
		if q.given[i] = set>>i&1 == 1; !q.given[i] {
			continue
		}
		switch q.early(&q.orders[i], c.orders[i]) {
		case never:
			return
		case maybe:
			sure = false
		}
		o := &q.p.Orders[i]
		t := taken{i, base, span{o.Off(base.lo), o.Off(base.hi)}}
		if t.off.hi == 0 {
			return
		}
		sure = sure && t.off.lo > 0
		q.steps[n] = t
		n++
		off = off.plus(t.off)
		base = span{base.lo - t.off.lo, base.hi - t.off.hi}
	}
	pay := span{c.pay - off.hi, c.pay - off.lo}
	switch {
	case q.p.TaxShown || n == 0:
	case q.lo == q.hi:
		sum := -q.lo - on(q.p.Lines[0].Tax, q.lo)
		for j, a := range q.lines(c) {
			sum += a + on(q.p.Lines[j].Tax, a)
		}
		pay = span{sum, sum}
	default:
		loose := money.Minor(n * (len(q.p.Lines) + 1))
		pay = span{pay.lo - on(q.taxes.most, off.hi) - loose, pay.hi - on(q.taxes.least, off.lo) + loose}
	}
	if pay.lo > *least {
		return
	}
	clear(q.known)
	judged, known := maybe, false
	for m := range max(1, len(q.p.Methods)) {
		all := pay.plus(q.fee(c, off, m, n))
		if all.lo > *least {
			continue
		}
		if !known {
			judged, known = q.target(r, c, set, n), true
		}
		if sure {
			*least = min(*least, all.hi)
		}
		q.options = append(q.options, option{all, judged, at, set, m})
	}
}

// shipHolds judges a shipping rung's goal for the choice and set at hand.
func (q *quick) shipHolds(c *quickChoice, i, n int) verdict {
	if !q.known[i] {
		q.holds[i], q.known[i] = q.late(&q.ships[i], c.ships[i], n, c), true
	}
	return q.holds[i]
}

// fee bounds a method's fee, with tax where that comes on top.
func (q *quick) fee(c *quickChoice, off span, m, n int) span {
	if len(q.p.Methods) == 0 {
		return span{}
	}
	fee := q.table[m]
	if fee.lo != fee.hi {
		fee.lo, fee.hi = q.p.Methods[m].FeeRange(max(0, c.fee+q.lo-off.lo), max(0, c.fee+q.hi-off.hi), q.p.Grams)
	}
	for i := range q.ships {
		by := &q.p.Ships[i].By[m]
		if by.Form == pricing.NoShippingReward {
			continue
		}
		if fee.hi == 0 {
			break // nothing lowers it further
		}
		holds := q.shipHolds(c, i, n)
		if holds != never {
			fee.lo = by.Lower(fee.lo)
		}
		if holds == always {
			fee.hi = by.Lower(fee.hi)
		}
	}
	if !q.p.TaxShown {
		fee = span{fee.lo + on(q.p.ShippingTax, fee.lo), fee.hi + on(q.p.ShippingTax, fee.hi)}
	}
	return fee
}

// target judges the target if this unit choice and set win.
func (q *quick) target(r *ranges, c *quickChoice, set, n int) verdict {
	switch i := r.t.Index; r.t.Class {
	case pricing.UnitClass:
		return r.unitTarget(c.units)
	case pricing.ShippingClass:
		return q.shipHolds(c, i, n)
	case pricing.GiftClass:
		return q.late(&q.gifts[i], c.gifts[i], n, c)
	default:
		goal := q.early(&q.orders[i], c.orders[i])
		switch {
		case goal == never:
			return never
		case set>>i&1 == 1:
			return always
		case r.orderIdle(i) == never && (n == 0 || q.steps[n-1].base.lo > q.steps[n-1].off.hi):
			return never
		}
		return maybe
	}
}

// guess returns about where in [lo, hi] the least addition that reaches a shipping or
// gift rung lies: from where it may, to where it must, under the first choice with
// every order reward on top.
func (q *quick) guess(t pricing.Ref, lo, hi money.Minor) (from, to money.Minor, ok bool) {
	if len(q.choices) == 0 || t.Class&(pricing.ShippingClass|pricing.GiftClass) == 0 {
		return 0, 0, false
	}
	c := &q.choices[0]
	goal, of := q.ships, c.ships
	if t.Class == pricing.GiftClass {
		goal, of = q.gifts, c.gifts
	}
	measure := func(x money.Minor) span {
		q.lo, q.hi = x, x
		base := c.base
		if q.lowersAdded() {
			base += x
		}
		n := 0
		for i := range q.orders {
			o := &q.p.Orders[i]
			if q.given[i] = q.early(&q.orders[i], c.orders[i]) == always && o.Off(base) > 0; q.given[i] {
				off := o.Off(base)
				q.steps[n] = taken{i, span{base, base}, span{off, off}}
				base -= off
				n++
			}
		}
		v, _ := q.bounds(&goal[t.Index], of[t.Index], n)
		return v
	}
	want := goal[t.Index].goal.Threshold
	if from, ok = climb(lo, hi, want, func(x money.Minor) money.Minor { return measure(x).hi }); !ok {
		return 0, 0, false
	}
	if to, ok = climb(from, hi, want, func(x money.Minor) money.Minor { return measure(x).lo }); !ok {
		to = hi
	}
	return from, to, true
}

// asks tells whether a target is one of those that are judged quickly: a shipping
// reward only where it is free, so that nothing better can stand in its place.
func (q *quick) asks(t pricing.Ref) bool {
	switch t.Class {
	case pricing.ShippingClass:
		for _, r := range q.p.Ships[t.Index].By {
			if r.Form != pricing.Free && r.Form != pricing.NoShippingReward {
				return false
			}
		}
	case pricing.GiftClass:
		return !q.p.Replaces(q.p.Gifts[t.Index].Nudge)
	}
	return true
}
