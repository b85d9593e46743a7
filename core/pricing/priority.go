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
	ships  []int
	gifts  []int
	asked  int // gifts whose turn has come
	free   []int64
	stacks []pick             // rungs that go on top of what the others leave
	picks  []pick             // unit rungs given, those that stack too
	own    map[string][]int64 // per nudge: the units it has taken
	rules  *enumerator        // judges what is allowed
}

// Judge answers, for a walk in the merchant's order, whether goals hold.
type Judge struct {
	// Unit tells whether a unit rung's goal holds, given how many units of each
	// line are counted, for one kind of product or (-1) all.
	Unit func(unit, kind int, units func(line int) int64) bool
	// Within tells whether the added unit's price lies in one of some ranges, given
	// as pairs of their ends.
	Within func(ranges [][2]money.Minor) bool
	// Goal tells whether the goal of an order, shipping or gift rung holds.
	Goal func(g Goal, t *Turns) bool
	// Allowed tells whether the order rungs given are allowed.
	Allowed func(t *Turns) bool
	// Lowers tells whether a shipping rung lowers the fee that is left; one that
	// does not gives nothing, guards nothing and stands in nobody's way.
	Lowers func(i int, t *Turns) bool
}

// exactly judges for the added unit's present price.
func (p *Problem) exactly(method int) Judge {
	return Judge{
		Unit: func(unit, kind int, units func(int) int64) bool { return p.holdsNow(&p.Units[unit], kind, units) },
		Within: func(ranges [][2]money.Minor) bool {
			x := money.Minor(0)
			if p.Added {
				x = p.Lines[0].Amount
			}
			return slices.ContainsFunc(ranges, func(r [2]money.Minor) bool { return r[0] <= x && x <= r[1] })
		},
		Goal: func(g Goal, t *Turns) bool {
			var after []money.Minor
			if g.Basis == AfterOrder {
				st, _ := p.order(&t.Units, t.Orders) // allowed, and trimmed as it will be
				after = st.after
			}
			return g.meets(p.measureAt(&g, p.at(g.Basis, t.Units.After, after)))
		},
		Allowed: func(t *Turns) bool {
			st, ok := p.order(&t.Units, t.Orders)
			if !ok || t.asked == 0 || !p.Bonds().Gifts {
				return ok
			}
			// A gift that was left out for a reward that now gives nothing is due.
			_, ok = p.giftsOf(&candidate{units: &t.Units, goodsStage: st, shipStage: p.shippedBy(t, &st, method)}, t.asked)
			return ok
		},
		Lowers: func(i int, t *Turns) bool {
			if method < 0 {
				return false
			}
			st, _ := p.order(&t.Units, t.Orders)
			fee := p.feeWith(method, p.listFee(&st, method), t.ships)
			return p.Ships[i].By[method].Lower(fee) < fee
		},
	}
}

// InOrder takes rungs in the merchant's order, each wherever its goal holds at
// its turn, it may stand beside those taken before, and none of those loses its
// own goal by it. A unit rung takes the units that save most at its turn.
func (p *Problem) InOrder(j Judge) *Turns {
	t := &Turns{p: p, Orders: make([]bool, len(p.Orders)), own: map[string][]int64{}}
	t.free = p.quantities()
	t.Units = p.noUnits()
	if len(p.Units) > 0 {
		t.rules = p.enumerator()
		t.rules.gather()
	}
	for _, turn := range p.turns() {
		switch turn.ref.Class {
		case UnitClass:
			if turn.first {
				t.unitTurn(j, turn.ref.Index)
			}
		case OrderClass:
			o := &p.Orders[turn.ref.Index]
			if t.topped(j, turn.ref) || !j.Goal(o.Goal, t) || t.clashes(o.Key.Nudge, o.Nudge, OrderClass) {
				continue
			}
			next := t.clone()
			next.Orders[turn.ref.Index] = true
			if j.Allowed(next) && t.keeps(j, next) {
				*t = *next
			}
		case ShippingClass:
			s := &p.Ships[turn.ref.Index]
			if !t.topped(j, turn.ref) && j.Goal(s.Goal, t) && !t.clashes(s.Key.Nudge, s.Nudge, ShippingClass) && j.Lowers(turn.ref.Index, t) {
				t.ships = append(t.ships, turn.ref.Index)
			}
		case GiftClass:
			t.asked = turn.ref.Index + 1
			g := &p.Gifts[turn.ref.Index]
			if !t.topped(j, turn.ref) && j.Goal(g.Goal, t) && !t.clashes(g.Key.Nudge, g.Nudge, GiftClass) {
				t.giftTurn(turn.ref.Index)
			}
		}
	}
	return t
}

// topped tells whether a higher rung of the same replacing ladder holds.
func (t *Turns) topped(j Judge, r Ref) bool {
	return t.p.topped(r, func(g Goal) bool { return j.Goal(g, t) })
}

func (t *Turns) clone() *Turns {
	out := *t
	out.Orders = slices.Clone(t.Orders)
	out.free = slices.Clone(t.free)
	out.stacks = slices.Clone(t.stacks)
	out.picks = slices.Clone(t.picks)
	out.Units.Given = slices.Clone(t.Units.Given)
	out.Units.Claims = slices.Clone(t.Units.Claims)
	out.own = map[string][]int64{}
	for k, v := range t.own {
		out.own[k] = slices.Clone(v)
	}
	return &out
}

// giftTurn takes a gift: of those that may not stand together the one of the
// highest list value is given, and guarded.
func (t *Turns) giftTurn(i int) {
	p, g := t.p, &t.p.Gifts[i]
	against := func(o int) bool {
		b := &p.Gifts[o]
		return b.Key.Nudge != g.Key.Nudge && clash(p.nudge(g.Nudge), p.nudge(b.Nudge), GiftClass, GiftClass)
	}
	for _, o := range t.gifts {
		if against(o) && p.Gifts[o].Worth >= g.Worth {
			return
		}
	}
	t.gifts = append(slices.DeleteFunc(slices.Clone(t.gifts), against), i)
}

// clashes tells whether a nudge may not stand beside what has been taken; gifts
// settle it among themselves.
func (t *Turns) clashes(id string, nudge int, class Class) bool {
	p, n := t.p, t.p.nudge(nudge)
	hits := func(key Key, other int, c Class) bool {
		return key.Nudge != id && clash(n, p.nudge(other), class, c)
	}
	for i, g := range t.Units.Given {
		if g && hits(p.Units[i].Key, p.Units[i].Nudge, UnitClass) {
			return true
		}
	}
	for i, g := range t.Orders {
		if g && hits(p.Orders[i].Key, p.Orders[i].Nudge, OrderClass) {
			return true
		}
	}
	for _, i := range t.ships {
		if hits(p.Ships[i].Key, p.Ships[i].Nudge, ShippingClass) {
			return true
		}
	}
	for _, i := range t.gifts {
		if class != GiftClass && hits(p.Gifts[i].Key, p.Gifts[i].Nudge, GiftClass) {
			return true
		}
	}
	return false
}

// keeps tells whether every rung reached so far is still reached after the next
// step.
func (t *Turns) keeps(j Judge, next *Turns) bool {
	p := t.p
	for i, g := range t.Orders {
		if g && !j.Goal(p.Orders[i].Goal, next) {
			return false
		}
	}
	for _, i := range t.ships {
		if !j.Goal(p.Ships[i].Goal, next) {
			return false
		}
	}
	for _, i := range t.gifts {
		if !j.Goal(p.Gifts[i].Goal, next) {
			return false
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
	own := t.own[u.Key.Nudge]
	return func(i int) int64 {
		if own == nil {
			return t.free[i]
		}
		return t.free[i] + own[i]
	}
}

// unitTurn takes the unit rungs of the nudge whose first rung stands at index.
func (t *Turns) unitTurn(j Judge, first int) {
	p := t.p
	id := p.Units[first].Key.Nudge
	if t.clashes(id, p.Units[first].Nudge, UnitClass) {
		return
	}
	last := first
	for last+1 < len(p.Units) && p.Units[last+1].Key.Nudge == id {
		last++
	}
	n := p.nudge(p.Units[first].Nudge)
	apart := p.Units[first].apart()
	switch {
	case apart:
		next := t.clone()
		for _, kind := range p.kinds(&p.Units[first]) {
			for i := last; i >= first; i-- {
				if j.Unit(i, kind, t.counts(&p.Units[i])) {
					next.claim(i, kind)
					break
				}
			}
		}
		t.accept(j, next)
	case n.Replacing:
		for i := last; i >= first; i-- {
			if j.Unit(i, -1, t.counts(&p.Units[i])) {
				next := t.clone()
				next.claim(i, -1)
				t.accept(j, next)
				break
			}
		}
	default:
		for i := first; i <= last; i++ {
			if j.Unit(i, -1, t.counts(&p.Units[i])) {
				next := t.clone()
				next.claim(i, -1)
				t.accept(j, next)
			}
		}
	}
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

// claim takes the units that save most for a rung.
func (t *Turns) claim(unit, kind int) {
	p, u := t.p, &t.p.Units[unit]
	n := p.nudge(u.Nudge)
	if n.Stacks {
		t.stacks = append(t.stacks, pick{unit, kind})
		t.picks = append(t.picks, pick{unit, kind})
		return
	}
	var rewarded int64
	for _, c := range t.Units.Claims {
		if p.Units[c.Unit].Key.Nudge == u.Key.Nudge {
			rewarded += p.rewarded(c)
		}
	}
	c := p.claimMost(unit, kind, t.free, p.mostUnits(u, rewarded))
	if c.Saved() == 0 {
		return
	}
	own := t.own[u.Key.Nudge]
	if own == nil {
		own = make([]int64, len(p.Lines))
		t.own[u.Key.Nudge] = own
	}
	for _, part := range c.Parts {
		t.free[part.Line] -= part.Qty
		own[part.Line] += part.Qty
	}
	t.Units.Given[unit] = true
	t.Units.Claims = append(t.Units.Claims, c)
	t.picks = append(t.picks, pick{unit, kind})
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

// accept takes a step if it gives something, is allowed, keeps limits and floors,
// and no earlier rung loses its goal by it.
func (t *Turns) accept(j Judge, next *Turns) {
	if next.price() && !slices.Equal(next.Units.Given, t.Units.Given) && j.Within(next.stands()) && j.Allowed(next) && t.keeps(j, next) {
		*t = *next
	}
}

// stands returns for which prices of the added unit what a walk has taken is
// allowed.
func (t *Turns) stands() [][2]money.Minor {
	e := t.rules
	e.free, e.picks, e.claims = t.free, t.picks, e.claims[:0]
	for _, c := range t.Units.Claims {
		if !t.p.nudge(t.p.Units[c.Unit].Nudge).Stacks {
			e.claims = append(e.claims, c)
		}
	}
	var out [][2]money.Minor
	for _, r := range e.allowed(e.merged()) {
		out = append(out, [2]money.Minor{r.from, r.to})
	}
	return out
}

// price works out what units cost after the claims made, those that stack last;
// false where a limit or a floor forbids it.
func (t *Turns) price() bool {
	p := t.p
	c := &t.Units
	segs := make([][]seg, len(p.Lines))
	claims := c.Claims[:0:0]
	slices.SortStableFunc(c.Claims, func(a, b Claim) int { return a.Unit - b.Unit })
	for _, claim := range c.Claims {
		if p.nudge(p.Units[claim.Unit].Nudge).Stacks {
			continue
		}
		claims = append(claims, claim)
		for _, part := range claim.Parts {
			segs[part.Line] = append(segs[part.Line], seg{part.Qty, p.Lines[part.Line].Unit - part.Off})
		}
	}
	for i, n := range t.free {
		if n > 0 {
			segs[i] = append(segs[i], seg{n, p.Lines[i].Unit})
		}
	}
	for i := range c.Given {
		c.Given[i] = c.Given[i] && !p.nudge(p.Units[i].Nudge).Stacks
	}
	for _, pk := range t.stacks {
		if claim := p.onTop(pk, segs); len(claim.Parts) > 0 {
			claims = append(claims, claim)
			c.Given[pk.unit] = true
		}
	}
	c.Claims, c.After, c.Goods, c.count = claims, make([]money.Minor, len(p.Lines)), 0, 0
	for i, l := range p.Lines {
		if l.Quantity == 0 {
			c.After[i] = l.Amount
		}
		for _, s := range segs[i] {
			c.After[i] += s.qty * s.price
		}
		c.Goods += c.After[i]
	}
	for _, g := range c.Given {
		if g {
			c.count++
		}
	}
	return (p.MostOff == 0 || p.offUnits(c) <= p.MostOff) && p.unitsWithin(c)
}

// byPriority is the choice made in the merchant's order.
func (p *Problem) byPriority(method int) candidate {
	t := p.InOrder(p.exactly(method))
	st, _ := p.order(&t.Units, t.Orders)
	units := t.Units
	c := candidate{units: &units, goodsStage: st, shipStage: p.shippedBy(t, &st, method)}
	if len(p.Gifts) > 0 {
		gifts, ok := p.gifts(&c)
		if !ok {
			gifts = make([]bool, len(p.Gifts))
			for _, i := range t.gifts {
				gifts[i] = true
			}
		}
		c.gifts = gifts
	}
	return c
}

// shippedBy is the shipping side with what a walk has reached: in the merchant's
// order, each on what remains of the fee, as long as it lowers it.
func (p *Problem) shippedBy(t *Turns, st *goodsStage, method int) shipStage {
	var use []int
	if method >= 0 {
		use = p.inTurn(method, p.listFee(st, method), t.ships)
	}
	ship, _ := p.shipping(st, method, use)
	return ship
}

// inTurn returns those of some shipping rungs, in the merchant's order, that lower
// what remains of the fee, within their budgets.
func (p *Problem) inTurn(method int, fee money.Minor, rungs []int) []int {
	var use []int
	for _, i := range rungs {
		next, n := p.Ships[i].By[method].Lower(fee), p.nudge(p.Ships[i].Nudge)
		if next < fee && (!n.HasBudget || fee-next <= n.Budget) {
			use, fee = append(use, i), next
		}
	}
	return use
}

// AfterOrders returns each line once the order rewards marked in given are taken
// from what units cost.
func (p *Problem) AfterOrders(c UnitChoice, given []bool) []money.Minor {
	after := slices.Clone(c.After)
	for i, g := range given {
		if !g {
			continue
		}
		for j, s := range p.take(i, after, -1, false).Shares {
			after[j] -= s
		}
	}
	return after
}

type turn struct {
	key   Key
	ref   Ref
	first bool // the first unit rung of its nudge
}

func (p *Problem) turns() []turn {
	turns := make([]turn, 0, len(p.Units)+len(p.Orders)+len(p.Ships)+len(p.Gifts))
	for i, u := range p.Units {
		turns = append(turns, turn{u.Key, Ref{UnitClass, i}, i == 0 || p.Units[i-1].Key.Nudge != u.Key.Nudge})
	}
	for i, o := range p.Orders {
		turns = append(turns, turn{o.Key, Ref{OrderClass, i}, false})
	}
	for i, s := range p.Ships {
		turns = append(turns, turn{s.Key, Ref{ShippingClass, i}, false})
	}
	for i, g := range p.Gifts {
		turns = append(turns, turn{g.Key, Ref{GiftClass, i}, false})
	}
	slices.SortStableFunc(turns, func(a, b turn) int { return a.key.Compare(b.key) })
	return turns
}
