package pricing

import (
	"slices"

	"agonal.dev/agonal/core/money"
)

// MostNodes bounds the search for the best choice: beyond so many choices of
// order rungs looked at, the best one found is given and the outcome says by how
// much a better one could be cheaper. A count, never a clock, so that the same
// input gives the same answer everywhere.
const MostNodes = 1 << 18

// Solve chooses which rungs are given and which units each takes. It works for
// any problem whose amounts sum up within money.Most.
func (p *Problem) Solve() Outcome { return p.search(p.everyMethod()) }

// SolveFor is Solve with one of the methods chosen.
func (p *Problem) SolveFor(method int) Outcome { return p.search([]int{method}) }

func (p *Problem) everyMethod() []int {
	if len(p.Methods) == 0 {
		return []int{-1}
	}
	methods := make([]int, len(p.Methods))
	for m := range methods {
		methods[m] = m
	}
	return methods
}

// search looks for the best choice, unit choices and what goes on top of them
// together: the best choice found bounds what is still looked at.
func (p *Problem) search(methods []int) Outcome {
	s := p.solver(methods)
	open := anyAddition
	if p.Mode == BestForShopper {
		if !s.direct() {
			open = p.eachUnitChoice(s)
		}
		open = min(open, s.open)
	}
	if s.best == nil || open < s.most {
		for _, m := range methods {
			s.consider(p.byPriority(m))
		}
	}
	out := p.outcome(s.best)
	out.Gap = max(0, out.ToPay-open)
	out.Exact = out.Gap == 0
	out.Steps = s.steps + s.looks() - s.nodes
	return out
}

// looks is how many choices of order rungs a search may look at: a quarter of them
// where there are many lines.
func (s *solver) looks() int {
	n := MostNodes
	if len(s.p.Lines) > ManyLines {
		n /= 4
	}
	if s.p.Effort > 0 {
		n = min(n, s.p.Effort)
	}
	return n
}

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
			if d := p.directly(); d != nil && d.leaving > slack {
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

// present returns a choice as it stands with the added unit's present price,
// false where that price does not allow it.
func (p *Problem) present(c UnitChoice) (UnitChoice, bool) {
	if !p.Added {
		return c, true
	}
	x := p.Lines[0].Amount
	if x < c.From || x > c.To {
		return c, false
	}
	if c.After[0] != x {
		c.After = slices.Clone(c.After)
		c.Goods += x - c.After[0]
		c.After[0] = x
	}
	return c, true
}

type candidate struct {
	units *UnitChoice
	goodsStage
	shipStage
	gifts []bool
	keys  []Key // of the rungs given, built when first compared
}

// solver is one search for the best choice.
type solver struct {
	p       *Problem
	methods []int
	bonds   bool
	lone    bool // whether each shipping rung can be judged by itself
	budget  bool // whether a shipping rung has a budget
	bounds  *outlook
	most    money.Minor // no more than this is paid by the best choice
	open    money.Minor // the least that what was not looked at could cost
	nodes   int
	steps   int // taken so far, besides nodes
	cut     bool
	best    *candidate
}

func (p *Problem) solver(methods []int) *solver {
	bonds := p.Bonds()
	s := &solver{
		p: p, methods: methods, most: anyAddition, open: anyAddition,
		bonds: bonds.Units, lone: !bonds.Ships, budget: bonds.Budget,
	}
	s.nodes = s.looks()
	return s
}

// outlook bounds what choices can lead to.
func (s *solver) outlook() *outlook {
	if s.bounds == nil {
		s.bounds = s.p.outlook(s.methods)
	}
	return s.bounds
}

// useless tells whether a choice that costs at least so much can not be the best.
func (s *solver) useless(least money.Minor) bool { return least > s.most }

func (pr *Prepared) solve(methods []int) Outcome {
	p := pr.P
	s := p.solver(methods)
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

// orders tries every set of the order rungs whose goals hold under a unit choice,
// all of them first, and leaves out what cannot come near the best found.
func (s *solver) orders(c *UnitChoice) {
	p := s.p
	if s.most < anyAddition && s.useless(s.outlook().least(c.Goods, c.After, c.After)) {
		return
	}
	looked := false
	shipped := func(left money.Minor) money.Minor {
		if !looked {
			s.outlook().least(c.Goods, c.After, c.After) // shipped goes by what that looked at
			looked = true
		}
		return s.outlook().shipped(c.Goods, max(0, left))
	}
	var open []int
	holds := p.holdsUnder(c, nil)
	for i := range p.Orders {
		if r := (Ref{OrderClass, i}); holds(r) && !p.topped(r, holds) {
			open = append(open, i)
		}
	}
	// What each can take at most: of lines that nothing else has lowered.
	rest := make([]money.Minor, len(open)+1)
	for k := len(open) - 1; k >= 0; k-- {
		rest[k] = rest[k+1] + p.take(open[k], c.After, -1, false).Total
	}
	given := make([]bool, len(p.Orders))
	var choose func(k int, left money.Minor)
	choose = func(k int, left money.Minor) {
		if s.cut && s.best != nil {
			s.open = min(s.open, shipped(left-rest[k]))
			return
		}
		if s.nodes--; s.nodes < 0 {
			s.cut = true
		}
		if s.most < anyAddition && s.useless(shipped(left-rest[k])) {
			return
		}
		if k == len(open) {
			if st, ok := p.order(c, slices.Clone(given)); ok {
				s.ships(c, st)
			}
			return
		}
		given[open[k]] = true
		choose(k+1, left-(rest[k]-rest[k+1]))
		given[open[k]] = false
		choose(k+1, left)
	}
	choose(0, c.Goods)
}

// ships completes a choice with what holds of the shipping rungs, for every
// method.
func (s *solver) ships(c *UnitChoice, st goodsStage) {
	p := s.p
	holds := p.shipHolds(c, st.after)
	for _, m := range s.methods {
		if m < 0 || s.lone {
			var use []int
			if m >= 0 {
				use = p.fewest(m, p.listFee(&st, m), holds)
			}
			ship, _ := p.shipping(&st, m, use)
			s.complete(c, st, ship)
			continue
		}
		fee := p.listFee(&st, m)
		var can []int
		for i := range p.Ships {
			if holds[i] && p.Ships[i].By[m].Lower(fee) < fee {
				can = append(can, i)
			}
		}
		if len(can) > mostShips {
			if !s.budget {
				s.shipNudges(c, st, m, fee, holds)
				continue
			}
			can = can[:mostShips]
		}
		for set := range 1 << len(can) {
			var use []int
			for k, i := range can {
				if set>>k&1 == 1 {
					use = append(use, i)
				}
			}
			if ship, ok := p.shipping(&st, m, use); ok {
				s.complete(c, st, ship)
			}
		}
	}
}

// mostShips is how many shipping rungs are tried in every combination where
// groups, refusals or budgets bind them.
const mostShips = 8

// shipNudges tries every set of the nudges whose shipping rungs hold: which of
// their rungs bring the fee down furthest does not depend on what binds them.
func (s *solver) shipNudges(c *UnitChoice, st goodsStage, m int, fee money.Minor, holds []bool) {
	p := s.p
	var nudges []string
	for i := range p.Ships {
		if holds[i] && p.Ships[i].By[m].Lower(fee) < fee && !slices.Contains(nudges, p.Ships[i].Key.Nudge) && len(nudges) < 12 {
			nudges = append(nudges, p.Ships[i].Key.Nudge)
		}
	}
	some := make([]bool, len(holds))
	for set := range 1 << len(nudges) {
		for i := range some {
			k := slices.Index(nudges, p.Ships[i].Key.Nudge)
			some[i] = holds[i] && k >= 0 && set>>k&1 == 1
		}
		ship, _ := p.shipping(&st, m, p.fewest(m, fee, some))
		s.complete(c, st, ship)
	}
}

func (s *solver) complete(c *UnitChoice, st goodsStage, ship shipStage) {
	cand := candidate{units: c, goodsStage: st, shipStage: ship}
	if p := s.p; len(p.Gifts) > 0 || s.bonds {
		paid := p.paid(c.Given, st.given, cand.use)
		if p.refuseOneAnother(paid) {
			return
		}
		gifts, ok := p.giftsBeside(paid, len(p.Gifts), p.holdsUnder(c, st.after))
		if !ok {
			return
		}
		cand.gifts = gifts
	}
	s.consider(cand)
}

func (s *solver) consider(c candidate) {
	if s.best == nil || s.p.better(&c, s.best) {
		s.best = &c
		s.most = min(s.most, c.pay(s.p))
	}
}

// holdsUnder tells whether goals hold under a unit choice, with what lines cost after
// order rewards.
func (p *Problem) holdsUnder(c *UnitChoice, after []money.Minor) func(Ref) bool {
	return func(r Ref) bool {
		if r.Class == UnitClass {
			u := &p.Units[r.Index]
			return p.holdsNow(u, -1, func(line int) int64 { return p.Lines[line].Quantity - p.takenByOthers(c.Claims, u, line) })
		}
		g := p.GoalOf(r)
		return g.meets(p.measureAt(g, p.at(g.Basis, c.After, after)))
	}
}

// shipHolds tells which shipping rungs are due.
func (p *Problem) shipHolds(c *UnitChoice, after []money.Minor) []bool {
	due := make([]bool, len(p.Ships))
	holds := p.holdsUnder(c, after)
	for i := range p.Ships {
		r := Ref{ShippingClass, i}
		due[i] = holds(r) && !p.topped(r, holds)
	}
	return due
}

// topped tells whether a higher rung of the same replacing ladder holds, of whatever
// class: then a lower one is never given in its place.
func (p *Problem) topped(r Ref, holds func(Ref) bool) bool {
	out := false
	p.HigherOf(r, func(o Ref) { out = out || holds(o) })
	return out
}

// HigherOf visits the rungs above one of a replacing ladder, of whatever class.
func (p *Problem) HigherOf(r Ref, visit func(Ref)) {
	nudge, key := p.rung(r)
	if !p.nudge(nudge).Replacing {
		return
	}
	p.kin(r, func(o Ref) {
		if _, k := p.rung(o); k.Rung > key.Rung {
			visit(o)
		}
	})
}

// kin visits the rungs of one's nudge.
func (p *Problem) kin(r Ref, visit func(Ref)) {
	p.Bonds() // that finds the classes
	nudge, key := p.rung(r)
	var classes Class = UnitClass | OrderClass | ShippingClass | GiftClass
	if nudge >= 0 && nudge < len(p.classes) {
		classes = p.classes[nudge]
	}
	each := func(c Class, n int) {
		if classes&c == 0 {
			return
		}
		from, to := 0, n
		if c == r.Class { // they stand together
			for from = r.Index; from > 0; from-- {
				if _, k := p.rung(Ref{c, from - 1}); k.Nudge != key.Nudge {
					break
				}
			}
		}
		for i := from; i < to; i++ {
			if _, k := p.rung(Ref{c, i}); k.Nudge == key.Nudge {
				visit(Ref{c, i})
			} else if c == r.Class {
				break
			}
		}
	}
	each(UnitClass, len(p.Units))
	each(OrderClass, len(p.Orders))
	each(ShippingClass, len(p.Ships))
	each(GiftClass, len(p.Gifts))
}

func (c *candidate) pay(p *Problem) money.Minor {
	return c.goodsStage.toPay(p.TaxShown) + c.shipStage.toPay(p.TaxShown)
}

func (c *candidate) count() int { return c.units.count + c.goodsStage.count + c.shipStage.count }

// better tells whether a is to be preferred: less to pay; then fewer rungs;
// then the list of rungs that comes first; then earlier lines that pay less, in
// the end or else after unit rewards; then the method that comes first.
func (p *Problem) better(a, b *candidate) bool {
	if x, y := a.pay(p), b.pay(p); x != y {
		return x < y
	}
	if x, y := a.count(), b.count(); x != y {
		return x < y
	}
	if c := slices.CompareFunc(a.list(p), b.list(p), Key.Compare); c != 0 {
		return c < 0
	}
	if c := slices.Compare(a.after, b.after); c != 0 {
		return c < 0
	}
	if c := slices.Compare(a.units.After, b.units.After); c != 0 {
		return c < 0
	}
	return a.method < b.method
}

// list returns the keys of the rungs given, in order.
func (c *candidate) list(p *Problem) []Key {
	if c.keys == nil {
		c.keys = p.unitKeys(c.units.Given)
		for i, g := range c.goodsStage.given {
			if g {
				c.keys = append(c.keys, p.Orders[i].Key)
			}
		}
		for i, g := range c.shipStage.given {
			if g {
				c.keys = append(c.keys, p.Ships[i].Key)
			}
		}
		slices.SortFunc(c.keys, Key.Compare)
	}
	return c.keys
}

func (p *Problem) outcome(c *candidate) Outcome {
	gifts := c.gifts
	if gifts == nil {
		gifts = make([]bool, len(p.Gifts))
	}
	return Outcome{
		Method: c.method, UnitGiven: c.units.Given, OrderGiven: c.goodsStage.given, ShipGiven: c.shipStage.given, GiftGiven: gifts,
		Claims: c.units.Claims, AfterUnits: c.units.After,
		Applied: c.applied, After: c.after, Tax: c.goodsStage.tax, Goods: c.goods, GoodsTax: c.taxSum,
		ListFee: c.listFee, Fee: c.fee, FeeTax: c.shipStage.tax, ToPay: c.pay(p), Exact: true,
	}
}
