package pricing

import "slices"

// taking is which rungs take which units: those given, one claim for each that does
// not stack, in the order of rungs, and what stays free on each line.
type taking struct {
	picks  []pick
	claims []Claim
	free   []int64
}

// pick is a rung that is given, for one kind of product where products are
// judged by themselves (else -1).
type pick struct {
	unit int
	kind int
}

// first is the first unit rung of a unit rung's nudge; they stand together.
func (p *Problem) first(unit int) int {
	if len(p.firsts) != len(p.Units) {
		p.firsts = make([]int, len(p.Units))
		for i := range p.Units {
			if p.firsts[i] = i; i > 0 && p.Units[i-1].Key.Nudge == p.Units[i].Key.Nudge {
				p.firsts[i] = p.firsts[i-1]
			}
		}
	}
	return p.firsts[unit]
}

// sameNudge tells whether two unit rungs are of one nudge.
func (p *Problem) sameNudge(a, b int) bool { return p.first(a) == p.first(b) }

// after is the unit rung behind the last one of a unit rung's nudge.
func (p *Problem) after(unit int) int {
	for unit++; unit < len(p.Units) && p.sameNudge(unit, unit-1); {
		unit++
	}
	return unit
}

// counts tells how many units of a line the goals of a rung's nudge may count: all but
// those that others took. One that stacks goes on top of them and counts every unit.
func (p *Problem) counts(t *taking, unit int) func(line int) int64 {
	if p.nudge(p.Units[unit].Nudge).Stacks {
		return func(i int) int64 { return p.Lines[i].Quantity }
	}
	own := make([]int64, len(p.Lines))
	for _, c := range t.claims {
		if p.sameNudge(c.Unit, unit) {
			for _, part := range c.Parts {
				own[part.Line] += part.Qty
			}
		}
	}
	return func(i int) int64 { return t.free[i] + own[i] }
}

// Allowed returns for which prices of the added unit a taking is allowed: every goal
// holds, of a replacing ladder none above it, nothing is half done and everything that
// is given saves something. Where it is allowed for none it says why.
func (p *Problem) Allowed(t *taking) ([]Prices, Refusal) {
	allowed := []Prices{{0, anyAddition}}
	last, counts := -1, (func(int) int64)(nil)
	for _, pk := range t.picks {
		u, rung := &p.Units[pk.unit], Ref{UnitClass, pk.unit}
		if last < 0 || !p.sameNudge(last, pk.unit) {
			last, counts = pk.unit, p.counts(t, pk.unit)
		}
		from, to, ok := p.heldFor(u, pk.kind, counts)
		if !ok {
			return nil, Refusal{GoalOpen, rung}
		}
		allowed = within(allowed, Prices{from, to})
		if allowed = p.belowHigher(allowed, pk, counts); len(allowed) == 0 {
			return nil, Refusal{HigherHolds, rung}
		}
		if p.nudge(u.Nudge).Stacks {
			continue // what it saves on top is worked out with the prices
		}
		if !p.lowersAny(t, pk) {
			return nil, Refusal{SavesNothing, rung}
		}
		if p.halfDone(t, pk) || u.apart() && p.missedProduct(t, pk, counts) {
			return nil, Refusal{HalfDone, rung}
		}
	}
	return allowed, Refusal{}
}

// belowHigher leaves of some prices those for which no rung above one in a replacing
// ladder holds, of whatever class.
func (p *Problem) belowHigher(allowed []Prices, pk pick, counts func(int) int64) []Prices {
	if !p.nudge(p.Units[pk.unit].Nudge).Replacing {
		return allowed
	}
	p.HigherOf(Ref{UnitClass, pk.unit}, func(h Ref) {
		g, kind, seen := p.GoalOf(h), -1, counts
		switch {
		case h.Class != UnitClass:
			seen = func(i int) int64 { return p.Lines[i].Quantity }
		case p.Units[h.Index].apart():
			kind = pk.kind // else it is reached by any product
		}
		if from, to, ok := p.goalHeldFor(g, kind, seen); ok {
			allowed = without(allowed, Prices{from, to})
		}
	})
	return allowed
}

// lowersAny tells whether a rung has made a unit cheaper.
func (p *Problem) lowersAny(t *taking, pk pick) bool {
	for _, c := range t.claims {
		if c.Unit != pk.unit {
			continue
		}
		for _, part := range c.Parts {
			if part.Off > 0 && p.isOf(pk, part.Line) {
				return true
			}
		}
	}
	return false
}

// isOf tells whether a line is of the kind of product that is picked.
func (p *Problem) isOf(pk pick, line int) bool {
	return pk.kind < 0 || p.kind(&p.Units[pk.unit], line) == pk.kind
}

// halfDone tells whether a rung could take one more free unit, or make one more set
// that saves money, or rewards others than the cheapest (dearest) ones.
func (p *Problem) halfDone(t *taking, pk pick) bool {
	u := &p.Units[pk.unit]
	c := t.claims[slices.IndexFunc(t.claims, func(c Claim) bool { return c.Unit == pk.unit })]
	var rewarded int64
	for _, o := range t.claims {
		if p.sameNudge(o.Unit, pk.unit) {
			rewarded += p.rewarded(o)
		}
	}
	left := p.mostUnits(u, rewarded)
	switch {
	case u.Form == Every:
		return p.moreEvery(t, c, pk, left)
	case u.inSets():
		return left >= p.rewardedPerSet(u) && p.makesSet(pk, t.free)
	case left == 0 && u.Pick == 0:
		return false
	}
	var own int64
	edge := int64(-1)
	for _, part := range c.Parts {
		if !p.isOf(pk, part.Line) {
			continue
		}
		own += part.Qty
		if price := p.Lines[part.Line].Unit; edge < 0 || u.Dearest && price < edge || !u.Dearest && price > edge {
			edge = price
		}
	}
	full := left == 0 || u.Pick > 0 && own >= u.Pick
	for i, n := range t.free {
		if n == 0 || !p.isOf(pk, i) || p.saves(u, i, p.Lines[i].Unit) == 0 {
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

// makesSet tells whether free units make a set that saves money: the dearest do if any.
func (p *Problem) makesSet(pk pick, free []int64) bool {
	u := &p.Units[pk.unit]
	set := cut(p.runsOf(pk, u.On, free), u.Size)
	return set != nil && p.setParts(u, set) != nil
}

// moreEvery tells whether "every" could reward one more free unit, for the sets
// it has or for one more.
func (p *Problem) moreEvery(t *taking, c Claim, pk pick, left int64) bool {
	u := &p.Units[pk.unit]
	var bought, rewarded []run
	var earned, got int64
	for _, part := range c.Parts {
		if !p.isOf(pk, part.Line) {
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
	fits := func(rewarded []run) bool { return !p.overlaps(u) || matched(bought, rewarded, sets, u.Size, u.Gets) }
	for i, n := range t.free {
		if n == 0 || !p.isOf(pk, i) || p.saves(u, i, p.Lines[i].Unit) == 0 {
			continue
		}
		one := run{i, 1, p.Lines[i].Unit}
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
		if left > 0 && p.earns(pk, i, t.free) {
			return true
		}
	}
	return false
}

// missedProduct tells whether a ladder that judges every product by itself is given,
// but not to a product that has reached it.
func (p *Problem) missedProduct(t *taking, given pick, counts func(int) int64) bool {
	first, after := p.first(given.unit), p.after(given.unit)
	for i, n := range t.free {
		if n == 0 {
			continue
		}
		for k := after - 1; k >= first; k-- {
			u := &p.Units[k]
			if !u.apart() {
				continue
			}
			if _, _, ok := p.heldFor(u, p.kind(u, i), counts); ok && u.Goal.Scope[i] {
				// Of a product that is given, as many as are picked are taken.
				own := pick{k, p.kind(u, i)}
				if p.nudge(u.Nudge).MostUnits == 0 && (u.Pick == 0 || !slices.Contains(t.picks, own)) && p.couldTake(own, i, t.free) {
					return true
				}
				break
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
		return p.makesSet(pk, free)
	case u.Form == Every:
		return slices.ContainsFunc(p.runsOf(pk, u.On, free), func(r run) bool {
			return p.saves(u, r.line, r.price) > 0 && p.earns(pk, r.line, free)
		})
	}
	return p.saves(u, line, p.Lines[line].Unit) > 0
}
