package pricing

// SolveAtLength is Solve without the short way to a choice.
func (p *Problem) SolveAtLength() Outcome {
	q := *p
	s := q.newSolver(q.everyMethod())
	open := min(s.eachUnitChoice(), s.open)
	out := q.outcome(s.best)
	out.Gap = max(0, out.ToPay-open)
	return out
}

// Direct tells whether a problem's choice is found the short way.
func (p *Problem) Direct() bool {
	q := *p
	return q.newSolver(q.everyMethod()).direct()
}
