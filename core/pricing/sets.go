package pricing

import (
	"cmp"
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

// rewardedPerSet is how many units of a set count against a limit of rewarded units.
func (p *Problem) rewardedPerSet(u *Unit) int64 {
	switch u.Form {
	case NForM:
		return u.Size - u.Pays
	case Every:
		return u.Gets
	}
	return u.Size
}

// cut takes the first n units off runs; nil where there are not so many.
func cut(runs []run, n int64) []run {
	var out []run
	for _, r := range runs {
		if n == 0 {
			break
		}
		r.qty = min(r.qty, n)
		n -= r.qty
		out = append(out, r)
	}
	if n > 0 {
		return nil
	}
	return out
}

// drop takes n units off the first of runs.
func drop(runs []run, n int64) []run {
	if runs[0].qty -= n; runs[0].qty == 0 {
		return runs[1:]
	}
	return runs
}

// setParts prices one set of a fixed price or of n for m, nil where it is not
// whole or saves nothing. A set's price is spread over its units by the largest
// remainder, ties to the earlier line.
func (p *Problem) setParts(u *Unit, set []run) []Part {
	var units int64
	var sum money.Minor
	for _, r := range set {
		units += r.qty
		sum += r.price * r.qty
	}
	if units != u.Size {
		return nil
	}
	if u.Form == SetPrice {
		if u.Amount >= sum {
			return nil
		}
		return spreadSet(set, u.Amount)
	}
	return freeParts(u, cheapestFirst(set), nil)
}

// cheapestFirst puts runs in order of price, equal ones in the order of lines.
func cheapestFirst(set []run) []run {
	cheap := slices.Clone(set)
	slices.SortStableFunc(cheap, func(a, b run) int { return cmp.Or(cmp.Compare(a.price, b.price), cmp.Compare(a.line, b.line)) })
	return cheap
}

// freeParts prices a set of n for m: of each run so many units are free, or where
// that is nil those of the first ones.
func freeParts(u *Unit, cheap []run, free []int64) []Part {
	left := u.Size - u.Pays
	var out []Part
	var saved money.Minor
	for k, r := range cheap {
		n := min(left, r.qty)
		if free != nil {
			n = free[k]
		}
		left -= n
		if n > 0 {
			out = append(out, Part{r.line, n, r.price})
			saved += r.price * n
		}
		if r.qty > n {
			out = append(out, Part{r.line, r.qty - n, 0})
		}
	}
	if saved == 0 {
		return nil
	}
	return out
}

// otherWays gives the ways to price a set besides setParts: of n for m any of equally
// cheap units may be free where something tells their lines apart.
func (p *Problem) otherWays(u *Unit, set []run, yield func([]Part)) {
	if u.Form != NForM {
		return
	}
	cheap := cheapestFirst(set)
	free := u.Size - u.Pays
	from, before := 0, int64(0) // the runs of the dearest price that is free, and units before them
	for k, n := 0, int64(0); n < free; k++ {
		if cheap[k].price != cheap[from].price {
			from, before = k, n
		}
		n += cheap[k].qty
	}
	to := from
	for to < len(cheap) && cheap[to].price == cheap[from].price {
		to++
	}
	if !p.toldApart(cheap[from:to]) {
		return
	}
	first := true
	vectors(cheap[from:to], free-before, nil, func(v []int64) bool {
		if first {
			first = false // as setParts does it
			return true
		}
		all := make([]int64, len(cheap))
		for k := range from {
			all[k] = cheap[k].qty
		}
		copy(all[from:], v)
		if parts := freeParts(u, cheap, all); parts != nil {
			yield(parts)
		}
		return true
	})
}

// toldApart tells whether it may make a difference which of some equally dear units
// becomes cheaper: something looks at one line and not at another.
func (p *Problem) toldApart(of []run) bool {
	for _, r := range of[1:] {
		if !p.alike(of[0].line, r.line) {
			return true
		}
	}
	return false
}

// alike tells whether nothing that is paid depends on which of two lines a unit of one
// price is lowered on.
func (p *Problem) alike(i, j int) bool {
	a, b := &p.Lines[i], &p.Lines[j]
	if a.Tax != b.Tax || a.GiftCard != b.GiftCard || a.HasCost || b.HasCost || !p.TaxShown && a.Tax > 0 {
		return false
	}
	for k := range p.Units {
		if u := &p.Units[k]; p.nudge(u.Nudge).Stacks && (u.On[i] != u.On[j] || u.PerLine || u.apart()) {
			return false
		}
	}
	apart := false
	p.eachGoal(func(g *Goal) {
		apart = apart || g.Basis != Before && (g.Scope[i] != g.Scope[j] || g.WithoutTax && p.TaxShown && a.Tax > 0)
	})
	for k := range p.Orders {
		apart = apart || p.Orders[k].Lines[i] || p.Orders[k].Lines[j] // shares are rounded line by line
	}
	return !apart
}

// spreadSet spreads a set's price over its units.
func spreadSet(set []run, price money.Minor) []Part {
	set = slices.Clone(set)
	slices.SortFunc(set, func(a, b run) int { return a.line - b.line })
	var weights []money.Minor
	var of []int
	for i, r := range set {
		for range r.qty {
			weights = append(weights, r.price)
			of = append(of, i)
		}
	}
	shares := make([]money.Minor, len(weights))
	_ = money.Spread(shares, price, weights) // price is below the sum of weights
	var out []Part
	for i, s := range shares {
		r := set[of[i]]
		part := Part{r.line, 1, r.price - s}
		if k := len(out) - 1; k >= 0 && out[k].Line == part.Line && out[k].Off == part.Off {
			out[k].Qty++
			continue
		}
		out = append(out, part)
	}
	return out
}

// overlaps tells whether any unit of the cart may both earn and be the reward of
// "every"; then none may be dearer than the units that earned it.
func (p *Problem) overlaps(u *Unit) bool {
	for i := range p.Lines {
		if u.On[i] && u.Goal.Scope[i] && p.Lines[i].Quantity > 0 {
			return true
		}
	}
	return false
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

// matched tells whether bought and rewarded units can be put into sets in which
// no rewarded unit is dearer than any that earned it. Dearest with dearest, down
// both lists, succeeds whenever any way does.
func matched(bought, rewarded []run, sets, size, gets int64) bool {
	down := func(a, b run) int {
		switch {
		case a.price > b.price:
			return -1
		case a.price < b.price:
			return 1
		}
		return 0
	}
	b, r := slices.Clone(bought), slices.Clone(rewarded)
	slices.SortStableFunc(b, down)
	slices.SortStableFunc(r, down)
	// Down both lists prices fall, so that of the sets whose dearest reward lies in
	// one run the last is the hardest to allow.
	var from int64
	for _, x := range r {
		first, last := (from+gets-1)/gets, (from+x.qty-1)/gets
		from += x.qty
		if last = min(last, sets-1); first > last {
			continue
		}
		if cheapest, ok := priceAt(b, (last+1)*size-1); ok && x.price > cheapest {
			return false
		}
	}
	return true
}

// priceAt returns the price of the nth unit of runs, from 0.
func priceAt(runs []run, n int64) (money.Minor, bool) {
	for _, r := range runs {
		if n < r.qty {
			return r.price, true
		}
		n -= r.qty
	}
	return 0, false
}
