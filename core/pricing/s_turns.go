package pricing

import (
	"slices"

	"agonal.dev/agonal/core/money"
)

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
	e := p.newEnumerator(mostTakings)
	e.free, e.picks, e.special = slices.Clone(t.free), []pick{pk}, []pick{pk}
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

// settle prices the units that have been taken and tells whether that is allowed,
// gives something new, and takes nothing away from what unit rungs gave before.
func (t *Turns) settle(j Judge, was *Turns) bool {
	claims := slices.DeleteFunc(t.Units.Claims, func(c Claim) bool { return t.p.nudge(t.p.Units[c.Unit].Nudge).Stacks })
	slices.SortStableFunc(claims, func(a, b Claim) int { return a.Unit - b.Unit })
	var no Refusal
	if t.Units, no = t.p.priced(claims, t.free, t.stacks); !no.OK() {
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
	var claims []Claim
	for _, c := range t.Units.Claims {
		if !t.p.nudge(t.p.Units[c.Unit].Nudge).Stacks {
			claims = append(claims, c)
		}
	}
	allowed, _ := t.p.Allowed(&taking{t.picks, merged(claims), t.free})
	return allowed
}
