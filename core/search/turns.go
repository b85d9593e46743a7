package search

import (
	"slices"

	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/pricing"
)

// unitTurn takes units for a rung that is due: those that save most, or where that is
// not allowed the next best.
func (t *Turns) unitTurn(j Judge, unit int) {
	pk := pricing.Pick{Unit: unit, Kind: -1}
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
	if t.refused(j, pricing.Ref{Class: pricing.UnitClass, Index: first}) {
		return
	}
	last := first
	for last+1 < len(p.Units) && p.Units[last+1].Key.Nudge == p.Units[first].Key.Nudge {
		last++
	}
	var picks []pricing.Pick
	for _, kind := range kinds(p, &p.Units[first]) {
		for i := last; i >= first; i-- {
			if p.Units[i].Apart() && j.Unit(i, kind, t.counts(&p.Units[i])) {
				picks = append(picks, pricing.Pick{Unit: i, Kind: kind})
				break
			}
		}
	}
	picks = slices.DeleteFunc(picks, func(pk pricing.Pick) bool {
		return p.Topped(pricing.Ref{Class: pricing.UnitClass, Index: pk.Unit}, func(o pricing.Ref) bool {
			return (o.Class != pricing.UnitClass || !p.Units[o.Index].Apart()) && t.holds(j, o)
		})
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
	if !any || p.Nudge(p.Units[first].Nudge).Stacks {
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
	slices.SortStableFunc(ways, func(a, b *Turns) int { return pricing.CompareMinor(b.saved(), a.saved()) })
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
		if !t.p.Nudge(t.p.Units[c.Unit].Nudge).Stacks {
			sum += c.Saved()
		}
	}
	return sum
}

// kinds lists the products (or variants) that a goal counts.
func kinds(p *pricing.Problem, u *pricing.Unit) []int {
	var out []int
	for i, l := range p.Lines {
		if k := p.Kind(u, i); u.Goal.Scope[i] && l.Quantity > 0 && !slices.Contains(out, k) {
			out = append(out, k)
		}
	}
	return out
}

// most is the taking of a rung that saves most of what is free.
func (t *Turns) most(pk pricing.Pick) pricing.Claim {
	u := &t.p.Units[pk.Unit]
	n := t.p.Nudge(u.Nudge)
	if n.Stacks {
		return pricing.Claim{Unit: pk.Unit}
	}
	if u.PerLine && (u.Pick > 0 || n.MostUnits > 0) { // rounding favours units of one line or another
		if all := t.takings(pk); len(all) > 0 {
			return all[0]
		}
	}
	return claimMost(t.p, pk.Unit, pk.Kind, t.free, t.room(pk))
}

// room is how many units a rung may still reward.
func (t *Turns) room(pk pricing.Pick) int64 {
	p, u := t.p, &t.p.Units[pk.Unit]
	var rewarded int64
	for _, c := range t.Units.Claims {
		if p.Units[c.Unit].Key.Nudge == u.Key.Nudge {
			rewarded += p.Rewarded(c)
		}
	}
	return p.MostUnits(u, rewarded)
}

// takings lists the takings of a rung that save something, those first that save most.
func (t *Turns) takings(pk pricing.Pick) []pricing.Claim {
	p, u := t.p, &t.p.Units[pk.Unit]
	if n := p.Nudge(u.Nudge); n.Stacks || !u.InSets() && u.Pick == 0 && n.MostUnits == 0 {
		return []pricing.Claim{t.most(pk)} // there is one
	}
	e := newEnumerator(p, mostTakings)
	e.Free, e.Picks, e.Special = slices.Clone(t.free), []pricing.Pick{pk}, []pricing.Pick{pk}
	var out []pricing.Claim
	keep := func(c pricing.Claim) {
		if c.Saved() > 0 {
			out = append(out, c)
		}
	}
	switch {
	case u.Form == pricing.Every:
		e.everys(pk, t.room(pk), keep)
	case u.InSets():
		e.sets(pk, t.room(pk), keep)
	default:
		e.some(pk, t.room(pk), keep)
	}
	t.Cut = t.Cut || e.over
	slices.SortStableFunc(out, func(a, b pricing.Claim) int { return pricing.CompareMinor(b.Saved(), a.Saved()) })
	return out
}

// mostTakings is how many steps are spent on listing the takings of one rung.
const mostTakings = 1 << 10

// claim takes the units of a claim; false where it saves nothing.
func (t *Turns) claim(pk pricing.Pick, c pricing.Claim) bool {
	p, u := t.p, &t.p.Units[pk.Unit]
	if p.Nudge(u.Nudge).Stacks {
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
	t.Units.Given[pk.Unit] = true
	t.Units.Claims = append(t.Units.Claims, c)
	t.picks = append(t.picks, pk)
	return true
}

// settle prices the units that have been taken and tells whether that is allowed,
// gives something new, and takes nothing away from what unit rungs gave before.
func (t *Turns) settle(j Judge, was *Turns) bool {
	claims := slices.DeleteFunc(t.Units.Claims, func(c pricing.Claim) bool { return t.p.Nudge(t.p.Units[c.Unit].Nudge).Stacks })
	slices.SortStableFunc(claims, func(a, b pricing.Claim) int { return a.Unit - b.Unit })
	var no pricing.Refusal
	if t.Units, no = t.p.Priced(claims, t.free, t.stacks); !no.OK() {
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
func (t *Turns) stands() []pricing.Prices {
	var claims []pricing.Claim
	for _, c := range t.Units.Claims {
		if !t.p.Nudge(t.p.Units[c.Unit].Nudge).Stacks {
			claims = append(claims, c)
		}
	}
	allowed, _ := t.p.Allowed(&pricing.Taking{Picks: t.picks, Claims: merged(claims), Free: t.free})
	return allowed
}
