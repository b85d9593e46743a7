package search

import (
	"slices"

	"agonal.dev/agonal/core/bounds"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/pricing"
)

// claimEvery returns a claim of "every" that saves most: as many sets as there
// are units to earn and to reward, rewarding the cheapest that are left, or set by
// set the dearest.
func claimEvery(p *pricing.Problem, pk pricing.Pick, free []int64, limit int64) pricing.Claim {
	u := &p.Units[pk.Unit]
	if u.Dearest && p.Overlaps(u) {
		return everyInTurn(p, pk, free, limit)
	}
	var units int64
	for i := range free {
		if u.Goal.Scope[i] || u.On[i] {
			units += free[i]
		}
	}
	most := min(units/(u.Size+1), (limit+u.Gets-1)/u.Gets)
	if most > 1<<10 {
		// With so many, one more or less is found by halving.
		most = mostFitting(most, func(n int64) bool {
			_, ok := everyOf(p, pk, free, n, limit)
			return ok
		})
	}
	for sets := most; sets > 0; sets-- {
		if c, ok := everyOf(p, pk, free, sets, limit); ok {
			return c
		}
	}
	return pricing.Claim{Unit: pk.Unit}
}

// mostFitting returns the largest n up to most that fits, where fewer fit as well.
func mostFitting(most int64, fits func(int64) bool) int64 {
	if most <= 0 || fits(most) {
		return max(0, most)
	}
	lo, hi := int64(0), most-1
	for lo < hi {
		mid := lo + (hi-lo+1)/2
		if fits(mid) {
			lo = mid
		} else {
			hi = mid - 1
		}
	}
	return lo
}

// everyInTurn makes sets from the dearest units down: for each the dearest units
// earn, those that cannot be rewarded before others, and the dearest that are not
// dearer than they are rewarded.
func everyInTurn(p *pricing.Problem, pk pricing.Pick, free []int64, limit int64) pricing.Claim {
	u := &p.Units[pk.Unit]
	left := slices.Clone(free)
	c := pricing.Claim{Unit: pk.Unit}
	for limit > 0 {
		bought := pricing.Cut(earning(p, pk, left), u.Size)
		if bought == nil {
			break
		}
		after := slices.Clone(left)
		for _, r := range bought {
			after[r.Line] -= r.Qty
		}
		one, ok := everyFrom(p, pk, bought, after, 1, limit)
		if !ok {
			break
		}
		got := p.Rewarded(one)
		n := int64(1)
		if got == u.Gets {
			n = max(1, min(repeats(p, one, left), limit/got))
		}
		for _, part := range one.Parts {
			part.Qty *= n
			left[part.Line] -= part.Qty
			c.Parts = append(c.Parts, part)
		}
		c.Sets += n
		limit -= n * got
		if got < u.Gets {
			break // only the last set may be short
		}
	}
	return c
}

// repeats is how many times over a set can be made of what is left.
func repeats(p *pricing.Problem, c pricing.Claim, left []int64) int64 {
	n := pricing.AnyUnits
	need := map[int]int64{}
	for _, part := range c.Parts {
		need[part.Line] += part.Qty
	}
	for line, q := range need {
		n = min(n, left[line]/q)
	}
	return n
}

// earning lists the units that may earn, those first that cannot be rewarded, then
// the dearest.
func earning(p *pricing.Problem, pk pricing.Pick, free []int64) []pricing.Run {
	u := &p.Units[pk.Unit]
	all := p.RunsOf(pk, u.Goal.Scope, free)
	out := make([]pricing.Run, 0, len(all))
	for _, rewarded := range []bool{false, true} {
		for _, r := range all {
			if u.On[r.Line] == rewarded {
				out = append(out, r)
			}
		}
	}
	return out
}

// everyOf builds a claim of "every" with so many sets. The units that earn are
// those that cannot be rewarded first, then the dearest; the rewarded ones are the
// cheapest of the rest (dearest: the dearest that nothing forbids).
func everyOf(p *pricing.Problem, pk pricing.Pick, free []int64, sets, limit int64) (pricing.Claim, bool) {
	u := &p.Units[pk.Unit]
	bought := pricing.Cut(earning(p, pk, free), sets*u.Size)
	if bought == nil {
		return pricing.Claim{}, false
	}
	left := slices.Clone(free)
	for _, r := range bought {
		left[r.Line] -= r.Qty
	}
	return everyFrom(p, pk, bought, left, sets, limit)
}

// everyFrom rewards units for bought ones: the claim, or false where nothing is
// saved or a rewarded unit would be dearer than those that earned it.
func everyFrom(p *pricing.Problem, pk pricing.Pick, bought []pricing.Run, left []int64, sets, limit int64) (pricing.Claim, bool) {
	u := &p.Units[pk.Unit]
	cheap := p.RunsOf(pk, u.On, left)
	if !u.Dearest {
		cheap = pricing.CheapestFirst(cheap)
	}
	c := pricing.Claim{Unit: pk.Unit, Sets: sets}
	for _, r := range bought {
		c.Parts = append(c.Parts, pricing.Part{Line: r.Line, Qty: r.Qty, Off: 0})
	}
	want := min(sets*u.Gets, limit)
	var rewarded []pricing.Run
	ruled := p.Overlaps(u)
	for _, r := range cheap {
		off := p.Saves(u, r.Line, r.Price)
		if off == 0 || want == 0 {
			continue
		}
		n := min(want, r.Qty)
		if ruled { // units dearer than any that could earn them are passed over
			n = mostFitting(n, func(n int64) bool {
				return pricing.Matched(bought, append(slices.Clone(rewarded), pricing.Run{Line: r.Line, Qty: n, Price: r.Price}), sets, u.Size, u.Gets)
			})
			if n == 0 {
				continue
			}
		}
		want -= n
		rewarded = append(rewarded, pricing.Run{Line: r.Line, Qty: n, Price: r.Price})
		c.Parts = append(c.Parts, pricing.Part{Line: r.Line, Qty: n, Off: off})
	}
	var got int64
	for _, r := range rewarded {
		got += r.Qty
	}
	// Every set must earn at least one unit, or it saves nothing.
	if got <= (sets-1)*u.Gets || got == 0 {
		return pricing.Claim{}, false
	}
	return c, true
}

// claimMost returns the claim of a rung that saves most from the free units.
func claimMost(p *pricing.Problem, unit, kind int, free []int64, limit int64) pricing.Claim {
	u := &p.Units[unit]
	switch {
	case u.Form == pricing.Every:
		return mostEvery(p, pricing.Pick{Unit: unit, Kind: kind}, free, limit)
	case u.InSets():
		return claimSets(p, pricing.Pick{Unit: unit, Kind: kind}, free, limit)
	}
	var can []pricing.Run
	for _, r := range p.Runs(u.On, free) {
		if (kind < 0 || p.Kind(u, r.Line) == kind) && p.Saves(u, r.Line, r.Price) > 0 {
			can = append(can, r)
		}
	}
	switch {
	case u.Pick > 0 && !u.Dearest:
		limit = min(limit, u.Pick)
		slices.SortStableFunc(can, func(a, b pricing.Run) int { return pricing.CompareMinor(a.Price, b.Price) })
	case u.Pick > 0:
		limit = min(limit, u.Pick)
	default:
		slices.SortStableFunc(can, func(a, b pricing.Run) int {
			return pricing.CompareMinor(p.Saves(u, b.Line, b.Price), p.Saves(u, a.Line, a.Price))
		})
	}
	c := pricing.Claim{Unit: unit}
	for _, r := range can {
		if n := min(limit, r.Qty); n > 0 {
			c.Parts = append(c.Parts, p.Parts(u, r.Line, n, r.Price)...)
			limit -= n
		}
	}
	return c
}

// mostEvery returns the claim of "every" that saves most and leaves nothing half
// done, of so many as are looked at.
func mostEvery(p *pricing.Problem, pk pricing.Pick, free []int64, limit int64) pricing.Claim {
	e := newEnumerator(p, mostEverySteps)
	e.Free = slices.Clone(free)
	best, most := pricing.Claim{Unit: pk.Unit}, money.Minor(0)
	e.everys(pk, limit, func(c pricing.Claim) {
		e.claim(c, 1)
		if saved := c.Saved(); saved > most && !p.MoreEvery(&pricing.Taking{Free: e.Free}, c, pk, limit-p.Rewarded(c)) {
			best, most = c, saved
		}
		e.claim(c, -1)
	})
	return best
}

// mostEverySteps is how many claims of "every" are looked at for the one that
// saves most.
const mostEverySteps = 1 << 9

// claimSets returns the claim of a reward in sets that saves most from the free units.
func claimSets(p *pricing.Problem, pk pricing.Pick, free []int64, limit int64) pricing.Claim {
	if p.Units[pk.Unit].Form == pricing.Every {
		return claimEvery(p, pk, free, limit)
	}
	return bounds.MostSets(p, pk, free, limit)
}
