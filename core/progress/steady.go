package progress

import (
	"slices"

	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/pricing"
)

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
