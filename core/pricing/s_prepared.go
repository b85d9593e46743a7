package pricing

import "agonal.dev/agonal/core/money"

// Prepared is a problem with its unit choices listed, so that it can be solved
// for many prices of the added unit, which no unit reward touches.
type Prepared struct {
	P       *Problem
	Choices []UnitChoice
	Cut     bool // whether the list was cut short
	Steps   int  // what it took to list them
}

// Prepare lists the unit choices that can be of use for additions up to most.
func (p *Problem) Prepare(most money.Minor) *Prepared {
	pr := &Prepared{P: p}
	if p.Mode == BestForShopper {
		slack := p.slack(most)
		if !p.bound() && p.MostOff == 0 && p.UnitsSettled() {
			if d := p.oneWay(); d != nil && d.leaving > slack {
				pr.Choices = []UnitChoice{d.choice}
				return pr
			}
		}
		pr.Choices, pr.Cut, pr.Steps = p.unitChoices(slack)
	}
	return pr
}

// Solve chooses for the added unit's present price.
func (pr *Prepared) Solve() Outcome { return pr.solve(pr.P.everyMethod()) }

func (pr *Prepared) solve(methods []int) Outcome {
	p := pr.P
	s := p.newSolver(methods)
	if p.Mode == ByPriority {
		for _, m := range methods {
			s.consider(p.byPriority(m))
		}
		return p.outcome(s.best)
	}
	for i := range pr.Choices {
		if c, ok := p.present(pr.Choices[i]); ok {
			s.orders(&c)
		}
	}
	if s.best == nil {
		return Outcome{Method: -1}
	}
	out := p.outcome(s.best)
	out.Exact = !pr.Cut && !s.cut
	return out
}

// Among chooses, for the added unit's present price, among unit choices of the list each
// with a set of order rungs on top, those whose bits are set; false where none is
// allowed.
func (pr *Prepared) Among(options func(yield func(choice, set int) bool)) (Outcome, bool) {
	p := pr.P
	s := p.newSolver(p.everyMethod())
	for choice, set := range options {
		c, ok := p.present(pr.Choices[choice])
		if !ok {
			continue
		}
		given, holds := make([]bool, len(p.Orders)), p.holdsUnder(&c, nil)
		for i := range given {
			r := Ref{OrderClass, i}
			if given[i] = set>>i&1 == 1; given[i] {
				ok = ok && holds(r) && !p.topped(r, holds)
			}
		}
		if !ok {
			continue
		}
		if st, no := p.order(&c, given); no.OK() {
			s.ships(&c, st)
		}
	}
	if s.best == nil {
		return Outcome{}, false
	}
	return p.outcome(s.best), true
}
