package pricing

import (
	"slices"

	"agonal.dev/agonal/core/money"
)

// Prices is a range of prices of the added unit, both ends in it.
type Prices struct{ From, To money.Minor }

// heldFor returns for which prices of the added unit a rung's goal holds, given
// how many units of each line are counted; for one kind of product where kind is
// not negative. Without an added unit it holds for every price or for none.
func (p *Problem) heldFor(u *Unit, kind int, units func(line int) int64) (from, to money.Minor, ok bool) {
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
		return 0, anyAddition, g.meets(n, n > 0)
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
		return 0, anyAddition, g.meets(m, any)
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
	to = anyAddition
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
	return p.heldFor(u, -1, func(line int) int64 { return p.Lines[line].Quantity - p.takenByOthers(c.Claims, u, line) })
}

// UnitHeldFor returns for which prices of the added unit the goal of unit rung i holds,
// given how many units of each line are counted, for one kind
// of product or, with -1, for all.
func (p *Problem) UnitHeldFor(i, kind int, units func(line int) int64) (from, to money.Minor, ok bool) {
	return p.heldFor(&p.Units[i], kind, units)
}

// holdsNow tells whether a unit rung's goal holds at the added unit's present
// price.
func (p *Problem) holdsNow(u *Unit, kind int, units func(line int) int64) bool {
	from, to, ok := p.heldFor(u, kind, units)
	x := p.added()
	return ok && from <= x && x <= to
}

// added is the present price of the added unit, 0 without one.
func (p *Problem) added() money.Minor {
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

// leaf keeps what has been assigned where it is allowed.
func (e *enumerator) leaf() {
	claims := e.merged()
	if allowed := e.allowed(claims); len(allowed) > 0 {
		e.keep(claims, allowed)
	}
}

// allowed returns for which prices of the added unit what has been assigned is
// allowed: every goal holds and nothing is half done.
func (e *enumerator) allowed(claims []Claim) []Prices {
	p := e.p
	taken := make([][]int64, len(e.ladders))
	for _, c := range claims {
		o := e.owner[c.Unit]
		if taken[o] == nil {
			taken[o] = make([]int64, len(p.Lines))
		}
		for _, part := range c.Parts {
			taken[o][part.Line] += part.Qty
		}
	}
	// units tells how many units of a line a ladder may count: all but those that
	// others took. One that stacks goes on top of them and counts every unit.
	units := func(ladder int) func(int) int64 {
		if e.ladders[ladder].nudge.Stacks {
			return func(i int) int64 { return p.Lines[i].Quantity }
		}
		return func(i int) int64 {
			n := e.free[i]
			if t := taken[ladder]; t != nil {
				n += t[i]
			}
			return n
		}
	}
	allowed := []Prices{{0, anyAddition}}
	for _, pk := range e.picks {
		o := e.owner[pk.unit]
		u := &p.Units[pk.unit]
		from, to, ok := p.heldFor(u, pk.kind, units(o))
		if !ok {
			return nil
		}
		allowed = within(allowed, Prices{from, to})
		if e.ladders[o].nudge.Replacing {
			for _, h := range e.ladders[o].rungs {
				if h <= pk.unit {
					continue
				}
				kind := pk.kind
				if !p.Units[h].apart() {
					kind = -1 // reached by any product
				}
				if from, to, ok := p.heldFor(&p.Units[h], kind, units(o)); ok {
					allowed = without(allowed, Prices{from, to})
				}
			}
			p.HigherOf(Ref{UnitClass, pk.unit}, func(o Ref) {
				if o.Class == UnitClass {
					return
				}
				if from, to, ok := p.goalHeldFor(p.GoalOf(o), -1, func(i int) int64 { return p.Lines[i].Quantity }); ok {
					allowed = without(allowed, Prices{from, to})
				}
			})
		}
		if !e.ladders[o].nudge.Stacks && (!e.tookAny(claims, pk) || e.halfMeasure(claims, pk)) {
			return nil
		}
	}
	if len(allowed) == 0 || e.missedProduct(units) {
		return nil
	}
	return allowed
}

// merged joins the claims of each rung.
func (e *enumerator) merged() []Claim {
	out := make([]Claim, 0, len(e.claims))
	for _, c := range e.claims {
		if i := slices.IndexFunc(out, func(o Claim) bool { return o.Unit == c.Unit }); i >= 0 {
			out[i].Parts = append(slices.Clone(out[i].Parts), c.Parts...)
			out[i].Sets += c.Sets
			continue
		}
		out = append(out, c)
	}
	slices.SortFunc(out, func(a, b Claim) int { return a.Unit - b.Unit })
	return out
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
	return append(within(in, Prices{0, r.From - 1}), within(in, Prices{r.To + 1, anyAddition})...)
}

// tookAny tells whether a rung has made a unit cheaper.
func (e *enumerator) tookAny(claims []Claim, pk pick) bool {
	for _, c := range claims {
		if c.Unit != pk.unit {
			continue
		}
		for _, part := range c.Parts {
			if part.Off > 0 && (pk.kind < 0 || e.p.kind(&e.p.Units[pk.unit], part.Line) == pk.kind) {
				return true
			}
		}
	}
	return false
}

// halfMeasure tells whether a rung could take one more free unit, or make one
// more set that saves money, or rewards others than the cheapest (dearest) ones.
func (e *enumerator) halfMeasure(claims []Claim, pk pick) bool {
	p, u := e.p, &e.p.Units[pk.unit]
	c := claims[slices.IndexFunc(claims, func(c Claim) bool { return c.Unit == pk.unit })]
	var rewarded int64
	for _, o := range claims {
		if e.owner[o.Unit] == e.owner[pk.unit] {
			rewarded += e.p.rewarded(o)
		}
	}
	left := p.mostUnits(u, rewarded)
	if left == 0 && u.Pick == 0 && u.Form != Every {
		return false
	}
	switch {
	case u.Form == Every:
		return e.moreEvery(c, pk, left)
	case u.inSets():
		return left >= p.rewardedPerSet(u) && p.claimSets(pk, e.free, p.rewardedPerSet(u)).Sets > 0
	}
	mine := func(line int) bool { return pk.kind < 0 || p.kind(u, line) == pk.kind }
	var own int64
	edge := money.Minor(-1)
	for _, part := range c.Parts {
		if !mine(part.Line) {
			continue
		}
		own += part.Qty
		if price := p.Lines[part.Line].Unit; edge < 0 || u.Dearest && price < edge || !u.Dearest && price > edge {
			edge = price
		}
	}
	full := left == 0 || u.Pick > 0 && own >= u.Pick
	for i, n := range e.free {
		if n == 0 || !mine(i) || p.saves(u, i, p.Lines[i].Unit) == 0 {
			continue
		}
		if !full {
			return true
		}
		if price := p.Lines[i].Unit; u.Pick > 0 && (u.Dearest && price > edge || !u.Dearest && price < edge) {
			return true
		}
	}
	return false
}

// moreEvery tells whether "every" could reward one more free unit, for the sets
// it has or for one more.
func (e *enumerator) moreEvery(c Claim, pk pick, left int64) bool {
	p, u := e.p, &e.p.Units[pk.unit]
	mine := func(line int) bool { return pk.kind < 0 || p.kind(u, line) == pk.kind }
	var bought, rewarded []run
	var earned, got int64
	for _, part := range c.Parts {
		if !mine(part.Line) {
			continue
		}
		r := run{part.Line, part.Qty, p.Lines[part.Line].Unit}
		if part.Off > 0 {
			rewarded, got = append(rewarded, r), got+part.Qty
		} else {
			bought, earned = append(bought, r), earned+part.Qty
		}
	}
	sets := earned / u.Size
	for i, n := range e.free {
		if n == 0 || !mine(i) || p.saves(u, i, p.Lines[i].Unit) == 0 {
			continue
		}
		one := run{i, 1, p.Lines[i].Unit}
		fits := func(rewarded []run) bool { return !p.overlaps(u) || matched(bought, rewarded, sets, u.Size, u.Gets) }
		if left > 0 && got < sets*u.Gets && fits(append(slices.Clone(rewarded), one)) {
			return true
		}
		for k, r := range rewarded {
			swapped := append(slices.Clone(rewarded), one)
			swapped[k].qty--
			if u.Dearest && one.price > r.price && fits(swapped) || !u.Dearest && one.price < r.price {
				return true
			}
		}
		if left == 0 {
			continue
		}
		if p.earns(pk, i, e.free) {
			return true
		}
	}
	return false
}

// missedProduct tells whether a ladder that judges every product by itself is
// given, but not to a product that has reached it.
func (e *enumerator) missedProduct(units func(ladder int) func(int) int64) bool {
	p := e.p
	given, picked := map[int]bool{}, map[pick]bool{}
	for _, pk := range e.picks {
		if pk.kind >= 0 && !e.ladders[e.owner[pk.unit]].nudge.Stacks {
			given[e.owner[pk.unit]], picked[pk] = true, true
		}
	}
	for o := range given {
		rungs := e.ladders[o].rungs
		for i, n := range e.free {
			if n == 0 {
				continue
			}
			for k := len(rungs) - 1; k >= 0; k-- {
				u := &p.Units[rungs[k]]
				if !u.apart() {
					continue
				}
				if _, _, ok := p.heldFor(u, p.kind(u, i), units(o)); ok && u.Goal.Scope[i] {
					// Of a product that is given, as many as are picked are taken.
					own := pick{rungs[k], p.kind(u, i)}
					if p.nudge(u.Nudge).MostUnits == 0 && (u.Pick == 0 || !picked[own]) && p.couldTake(own, i, e.free) {
						return true
					}
					break
				}
			}
		}
	}
	return false
}

// couldTake tells whether a rung could reward a free unit of a line, or make a set
// with units of its kind.
func (p *Problem) couldTake(pk pick, line int, free []int64) bool {
	u := &p.Units[pk.unit]
	switch {
	case u.wholeSets():
		return p.claimSets(pk, free, anyUnits).Sets > 0
	case u.Form == Every:
		return slices.ContainsFunc(p.runsOf(pk, u.On, free), func(r run) bool {
			return p.saves(u, r.line, r.price) > 0 && p.earns(pk, r.line, free)
		})
	}
	return p.saves(u, line, p.Lines[line].Unit) > 0
}

// earns tells whether free units could earn "every" for a free unit of a line.
func (p *Problem) earns(pk pick, line int, free []int64) bool {
	u := &p.Units[pk.unit]
	ruled := p.overlaps(u)
	var n int64
	for _, r := range p.runsOf(pk, u.Goal.Scope, free) {
		if r.line == line {
			r.qty--
		}
		if !ruled || r.price >= p.Lines[line].Unit {
			n += r.qty
		}
	}
	return n >= u.Size
}

// seg is a run of units of one line at the price that remains.
type seg struct {
	qty   int64
	price money.Minor
}

// keep prices what has been assigned, puts the stacking rungs on top, and keeps
// the choice where limits and floors allow it.
func (e *enumerator) keep(claims []Claim, allowed []Prices) {
	choice, ok := e.p.priced(claims, e.free, e.stacked)
	if !ok {
		return
	}
	for _, r := range allowed {
		choice.From, choice.To = r.From, r.To
		if e.solver != nil {
			if c, ok := e.p.present(choice); ok {
				e.solver.orders(&c)
			}
			continue
		}
		if r == (Prices{0, anyAddition}) {
			e.best = min(e.best, choice.Goods) // it stands beside every other for every addition
		}
		e.found = append(e.found, choice)
	}
}

// priced is what units cost under some claims, with the rungs that stack on top: what
// would save nothing there is not given. False where a limit, a budget or a floor
// forbids it.
func (p *Problem) priced(claims []Claim, free []int64, stacked []pick) (UnitChoice, bool) {
	segs := make([][]seg, len(p.Lines))
	for _, c := range claims {
		for _, part := range c.Parts {
			segs[part.Line] = append(segs[part.Line], seg{part.Qty, p.Lines[part.Line].Unit - part.Off})
		}
	}
	for i, n := range free {
		if n > 0 {
			segs[i] = append(segs[i], seg{n, p.Lines[i].Unit})
		}
	}
	for _, pk := range stacked {
		if c := p.onTop(pk, segs); len(c.Parts) > 0 {
			claims = append(claims, c)
		}
	}
	c := UnitChoice{Given: make([]bool, len(p.Units)), Claims: claims, After: make([]money.Minor, len(p.Lines)), To: anyAddition}
	for _, claim := range claims {
		c.Given[claim.Unit] = true
	}
	for _, g := range c.Given {
		if g {
			c.count++
		}
	}
	for i, l := range p.Lines {
		if l.Quantity == 0 {
			c.After[i] = l.Amount
		}
		for _, s := range segs[i] {
			c.After[i] += s.qty * s.price
		}
		c.Goods += c.After[i]
	}
	return c, (p.MostOff == 0 || p.offUnits(&c) <= p.MostOff) && p.unitsWithin(&c)
}

// onTop puts a stacking rung on what units cost by now.
func (p *Problem) onTop(pk pick, segs [][]seg) Claim {
	u := &p.Units[pk.unit]
	c := Claim{Unit: pk.unit}
	for i := range segs {
		if pk.kind >= 0 && p.kind(u, i) != pk.kind {
			continue
		}
		var next, lowered []seg
		for _, s := range segs[i] {
			if p.saves(u, i, s.price) > 0 {
				lowered = append(lowered, s)
			} else {
				next = append(next, s)
			}
		}
		for _, part := range p.lower(u, i, lowered) {
			c.Parts = append(c.Parts, part.Part)
			next = append(next, seg{part.Qty, part.price - part.Off})
		}
		segs[i] = next
	}
	return c
}

// unitsWithin tells whether a choice keeps the budgets of its nudges and leaves
// every line it touches at its margin floor.
func (p *Problem) unitsWithin(c *UnitChoice) bool {
	for i, claim := range c.Claims {
		n := p.nudge(p.Units[claim.Unit].Nudge)
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
			return false
		}
	}
	return p.floorsHold(c, nil, c.After)
}

// floorsHold tells whether every line that a reward lowers keeps its margin floor.
func (p *Problem) floorsHold(c *UnitChoice, applied []Applied, after []money.Minor) bool {
	for i := range p.Lines {
		l := &p.Lines[i]
		if !l.HasCost || after[i] >= l.Amount || l.Quantity == 0 {
			continue
		}
		rate := p.Floor
		for _, claim := range c.Claims {
			if f := p.nudge(p.Units[claim.Unit].Nudge).Floor; f > rate && claim.lowers(i) {
				rate = f
			}
		}
		for _, a := range applied {
			if f := p.nudge(p.Orders[a.Order].Nudge).Floor; f > rate && a.Shares[i] > 0 {
				rate = f
			}
		}
		if !p.keepsFloor(l, after[i], l.Quantity, rate) {
			return false
		}
	}
	return true
}

func (c Claim) lowers(line int) bool {
	for _, part := range c.Parts {
		if part.Line == line && part.Off > 0 {
			return true
		}
	}
	return false
}

// pricedPart is a part with the price its units cost before.
type pricedPart struct {
	Part
	price money.Minor
}

// lower takes a rung's reward off units of one line at several prices. Rounded per
// line, the reward is spread over the units by the largest remainder, the dearest
// first among equals.
func (p *Problem) lower(u *Unit, line int, segs []seg) []pricedPart {
	var out []pricedPart
	if !u.PerLine || u.Form != PercentOff {
		for _, s := range segs {
			out = append(out, pricedPart{Part{line, s.qty, p.saves(u, line, s.price)}, s.price})
		}
		return out
	}
	slices.SortStableFunc(segs, func(a, b seg) int { return compareMinor(b.price, a.price) })
	var sum money.Minor
	for _, s := range segs {
		sum += s.price * s.qty
	}
	total, _ := u.Percent.Of(sum)
	left := total
	rests := make([]uint64, len(segs))
	order := make([]int, len(segs))
	for k, s := range segs {
		each, rest := portion(total, s.price, sum)
		out = append(out, pricedPart{Part{line, s.qty, each}, s.price})
		left -= each * s.qty
		rests[k], order[k] = rest, k
	}
	slices.SortStableFunc(order, func(a, b int) int {
		switch {
		case rests[a] > rests[b]:
			return -1
		case rests[a] < rests[b]:
			return 1
		}
		return 0
	})
	for _, k := range order {
		n := min(left, out[k].Qty)
		left -= n
		if n == 0 {
			continue
		}
		if n < out[k].Qty {
			out = append(out, pricedPart{Part{line, n, out[k].Off + 1}, out[k].price})
			out[k].Qty -= n
		} else {
			out[k].Off++
		}
	}
	return out
}
