package search

import (
	"slices"

	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/pricing"
)

// lister lists the unit choices that cost, before order rewards, at most slack more
// than the cheapest.
type lister struct {
	p     *pricing.Problem
	slack money.Minor
	best  money.Minor // what goods cost by the cheapest that is allowed for every addition
	found []pricing.UnitChoice

	cut     bool            // whether it was cut short
	steps   int             // it took
	refused pricing.Refusal // why the last choice that limits forbid is not allowed
}

// unitChoices lists the allowed unit choices that cost, before order rewards, at
// most slack more than the cheapest.
func unitChoices(p *pricing.Problem, slack money.Minor) *lister {
	l := &lister{p: p, slack: slack, best: pricing.AnyAddition}
	if len(p.Units) == 0 {
		l.found = []pricing.UnitChoice{p.NoUnits()}
		return l
	}
	e := newEnumerator(p, MostUnitNodes)
	e.visit, e.short = l, e.nodes
	e.listOptions()
	e.eachWay()
	l.steps, l.cut, l.refused = stepsFor(p, MostUnitNodes)-e.nodes, e.over || e.unlisted, e.refused
	if l.useful(); len(l.found) == 0 {
		l.found = []pricing.UnitChoice{p.NoUnits()}
	}
	return l
}

func (l *lister) picked(func(yield func(int) bool)) {}

func (l *lister) least(goods money.Minor, _, _ []money.Minor) money.Minor { return goods }

func (l *lister) useless(least money.Minor) bool {
	return l.best < pricing.AnyAddition && least > l.best+l.slack
}

func (l *lister) drawn(money.Minor) bool { return false }

func (l *lister) visit(c *pricing.UnitChoice, allowed []pricing.Prices) {
	for _, r := range allowed {
		c.From, c.To = r.From, r.To
		if r == (pricing.Prices{From: 0, To: pricing.AnyAddition}) {
			l.best = min(l.best, c.Goods) // it stands beside every other for every addition
		}
		l.found = append(l.found, *c)
	}
}

// useful drops choices that cost too much to be of use, and all but the first of
// those that leave every line the same, for the same additions.
func (l *lister) useful() {
	slices.SortStableFunc(l.found, func(a, b pricing.UnitChoice) int {
		if a.Goods != b.Goods {
			if a.Goods < b.Goods {
				return -1
			}
			return 1
		}
		if a.Count != b.Count {
			return a.Count - b.Count
		}
		if c := slices.CompareFunc(unitKeys(l.p, a.Given), unitKeys(l.p, b.Given), pricing.Key.Compare); c != 0 {
			return c
		}
		return slices.Compare(a.After, b.After)
	})
	bound := l.p.Bound()
	out := l.found[:0]
	for _, c := range l.found {
		if c.Goods > l.best+l.slack {
			break
		}
		same := false
		for k := len(out) - 1; k >= 0 && out[k].Goods == c.Goods && !same; k-- {
			same = out[k].From <= c.From && out[k].To >= c.To && slices.Equal(out[k].After, c.After) && !bound
		}
		if !same {
			out = append(out, c)
		}
	}
	l.found = out
}
