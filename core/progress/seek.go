package progress

import (
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/pricing"
)

// first returns the least x in [lo, hi] that reaches the rung, among the options that
// may be the best there.
func (s *hunt) first(lo, hi money.Minor, among []option) (money.Minor, bool) {
	if lo > hi {
		return 0, false
	}
	defer s.tidy(len(s.f.pile))
	v, among := s.judge(lo, hi, among)
	switch v {
	case always:
		return lo, true
	case never:
		return 0, false
	}
	mid := lo + (hi-lo)/2
	if hi-lo > 2*about {
		// Most often nothing happens but near the guess.
		if from, to, ok := s.guess(lo, hi, among); ok && (from == lo || s.is(never, lo, from-1, among)) {
			lo = from
			for x := from; to-from <= about && x <= to && !s.spent(); x++ {
				if lo = x + 1; s.is(always, x, x, among) {
					return x, true
				}
			}
			if lo > hi {
				return 0, false
			}
			if mid = to; mid >= hi || mid < lo {
				mid = lo + (hi-lo)/2
			}
		}
	}
	if x, ok := s.first(lo, mid, among); ok || s.spent() {
		return x, ok
	}
	return s.first(mid+1, hi, among)
}

// about is how many additions near a guess are tried one by one.
const about = 8

// lastLost returns the greatest x in [lo, hi] that does not reach the rung.
func (s *hunt) lastLost(lo, hi money.Minor, among []option) (money.Minor, bool) {
	if lo > hi {
		return 0, false
	}
	defer s.tidy(len(s.f.pile))
	v, among := s.judge(lo, hi, among)
	switch v {
	case always:
		return 0, false
	case never:
		return hi, true
	}
	mid := lo + (hi-lo)/2
	if hi-lo > 2*about {
		if _, to, ok := s.guess(lo, hi, among); ok && to < mid && s.is(always, max(lo+1, to), hi, among) {
			to = max(lo+1, to)
			for x := to - 1; to-lo <= about && x >= lo && !s.spent(); x-- { // most often nothing happens but at once
				if !s.is(always, x, x, among) {
					return x, true
				}
			}
			if to-lo <= about {
				return 0, false
			}
			return s.lastLost(lo, to-1, among)
		}
	}
	if x, ok := s.lastLost(mid+1, hi, among); ok || s.spent() {
		return x, ok
	}
	return s.lastLost(lo, mid, among)
}

// tidy takes what is above a height off the pile.
func (s *hunt) tidy(height int) { s.f.pile = s.f.pile[:height] }

func (s *hunt) is(v verdict, lo, hi money.Minor, among []option) bool {
	defer s.tidy(len(s.f.pile))
	is, _ := s.judge(lo, hi, among)
	return is == v
}

// judge tells whether the rung is reached for all, none, or perhaps some x in [lo, hi],
// and which options may be the best there. For a single x it is never undecided.
func (s *hunt) judge(lo, hi money.Minor, among []option) (verdict, []option) {
	s.view.over(lo, hi)
	if s.p.Mode == pricing.ByPriority {
		if !s.charge(s.judging) {
			return never, nil // what is found from here on is not used
		}
		return s.byPriority(), nil
	}
	if !s.charge(len(among) * s.judging) {
		return never, nil
	}
	if lo == hi && !s.view.bySums {
		return s.decide(lo, among), among
	}
	v, left := s.best(among)
	if v == maybe && lo == hi {
		v = s.decide(lo, left)
	}
	return v, left
}

// guess returns about where in [lo, hi] the least addition that reaches a shipping or
// gift rung lies: from where it may, to where it must, by the first unit choice with
// every order reward on top.
func (s *hunt) guess(lo, hi money.Minor, among []option) (from, to money.Minor, ok bool) {
	t, v := s.refs[0], s.view
	if !v.bySums || len(among) == 0 || t.Class&(pricing.ShippingClass|pricing.GiftClass) == 0 {
		return 0, 0, false
	}
	c := &s.f.goals[place(t.Class)][t.Index]
	measure := func(x money.Minor) span {
		v.over(x, x)
		v.look(&s.f.choices[among[0].choice], marks(s.given, among[0].set))
		m, _ := v.measure(c, v.sumsOf(place(t.Class), t.Index, c))
		return m
	}
	want := c.goal.Threshold
	if from, ok = climb(lo, hi, want, func(x money.Minor) money.Minor { return measure(x).hi }); !ok {
		return 0, 0, false
	}
	if to, ok = climb(from, hi, want, func(x money.Minor) money.Minor { return measure(x).lo }); !ok {
		to = hi
	}
	return from, to, true
}
