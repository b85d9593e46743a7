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
const MostNodes = 1 << 18

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
		s.weight = lines * (3 + 2*(len(p.Orders)+len(p.Ships)+len(p.Gifts)) + 5*len(p.Units))
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
