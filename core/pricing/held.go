package pricing

import "agonal.dev/agonal/core/money"

// anyAddition is the end of a range without an end.
const AnyAddition money.Minor = 1 << 60

// Prices is a range of prices of the added unit, both ends in it.
type Prices struct{ From, To money.Minor }

// HeldFor returns for which prices of the added unit a rung's goal holds, given
// how many units of each line are counted; for one kind of product where kind is
// not negative. Without an added unit it holds for every price or for none.
func (p *Problem) HeldFor(u *Unit, kind int, units func(line int) int64) (from, to money.Minor, ok bool) {
	return p.goalHeldFor(&u.Goal, kind, units)
}

// goalHeldFor is heldFor for a goal that looks at values before nudges.
func (p *Problem) goalHeldFor(g *Goal, kind int, units func(line int) int64) (from, to money.Minor, ok bool) {
	if g.Measure == Units || kind >= 0 && (g.Measure == SameProduct || g.Measure == SameVariant) {
		var n int64
		for i, in := range g.Scope {
			if in && (kind < 0 || p.kindOf(g, i) == kind) {
				n += units(i)
			}
		}
		return 0, AnyAddition, g.Meets(n, n > 0)
	}
	seen := counted{
		units: func(i int) int64 {
			if kind >= 0 && p.kindOf(g, i) != kind {
				return 0
			}
			return units(i)
		},
		amounts: p.worth(units),
	}
	adds := p.Added && g.Measure == Value && g.Scope[0]
	if !adds {
		m, any := p.measure(*g, seen)
		return 0, AnyAddition, g.Meets(m, any)
	}
	m, any := p.measure(*g, seen)
	switch {
	case g.Most > 0 && m > g.Most:
		return 0, 0, false
	case m < g.Threshold:
		if from, ok = p.adding(g, g.Threshold-m); !ok {
			return 0, 0, false
		}
	case g.Threshold == 0 && !any:
		from = 1
	}
	to = AnyAddition
	if g.Most > 0 {
		if next, ok := p.adding(g, g.Most-m+1); ok {
			to = next - 1
		}
	}
	return from, to, from <= to
}

// HeldBeside returns for which prices of the added unit the goal of unit rung i holds
// over the units that no other nudge of a choice has taken.
func (p *Problem) HeldBeside(c *UnitChoice, i int) (from, to money.Minor, ok bool) {
	u := &p.Units[i]
	return p.HeldFor(u, -1, func(line int) int64 { return p.Lines[line].Quantity - p.takenByOthers(c.Claims, u, line) })
}

// UnitHeldFor returns for which prices of the added unit the goal of unit rung i holds,
// given how many units of each line are counted, for one kind
// of product or, with -1, for all.
func (p *Problem) UnitHeldFor(i, kind int, units func(line int) int64) (from, to money.Minor, ok bool) {
	return p.HeldFor(&p.Units[i], kind, units)
}

// HeldByAll returns for which prices of the added unit a goal of a unit rung holds when
// every unit is counted.
func (p *Problem) HeldByAll(g *Goal) (from, to money.Minor, ok bool) {
	return p.goalHeldFor(g, -1, func(line int) int64 { return p.Lines[line].Quantity })
}

// HoldsNow tells whether a unit rung's goal holds at the added unit's present
// price.
func (p *Problem) HoldsNow(u *Unit, kind int, units func(line int) int64) bool {
	from, to, ok := p.HeldFor(u, kind, units)
	x := p.AddedPrice()
	return ok && from <= x && x <= to
}

// AddedPrice is the present price of the added unit, 0 without one.
func (p *Problem) AddedPrice() money.Minor {
	if p.Added {
		return p.Lines[0].Amount
	}
	return 0
}

// worth is the value of counted units before nudges; an added unit's is left out.
func (p *Problem) worth(units func(line int) int64) func(line int) money.Minor {
	return func(i int) money.Minor {
		switch {
		case p.Added && i == 0:
			return 0
		case p.Lines[i].Quantity == 0:
			return p.Lines[i].Amount
		}
		return p.Lines[i].Unit * units(i)
	}
}

// adding returns the least price of the added unit that adds so much to a goal's
// value.
func (p *Problem) adding(g *Goal, missing money.Minor) (money.Minor, bool) {
	if !g.WithoutTax || !p.TaxShown {
		return missing, true
	}
	rate := p.Lines[0].Tax
	lo, hi := missing, missing+missing
	for net(rate, hi) < missing {
		if hi > money.Most {
			return 0, false
		}
		hi *= 2
	}
	for lo < hi {
		mid := lo + (hi-lo)/2
		if net(rate, mid) >= missing {
			hi = mid
		} else {
			lo = mid + 1
		}
	}
	return lo, true
}

// HoldsUnder tells whether goals hold under a unit choice, with what lines cost after
// order rewards.
func (p *Problem) HoldsUnder(c *UnitChoice, after []money.Minor) func(Ref) bool {
	return func(r Ref) bool {
		if r.Class == UnitClass {
			u := &p.Units[r.Index]
			return p.HoldsNow(u, -1, func(line int) int64 { return p.Lines[line].Quantity - p.takenByOthers(c.Claims, u, line) })
		}
		g := p.GoalOf(r)
		return g.Meets(p.MeasureOf(g, p.At(g.Basis, c.After, after)))
	}
}

func (p *Problem) takenByOthers(claims []Claim, u *Unit, line int) int64 {
	if p.Nudge(u.Nudge).Stacks {
		return 0
	}
	var n int64
	for _, c := range claims {
		other := &p.Units[c.Unit]
		if other.Key.Nudge != u.Key.Nudge && !p.Nudge(other.Nudge).Stacks {
			n += c.Taken(line)
		}
	}
	return n
}

func within(in []Prices, r Prices) []Prices {
	var out []Prices
	for _, x := range in {
		if x = (Prices{max(x.From, r.From), min(x.To, r.To)}); x.From <= x.To {
			out = append(out, x)
		}
	}
	return out
}

func without(in []Prices, r Prices) []Prices {
	return append(within(in, Prices{0, r.From - 1}), within(in, Prices{r.To + 1, AnyAddition})...)
}
