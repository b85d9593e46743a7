package pricing

import (
	"slices"

	"agonal.dev/agonal/core/money"
)

// Turns is how far a walk through the rungs in the merchant's order has come.
type Turns struct {
	p      *Problem
	Units  UnitChoice // what units cost by now
	Orders []bool
	Ships  []int // shipping rungs that have had their turn: what they give is worked out on what is left
	Asked  int   // gifts whose turn has come
	Cut    bool  // whether not every taking of units was looked at
	free   []int64
	stacks []pick      // rungs that go on top of what the others leave
	picks  []pick      // unit rungs given, those that stack too
	rules  *enumerator // judges what is allowed
}

// Judge answers, for a walk in the merchant's order, what holds.
type Judge struct {
	// Unit tells whether a unit rung's goal holds, given how many units of each
	// line are counted, for one kind of product or (-1) all.
	Unit func(unit, kind int, units func(line int) int64) bool
	// Within tells whether the added unit's price lies in one of some ranges.
	Within func(ranges []Prices) bool
	// Goal tells whether the goal of an order, shipping or gift rung holds.
	Goal func(r Ref, t *Turns) bool
	// Allowed tells whether every order rung given takes something, within all limits.
	Allowed func(t *Turns) bool
	// Lowers tells whether a shipping rung lowers what others leave of the fee, and
	// whether that is within its budget.
	Lowers func(i int, t *Turns, others []int) (lowers, within bool)
}

// exactly judges for the added unit's present price.
func (p *Problem) exactly(method int) Judge {
	// What a walk has come to, worked out once for each step of it.
	var units []money.Minor
	var orders []bool
	var goods goodsStage
	var allowed bool
	at := func(t *Turns) *goodsStage {
		if after := t.Units.After; len(units) == 0 || &units[0] != &after[0] || !slices.Equal(orders, t.Orders) {
			units, orders = after, slices.Clone(t.Orders)
			goods, allowed = p.order(&t.Units, orders)
		}
		return &goods
	}
	return Judge{
		Unit: func(unit, kind int, units func(int) int64) bool { return p.holdsNow(&p.Units[unit], kind, units) },
		Within: func(ranges []Prices) bool {
			x := p.added()
			return slices.ContainsFunc(ranges, func(r Prices) bool { return r.From <= x && x <= r.To })
		},
		Goal: func(r Ref, t *Turns) bool {
			g := p.GoalOf(r)
			var after []money.Minor
			if g.Basis == AfterOrder {
				after = at(t).after // allowed, and trimmed as it will be
			}
			return g.meets(p.measureAt(g, p.at(g.Basis, t.Units.After, after)))
		},
		Allowed: func(t *Turns) bool {
			at(t)
			return allowed
		},
		Lowers: func(i int, t *Turns, others []int) (lowers, within bool) {
			if method < 0 {
				return false, true
			}
			return p.Lowers(i, method, p.FeeWith(method, p.listFee(at(t), method), others))
		},
	}
}

// Lowers tells whether a shipping rung lowers what is left of a method's fee, and
// whether that is within its budget.
func (p *Problem) Lowers(i, method int, fee money.Minor) (lowers, within bool) {
	s := &p.Ships[i]
	next, n := s.By[method].Lower(fee), p.nudge(s.Nudge)
	return next < fee, !n.HasBudget || fee-next <= n.Budget
}

// InOrder takes rungs in the merchant's order, each wherever it is allowed and no
// earlier one loses what it gives. A unit rung takes, of all allowed takings, units
// that save most at its turn.
func (p *Problem) InOrder(j Judge) *Turns {
	t := &Turns{p: p, Orders: make([]bool, len(p.Orders))}
	t.free = p.quantities()
	t.Units = p.noUnits()
	if len(p.Units) > 0 {
		t.rules = p.enumerator()
		t.rules.gather()
	}
	for _, r := range p.turns() {
		if r.Class == GiftClass {
			t.Asked = r.Index + 1
			continue
		}
		if r.Class == UnitClass && p.Units[r.Index].apart() {
			if i := r.Index - 1; i < 0 || p.Units[i].Key.Nudge != p.Units[r.Index].Key.Nudge || !p.Units[i].apart() {
				t.productsTurn(j, r.Index) // such a nudge is given as a whole
			}
			continue
		}
		if r.Class == ShippingClass { // whether its goal holds, what is left tells
			if !t.refused(j, r) {
				t.Ships = append(t.Ships, r.Index)
			}
			continue
		}
		if !t.holds(j, r) || p.topped(r, func(o Ref) bool { return t.holds(j, o) }) || t.refused(j, r) {
			continue
		}
		if r.Class == UnitClass {
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
func (t *Turns) holds(j Judge, r Ref) bool {
	if r.Class == UnitClass {
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
	paid := p.paid(t.Units.Given, t.Orders, nil)
	holds := func(r Ref) bool { return t.holds(j, r) }
	for _, i := range t.Ships {
		r := Ref{ShippingClass, i}
		if lowers, within := j.Lowers(i, t, ships); lowers && within && holds(r) && !p.topped(r, holds) && !p.refusedBy(r, paid) {
			ships, paid = append(ships, i), append(paid, r)
		}
	}
	gifts, ok = p.giftsBeside(paid, t.Asked, holds)
	return ships, gifts, ok
}

// refused tells whether a rung may not stand beside what a walk gives.
func (t *Turns) refused(j Judge, r Ref) bool {
	p := t.p
	if !p.Bonds().Units {
		return false
	}
	ships, gifts, _ := t.Given(j)
	beside := p.paid(t.Units.Given, t.Orders, ships)
	for i, g := range gifts {
		if g {
			beside = append(beside, Ref{GiftClass, i})
		}
	}
	return p.refusedBy(r, beside)
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
	holds := func(r Ref) bool { return t.holds(j, r) }
	for i, g := range t.Orders {
		if r := (Ref{OrderClass, i}); g && (!holds(r) || p.topped(r, holds)) {
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
		r := Ref{ShippingClass, i}
		if slices.Contains(nowShips, i) {
			continue
		}
		if lowers, _ := j.Lowers(i, t, nowShips); lowers || !holds(r) || p.topped(r, holds) {
			return false // it is given no more, and not because nothing is left of the fee
		}
	}
	return true
}

// counts tells how many units of each line a rung's goal may count: those that
// are free and those its own nudge has taken.
func (t *Turns) counts(u *Unit) func(line int) int64 {
	if t.p.nudge(u.Nudge).Stacks {
		return func(i int) int64 { return t.p.Lines[i].Quantity }
	}
	return func(i int) int64 {
		n := t.free[i]
		for k := range t.Units.Claims {
			c := &t.Units.Claims[k]
			if o := &t.p.Units[c.Unit]; o.Key.Nudge == u.Key.Nudge {
				n += c.taken(i)
			}
		}
		return n
	}
}

// unitTurn takes units for a rung that is due: those that save most, or where that is
// not allowed the next best.
func (t *Turns) unitTurn(j Judge, unit int) {
	pk := pick{unit, -1}
	next := t.clone()
	if next.claim(pk, t.most(pk)) && next.settle(j, t) && next.keeps(j, t) {
		*t = *next
		return
	}
	for _, c := range t.takings(pk) {
		next := t.clone()
		if next.claim(pk, c) && next.settle(j, t) && next.keeps(j, t) {
			next.Cut = t.Cut
			*t = *next
			return
		}
	}
}

// productsTurn gives a nudge that judges every product by itself: to each product the
// rung that it has reached.
func (t *Turns) productsTurn(j Judge, first int) {
	p := t.p
	if t.refused(j, Ref{UnitClass, first}) {
		return
	}
	last := first
	for last+1 < len(p.Units) && p.Units[last+1].Key.Nudge == p.Units[first].Key.Nudge {
		last++
	}
	var picks []pick
	for _, kind := range p.kinds(&p.Units[first]) {
		for i := last; i >= first; i-- {
			if p.Units[i].apart() && j.Unit(i, kind, t.counts(&p.Units[i])) {
				picks = append(picks, pick{i, kind})
				break
			}
		}
	}
	picks = slices.DeleteFunc(picks, func(pk pick) bool {
		return p.topped(Ref{UnitClass, pk.unit}, func(o Ref) bool { return (o.Class != UnitClass || !p.Units[o.Index].apart()) && t.holds(j, o) })
	})
	next := t.clone()
	any := false
	for _, pk := range picks {
		any = next.claim(pk, next.most(pk)) || any
	}
	if any && next.settle(j, t) && next.keeps(j, t) {
		*t = *next
		return
	}
	if !any || p.nudge(p.Units[first].Nudge).Stacks {
		return
	}
	// Every taking of one product beside every one of the others, what saves most first.
	ways := []*Turns{t.clone()}
	for _, pk := range picks {
		var more []*Turns
		for _, w := range ways {
			for _, c := range w.takings(pk) {
				if next := w.clone(); next.claim(pk, c) && len(more) < mostWays {
					more = append(more, next)
				}
			}
		}
		if len(more) > 0 {
			ways = more
		}
	}
	slices.SortStableFunc(ways, func(a, b *Turns) int { return compareMinor(b.saved(), a.saved()) })
	for _, next := range ways {
		if next.settle(j, t) && next.keeps(j, t) {
			*t = *next
			return
		}
	}
}

// mostWays is how many takings of all products together are looked at.
const mostWays = 1 << 9

// saved is what a walk takes off units, without what stacks.
func (t *Turns) saved() money.Minor {
	var sum money.Minor
	for _, c := range t.Units.Claims {
		if !t.p.nudge(t.p.Units[c.Unit].Nudge).Stacks {
			sum += c.Saved()
		}
	}
	return sum
}

// kinds lists the products (or variants) that a goal counts.
func (p *Problem) kinds(u *Unit) []int {
	var out []int
	for i, l := range p.Lines {
		if k := p.kind(u, i); u.Goal.Scope[i] && l.Quantity > 0 && !slices.Contains(out, k) {
			out = append(out, k)
		}
	}
	return out
}

// most is the taking of a rung that saves most of what is free.
func (t *Turns) most(pk pick) Claim {
	u := &t.p.Units[pk.unit]
	n := t.p.nudge(u.Nudge)
	if n.Stacks {
		return Claim{Unit: pk.unit}
	}
	if u.PerLine && (u.Pick > 0 || n.MostUnits > 0) { // rounding favours units of one line or another
		if all := t.takings(pk); len(all) > 0 {
			return all[0]
		}
	}
	return t.p.claimMost(pk.unit, pk.kind, t.free, t.room(pk))
}

// room is how many units a rung may still reward.
func (t *Turns) room(pk pick) int64 {
	p, u := t.p, &t.p.Units[pk.unit]
	var rewarded int64
	for _, c := range t.Units.Claims {
		if p.Units[c.Unit].Key.Nudge == u.Key.Nudge {
			rewarded += p.rewarded(c)
		}
	}
	return p.mostUnits(u, rewarded)
}

// takings lists the takings of a rung that save something, those first that save most.
func (t *Turns) takings(pk pick) []Claim {
	p, u := t.p, &t.p.Units[pk.unit]
	if n := p.nudge(u.Nudge); n.Stacks || !u.inSets() && u.Pick == 0 && n.MostUnits == 0 {
		return []Claim{t.most(pk)} // there is one
	}
	e := p.enumerator()
	e.gather()
	e.free, e.picks, e.special = slices.Clone(t.free), []pick{pk}, []pick{pk}
	e.quota, e.nodes = mostTakings, mostTakings
	var out []Claim
	keep := func(c Claim) {
		if c.Saved() > 0 {
			out = append(out, c)
		}
	}
	switch {
	case u.Form == Every:
		e.everys(pk, t.room(pk), keep)
	case u.inSets():
		e.sets(pk, t.room(pk), keep)
	default:
		e.some(pk, t.room(pk), keep)
	}
	t.Cut = t.Cut || e.over
	slices.SortStableFunc(out, func(a, b Claim) int { return compareMinor(b.Saved(), a.Saved()) })
	return out
}

// mostTakings is how many steps are spent on listing the takings of one rung.
const mostTakings = 1 << 10

// claim takes the units of a claim; false where it saves nothing.
func (t *Turns) claim(pk pick, c Claim) bool {
	p, u := t.p, &t.p.Units[pk.unit]
	if p.nudge(u.Nudge).Stacks {
		t.stacks = append(t.stacks, pk)
		t.picks = append(t.picks, pk)
		return true
	}
	if c.Saved() == 0 {
		return false
	}
	for _, part := range c.Parts {
		t.free[part.Line] -= part.Qty
	}
	t.Units.Given[pk.unit] = true
	t.Units.Claims = append(t.Units.Claims, c)
	t.picks = append(t.picks, pk)
	return true
}

// claimMost returns the claim of a rung that saves most from the free units.
func (p *Problem) claimMost(unit, kind int, free []int64, limit int64) Claim {
	u := &p.Units[unit]
	switch {
	case u.Form == Every:
		return p.mostEvery(pick{unit, kind}, free, limit)
	case u.inSets():
		return p.claimSets(pick{unit, kind}, free, limit)
	}
	var can []run
	for _, r := range p.runs(u.On, free) {
		if (kind < 0 || p.kind(u, r.line) == kind) && p.saves(u, r.line, r.price) > 0 {
			can = append(can, r)
		}
	}
	switch {
	case u.Pick > 0 && !u.Dearest:
		limit = min(limit, u.Pick)
		slices.SortStableFunc(can, func(a, b run) int { return compareMinor(a.price, b.price) })
	case u.Pick > 0:
		limit = min(limit, u.Pick)
	default:
		slices.SortStableFunc(can, func(a, b run) int {
			return compareMinor(p.saves(u, b.line, b.price), p.saves(u, a.line, a.price))
		})
	}
	c := Claim{Unit: unit}
	for _, r := range can {
		if n := min(limit, r.qty); n > 0 {
			c.Parts = append(c.Parts, p.parts(u, r.line, n, r.price)...)
			limit -= n
		}
	}
	return c
}

// mostEvery returns the claim of "every" that saves most and leaves nothing half
// done, of so many as are looked at.
func (p *Problem) mostEvery(pk pick, free []int64, limit int64) Claim {
	e := p.enumerator()
	e.free, e.quota, e.nodes = slices.Clone(free), mostEverySteps, mostEverySteps
	best, most := Claim{Unit: pk.unit}, money.Minor(0)
	e.everys(pk, limit, func(c Claim) {
		e.claim(c, 1)
		if saved := c.Saved(); saved > most && !e.moreEvery(c, pk, limit-p.rewarded(c)) {
			best, most = c, saved
		}
		e.claim(c, -1)
	})
	return best
}

// mostEverySteps is how many claims of "every" are looked at for the one that
// saves most.
const mostEverySteps = 1 << 9

func compareMinor(a, b money.Minor) int {
	switch {
	case a < b:
		return -1
	case a > b:
		return 1
	}
	return 0
}

// settle prices the units that have been taken and tells whether that is allowed,
// gives something new, and takes nothing away from what unit rungs gave before.
func (t *Turns) settle(j Judge, was *Turns) bool {
	claims := slices.DeleteFunc(t.Units.Claims, func(c Claim) bool { return t.p.nudge(t.p.Units[c.Unit].Nudge).Stacks })
	slices.SortStableFunc(claims, func(a, b Claim) int { return a.Unit - b.Unit })
	var ok bool
	if t.Units, ok = t.p.priced(claims, t.free, t.stacks); !ok {
		return false
	}
	fresh := false
	for i, g := range was.Units.Given {
		if g && !t.Units.Given[i] {
			return false
		}
		fresh = fresh || t.Units.Given[i] && !g
	}
	return fresh && j.Within(t.stands())
}

// stands returns for which prices of the added unit what a walk has taken is
// allowed.
func (t *Turns) stands() []Prices {
	e := t.rules
	e.free, e.picks, e.claims = t.free, t.picks, e.claims[:0]
	for _, c := range t.Units.Claims {
		if !t.p.nudge(t.p.Units[c.Unit].Nudge).Stacks {
			e.claims = append(e.claims, c)
		}
	}
	return e.allowed(e.merged())
}

// byPriority is the choice made in the merchant's order.
func (p *Problem) byPriority(method int) candidate {
	j := p.exactly(method)
	t := p.InOrder(j)
	st, _ := p.order(&t.Units, t.Orders)
	ships, gifts, _ := t.Given(j)
	ship, _ := p.shipping(&st, method, ships)
	return candidate{units: &t.Units, goodsStage: st, shipStage: ship, gifts: gifts}
}

// turns lists the rungs in the merchant's order.
func (p *Problem) turns() []Ref {
	if p.inTurn == nil {
		p.EachRung(func(r Ref) { p.inTurn = append(p.inTurn, r) })
		slices.SortStableFunc(p.inTurn, func(a, b Ref) int {
			_, x := p.rung(a)
			_, y := p.rung(b)
			return x.Compare(*y)
		})
	}
	return p.inTurn
}
