package pricing

import "slices"

// Taking is which rungs take which units: those given, one claim for each that does
// not stack, in the order of rungs, and what stays free on each line.
type Taking struct {
	Picks  []Pick
	Claims []Claim
	Free   []int64
}

// Pick is a rung that is given, for one kind of product where products are
// judged by themselves (else -1).
type Pick struct {
	Unit int
	Kind int
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
func (p *Problem) counts(t *Taking, unit int) func(line int) int64 {
	if p.Nudge(p.Units[unit].Nudge).Stacks {
		return func(i int) int64 { return p.Lines[i].Quantity }
	}
	own := make([]int64, len(p.Lines))
	for _, c := range t.Claims {
		if p.sameNudge(c.Unit, unit) {
			for _, part := range c.Parts {
				own[part.Line] += part.Qty
			}
		}
	}
	return func(i int) int64 { return t.Free[i] + own[i] }
}

// Allowed returns for which prices of the added unit a taking is allowed: every goal
// holds, of a replacing ladder none above it, nothing is half done and everything that
// is given saves something. Where it is allowed for none it says why.
func (p *Problem) Allowed(t *Taking) ([]Prices, Refusal) {
	allowed := []Prices{{0, AnyAddition}}
	last, counts := -1, (func(int) int64)(nil)
	for _, pk := range t.Picks {
		u, rung := &p.Units[pk.Unit], Ref{UnitClass, pk.Unit}
		if last < 0 || !p.sameNudge(last, pk.Unit) {
			last, counts = pk.Unit, p.counts(t, pk.Unit)
		}
		from, to, ok := p.HeldFor(u, pk.Kind, counts)
		if !ok {
			return nil, Refusal{GoalOpen, rung}
		}
		allowed = within(allowed, Prices{from, to})
		if allowed = p.belowHigher(allowed, pk, counts); len(allowed) == 0 {
			return nil, Refusal{HigherHolds, rung}
		}
		if p.Nudge(u.Nudge).Stacks { // what it saves on top is worked out with the prices
			if u.Apart() && p.missedOnTop(t, pk, counts) {
				return nil, Refusal{HalfDone, rung}
			}
			continue
		}
		if !p.lowersAny(t, pk) {
			return nil, Refusal{SavesNothing, rung}
		}
		if p.tooMany(t, pk) {
			return nil, Refusal{TooMany, rung}
		}
		if p.halfDone(t, pk) || u.Apart() && p.missedProduct(t, pk, counts) {
			return nil, Refusal{HalfDone, rung}
		}
	}
	return allowed, Refusal{}
}

// belowHigher leaves of some prices those for which no rung above one in a replacing
// ladder holds, of whatever class; where every product is judged by itself, no rung
// above it that the product has reached.
func (p *Problem) belowHigher(allowed []Prices, pk Pick, counts func(int) int64) []Prices {
	u := &p.Units[pk.Unit]
	replacing := p.Nudge(u.Nudge).Replacing
	if u.Apart() {
		for h, end := pk.Unit+1, p.after(pk.Unit); h < end; h++ {
			if p.Units[h].Apart() {
				allowed = withoutIf(allowed)(p.HeldFor(&p.Units[h], pk.Kind, counts))
			}
		}
	}
	if !replacing {
		return allowed
	}
	p.HigherOf(Ref{UnitClass, pk.Unit}, func(h Ref) {
		switch {
		case h.Class != UnitClass:
			allowed = withoutIf(allowed)(p.HeldByAll(p.GoalOf(h)))
		case !u.Apart() || !p.Units[h.Index].Apart(): // reached by any product
			allowed = withoutIf(allowed)(p.HeldFor(&p.Units[h.Index], -1, counts))
		}
	})
	return allowed
}

// withoutIf leaves out of some prices those for which a goal holds.
func withoutIf(in []Prices) func(from, to int64, holds bool) []Prices {
	return func(from, to int64, holds bool) []Prices {
		if !holds {
			return in
		}
		return without(in, Prices{from, to})
	}
}

// lowersAny tells whether a rung has made a unit cheaper.
func (p *Problem) lowersAny(t *Taking, pk Pick) bool {
	for _, c := range t.Claims {
		if c.Unit != pk.Unit {
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
func (p *Problem) isOf(pk Pick, line int) bool {
	return pk.Kind < 0 || p.Kind(&p.Units[pk.Unit], line) == pk.Kind
}

// halfDone tells whether a rung could take one more free unit, or make one more set
// that saves money, or rewards others than the cheapest (dearest) ones.
func (p *Problem) halfDone(t *Taking, pk Pick) bool {
	u := &p.Units[pk.Unit]
	c := t.Claims[slices.IndexFunc(t.Claims, func(c Claim) bool { return c.Unit == pk.Unit })]
	left := p.MostUnits(u, p.rewardedBy(t, pk.Unit))
	switch {
	case u.Form == Every:
		return p.MoreEvery(t, c, pk, left)
	case u.InSets():
		return left >= p.RewardedPerSet(u) && p.makesSet(pk, t.Free)
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
	for i, n := range t.Free {
		if n == 0 || !p.isOf(pk, i) || p.Saves(u, i, p.Lines[i].Unit) == 0 {
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

// rewardedBy is how many units the nudge of a rung rewards.
func (p *Problem) rewardedBy(t *Taking, unit int) (n int64) {
	for _, c := range t.Claims {
		if p.sameNudge(c.Unit, unit) {
			n += p.Rewarded(c)
		}
	}
	return n
}

// tooMany tells whether a nudge rewards more units than it may in one order, or a rung
// more than the cheapest (dearest) ones.
func (p *Problem) tooMany(t *Taking, pk Pick) bool {
	u := &p.Units[pk.Unit]
	if most := p.Nudge(u.Nudge).MostUnits; most > 0 && p.rewardedBy(t, pk.Unit) > most {
		return true
	}
	if u.Pick == 0 {
		return false
	}
	var own int64
	for _, c := range t.Claims {
		for _, part := range c.Parts {
			if c.Unit == pk.Unit && p.isOf(pk, part.Line) {
				own += part.Qty
			}
		}
	}
	return own > u.Pick
}

// makesSet tells whether free units make a set that saves money: the dearest do if any.
func (p *Problem) makesSet(pk Pick, free []int64) bool {
	u := &p.Units[pk.Unit]
	set := Cut(p.RunsOf(pk, u.On, free), u.Size)
	return set != nil && p.SetParts(u, set) != nil
}

// MoreEvery tells whether "every" could reward one more free unit, for the sets
// it has or for one more.
func (p *Problem) MoreEvery(t *Taking, c Claim, pk Pick, left int64) bool {
	u := &p.Units[pk.Unit]
	var bought, rewarded []Run
	var earned, got int64
	for _, part := range c.Parts {
		if !p.isOf(pk, part.Line) {
			continue
		}
		r := Run{part.Line, part.Qty, p.Lines[part.Line].Unit}
		if part.Off > 0 {
			rewarded, got = append(rewarded, r), got+part.Qty
		} else {
			bought, earned = append(bought, r), earned+part.Qty
		}
	}
	sets := earned / u.Size
	fits := func(rewarded []Run) bool { return !p.Overlaps(u) || Matched(bought, rewarded, sets, u.Size, u.Gets) }
	for i, n := range t.Free {
		if n == 0 || !p.isOf(pk, i) || p.Saves(u, i, p.Lines[i].Unit) == 0 {
			continue
		}
		one := Run{i, 1, p.Lines[i].Unit}
		if left > 0 && got < sets*u.Gets && fits(append(slices.Clone(rewarded), one)) {
			return true
		}
		for k, r := range rewarded {
			swapped := append(slices.Clone(rewarded), one)
			swapped[k].Qty--
			if u.Dearest && one.Price > r.Price && fits(swapped) || !u.Dearest && one.Price < r.Price {
				return true
			}
		}
		if left > 0 && p.earns(pk, i, t.Free) {
			return true
		}
	}
	return false
}

// missedProduct tells whether a ladder that judges every product by itself is given,
// but not to a product that has reached it.
func (p *Problem) missedProduct(t *Taking, given Pick, counts func(int) int64) bool {
	first, after := p.first(given.Unit), p.after(given.Unit)
	for i, n := range t.Free {
		if n == 0 {
			continue
		}
		for k := after - 1; k >= first; k-- {
			u := &p.Units[k]
			if !u.Apart() {
				continue
			}
			if _, _, ok := p.HeldFor(u, p.Kind(u, i), counts); ok && u.Goal.Scope[i] {
				// Of a product that is given, as many as are picked are taken.
				own := Pick{k, p.Kind(u, i)}
				if p.Nudge(u.Nudge).MostUnits == 0 && (u.Pick == 0 || !slices.Contains(t.Picks, own)) && p.CouldTake(own, i, t.Free) {
					return true
				}
				break
			}
		}
	}
	return false
}

// missedOnTop is missedProduct for a ladder that goes on top of other prices.
func (p *Problem) missedOnTop(t *Taking, given Pick, counts func(int) int64) bool {
	for i, l := range p.Lines {
		for k := p.after(given.Unit) - 1; k >= p.first(given.Unit); k-- {
			u := &p.Units[k]
			if !u.Apart() || !u.Goal.Scope[i] {
				continue
			}
			own := Pick{k, p.Kind(u, i)}
			if _, _, ok := p.HeldFor(u, own.Kind, counts); ok {
				if p.Saves(u, i, l.Unit) > 0 && !slices.Contains(t.Picks, own) {
					return true
				}
				break
			}
		}
	}
	return false
}

// CouldTake tells whether a rung could reward a free unit of a line, or make a set
// with units of its kind.
func (p *Problem) CouldTake(pk Pick, line int, free []int64) bool {
	u := &p.Units[pk.Unit]
	switch {
	case u.WholeSets():
		return p.makesSet(pk, free)
	case u.Form == Every:
		return slices.ContainsFunc(p.RunsOf(pk, u.On, free), func(r Run) bool {
			return p.Saves(u, r.Line, r.Price) > 0 && p.earns(pk, r.Line, free)
		})
	}
	return p.Saves(u, line, p.Lines[line].Unit) > 0
}
