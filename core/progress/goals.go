package progress

import (
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/pricing"
)

// due judges whether a rung's goal holds and no higher one of its replacing ladder does.
func (v *view) due(r pricing.Ref) verdict {
	out := v.goal(r)
	for _, h := range v.f.goals[place(r.Class)][r.Index].higher {
		if out == never {
			break
		}
		out = out.and(v.goal(h).not())
	}
	return out
}

// shipDue is due for a shipping rung, worked out once.
func (v *view) shipDue(i int) verdict {
	if !v.known[i] {
		v.holds[i], v.known[i] = v.due(pricing.Ref{Class: pricing.ShippingClass, Index: i}), true
	}
	return v.holds[i]
}

// goal judges a rung's goal.
func (v *view) goal(r pricing.Ref) verdict {
	if r.Class == pricing.UnitClass {
		return v.inRange(v.f.p.HeldBeside(v.c.units, r.Index))
	}
	at := place(r.Class)
	c := &v.f.goals[at][r.Index]
	s := v.sumsOf(at, r.Index, c)
	value, exact := v.measure(c, s)
	out := c.meets(value)
	if exact || out != maybe || !v.single() {
		return out
	}
	// Of a single addition what each line then costs decides.
	var m int64
	any := c.any || c.goal.Scope[0]
	if len(v.steps) == 1 && (!c.goal.WithoutTax || !v.f.p.TaxShown) {
		m = v.early(c, s).lo - v.share(c)
	} else {
		m, any = v.f.p.MeasureOf(c.goal, v.lines())
	}
	holds := c.goal.Meets(m, any)
	return certain(holds, holds)
}

// sumsOf is what of a goal does not depend on the addition.
func (v *view) sumsOf(at, i int, c *counted) sums {
	if len(v.c.sums[at]) > 0 {
		return v.c.sums[at][i]
	}
	return v.f.sums(c.goal, v.c.units)
}

// meets judges a goal by the range of its measure.
func (c *counted) meets(v span) verdict {
	g := c.goal
	any := c.any || g.Measure == pricing.Value && g.Scope[0]
	out := certain(g.Meets(v.lo, any), g.Meets(v.hi, any))
	if out == never && g.Most > 0 && v.lo < g.Threshold && v.hi > g.Most {
		return maybe
	}
	return out
}

// early is the range of a goal's measure before order rewards.
func (v *view) early(c *counted, s sums) span {
	out := one(s.value)
	if c.goal.Measure == pricing.Value && c.goal.Scope[0] {
		out = out.plus(v.worth(c.goal))
	}
	return out
}

// worth is what the added unit is worth to a value goal.
func (v *view) worth(g *pricing.Goal) span {
	if g.WithoutTax && v.f.p.TaxShown {
		rate := v.f.p.Lines[0].Tax
		return span{net(rate, v.lo), net(rate, v.hi)}
	}
	return v.added()
}

// measure bounds a goal's measure; exact tells that for a single addition both ends are
// its measure.
func (v *view) measure(c *counted, s sums) (value span, exact bool) {
	value = v.early(c, s)
	if v.off == (span{}) || c.goal.Basis != pricing.AfterOrder || c.goal.Measure != pricing.Value {
		return value, true
	}
	if !v.bySums {
		return v.measureLines(c)
	}
	added := v.f.lowered(0)
	lines := c.lines
	if added && c.goal.Scope[0] {
		lines++
	}
	if lines == 0 {
		return value, true
	}
	if c.goal.WithoutTax && v.f.p.TaxShown {
		return v.netLeft(c, value), false
	}
	if !c.outside && (c.goal.Scope[0] || !added) {
		return span{value.lo - v.off.lo, value.hi - v.off.hi}, true
	}
	w := one(s.lowered)
	if added && c.goal.Scope[0] {
		w = w.plus(v.added())
	}
	left := v.left(w, money.Minor(lines))
	return span{value.lo - (w.lo - left.lo), value.hi - (w.hi - left.hi)}, false
}

// left bounds what order rewards leave of k lines that cost w together: each one's
// share is its exact part of the sum, rounded down or up, so that k shares lie less
// than k from theirs.
func (v *view) left(w span, k money.Minor) span {
	most := w.hi
	for _, t := range v.steps {
		o := &v.f.p.Orders[t.order]
		switch {
		case t.off == t.base:
			w = span{} // it takes everything
		case o.Percent > 0 && (o.Cap == 0 || t.off.hi < o.Cap):
			w = span{w.lo - sharesOf(o.Percent, w.lo).hi - k + 1, w.hi - sharesOf(o.Percent, w.hi).lo + k - 1}
		default:
			w = span{w.lo - portion(t.off.hi, w.hi, t.base.lo) - k, w.hi - portion(t.off.lo, w.lo, t.base.hi) + k}
		}
		w = span{max(0, w.lo), max(0, min(w.hi, most))}
	}
	return w
}

// netLeft bounds a value without tax: line by line, since rates differ.
func (v *view) netLeft(c *counted, value span) span {
	for j, in := range c.goal.Scope {
		if !in || !v.f.lowered(j) {
			continue
		}
		w := v.added()
		if j > 0 {
			w = one(v.c.units.After[j])
		}
		rate := v.f.p.Lines[j].Tax
		left := v.left(w, 1)
		value = span{value.lo - net(rate, w.lo) + net(rate, left.lo), value.hi - net(rate, w.hi) + net(rate, left.hi)}
	}
	return value
}

// measureLines is measure where every line is bounded by itself.
func (v *view) measureLines(c *counted) (value span, exact bool) {
	g := c.goal
	isNet := g.WithoutTax && v.f.p.TaxShown
	if v.single() {
		m, _ := v.f.p.MeasureOf(g, v.lines())
		return one(m), true
	}
	all := v.exact && !isNet // whether it counts every line that is lowered
	for j, in := range g.Scope {
		if in {
			l := v.line[j]
			if isNet {
				rate := v.f.p.Lines[j].Tax
				l = span{net(rate, l.lo), net(rate, l.hi)}
			}
			value = value.plus(l)
		}
		all = all && (in || !v.taken(j))
	}
	if all {
		before := v.before(g.Scope)
		return span{before.lo - v.off.lo, before.hi - v.off.hi}, true
	}
	return value, false
}

// taken tells whether an order reward that is given takes from a line.
func (v *view) taken(line int) bool {
	for i, is := range v.given {
		if is && v.f.p.Orders[i].Lines[line] {
			return true
		}
	}
	return false
}

// share is what the one order reward of the set at hand takes from the lines that a
// goal counts, for a single addition.
func (v *view) share(c *counted) money.Minor {
	if v.room == nil {
		n := len(v.f.p.Lines)
		v.room, v.amount = make([]uint64, n), make([]money.Minor, n)
	}
	for j := range v.amount {
		switch {
		case !v.f.lowered(j):
			v.amount[j] = 0
		case j == 0:
			v.amount[j] = v.lo
		default:
			v.amount[j] = v.c.units.After[j]
		}
	}
	return money.ShareOf(v.steps[0].off.lo, v.amount, c.goal.Scope, v.room)
}
