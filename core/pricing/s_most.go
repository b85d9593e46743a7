package pricing

import (
	"slices"

	"agonal.dev/agonal/core/money"
)

// claimSets returns the claim of a reward in sets that saves most from the free
// units: sets from the dearest units down, as many as save money, at most
// limit rewarded units. Its time grows with lines, not with units.
func (p *Problem) claimSets(pk pick, free []int64, limit int64) Claim {
	u := &p.Units[pk.unit]
	c := Claim{Unit: pk.unit}
	if u.Form == Every {
		return p.claimEvery(pk, free, limit)
	}
	runs := p.runsOf(pk, u.On, free)
	most := limit / max(1, p.rewardedPerSet(u))
	for len(runs) > 0 && c.Sets < most {
		n := int64(1)
		var set []run
		if runs[0].qty >= u.Size {
			n = min(runs[0].qty/u.Size, most-c.Sets)
			set = []run{{runs[0].line, u.Size, runs[0].price}}
		} else {
			set = cut(runs, u.Size)
		}
		parts := p.setParts(u, set)
		if parts == nil {
			break
		}
		for _, part := range parts {
			part.Qty *= n
			c.Parts = append(c.Parts, part)
		}
		for _, r := range set {
			runs = drop(runs, r.qty*n)
		}
		c.Sets += n
	}
	return c
}

// drop takes n units off the first of runs.
func drop(runs []run, n int64) []run {
	if runs[0].qty -= n; runs[0].qty == 0 {
		return runs[1:]
	}
	return runs
}

// claimEvery returns a claim of "every" that saves most: as many sets as there
// are units to earn and to reward, rewarding the cheapest that are left, or set by
// set the dearest.
func (p *Problem) claimEvery(pk pick, free []int64, limit int64) Claim {
	u := &p.Units[pk.unit]
	if u.Dearest && p.overlaps(u) {
		return p.everyInTurn(pk, free, limit)
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
			_, ok := p.everyOf(pk, free, n, limit)
			return ok
		})
	}
	for sets := most; sets > 0; sets-- {
		if c, ok := p.everyOf(pk, free, sets, limit); ok {
			return c
		}
	}
	return Claim{Unit: pk.unit}
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
func (p *Problem) everyInTurn(pk pick, free []int64, limit int64) Claim {
	u := &p.Units[pk.unit]
	left := slices.Clone(free)
	c := Claim{Unit: pk.unit}
	for limit > 0 {
		bought := cut(p.earning(pk, left), u.Size)
		if bought == nil {
			break
		}
		after := slices.Clone(left)
		for _, r := range bought {
			after[r.line] -= r.qty
		}
		one, ok := p.everyFrom(pk, bought, after, 1, limit)
		if !ok {
			break
		}
		got := p.rewarded(one)
		n := int64(1)
		if got == u.Gets {
			n = max(1, min(p.repeats(one, left), limit/got))
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
func (p *Problem) repeats(c Claim, left []int64) int64 {
	n := anyUnits
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
func (p *Problem) earning(pk pick, free []int64) []run {
	u := &p.Units[pk.unit]
	all := p.runsOf(pk, u.Goal.Scope, free)
	out := make([]run, 0, len(all))
	for _, rewarded := range []bool{false, true} {
		for _, r := range all {
			if u.On[r.line] == rewarded {
				out = append(out, r)
			}
		}
	}
	return out
}

// everyOf builds a claim of "every" with so many sets. The units that earn are
// those that cannot be rewarded first, then the dearest; the rewarded ones are the
// cheapest of the rest (dearest: the dearest that nothing forbids).
func (p *Problem) everyOf(pk pick, free []int64, sets, limit int64) (Claim, bool) {
	u := &p.Units[pk.unit]
	bought := cut(p.earning(pk, free), sets*u.Size)
	if bought == nil {
		return Claim{}, false
	}
	left := slices.Clone(free)
	for _, r := range bought {
		left[r.line] -= r.qty
	}
	return p.everyFrom(pk, bought, left, sets, limit)
}

// everyFrom rewards units for bought ones: the claim, or false where nothing is
// saved or a rewarded unit would be dearer than those that earned it.
func (p *Problem) everyFrom(pk pick, bought []run, left []int64, sets, limit int64) (Claim, bool) {
	u := &p.Units[pk.unit]
	cheap := p.runsOf(pk, u.On, left)
	if !u.Dearest {
		cheap = cheapestFirst(cheap)
	}
	c := Claim{Unit: pk.unit, Sets: sets}
	for _, r := range bought {
		c.Parts = append(c.Parts, Part{r.line, r.qty, 0})
	}
	want := min(sets*u.Gets, limit)
	var rewarded []run
	ruled := p.overlaps(u)
	for _, r := range cheap {
		off := p.saves(u, r.line, r.price)
		if off == 0 || want == 0 {
			continue
		}
		n := min(want, r.qty)
		if ruled { // units dearer than any that could earn them are passed over
			n = mostFitting(n, func(n int64) bool {
				return matched(bought, append(slices.Clone(rewarded), run{r.line, n, r.price}), sets, u.Size, u.Gets)
			})
			if n == 0 {
				continue
			}
		}
		want -= n
		rewarded = append(rewarded, run{r.line, n, r.price})
		c.Parts = append(c.Parts, Part{r.line, n, off})
	}
	var got int64
	for _, r := range rewarded {
		got += r.qty
	}
	// Every set must earn at least one unit, or it saves nothing.
	if got <= (sets-1)*u.Gets || got == 0 {
		return Claim{}, false
	}
	return c, true
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
	e := p.newEnumerator(mostEverySteps)
	e.free = slices.Clone(free)
	best, most := Claim{Unit: pk.unit}, money.Minor(0)
	e.everys(pk, limit, func(c Claim) {
		e.claim(c, 1)
		if saved := c.Saved(); saved > most && !p.moreEvery(&taking{free: e.free}, c, pk, limit-p.rewarded(c)) {
			best, most = c, saved
		}
		e.claim(c, -1)
	})
	return best
}

// mostEverySteps is how many claims of "every" are looked at for the one that
// saves most.
const mostEverySteps = 1 << 9
