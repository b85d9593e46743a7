// Package search finds the choice that is best for the shopper, and the one that the
// merchant's order of priority leads to, as walks over the rules of package pricing and
// the bounds of package bounds. One enumerator visits unit choices, for whoever wants
// them; where nothing contends, a short way finds the choice directly. Its work is
// bounded by counts, never by a clock, so that the same input gives the same answer.
package search

import (
	"slices"

	"agonal.dev/agonal/core/bounds"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/pricing"
)

// MostNodes bounds the search for the best choice: beyond so many choices of
// order rungs looked at, the best one found is given and the outcome says by how
// much a better one could be cheaper. A count, never a clock, so that the same
// input gives the same answer everywhere.
const MostNodes = 1 << 18

// Solve chooses which rungs are given and which units each takes. It works for
// any problem whose amounts sum up within money.Most.
func Solve(p *pricing.Problem) pricing.Outcome { return search(p, everyMethod(p)) }

// SolveFor is Solve with one of the methods chosen.
func SolveFor(p *pricing.Problem, method int) pricing.Outcome { return search(p, []int{method}) }

func everyMethod(p *pricing.Problem) []int {
	if len(p.Methods) == 0 {
		return []int{-1}
	}
	methods := make([]int, len(p.Methods))
	for m := range methods {
		methods[m] = m
	}
	return methods
}

// search looks for the best choice, unit choices and what goes on top of them
// together: the best choice found bounds what is still looked at.
func search(p *pricing.Problem, methods []int) pricing.Outcome {
	s := newSolver(p, methods)
	open := pricing.AnyAddition
	if p.Mode == pricing.BestForShopper {
		if !s.direct() {
			open = s.eachUnitChoice()
		}
		open = min(open, s.open)
	}
	if s.best == nil || open < s.most {
		for _, m := range methods {
			s.consider(byPriority(p, m))
		}
	}
	out := outcome(p, s.best)
	out.Gap = max(0, out.ToPay-open)
	out.Exact = out.Gap == 0
	out.Steps = s.steps + s.looks() - s.nodes
	return out
}

// Forced returns the best outcome in which a unit or order rung is given; where none is
// allowed, why not.
func Forced(p *pricing.Problem, r pricing.Ref) (pricing.Outcome, pricing.Refusal) {
	q := *p
	q.Mode = pricing.BestForShopper
	list := unitChoices(&q, pricing.AnyAddition/2)
	s := newSolver(&q, everyMethod(&q))
	if s.why = list.refused; s.why.OK() {
		s.why = pricing.Refusal{Rule: pricing.HalfDone, Rung: r}
	}
	if r.Class == pricing.OrderClass {
		s.must, s.why = r.Index, pricing.Refusal{Rule: pricing.GoalOpen, Rung: r}
	}
	for _, c := range list.found {
		if r.Class == pricing.UnitClass && !c.Given[r.Index] {
			continue
		}
		if c, ok := present(&q, c); ok {
			s.orders(&c)
		}
	}
	if s.best == nil {
		return pricing.Outcome{}, s.why
	}
	return outcome(&q, s.best), pricing.Refusal{}
}

// solver is one search for the best choice.
type solver struct {
	p       *pricing.Problem
	methods []int
	bonds   bool
	lone    bool // whether each shipping rung can be judged by itself
	budget  bool // whether a shipping rung has a budget
	bounds  *bounds.Outlook
	most    money.Minor // no more than this is paid by the best choice
	open    money.Minor // the least that what was not looked at could cost
	nodes   int
	steps   int // taken so far, besides nodes
	cut     bool
	best    *candidate
	draws   int             // looks at what is no better than the best that are left
	must    int             // an order rung that is to be given, -1: none
	why     pricing.Refusal // why the last choice that was refused is not allowed
}

func newSolver(p *pricing.Problem, methods []int) *solver {
	bonds := p.Bonds()
	s := &solver{
		p: p, methods: methods, most: pricing.AnyAddition, open: pricing.AnyAddition, must: -1,
		bonds: bonds.Units, lone: !bonds.Ships, budget: bonds.Budget,
	}
	s.nodes = s.looks()
	return s
}

// looks is how many choices of order rungs a search may look at: a quarter of them
// where there are many lines.
func (s *solver) looks() int {
	n := MostNodes
	if len(s.p.Lines) > ManyLines {
		n /= 4
	}
	if s.p.Effort > 0 {
		n = min(n, s.p.Effort)
	}
	return n
}

// eachUnitChoice completes every allowed unit choice that can be part of the best
// choice, and returns the least that one it did not come to could cost.
func (s *solver) eachUnitChoice() (open money.Minor) {
	p := s.p
	if len(p.Units) == 0 {
		c := p.NoUnits()
		s.orders(&c)
		return pricing.AnyAddition
	}
	e := newEnumerator(p, MostSearchNodes)
	e.visit, s.draws = s, MostTies
	e.listOptions()
	e.unlisted = e.unlisted || e.over
	if !s.plainly(e) {
		e.eachWay()
	}
	s.steps += stepsFor(p, MostSearchNodes) - e.nodes
	if e.unlisted {
		return 0
	}
	return e.open
}

func (s *solver) picked(nudges func(yield func(int) bool)) {
	if s.bonds {
		s.outlook().Bar(nudges)
	}
}

func (s *solver) least(goods money.Minor, low, high []money.Minor) money.Minor {
	return s.outlook().Least(goods, low, high)
}

// drawn counts the looks at what can at best cost as much as the best choice found, for
// one that is to be preferred among equals.
func (s *solver) drawn(least money.Minor) bool {
	if least != s.most || s.best == nil || s.best.pay(s.p) != s.most {
		return false
	}
	s.draws--
	return s.draws < 0
}

func (s *solver) visit(c *pricing.UnitChoice, allowed []pricing.Prices) {
	for _, r := range allowed {
		c.From, c.To = r.From, r.To
		if c, ok := present(s.p, *c); ok {
			s.orders(&c)
		}
	}
}

// outlook bounds what choices can lead to.
func (s *solver) outlook() *bounds.Outlook {
	if s.bounds == nil {
		s.bounds = bounds.NewOutlook(s.p, s.methods)
	}
	return s.bounds
}

// useless tells whether a choice that costs at least so much can not be the best.
func (s *solver) useless(least money.Minor) bool { return least > s.most }

// orders tries every set of the order rungs whose goals hold under a unit choice,
// all of them first, and leaves out what cannot come near the best found.
func (s *solver) orders(c *pricing.UnitChoice) {
	p := s.p
	if s.most < pricing.AnyAddition && s.useless(s.outlook().Least(c.Goods, c.After, c.After)) {
		return
	}
	looked := false
	shipped := func(left money.Minor) money.Minor {
		if !looked {
			s.outlook().Least(c.Goods, c.After, c.After) // shipped goes by what that looked at
			looked = true
		}
		return s.outlook().Shipped(c.Goods, max(0, left))
	}
	var open []int
	holds := p.HoldsUnder(c, nil)
	for i := range p.Orders {
		if r := (pricing.Ref{Class: pricing.OrderClass, Index: i}); holds(r) && !p.Topped(r, holds) {
			open = append(open, i)
		}
	}
	// What each can take at most: of lines that nothing else has lowered.
	rest := make([]money.Minor, len(open)+1)
	for k := len(open) - 1; k >= 0; k-- {
		rest[k] = rest[k+1] + p.Take(open[k], c.After, -1, false).Total
	}
	given := make([]bool, len(p.Orders))
	var choose func(k int, left money.Minor)
	choose = func(k int, left money.Minor) {
		if s.cut && s.best != nil {
			s.open = min(s.open, shipped(left-rest[k]))
			return
		}
		if s.nodes--; s.nodes < 0 {
			s.cut = true
		}
		if s.most < pricing.AnyAddition && s.useless(shipped(left-rest[k])) {
			return
		}
		if k == len(open) {
			if s.must >= 0 && !given[s.must] {
				return
			}
			if st, no := p.Order(c, slices.Clone(given)); no.OK() {
				s.ships(c, st)
			} else if s.must >= 0 {
				s.why = no
			}
			return
		}
		given[open[k]] = true
		choose(k+1, left-(rest[k]-rest[k+1]))
		given[open[k]] = false
		choose(k+1, left)
	}
	choose(0, c.Goods)
}

func (s *solver) complete(c *pricing.UnitChoice, st pricing.GoodsSide, ship pricing.ShippingSide) {
	cand := candidate{units: c, GoodsSide: st, ShippingSide: ship}
	if p := s.p; len(p.Gifts) > 0 || s.bonds {
		paid := p.Paid(c.Given, st.Given, cand.Use)
		if no := p.RefuseOneAnother(paid); !no.OK() {
			s.why = no
			return
		}
		gifts, ok := p.GiftsBeside(paid, len(p.Gifts), p.HoldsUnder(c, st.After))
		if !ok {
			s.why = pricing.Refusal{Rule: pricing.GiftDue}
			return
		}
		cand.gifts = gifts
	}
	s.consider(cand)
}

func (s *solver) consider(c candidate) {
	if s.best == nil || better(s.p, &c, s.best) {
		s.best = &c
		s.most = min(s.most, c.pay(s.p))
	}
}

// present returns a choice as it stands with the added unit's present price,
// false where that price does not allow it.
func present(p *pricing.Problem, c pricing.UnitChoice) (pricing.UnitChoice, bool) {
	if !p.Added {
		return c, true
	}
	x := p.Lines[0].Amount
	if x < c.From || x > c.To {
		return c, false
	}
	if c.After[0] != x {
		c.After = slices.Clone(c.After)
		c.Goods += x - c.After[0]
		c.After[0] = x
	}
	return c, true
}
