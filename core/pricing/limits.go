package pricing

import "agonal.dev/agonal/core/money"

// UnitsWithin tells whether a choice keeps what may be taken off an order at most and
// the budgets of its nudges, and leaves every line it touches at its margin floor.
func (p *Problem) UnitsWithin(c *UnitChoice) Refusal {
	if p.MostOff > 0 && p.offUnits(c) > p.MostOff {
		return Refusal{OverMostOff, Ref{UnitClass, c.Claims[0].Unit}}
	}
	for i, claim := range c.Claims {
		n := p.Nudge(p.Units[claim.Unit].Nudge)
		if !n.HasBudget {
			continue
		}
		var saved money.Minor
		for _, o := range c.Claims[:i+1] {
			if p.Units[o.Unit].Nudge == p.Units[claim.Unit].Nudge {
				saved += o.Saved()
			}
		}
		if saved > n.Budget {
			return Refusal{OverBudget, Ref{UnitClass, claim.Unit}}
		}
	}
	if len(c.Claims) > 0 && !p.floorsHold(c, nil, c.After) {
		return Refusal{UnderFloor, Ref{UnitClass, c.Claims[0].Unit}}
	}
	return Refusal{}
}

func (p *Problem) offUnits(c *UnitChoice) money.Minor {
	var off money.Minor
	for i, l := range p.Lines {
		off += l.Amount - c.After[i]
	}
	return off
}

// keepsFloor tells whether an amount for n units leaves the margin rate over
// their cost: net · (1 − rate) ≥ cost. With an unknown cost there is no floor.
func (p *Problem) keepsFloor(l *Line, amount money.Minor, n int64, rate money.Rate) bool {
	if !l.HasCost || rate == 0 {
		return true
	}
	if p.TaxShown {
		amount = net(l.Tax, amount)
	}
	// Compared exactly: amount · (Whole − rate) ≥ cost · n · Whole.
	return atLeast(amount, int64(money.Whole-rate), l.Cost*n, int64(money.Whole))
}

// floorsHold tells whether every line that a reward lowers keeps its margin floor.
func (p *Problem) floorsHold(c *UnitChoice, applied []Applied, after []money.Minor) bool {
	for i := range p.Lines {
		rate := p.floorOf(c, i)
		for _, a := range applied {
			if f := p.Nudge(p.Orders[a.Order].Nudge).Floor; f > rate && a.Shares[i] > 0 {
				rate = f
			}
		}
		if !p.keeps(i, after[i], rate) {
			return false
		}
	}
	return true
}

// floorOf is the least margin rate of a line by the shop and by the unit rewards that
// lower it.
func (p *Problem) floorOf(c *UnitChoice, line int) money.Rate {
	rate := p.Floor
	if !p.Lines[line].HasCost {
		return rate
	}
	for _, claim := range c.Claims {
		if f := p.Nudge(p.Units[claim.Unit].Nudge).Floor; f > rate && claim.lowers(line) {
			rate = f
		}
	}
	return rate
}

// keeps tells whether a line that costs so much keeps a margin rate, if it is lowered.
func (p *Problem) keeps(line int, after money.Minor, rate money.Rate) bool {
	l := &p.Lines[line]
	return !l.HasCost || l.Quantity == 0 || after >= l.Amount || p.keepsFloor(l, after, l.Quantity, rate)
}

// FloorsOver judges margin floors where lines cost from lo to hi after a unit choice
// and the order rungs given: whether they hold for sure, and whether they can.
func (p *Problem) FloorsOver(c *UnitChoice, orders []bool, lo, hi func(line int) money.Minor) (sure, can bool) {
	sure = true
	for i := range p.Lines {
		rate := p.floorOf(c, i)
		if !p.keeps(i, hi(i), rate) {
			return false, false
		}
		for o, is := range orders {
			if is && p.Orders[o].Lines[i] {
				rate = max(rate, p.Nudge(p.Orders[o].Nudge).Floor)
			}
		}
		sure = sure && p.keeps(i, lo(i), rate)
	}
	return sure, true
}

// BudgetOf is what order rung i may take off at most; false where nothing bounds it.
func (p *Problem) BudgetOf(i int) (money.Minor, bool) {
	n := p.Nudge(p.Orders[i].Nudge)
	return n.Budget, n.HasBudget
}
