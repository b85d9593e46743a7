package progress

import (
	"slices"

	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/pricing"
)

// option is a unit choice with a set of order rewards, as the search for the best
// choice may come to it.
type option struct {
	choice, set int
	// Of the range last looked at.
	pay    span // with the fee, less the price of the added unit
	fee    span
	target verdict
	sure   bool
	// What goods cost at the ends of the range, and by how much what they cost between
	// may differ from a line between those; no number where that is not known.
	ends  [2]money.Minor
	noise money.Minor
}

// far is a difference that no two payments have.
const far = money.Most

// mostOrders is how many order rewards are tried in every set.
const mostOrders = 12

// options lists every unit choice with every set of order rewards that may stand beside
// one another.
func (s *hunt) options() []option {
	orders := len(s.p.Orders)
	choices := s.prepared.Choices
	if orders > mostOrders || len(choices)<<orders > *s.left {
		return nil
	}
	out := make([]option, 0, len(choices)<<orders)
	given := make([]bool, orders)
	for c := range choices {
		for set := 1<<orders - 1; set >= 0; set-- {
			if s.f.bonds.Units && s.p.Clashes(choices[c].Given, marks(given, set)) {
				continue
			}
			out = append(out, option{choice: c, set: set})
		}
	}
	return out
}

// marks writes a set as marks.
func marks(given []bool, set int) []bool {
	for i := range given {
		given[i] = set>>i&1 == 1
	}
	return given
}

// best judges the target where the best choice for the shopper is made: all options
// that may be the best must agree. Those are put on the pile.
func (s *hunt) best(among []option) (verdict, []option) {
	v, from := s.view, len(s.f.pile)
	least := money.Minor(1 << 62)
	for _, o := range among {
		goods := s.turn(o)
		if v.fails || goods.lo > least {
			continue
		}
		o.fee = v.fee()
		if o.pay = goods.plus(o.fee); o.pay.lo > least {
			continue
		}
		o.target = s.target(v)
		if o.sure = v.sure; o.sure {
			least = min(least, o.pay.hi)
		}
		if !v.single() {
			s.measure(&o)
		}
		s.f.pile = append(s.f.pile, o)
	}
	left := s.f.pile[from:]
	left = slices.DeleteFunc(left, func(o option) bool { return o.pay.lo > least })
	out := agreed(left)
	if out == maybe && !v.single() {
		left = unbeaten(left)
		if out = agreed(left); out == maybe {
			out = s.steady(left)
		}
	}
	return out, left
}

// unbeaten drops the options that one which is surely allowed beats at both ends of the
// range by more than rounding: it beats them between, too.
func unbeaten(of []option) []option {
	var pivots [2]option
	n := 0
	for end := range 2 {
		at := -1
		for i, o := range of {
			if o.sure && o.noise < far && (at < 0 || o.ends[end]+o.fee.hi < of[at].ends[end]+of[at].fee.hi) {
				at = i
			}
		}
		if at >= 0 {
			pivots[n] = of[at]
			n++
		}
	}
	return slices.DeleteFunc(of, func(o option) bool {
		for _, b := range pivots[:n] {
			by, noise := o.fee.lo-b.fee.hi, o.noise+b.noise
			if o.noise < far && o.ends[0]-b.ends[0]+by > noise && o.ends[1]-b.ends[1]+by > noise {
				return true
			}
		}
		return false
	})
}

// turn turns the view to an option and returns what its goods cost.
func (s *hunt) turn(o option) span {
	v := s.view
	v.look(&s.f.choices[o.choice], marks(s.given, o.set))
	if s.f.bonds.Gifts && !v.fails {
		v.giftsAllow()
	}
	return v.pay()
}

// agreed is what all options say.
func agreed(of []option) verdict {
	out := never
	for i, o := range of {
		if i == 0 {
			out = o.target
		}
		if o.target == maybe || o.target != out {
			return maybe
		}
	}
	return out
}

// steady judges the target where nothing changes over the range but what is paid: what
// one addition comes to with an option holds for all with that option. Where options
// differ, the same must be the best throughout.
func (s *hunt) steady(of []option) verdict {
	v := s.view
	lo, hi := v.lo, v.hi
	if s.free && slices.ContainsFunc(of, func(o option) bool { return o.target == maybe }) {
		return maybe // its own goal is not the same throughout
	}
	for i := range of {
		o := &of[i]
		if o.target != maybe {
			continue
		}
		v.over(lo, hi)
		if s.turn(*o); !s.settled(v) {
			return maybe
		}
		if o.target = s.decide(lo, of[i:i+1]); s.spent() {
			return never
		}
	}
	out := agreed(of)
	if out != maybe || slices.ContainsFunc(of, func(o option) bool { return !o.sure }) {
		return out
	}
	step := s.period(of)
	if step == 0 || hi-lo < 2*step {
		return maybe
	}
	// What is paid goes up and down alike with every step, and with it the best option.
	for x := lo; x < lo+step; x++ {
		v := s.decide(x, of)
		if s.spent() || x > lo && v != out {
			return maybe
		}
		out = v
	}
	return out
}

// mostPeriod is how many additions are tried for a pattern that repeats.
const mostPeriod = 40

// period is after how many minor units what the options cost differs by the same
// amounts again, as long as nothing else changes; 0 where that is not known.
func (s *hunt) period(of []option) money.Minor {
	var step money.Minor
	for i, o := range of {
		s.turn(o)
		if !s.settled(s.view) || len(s.p.Orders) > 0 && (o.noise >= far || o.set != of[0].set) {
			return 0
		}
		own := s.view.period()
		if i > 0 && own != step {
			return 0
		}
		step = own
	}
	return step
}

// period is after how many minor units each percentage is rounded as before; 0 where
// that are too many.
func (v *view) period() money.Minor {
	step := money.Minor(1)
	if !v.f.lowered(0) {
		return step
	}
	rises := step // of what is left, by one step
	for _, t := range v.steps {
		o := &v.f.p.Orders[t.order]
		if o.Percent == 0 || o.Cap > 0 && t.off.lo == o.Cap {
			continue
		}
		for k := money.Minor(1); ; k++ {
			if k*step > mostPeriod {
				return 0
			}
			if off := int64(o.Percent) * k * rises; off%int64(money.Whole) == 0 {
				step, rises = step*k, k*rises-off/int64(money.Whole)
				break
			}
		}
	}
	return step
}

// measure notes what an option's goods cost at the ends of the range, where between
// them it lies on a line but for rounding: half a minor unit for each percentage and
// each line's tax, at either end and between.
func (s *hunt) measure(o *option) {
	v := s.view
	o.noise = far
	if !v.bySums || !s.p.TaxShown {
		return
	}
	noise := money.Minor(0)
	for _, t := range v.steps {
		r := &s.p.Orders[t.order]
		switch {
		case t.off.lo == t.off.hi:
		case r.Percent > 0 && (r.Cap == 0 || t.off.hi < r.Cap):
			noise += 2
		default:
			return
		}
	}
	o.ends, o.noise = [2]money.Minor{v.c.pay - v.off.lo, v.c.pay - v.off.hi}, noise
}

// decide decides with one addition among options that may be the best.
func (s *hunt) decide(x money.Minor, among []option) verdict {
	if !s.charge(2 * len(among) * s.weight) {
		return never
	}
	s.p.Lines[0].Amount = x
	o, ok := s.prepared.Among(func(yield func(choice, set int) bool) {
		for _, o := range among {
			if !yield(o.choice, o.set) {
				return
			}
		}
	})
	if !ok {
		return never
	}
	return s.attained(&o)
}

// attained tells whether an outcome asks for nothing more of what the rung counts: a
// rung that waits for the goods it gives something on has its goal.
func (s *hunt) attained(o *pricing.Outcome) verdict {
	for _, t := range s.refs {
		if st := s.p.Status(o, t); st == pricing.Reached || st == pricing.Waiting {
			return always
		}
	}
	return never
}

// target judges the target if the option in view is the best: maybe where more than
// its own goal decides.
func (s *hunt) target(v *view) verdict {
	out := never
	for _, t := range s.refs {
		switch one := s.targetOf(v, t); one {
		case always:
			return always
		case maybe:
			out = maybe
		}
	}
	return out
}

func (s *hunt) targetOf(v *view, t pricing.Ref) verdict {
	switch t.Class {
	case pricing.UnitClass:
		if v.c.units.Given[t.Index] {
			return always
		}
	case pricing.OrderClass:
		if v.given[t.Index] {
			return always
		}
		if v.goal(t) == never {
			return never
		}
	case pricing.ShippingClass:
		if s.free {
			return v.shipDue(t.Index)
		}
		if v.goal(t) == never {
			return never
		}
	default:
		if goal := v.goal(t); s.free || goal == never {
			return goal
		}
	}
	return maybe
}

// plainly tells whether a shipping reward or a gift is given wherever its goal holds:
// nothing binds it, and no better fee can stand in its place.
func (s *hunt) plainly() bool {
	b := s.f.bonds
	if len(s.refs) > 1 || b.Mixed {
		return false
	}
	switch t := s.refs[0]; t.Class {
	case pricing.ShippingClass:
		for _, r := range s.p.Ships[t.Index].By {
			if r.Form != pricing.Free && r.Form != pricing.NoShippingReward {
				return false
			}
		}
		return !b.Ships && !s.p.Replaces(s.p.Ships[t.Index].Nudge)
	case pricing.GiftClass:
		return !b.Gifts // of a replacing ladder it or one above it is given
	}
	return false
}

// giftsAllow judges whether the gifts allow the option in view: one of higher priority
// that is given keeps others from being given.
func (v *view) giftsAllow() {
	p := v.f.p
	known := true
	p.EachRung(func(r pricing.Ref) {
		known = known && (r.Class != pricing.GiftClass || v.due(r) != maybe)
	})
	_, ok := p.GiftsBeside(p.Paid(v.c.units.Given, v.given, nil), len(p.Gifts), func(r pricing.Ref) bool { return v.due(r) == always })
	switch {
	case known && ok:
	case known && !v.f.bonds.Ships:
		v.fails = true
	default:
		v.sure = false
	}
}

// settled tells whether nothing about the option in view changes over the range but
// what is paid: every goal that matters, every fee, and what the target goes by.
func (s *hunt) settled(v *view) bool {
	p := s.p
	if !v.sure {
		return false
	}
	ok := true
	p.EachRung(func(r pricing.Ref) {
		switch {
		case !ok || r.Class == pricing.UnitClass,
			r.Class == pricing.ShippingClass && !s.matters(r),
			r.Class == pricing.GiftClass && !v.f.bonds.Gifts && !s.kin(r):
		default:
			ok = v.due(r) != maybe && v.goal(r) != maybe
		}
	})
	for m := range p.Methods {
		fee := v.listFee(m)
		ok = ok && fee.lo == fee.hi
	}
	for _, t := range s.refs {
		ok = ok && s.targetSettled(v, t)
	}
	return ok
}

// kin tells whether a rung is of the target's nudge.
func (s *hunt) kin(r pricing.Ref) bool {
	return s.p.KeyOf(r).Nudge == s.p.KeyOf(s.refs[0]).Nudge
}

// matters tells whether a shipping rung may lower a fee, or is of the target's nudge.
func (s *hunt) matters(r pricing.Ref) bool {
	for m, by := range s.p.Ships[r.Index].By {
		if most := s.f.table[m].hi; by.Lower(most) < most {
			return true
		}
	}
	return s.kin(r)
}

// targetSettled tells whether what makes a target reached, besides what is given and
// the goals of other rungs, stays as it is.
func (s *hunt) targetSettled(v *view, t pricing.Ref) bool {
	p := s.p
	switch t.Class {
	case pricing.UnitClass:
		g := v.f.goals[0][t.Index].goal
		above := *g
		above.Threshold, above.Most = g.Most+1, 0
		return v.inRange(p.HeldByAll(g)) != maybe && v.inRange(p.HeldBeside(v.c.units, t.Index)) != maybe &&
			(g.Most == 0 || v.inRange(p.HeldByAll(&above)) != maybe)
	case pricing.OrderClass:
		o := &p.Orders[t.Index]
		var base span
		for j, in := range o.Lines {
			switch {
			case in && j == 0:
				base = base.plus(v.added())
			case in:
				base = base.plus(one(p.Lines[j].Amount))
			}
		}
		return certain(o.Off(base.lo) > 0, o.Off(base.hi) > 0) != maybe && v.nothing(o.Lines) != maybe
	}
	return true
}

// nothing judges whether lines in a scope cost nothing any more; sums tell it of the
// lines that order rewards take from.
func (v *view) nothing(in pricing.Scope) verdict {
	if v.bySums {
		left := v.before(in)
		return certain(left.lo <= v.off.lo, left.hi <= v.off.hi)
	}
	out := always
	for j, is := range in {
		if !is {
			continue
		}
		l := v.added()
		switch {
		case len(v.line) > 0:
			l = v.line[j]
		case j > 0:
			l = one(v.c.units.After[j])
		}
		switch {
		case l.hi <= 0:
		case l.lo > 0:
			return never
		default:
			out = maybe
		}
	}
	return out
}
