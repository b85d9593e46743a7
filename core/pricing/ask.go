package pricing

import (
	"slices"

	"agonal.dev/agonal/core/money"
)

// Forced returns the best outcome in which a unit or order rung is given, false
// where none is allowed.
func (p *Problem) Forced(r Ref) (Outcome, bool) {
	q := *p
	q.Mode = BestForShopper
	pr := q.Prepare(0)
	if p.slack(0) < anyAddition/2 {
		pr.Choices, pr.Cut, pr.Steps = q.unitChoices(anyAddition / 2)
	}
	var best Outcome
	found := false
	keep := func(o Outcome, ok bool) {
		if ok && (!found || o.ToPay < best.ToPay) {
			best, found = o, true
		}
	}
	for _, c := range pr.Choices {
		if r.Class == UnitClass && !c.Given[r.Index] {
			continue
		}
		one := Prepared{P: &q, Choices: []UnitChoice{c}}
		if r.Class == UnitClass {
			o := one.Solve()
			keep(o, o.After != nil)
			continue
		}
		o := one.Solve()
		if o.After == nil {
			continue
		}
		given := slices.Clone(o.OrderGiven)
		given[r.Index] = true
		keep(q.Under(c, given, o.Method))
	}
	return best, found
}

// MeasureOf returns a goal's measure when lines cost amounts at its basis, and
// whether anything is counted.
func (p *Problem) MeasureOf(g *Goal, amounts []money.Minor) (int64, bool) {
	return p.measureAt(g, amounts)
}

// Meets tells whether a measure makes a goal.
func (g Goal) Meets(measure int64, any bool) bool { return g.meets(measure, any) }

// Clashes tells whether two of the unit and order rungs given may not stand
// together.
func (p *Problem) Clashes(units, orders []bool) bool {
	return p.refuseOneAnother(p.paid(units, orders, nil))
}

// GiftsBeside tells which gifts are given beside unit and order rungs, by which of them
// are due; false where the gifts do not allow those.
func (p *Problem) GiftsBeside(units, orders []bool, due func(Ref) bool) ([]bool, bool) {
	return p.giftsBeside(p.paid(units, orders, nil), len(p.Gifts), due)
}

// HeldByAll returns for which prices of the added unit a goal of a unit rung holds when
// every unit is counted.
func (p *Problem) HeldByAll(g *Goal) (from, to money.Minor, ok bool) {
	return p.goalHeldFor(g, -1, func(line int) int64 { return p.Lines[line].Quantity })
}

// AfterOrders returns each line once the order rewards marked in given are taken from
// what units cost, at the added unit's present price; false where that is not allowed.
func (p *Problem) AfterOrders(c *UnitChoice, given []bool) ([]money.Minor, bool) {
	now := *c
	now.After = slices.Clone(now.After)
	if p.Added {
		now.After[0] = p.Lines[0].Amount
	}
	st, ok := p.order(&now, given)
	return st.after, ok
}

// Among chooses, for the added unit's present price, among unit choices of the list each
// with a set of order rungs on top, those whose bits are set; false where none is
// allowed.
func (pr *Prepared) Among(options func(yield func(choice, set int) bool)) (Outcome, bool) {
	p := pr.P
	s := p.solver(p.everyMethod())
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
		if st, ok := p.order(&c, given); ok {
			s.ships(&c, st)
		}
	}
	if s.best == nil {
		return Outcome{}, false
	}
	return p.outcome(s.best), true
}

// FloorsOver judges margin floors where lines cost from lo to hi after a unit choice
// and the order rungs given: whether they hold for sure, and whether they can.
func (p *Problem) FloorsOver(c *UnitChoice, orders []bool, lo, hi func(line int) money.Minor) (sure, can bool) {
	sure = true
	for i := range p.Lines {
		l := &p.Lines[i]
		if !l.HasCost || l.Quantity == 0 || lo(i) >= l.Amount {
			continue
		}
		rate := p.Floor
		for _, claim := range c.Claims {
			if claim.lowers(i) {
				rate = max(rate, p.nudge(p.Units[claim.Unit].Nudge).Floor)
			}
		}
		if hi(i) < l.Amount && !p.keepsFloor(l, hi(i), l.Quantity, rate) {
			return false, false
		}
		for o, is := range orders {
			if is && p.Orders[o].Lines[i] {
				rate = max(rate, p.nudge(p.Orders[o].Nudge).Floor)
			}
		}
		sure = sure && p.keepsFloor(l, lo(i), l.Quantity, rate)
	}
	return sure, true
}

// BudgetOf is what order rung i may take off at most; false where nothing bounds it.
func (p *Problem) BudgetOf(i int) (money.Minor, bool) {
	n := p.nudge(p.Orders[i].Nudge)
	return n.Budget, n.HasBudget
}

// Replaces tells whether the nudge of a rung gives one rung only.
func (p *Problem) Replaces(nudge int) bool { return p.nudge(nudge).Replacing }

// Under returns the outcome with a unit choice, the given order rungs and a
// method (-1: none), false where that is not allowed.
func (p *Problem) Under(c UnitChoice, given []bool, method int) (Outcome, bool) {
	c, ok := p.present(c)
	if !ok {
		return Outcome{}, false
	}
	st, ok := p.order(&c, given)
	if !ok {
		return Outcome{}, false
	}
	var use []int
	if method >= 0 {
		fee, holds := p.listFee(&st, method), p.shipHolds(&c, st.after)
		if p.Mode == ByPriority {
			for i, h := range holds {
				if lowers, within := p.Lowers(i, method, p.FeeWith(method, fee, use)); h && lowers && within {
					use = append(use, i)
				}
			}
		} else {
			use = p.fewest(method, fee, holds)
		}
	}
	ship, ok := p.shipping(&st, method, use)
	if !ok {
		return Outcome{}, false
	}
	return p.outcome(&candidate{units: &c, goodsStage: st, shipStage: ship}), true
}

// UnitsTouch tells whether a unit rung may make units of lines in a scope cheaper.
func (p *Problem) UnitsTouch(scope Scope) bool {
	if p.units == nil {
		p.units = make(Scope, len(p.Lines))
		for i := range p.Units {
			for j, on := range p.Units[i].On {
				p.units[j] = p.units[j] || on
			}
		}
	}
	for j, in := range scope {
		if in && p.units[j] {
			return true
		}
	}
	return false
}

// UnitsSettled tells whether no goal of a unit rung looks at the added unit.
func (p *Problem) UnitsSettled() bool {
	for i := range p.Units {
		if p.Units[i].Goal.Measure == Value {
			return false
		}
	}
	return true
}

// MostThreshold is the highest threshold of a value goal.
func (p *Problem) MostThreshold() money.Minor {
	var out money.Minor
	p.eachGoal(func(g *Goal) {
		if g.Measure == Value {
			out = max(out, g.Threshold)
		}
	})
	return out
}

func (p *Problem) eachGoal(f func(*Goal)) {
	for i := range p.Units {
		f(&p.Units[i].Goal)
	}
	for i := range p.Orders {
		f(&p.Orders[i].Goal)
	}
	for i := range p.Ships {
		f(&p.Ships[i].Goal)
	}
	for i := range p.Gifts {
		f(&p.Gifts[i].Goal)
	}
}

// CountAdded lets every goal count the added unit, and every order reward take from
// it; what it returns puts things back.
func (p *Problem) CountAdded() (back func()) {
	var scopes []Scope
	p.eachGoal(func(g *Goal) { scopes = append(scopes, g.Scope) })
	for i := range p.Orders {
		scopes = append(scopes, p.Orders[i].Lines)
	}
	was := make([]bool, len(scopes))
	for i, s := range scopes {
		was[i] = s[0]
	}
	for _, s := range scopes {
		s[0] = true
	}
	return func() {
		for i, s := range scopes {
			s[0] = was[i]
		}
	}
}
