package search

import (
	"agonal.dev/agonal/core/bounds"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/pricing"
)

// Prepared is a problem with its unit choices listed, so that it can be solved
// for many prices of the added unit, which no unit reward touches.
type Prepared struct {
	P       *pricing.Problem
	Choices []pricing.UnitChoice
	Cut     bool // whether the list was cut short
	Steps   int  // what it took to list them
}

// Prepare lists the unit choices that can be of use for additions up to most.
func Prepare(p *pricing.Problem, most money.Minor) *Prepared {
	pr := &Prepared{P: p}
	if p.Mode == pricing.BestForShopper {
		slack := bounds.Slack(p, most)
		if !p.Bound() && p.MostOff == 0 && p.UnitsSettled() {
			if d := oneWay(p); d != nil && d.leaving > slack {
				pr.Choices = []pricing.UnitChoice{d.choice}
				return pr
			}
		}
		l := unitChoices(p, slack)
		pr.Choices, pr.Cut, pr.Steps = l.found, l.cut, l.steps
	}
	return pr
}

// Solve chooses for the added unit's present price.
func (pr *Prepared) Solve() pricing.Outcome { return pr.solve(everyMethod(pr.P)) }

func (pr *Prepared) solve(methods []int) pricing.Outcome {
	p := pr.P
	s := newSolver(p, methods)
	if p.Mode == pricing.ByPriority {
		for _, m := range methods {
			s.consider(byPriority(p, m))
		}
		return outcome(p, s.best)
	}
	for i := range pr.Choices {
		if c, ok := present(p, pr.Choices[i]); ok {
			s.orders(&c)
		}
	}
	if s.best == nil {
		return pricing.Outcome{Method: -1}
	}
	out := outcome(p, s.best)
	out.Exact = !pr.Cut && !s.cut
	return out
}

// Among chooses, for the added unit's present price, among unit choices of the list each
// with a set of order rungs on top, those whose bits are set; false where none is
// allowed.
func (pr *Prepared) Among(options func(yield func(choice, set int) bool)) (pricing.Outcome, bool) {
	p := pr.P
	s := newSolver(p, everyMethod(p))
	for choice, set := range options {
		c, ok := present(p, pr.Choices[choice])
		if !ok {
			continue
		}
		given, holds := make([]bool, len(p.Orders)), p.HoldsUnder(&c, nil)
		for i := range given {
			r := pricing.Ref{Class: pricing.OrderClass, Index: i}
			if given[i] = set>>i&1 == 1; given[i] {
				ok = ok && holds(r) && !p.Topped(r, holds)
			}
		}
		if !ok {
			continue
		}
		if st, no := p.Order(&c, given); no.OK() {
			s.ships(&c, st)
		}
	}
	if s.best == nil {
		return pricing.Outcome{}, false
	}
	return outcome(p, s.best), true
}
