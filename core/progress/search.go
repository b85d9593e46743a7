// Package progress answers what is missing to a rung: the gap, what a shopper
// must add to close it, and from what addition on it stays closed.
//
// Adding value to a cart can lose a rung again, because another reward becomes
// due that is better for the shopper and takes goods below the goal. The search
// for the least addition therefore decides anew for additions, exactly, and
// skips whole ranges only where bounds prove that nothing changes in them.
package progress

import (
	"slices"

	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/pricing"
)

// MostNodes bounds the work of the searches of one decision: each range of
// additions that is judged costs one for every choice of units and set of order
// rewards. Where rounding makes a goal hold for one addition and not for the
// next, over a wide range, there is nothing honest to promise: a search that
// comes to its bound finds nothing. A count, never a clock.
const MostNodes = 1 << 15

// ToAdd is what a shopper must add, in minor units as prices are shown.
type ToAdd struct {
	Least   money.Minor // reaches the rung
	Lasting money.Minor // from here on it stays reached
	Exists  bool        // whether Least exists
	Lasts   bool        // whether Lasting exists
	Spent   bool        // the search came to its bound before it knew
}

// Find looks for the additions that reach a rung with a value goal. Line 0 of the
// problem is the added unit; its amount is the search's to set, and is left at 0.
// The problem must be the caller's own. left is how many nodes may still be spent,
// shared by the searches of one decision; nil allows [MostNodes].
func Find(p *pricing.Problem, t pricing.Ref, left *int) ToAdd { return Ask(p).Find(t, left) }

// Question is a cart with an added unit about which several rungs are asked.
type Question struct {
	p        *pricing.Problem
	prepared *pricing.Prepared
	upTo     money.Minor
	quick    *quick // nil: not of that kind
}

// Ask prepares a problem whose line 0 is the added unit.
func Ask(p *pricing.Problem) *Question { return &Question{p: p} }

// Changed tells that the scopes of the problem now count the added unit otherwise.
func (q *Question) Changed() {
	if !q.p.UnitsSettled() {
		q.prepared = nil
	}
}

// choices lists the unit choices for additions up to a price, once: where no goal
// of a unit reward looks at the added unit, for all rungs that are asked about.
func (q *Question) choices(most money.Minor, left *int) *pricing.Prepared {
	if q.prepared == nil || most > q.upTo {
		q.p.Lines[0].Amount = 0
		if q.p.UnitsSettled() {
			most = max(most, 4*q.p.MostThreshold())
			defer q.p.CountAdded()()
		}
		q.prepared, q.upTo = q.p.Prepare(most), most
		*left -= q.prepared.Steps
		q.quick = quickFor(q.p, q.prepared.Choices)
	}
	return q.prepared
}

// Find answers for one rung; see [Find]. A rung that gives several rewards is
// reached as soon as one of them is: all of its refs are named then.
func (q *Question) Find(t pricing.Ref, left *int, more ...pricing.Ref) ToAdd {
	if left == nil {
		left = new(int)
		*left = MostNodes
	}
	p := q.p
	// Half of what is left is this rung's: one that is hard to tell starves no other.
	own := *left / 2
	defer func(all int) { *left = all - (all/2 - own) }(*left)
	s := search{p: p, t: t, more: more, goal: p.Goal(t), left: &own, bonds: p.Bonds()}
	defer func() { p.Lines[0].Amount = 0 }()
	if len(more) == 0 && Plain(p, t) {
		p.Lines[0].Amount = 0
		counted, _ := p.MeasureOf(s.goal, amounts(p))
		return FindPlain(p, s.goal, counted, p.Lines[0].Tax)
	}
	if s.spent() {
		return ToAdd{Spent: true}
	}
	most, ok := s.alone()
	if !ok {
		return ToAdd{}
	}
	reach := max(s.goal.Threshold, 1)
	s.prepared = q.choices(most+2*reach, &own)
	if s.prepared.Cut {
		return ToAdd{Spent: true}
	}
	if q.quick != nil && q.quick.fits() && q.quick.asks(t) && len(more) == 0 {
		s.quick = q.quick
	}
	x, ok := s.first(1, most)
	if !ok || s.spent() {
		return ToAdd{Spent: s.spent()}
	}
	out := ToAdd{Least: x, Exists: true}
	for {
		lost, any := s.lastLost(x+1, x+reach)
		if s.spent() {
			out.Spent = true
			return out
		}
		if !any {
			out.Lasting, out.Lasts = x, true
			return out
		}
		if x, ok = s.first(lost+1, most+reach); !ok || s.spent() {
			out.Spent = s.spent()
			return out
		}
	}
}

func amounts(p *pricing.Problem) []money.Minor {
	out := make([]money.Minor, len(p.Lines))
	for i, l := range p.Lines {
		out[i] = l.Amount
	}
	return out
}

type search struct {
	p        *pricing.Problem
	prepared *pricing.Prepared
	t        pricing.Ref
	more     []pricing.Ref // the other rewards of the rung, by which it is reached as well
	goal     pricing.Goal
	left     *int // nodes that may still be spent
	bonds    pricing.Bonds
	quick    *quick // nil: ranges judge
}

// cost is what judging a range takes, and alone what deciding with a single addition
// takes, in nodes.
func (s *search) cost() (judging, alone int) {
	if s.p.Mode == pricing.ByPriority {
		n, units := 8*(1+len(s.p.Orders)+len(s.p.Units)), int64(0)
		for i := range s.p.Lines {
			units += min(128, s.p.Lines[i].Quantity)
		}
		for i := range s.p.Units {
			if s.p.Units[i].Form == pricing.Every {
				n += int(min(128, 4*units))
			}
		}
		return n, n
	}
	n := len(s.prepared.Choices) << min(len(s.p.Orders), 12)
	if s.quick != nil {
		return 1 + n/4, 4 + 3*n
	}
	return 2 * n, 4 + 3*n
}

// charge counts so many nodes; false where they are spent.
func (s *search) charge(nodes int) bool {
	*s.left -= nodes
	return !s.spent()
}

func (s *search) spent() bool { return *s.left < 0 }

// at sets the added unit's price and returns the problem.
func (s *search) at(x money.Minor) *pricing.Problem {
	s.p.Lines[0].Amount = x
	return s.p
}

// reached decides with an added unit of price x.
func (s *search) reached(x money.Minor) bool {
	p := s.at(x)
	o := s.prepared.Solve()
	if !o.Exact {
		*s.left = -1 // a choice that is only a bound is nothing to promise by
	}
	return attained(p.Status(&o, s.t)) || slices.ContainsFunc(s.more, func(t pricing.Ref) bool { return attained(p.Status(&o, t)) })
}

// attained tells whether nothing more is to be added to the counted goods: a rung
// that waits for the goods it gives something on has its goal.
func attained(s pricing.Status) bool { return s == pricing.Reached || s == pricing.Waiting }

// alone returns the least price at which the added unit, alone in a cart and
// under every order reward there is, makes the goal; false if none does within
// what a cart may hold.
func (s *search) alone() (money.Minor, bool) {
	goal := s.goal
	goal.Most = 0
	worth := func(x money.Minor) money.Minor {
		left := x
		if goal.Basis == pricing.AfterOrder {
			for i := range s.p.Orders {
				if o := &s.p.Orders[i]; o.Lines[0] {
					left -= o.Off(left)
				}
			}
		}
		if goal.WithoutTax && s.p.TaxShown {
			left = net(s.p.Lines[0].Tax, left)
		}
		return left
	}
	return climb(1, money.Most/4, goal.Threshold, worth)
}

// climb returns the least x in [lo, hi] for which worth(x) is at least want; worth
// never falls, and rises by no more than x does.
func climb(lo, hi, want money.Minor, worth func(money.Minor) money.Minor) (money.Minor, bool) {
	x := lo
	for range mostClimbs {
		missing := want - worth(x)
		if missing <= 0 {
			return x, true
		}
		if x += missing; x > hi {
			return 0, false
		}
	}
	return least(x, hi, func(x money.Minor) bool { return worth(x) >= want })
}

// mostClimbs is how many steps are tried before a range is halved.
const mostClimbs = 24

// least returns the least x in [lo, hi] for which a monotone property holds.
func least(lo, hi money.Minor, holds func(money.Minor) bool) (money.Minor, bool) {
	if !holds(hi) {
		return 0, false
	}
	for lo < hi {
		mid := lo + (hi-lo)/2
		if holds(mid) {
			hi = mid
		} else {
			lo = mid + 1
		}
	}
	return lo, true
}

// Plain tells whether reaching a rung is a matter of its goal's value alone: no
// order reward can come into play, nor a unit reward that touches what is counted,
// nothing binds rungs together, and a shipping reward is free, none, or the only
// one there is for every method, so that nothing better can replace it.
func Plain(p *pricing.Problem, t pricing.Ref) bool {
	goal := p.Goal(t)
	if len(p.Orders) > 0 || t.Class&(pricing.ShippingClass|pricing.GiftClass) == 0 || goal.Most > 0 || goal.Basis != pricing.Before && p.UnitsTouch(goal.Scope) || p.Bonds().Any() {
		return false
	}
	if t.Class == pricing.GiftClass {
		return true // of a replacing ladder it or one above it is given
	}
	if p.Replaces(p.Ships[t.Index].Nudge) {
		return false
	}
	units := len(p.Units) > 0
	for m, r := range p.Ships[t.Index].By {
		if r.Form == pricing.Free || r.Form == pricing.NoShippingReward && !units {
			continue
		}
		for i := range p.Ships {
			if i != t.Index && p.Ships[i].By[m].Form != pricing.NoShippingReward {
				return false
			}
		}
	}
	return true
}

// FindPlain is [Find] for a rung that is [Plain]: the least price of an added
// unit, taxed at rate, that lifts the goal's counted value to its threshold.
func FindPlain(p *pricing.Problem, goal pricing.Goal, counted money.Minor, rate money.Rate) ToAdd {
	gap := max(1, goal.Threshold-counted)
	if !goal.WithoutTax || !p.TaxShown {
		return ToAdd{Least: gap, Lasting: gap, Exists: true, Lasts: true}
	}
	x, ok := least(1, money.Most/4, func(x money.Minor) bool { return net(rate, x) >= goal.Threshold-counted })
	return ToAdd{Least: x, Lasting: x, Exists: ok, Lasts: ok}
}

// first returns the least x in [lo, hi] that reaches the rung.
func (s *search) first(lo, hi money.Minor) (money.Minor, bool) {
	if lo > hi {
		return 0, false
	}
	switch s.judge(lo, hi) {
	case always:
		return lo, true
	case never:
		return 0, false
	}
	mid := lo + (hi-lo)/2
	if s.quick != nil && hi-lo > 2*about {
		// Most often nothing happens but near the guess.
		if from, to, ok := s.quick.guess(s.t, lo, hi); ok && (from == lo || s.judge(lo, from-1) == never) {
			lo = from
			for x := from; to-from <= about && x <= to && !s.spent(); x++ {
				if lo = x + 1; s.judge(x, x) == always {
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
	if x, ok := s.first(lo, mid); ok || s.spent() {
		return x, ok
	}
	return s.first(mid+1, hi)
}

// about is how many additions near a guess are tried one by one.
const about = 8

// lastLost returns the greatest x in [lo, hi] that does not reach the rung.
func (s *search) lastLost(lo, hi money.Minor) (money.Minor, bool) {
	if lo > hi {
		return 0, false
	}
	switch s.judge(lo, hi) {
	case always:
		return 0, false
	case never:
		return hi, true
	}
	mid := lo + (hi-lo)/2
	if s.quick != nil && hi-lo > 2*about {
		if _, to, ok := s.quick.guess(s.t, lo, hi); ok && to < mid && s.judge(max(lo+1, to), hi) == always {
			to = max(lo+1, to)
			for x := to - 1; to-lo <= about && x >= lo && !s.spent(); x-- { // most often nothing happens but at once
				if s.judge(x, x) != always {
					return x, true
				}
			}
			if to-lo <= about {
				return 0, false
			}
			return s.lastLost(lo, to-1)
		}
	}
	if x, ok := s.lastLost(mid+1, hi); ok || s.spent() {
		return x, ok
	}
	return s.lastLost(lo, mid)
}

// judge tells whether the rung is reached for all, none, or perhaps some x in
// [lo, hi]. For a single x it is never undecided.
func (s *search) judge(lo, hi money.Minor) verdict {
	judging, alone := s.cost()
	if s.quick != nil {
		if !s.charge(judging) {
			return never // what is found from here on is not used
		}
		if v := s.quick.judge(s, lo, hi); v != maybe || lo != hi {
			return v
		}
	}
	if lo == hi {
		if s.charge(alone) && s.reached(lo) {
			return always
		}
		return never
	}
	if s.quick == nil && !s.charge(judging) {
		return never
	}
	out := s.judgeOne(lo, hi)
	if len(s.more) == 0 || out == always {
		return out
	}
	first := s.t
	defer func() { s.t = first }()
	for _, s.t = range s.more {
		switch s.judgeOne(lo, hi) {
		case always:
			return always
		case maybe:
			out = maybe
		}
	}
	return out
}

// judgeOne judges a range for the reward at hand.
func (s *search) judgeOne(lo, hi money.Minor) verdict {
	r := ranges{search: s, lo: lo, hi: hi, bonds: s.bonds}
	if s.p.Mode == pricing.ByPriority {
		return r.byPriority()
	}
	return r.best()
}
