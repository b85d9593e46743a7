package progress

import (
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/pricing"
)

// view is what a unit choice with a set of order rewards on top comes to, for
// additions from lo to hi. Bounds may be wider than the truth, never narrower. Where
// all order rewards take from the same lines, sums tell: what remains of them is a step
// function of the addition that never falls, so its ends are exact. Otherwise every
// line is bounded by itself; shares of a percentage lie within two minor units of the
// exact proportion: half from rounding the sum, one from the largest remainder.
type view struct {
	f      *figures
	lo, hi money.Minor
	bySums bool // the added unit fits sums, too
	c      *choice
	given  []bool // order rungs
	sure   bool   // it is surely allowed
	fails  bool   // it is surely not
	off    span   // everything order rewards take
	steps  []taken
	holds  []verdict // of the shipping rungs that were asked for
	known  []bool
	line   []span        // by lines: each after order rewards
	exact  bool          // by lines: every reward so far takes from the same ones
	after  []money.Minor // each line for a single addition; empty until asked for
	room   []uint64
	amount []money.Minor
}

// taken is what one order reward takes of its base.
type taken struct {
	order     int
	base, off span
}

const slack = 2

// view is the view on these figures; there is one.
func (f *figures) view() *view {
	v := &f.seen
	if v.f == nil {
		n := len(f.p.Ships)
		marks := make([]bool, n+len(f.p.Orders))
		*v = view{f: f, holds: make([]verdict, n), known: marks[:n], steps: make([]taken, 0, len(f.p.Orders))}
		f.given = marks[n:]
	}
	v.bySums = f.fits()
	return v
}

// over turns to a range of additions.
func (v *view) over(lo, hi money.Minor) { v.lo, v.hi = lo, hi }

// single tells whether the range is one addition.
func (v *view) single() bool { return v.lo == v.hi }

// added is the range of the added unit's price.
func (v *view) added() span { return span{v.lo, v.hi} }

// look turns to a unit choice with the order rungs marked in given.
func (v *view) look(c *choice, given []bool) {
	v.c, v.given = c, given
	v.sure, v.fails, v.off = true, false, span{}
	v.steps, v.after, v.line = v.steps[:0], v.after[:0], v.line[:0]
	clear(v.known)
	v.note(v.inRange(c.units.From, c.units.To, true))
	last := -1
	for i, is := range given {
		if is && !v.fails {
			v.note(v.due(pricing.Ref{Class: pricing.OrderClass, Index: i}))
			last = i
		}
	}
	switch {
	case v.fails || last < 0:
	case v.bySums:
		v.takeSums()
	case v.single():
		v.takeExactly()
	default:
		v.takeLines(last)
	}
}

// note says that something must hold for the option to be allowed.
func (v *view) note(holds verdict) {
	v.sure = v.sure && holds == always
	v.fails = v.fails || holds == never
}

// inRange judges whether additions lie from one price to another.
func (v *view) inRange(from, to money.Minor, ok bool) verdict {
	switch {
	case !ok || v.hi < from || v.lo > to:
		return never
	case from <= v.lo && v.hi <= to:
		return always
	}
	return maybe
}

// within judges whether order reward i takes something, and no more than its budget.
func (v *view) within(i int, off span) {
	v.note(certain(off.lo > 0, off.hi > 0))
	if budget, is := v.f.p.BudgetOf(i); is {
		v.note(certain(off.lo <= budget, off.hi <= budget))
	}
}

func (v *view) takeSums() {
	base := one(v.c.base)
	if v.f.lowered(0) {
		base = base.plus(v.added())
	}
	for i, is := range v.given {
		if !is {
			continue
		}
		o := &v.f.p.Orders[i]
		t := taken{i, base, span{o.Off(base.lo), o.Off(base.hi)}}
		v.within(i, t.off)
		v.steps = append(v.steps, t)
		v.off = v.off.plus(t.off)
		base = span{base.lo - t.off.lo, base.hi - t.off.hi}
	}
}

// takeExactly works out a single addition.
func (v *view) takeExactly() {
	v.f.p.Lines[0].Amount = v.lo
	after, ok := v.f.p.AfterOrders(v.c.units, v.given)
	v.after = append(v.after, after...)
	v.fails = !ok
	off := v.lo
	for j, a := range v.c.units.After[1:] {
		off += a - v.after[j+1]
	}
	v.off = one(off - v.after[0])
}

// takeLines bounds every line by itself; the last reward is trimmed to what may be
// taken off an order at most.
func (v *view) takeLines(last int) {
	p := v.f.p
	v.line, v.exact = append(v.line, v.added()), true
	for _, a := range v.c.units.After[1:] {
		v.line = append(v.line, one(a))
	}
	var mask pricing.Scope
	for i, is := range v.given {
		if !is {
			continue
		}
		o := &p.Orders[i]
		if mask == nil {
			mask = o.Lines
		}
		base := span{}
		for j, in := range o.Lines {
			v.exact = v.exact && in == mask[j]
			if in {
				base = base.plus(v.line[j])
			}
		}
		if v.exact {
			base = v.before(o.Lines)
			base = span{base.lo - v.off.lo, base.hi - v.off.hi}
		}
		off, trimmed := span{o.Off(base.lo), o.Off(base.hi)}, false
		if p.MostOff > 0 {
			off, trimmed = v.trim(off, i == last)
		}
		v.within(i, off)
		v.off = v.off.plus(off)
		v.spread(o, base, off, !trimmed && o.Percent > 0 && (o.Cap == 0 || off.hi < o.Cap))
	}
	if v.f.bonds.Limits {
		sure, can := p.FloorsOver(v.c.units, v.given, func(j int) money.Minor { return v.line[j].lo }, func(j int) money.Minor { return v.line[j].hi })
		v.sure, v.fails = v.sure && sure, v.fails || !can
	}
}

// spread takes each line's share of what an order reward takes of base.
func (v *view) spread(o *pricing.Order, base, off span, full bool) {
	for j, in := range o.Lines {
		if !in {
			continue
		}
		was := v.line[j]
		share := span{portion(off.lo, was.lo, base.hi) - slack, portion(off.hi, was.hi, base.lo) + slack}
		left := span{was.lo - share.hi, was.hi - share.lo}
		if full {
			left = span{was.lo - sharesOf(o.Percent, was.lo).hi, was.hi - sharesOf(o.Percent, was.hi).lo}
		}
		v.line[j] = span{max(0, left.lo), max(0, min(left.hi, was.hi))}
	}
}

// trim bounds what an order reward takes where no more than so much may be taken off
// the order.
func (v *view) trim(off span, last bool) (span, bool) {
	most := v.f.p.MostOff
	for j := 1; j < len(v.f.p.Lines); j++ {
		most -= v.f.p.Lines[j].Amount - v.c.units.After[j]
	}
	room := span{most - v.off.hi, most - v.off.lo}
	switch {
	case off.hi <= room.lo:
		return off, false
	case last && off.lo >= room.hi:
		return span{max(0, room.lo), max(0, room.hi)}, true
	case !last && off.lo > room.hi:
		v.fails = true
	}
	v.exact = false
	return span{0, min(off.hi, max(0, room.hi))}, true
}

// before bounds what lines in a scope cost before order rewards.
func (v *view) before(in pricing.Scope) (out span) {
	for j, is := range in {
		switch {
		case is && j == 0:
			out = out.plus(v.added())
		case is:
			out = out.plus(one(v.c.units.After[j]))
		}
	}
	return out
}

// pay bounds what the goods cost with tax, less the price of the added unit with
// its tax: a figure that can be compared between options.
func (v *view) pay() span {
	p := v.f.p
	pay := span{v.c.pay - v.off.hi, v.c.pay - v.off.lo}
	lost := v.off
	switch {
	case p.TaxShown || lost == span{}:
	case v.single():
		sum := -v.lo - on(p.Lines[0].Tax, v.lo)
		for j, a := range v.lines() {
			sum += a + on(p.Lines[j].Tax, a)
		}
		return one(sum)
	default:
		loose := money.Minor(len(p.Orders) * (len(p.Lines) + 1))
		pay = span{pay.lo - on(money.Rate(v.f.taxes.hi), lost.hi) - loose, pay.hi - on(money.Rate(v.f.taxes.lo), lost.lo) + loose}
	}
	return pay
}

// lines is what each line costs for a single addition.
func (v *view) lines() []money.Minor {
	if len(v.after) == 0 {
		v.f.p.Lines[0].Amount = v.lo
		after, _ := v.f.p.AfterOrders(v.c.units, v.given)
		v.after = append(v.after, after...)
	}
	return v.after
}

// fee bounds the least fee of any method, with tax where it comes on top.
func (v *view) fee() span {
	if len(v.f.p.Methods) == 0 {
		return span{}
	}
	out := span{1 << 62, 1 << 62}
	for m := range v.f.p.Methods {
		fee := v.listFee(m)
		for i := range v.f.p.Ships {
			by := &v.f.p.Ships[i].By[m]
			if by.Form == pricing.NoShippingReward {
				continue
			}
			if fee.hi == 0 {
				break // nothing lowers it further
			}
			holds := v.shipDue(i)
			if holds != never {
				fee.lo = by.Lower(fee.lo)
			}
			if holds == always && !v.f.bonds.Ships {
				fee.hi = by.Lower(fee.hi)
			}
		}
		fee = v.taxed(fee)
		out = span{min(out.lo, fee.lo), min(out.hi, fee.hi)}
	}
	return out
}

func (v *view) taxed(fee span) span {
	if v.f.p.TaxShown {
		return fee
	}
	rate := v.f.p.ShippingTax
	return span{fee.lo + on(rate, fee.lo), fee.hi + on(rate, fee.hi)}
}

// listFee bounds what a method's table holds.
func (v *view) listFee(m int) span {
	fee := v.f.table[m]
	if fee.lo == fee.hi {
		return fee
	}
	goods := span{v.c.fee + v.lo - v.off.lo, v.c.fee + v.hi - v.off.hi}
	switch {
	case v.bySums, v.off == span{}:
	case v.single():
		goods = span{}
		for j, a := range v.lines() {
			if !v.f.p.Lines[j].GiftCard {
				goods = goods.plus(one(a))
			}
		}
	case !v.exact:
		goods = span{}
		for j, l := range v.line {
			if !v.f.p.Lines[j].GiftCard {
				goods = goods.plus(l)
			}
		}
	}
	least, most := v.f.p.Methods[m].FeeRange(max(0, goods.lo), max(0, goods.hi), v.f.p.Grams)
	return span{least, most}
}
