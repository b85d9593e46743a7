// Package progress answers what is missing to a rung: the gap, what a shopper
// must add to close it, and from what addition on it stays closed.
//
// Adding value to a cart can lose a rung again, because another reward becomes
// due that is better for the shopper and takes goods below the goal. The search
// for the least addition therefore decides anew for additions, exactly, and
// skips whole ranges only where bounds prove that nothing changes in them.
package progress

import (
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/pricing"
	"agonal.dev/agonal/core/search"
)

// MostNodes bounds the work of the searches of one decision: looking at a unit choice
// with a set of order rewards costs one, and more where there are many lines. Where
// rounding makes a goal hold for one addition and not for the
// next, over a wide range, there is nothing honest to promise: a search that
// comes to its bound finds nothing. A count, never a clock.
const MostNodes = 1 << 17

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
	prepared *search.Prepared
	upTo     money.Minor
	figures  *figures
	refs     []pricing.Ref
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
func (q *Question) choices(most money.Minor, left *int) *search.Prepared {
	if q.prepared == nil || most > q.upTo {
		q.p.Lines[0].Amount = 0
		if q.p.UnitsSettled() {
			most = max(most, 4*q.p.MostThreshold())
			defer q.p.CountAdded()()
		}
		q.prepared, q.upTo = search.Prepare(q.p, most), most
		*left -= q.prepared.Steps / 4
		q.figures = figuresOf(q.p, q.prepared.Choices)
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
	defer func() { p.Lines[0].Amount = 0 }()
	goal := p.GoalOf(t)
	if len(more) == 0 && Plain(p, t) {
		p.Lines[0].Amount = 0
		counted, _ := p.MeasureOf(goal, amounts(p))
		return FindPlain(p, goal, counted, p.Lines[0].Tax)
	}
	q.refs = append(append(q.refs[:0], t), more...)
	s := hunt{p: p, refs: q.refs, left: &own}
	if s.spent() {
		return ToAdd{Spent: true}
	}
	most, ok := s.alone(*goal)
	if !ok {
		return ToAdd{}
	}
	reach := max(goal.Threshold, 1)
	s.prepared = q.choices(most+2*reach, &own)
	if s.prepared.Cut {
		return ToAdd{Spent: true}
	}
	s.f = q.figures
	all := s.ready()

	if s.spent() {
		return ToAdd{Spent: true}
	}
	x, ok := s.first(1, most, all)
	if !ok || s.spent() {
		return ToAdd{Spent: s.spent()}
	}
	out := ToAdd{Least: x, Exists: true}
	for {
		lost, any := s.lastLost(x+1, x+reach, all)
		if s.spent() {
			out.Spent = true
			return out
		}
		if !any {
			out.Lasting, out.Lasts = x, true
			return out
		}
		if x, ok = s.first(lost+1, most+reach, all); !ok || s.spent() {
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

// hunt looks for the additions that reach a rung.
type hunt struct {
	p        *pricing.Problem
	prepared *search.Prepared
	refs     []pricing.Ref // the rewards of the rung, by any of which it is reached
	left     *int          // nodes that may still be spent
	f        *figures
	view     *view
	free     bool // whether the target's goal is all that matters
	given    []bool
	weight   int // what deciding exactly costs for one option, or a walk, in nodes
	judging  int // what judging a range does
}

// ready gets what judging needs, and lists what may be chosen; nothing by priority.
func (s *hunt) ready() []option {
	p := s.p
	s.view = s.f.view()
	s.given = s.f.given
	s.free = s.plainly()
	lines := 1 + len(p.Lines)/8
	s.judging, s.weight = 1, 1+lines*(1+len(p.Orders))/2
	if !s.view.bySums {
		s.judging = s.weight
	}
	if p.Mode == pricing.ByPriority {
		s.weight = lines * (4 + 4*(len(p.Orders)+len(p.Ships)+len(p.Gifts)) + 8*len(p.Units))
		s.judging = s.weight
		return nil
	}
	all := s.options()
	if all == nil {
		*s.left = -1
	}
	return all
}

// charge counts so many nodes; false where they are spent.
func (s *hunt) charge(nodes int) bool {
	*s.left -= nodes
	return !s.spent()
}

func (s *hunt) spent() bool { return *s.left < 0 }

// alone returns the least price at which the added unit, alone in a cart and
// under every order reward there is, makes the goal; false if none does within
// what a cart may hold.
func (s *hunt) alone(goal pricing.Goal) (money.Minor, bool) {
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
	goal := p.GoalOf(t)
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
func FindPlain(p *pricing.Problem, goal *pricing.Goal, counted money.Minor, rate money.Rate) ToAdd {
	gap := max(1, goal.Threshold-counted)
	if !goal.WithoutTax || !p.TaxShown {
		return ToAdd{Least: gap, Lasting: gap, Exists: true, Lasts: true}
	}
	x, ok := least(1, money.Most/4, func(x money.Minor) bool { return net(rate, x) >= goal.Threshold-counted })
	return ToAdd{Least: x, Lasting: x, Exists: ok, Lasts: ok}
}

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
