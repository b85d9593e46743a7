package search

import (
	"slices"

	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/pricing"
)

// Turns is how far a walk through the rungs in the merchant's order has come.
type Turns struct {
	p      *pricing.Problem
	Units  pricing.UnitChoice // what units cost by now
	Orders []bool
	Ships  []int // shipping rungs that have had their turn: what they give is worked out on what is left
	Asked  int   // gifts whose turn has come
	Cut    bool  // whether not every taking of units was looked at
	free   []int64
	stacks []pricing.Pick // rungs that go on top of what the others leave
	picks  []pricing.Pick // unit rungs given, those that stack too
}

// Judge answers, for a walk in the merchant's order, what holds.
type Judge struct {
	// Unit tells whether a unit rung's goal holds, given how many units of each
	// line are counted, for one kind of product or (-1) all.
	Unit func(unit, kind int, units func(line int) int64) bool
	// Within tells whether the added unit's price lies in one of some ranges.
	Within func(ranges []pricing.Prices) bool
	// Goal tells whether the goal of an order, shipping or gift rung holds.
	Goal func(r pricing.Ref, t *Turns) bool
	// Allowed tells whether every order rung given takes something, within all limits.
	Allowed func(t *Turns) bool
	// Lowers tells whether a shipping rung lowers what others leave of the fee, and
	// whether that is within its budget.
	Lowers func(i int, t *Turns, others []int) (lowers, within bool)
}

// exactly judges for the added unit's present price.
func exactly(p *pricing.Problem, method int) Judge {
	// What a walk has come to, worked out once for each step of it.
	var units []money.Minor
	var orders []bool
	var goods pricing.GoodsSide
	var no pricing.Refusal
	at := func(t *Turns) *pricing.GoodsSide {
		if after := t.Units.After; len(units) == 0 || &units[0] != &after[0] || !slices.Equal(orders, t.Orders) {
			units, orders = after, slices.Clone(t.Orders)
			goods, no = p.Order(&t.Units, orders)
		}
		return &goods
	}
	return Judge{
		Unit: func(unit, kind int, units func(int) int64) bool { return p.HoldsNow(&p.Units[unit], kind, units) },
		Within: func(ranges []pricing.Prices) bool {
			x := p.AddedPrice()
			return slices.ContainsFunc(ranges, func(r pricing.Prices) bool { return r.From <= x && x <= r.To })
		},
		Goal: func(r pricing.Ref, t *Turns) bool {
			g := p.GoalOf(r)
			var after []money.Minor
			if g.Basis == pricing.AfterOrder {
				after = at(t).After // allowed, and trimmed as it will be
			}
			return g.Meets(p.MeasureOf(g, p.At(g.Basis, t.Units.After, after)))
		},
		Allowed: func(t *Turns) bool {
			at(t)
			return no.OK()
		},
		Lowers: func(i int, t *Turns, others []int) (lowers, within bool) {
			if method < 0 {
				return false, true
			}
			return p.Lowers(i, method, p.FeeWith(method, p.ListFee(at(t), method), others))
		},
	}
}

// InOrder takes rungs in the merchant's order, each wherever it is allowed and no
// earlier one loses what it gives. A unit rung takes, of all allowed takings, units
// that save most at its turn.
func InOrder(p *pricing.Problem, j Judge) *Turns {
	t := &Turns{p: p, Orders: make([]bool, len(p.Orders))}
	t.free = p.Quantities()
	t.Units = p.NoUnits()
	for _, r := range turns(p) {
		if r.Class == pricing.GiftClass {
			t.Asked = r.Index + 1
			continue
		}
		if r.Class == pricing.UnitClass && p.Units[r.Index].Apart() {
			if i := r.Index - 1; i < 0 || p.Units[i].Key.Nudge != p.Units[r.Index].Key.Nudge || !p.Units[i].Apart() {
				t.productsTurn(j, r.Index) // such a nudge is given as a whole
			}
			continue
		}
		if r.Class == pricing.ShippingClass { // whether its goal holds, what is left tells
			if !t.refused(j, r) {
				t.Ships = append(t.Ships, r.Index)
			}
			continue
		}
		if !t.holds(j, r) || p.Topped(r, func(o pricing.Ref) bool { return t.holds(j, o) }) || t.refused(j, r) {
			continue
		}
		if r.Class == pricing.UnitClass {
			t.unitTurn(j, r.Index)
			continue
		}
		next := t.clone()
		next.Orders[r.Index] = true
		t.accept(j, next)
	}
	return t
}

// holds tells whether the goal of a rung holds by now.
func (t *Turns) holds(j Judge, r pricing.Ref) bool {
	if r.Class == pricing.UnitClass {
		return j.Unit(r.Index, -1, t.counts(&t.p.Units[r.Index]))
	}
	return j.Goal(r, t)
}

func (t *Turns) clone() *Turns {
	out := *t
	out.Orders = slices.Clone(t.Orders)
	out.free = slices.Clone(t.free)
	out.stacks = slices.Clone(t.stacks)
	out.picks = slices.Clone(t.picks)
	out.Units.Given = slices.Clone(t.Units.Given)
	out.Units.Claims = slices.Clone(t.Units.Claims)
	return &out
}

// Given is what a walk gives by now: the shipping rungs that lower the fee, each on
// what remains, and the gifts; false where a gift that is due stands against it.
func (t *Turns) Given(j Judge) (ships []int, gifts []bool, ok bool) {
	p := t.p
	paid := p.Paid(t.Units.Given, t.Orders, nil)
	holds := func(r pricing.Ref) bool { return t.holds(j, r) }
	for _, i := range t.Ships {
		r := pricing.Ref{Class: pricing.ShippingClass, Index: i}
		if lowers, within := j.Lowers(i, t, ships); lowers && within && holds(r) && !p.Topped(r, holds) && !p.RefusedBy(r, paid) {
			ships, paid = append(ships, i), append(paid, r)
		}
	}
	gifts, ok = p.GiftsBeside(paid, t.Asked, holds)
	return ships, gifts, ok
}

// refused tells whether a rung may not stand beside what a walk gives.
func (t *Turns) refused(j Judge, r pricing.Ref) bool {
	p := t.p
	if !p.Bonds().Units {
		return false
	}
	ships, gifts, _ := t.Given(j)
	beside := p.Paid(t.Units.Given, t.Orders, ships)
	for i, g := range gifts {
		if g {
			beside = append(beside, pricing.Ref{Class: pricing.GiftClass, Index: i})
		}
	}
	return p.RefusedBy(r, beside)
}

// accept takes a step if it is allowed, keeps limits and floors, and nothing that was
// given before is given no more. It tells whether it did.
func (t *Turns) accept(j Judge, next *Turns) bool {
	if next.keeps(j, t) {
		*t = *next
		return true
	}
	return false
}

// keeps tells whether what was given before a step is given after it, and the step is
// allowed.
func (t *Turns) keeps(j Judge, was *Turns) bool {
	p := t.p
	if !j.Allowed(t) {
		return false
	}
	holds := func(r pricing.Ref) bool { return t.holds(j, r) }
	for i, g := range t.Orders {
		if r := (pricing.Ref{Class: pricing.OrderClass, Index: i}); g && (!holds(r) || p.Topped(r, holds)) {
			return false
		}
	}
	if len(t.Ships) == 0 && t.Asked == 0 {
		return true
	}
	ships, gifts, _ := was.Given(j)
	nowShips, nowGifts, ok := t.Given(j)
	if !ok {
		return false
	}
	for i, g := range gifts {
		if g && !nowGifts[i] {
			return false
		}
	}
	for _, i := range ships {
		r := pricing.Ref{Class: pricing.ShippingClass, Index: i}
		if slices.Contains(nowShips, i) {
			continue
		}
		if lowers, _ := j.Lowers(i, t, nowShips); lowers || !holds(r) || p.Topped(r, holds) {
			return false // it is given no more, and not because nothing is left of the fee
		}
	}
	return true
}

// counts tells how many units of each line a rung's goal may count: those that
// are free and those its own nudge has taken.
func (t *Turns) counts(u *pricing.Unit) func(line int) int64 {
	if t.p.Nudge(u.Nudge).Stacks {
		return func(i int) int64 { return t.p.Lines[i].Quantity }
	}
	return func(i int) int64 {
		n := t.free[i]
		for k := range t.Units.Claims {
			c := &t.Units.Claims[k]
			if o := &t.p.Units[c.Unit]; o.Key.Nudge == u.Key.Nudge {
				n += c.Taken(i)
			}
		}
		return n
	}
}

// byPriority is the choice made in the merchant's order.
func byPriority(p *pricing.Problem, method int) candidate {
	j := exactly(p, method)
	t := InOrder(p, j)
	st, _ := p.Order(&t.Units, t.Orders)
	ships, gifts, _ := t.Given(j)
	ship, _ := p.Shipping(&st, method, ships)
	return candidate{units: &t.Units, GoodsSide: st, ShippingSide: ship, gifts: gifts}
}

// turns lists the rungs in the merchant's order.
func turns(p *pricing.Problem) []pricing.Ref {
	if p.InTurn == nil {
		p.EachRung(func(r pricing.Ref) { p.InTurn = append(p.InTurn, r) })
		slices.SortStableFunc(p.InTurn, func(a, b pricing.Ref) int {
			_, x := p.Rung(a)
			_, y := p.Rung(b)
			return x.Compare(*y)
		})
	}
	return p.InTurn
}
