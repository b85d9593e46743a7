package pricing

import (
	"slices"

	"agonal.dev/agonal/core/money"
)

// lister lists the unit choices that cost, before order rewards, at most slack more
// than the cheapest.
type lister struct {
	p     *Problem
	slack money.Minor
	best  money.Minor // what goods cost by the cheapest that is allowed for every addition
	found []UnitChoice
}

// unitChoices lists the allowed unit choices that cost, before order rewards, at
// most slack more than the cheapest, and tells whether the search was cut short and
// how many steps it took.
func (p *Problem) unitChoices(slack money.Minor) (choices []UnitChoice, cut bool, steps int) {
	if len(p.Units) == 0 {
		return []UnitChoice{p.noUnits()}, false, 0
	}
	l := &lister{p: p, slack: slack, best: anyAddition}
	e := p.newEnumerator(MostUnitNodes)
	e.visit, e.short = l, e.nodes
	e.listOptions()
	e.eachWay()
	steps = p.steps(MostUnitNodes) - e.nodes
	if len(l.found) == 0 {
		return []UnitChoice{p.noUnits()}, e.over || e.partial, steps
	}
	return l.useful(), e.over || e.partial, steps
}

func (l *lister) picked(func(yield func(int) bool)) {}

func (l *lister) least(goods money.Minor, _, _ []money.Minor) money.Minor { return goods }

func (l *lister) useless(least money.Minor) bool {
	return l.best < anyAddition && least > l.best+l.slack
}

func (l *lister) drawn(money.Minor) bool { return false }

func (l *lister) visit(c *UnitChoice, allowed []Prices) {
	for _, r := range allowed {
		c.From, c.To = r.From, r.To
		if r == (Prices{0, anyAddition}) {
			l.best = min(l.best, c.Goods) // it stands beside every other for every addition
		}
		l.found = append(l.found, *c)
	}
}

// useful drops choices that cost too much to be of use, and all but the first of
// those that leave every line the same, for the same additions.
func (l *lister) useful() []UnitChoice {
	slices.SortStableFunc(l.found, func(a, b UnitChoice) int {
		if a.Goods != b.Goods {
			if a.Goods < b.Goods {
				return -1
			}
			return 1
		}
		if a.count != b.count {
			return a.count - b.count
		}
		if c := slices.CompareFunc(l.p.unitKeys(a.Given), l.p.unitKeys(b.Given), Key.Compare); c != 0 {
			return c
		}
		return slices.Compare(a.After, b.After)
	})
	bound := l.p.bound()
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
	return out
}
