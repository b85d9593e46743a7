package search

import "agonal.dev/agonal/core/pricing"

// SolveAtLength is Solve without the short way to a choice.
func SolveAtLength(p *pricing.Problem) pricing.Outcome {
	q := *p
	s := newSolver(&q, everyMethod(&q))
	open := min(s.eachUnitChoice(), s.open)
	out := outcome(&q, s.best)
	out.Gap = max(0, out.ToPay-open)
	return out
}

// Direct tells whether a problem's choice is found the short way.
func Direct(p *pricing.Problem) bool {
	q := *p
	return newSolver(&q, everyMethod(&q)).direct()
}
