package progress

import "agonal.dev/agonal/core/pricing"

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
