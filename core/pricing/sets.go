package pricing

import (
	"cmp"
	"slices"

	"agonal.dev/agonal/core/money"
)

// RewardedPerSet is how many units of a set count against a limit of rewarded units.
func (p *Problem) RewardedPerSet(u *Unit) int64 {
	switch u.Form {
	case NForM:
		return u.Size - u.Pays
	case Every:
		return u.Gets
	}
	return u.Size
}

// Cut takes the first n units off runs; nil where there are not so many.
func Cut(runs []Run, n int64) []Run {
	var out []Run
	for _, r := range runs {
		if n == 0 {
			break
		}
		r.Qty = min(r.Qty, n)
		n -= r.Qty
		out = append(out, r)
	}
	if n > 0 {
		return nil
	}
	return out
}

// SetParts prices one set of a fixed price or of n for m, nil where it is not
// whole or saves nothing. A set's price is spread over its units by the largest
// remainder, ties to the earlier line.
func (p *Problem) SetParts(u *Unit, set []Run) []Part {
	var units int64
	var sum money.Minor
	for _, r := range set {
		units += r.Qty
		sum += r.Price * r.Qty
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
	return freeParts(u, CheapestFirst(set), nil)
}

// CheapestFirst puts runs in order of price, equal ones in the order of lines.
func CheapestFirst(set []Run) []Run {
	cheap := slices.Clone(set)
	slices.SortStableFunc(cheap, func(a, b Run) int { return cmp.Or(cmp.Compare(a.Price, b.Price), cmp.Compare(a.Line, b.Line)) })
	return cheap
}

// freeParts prices a set of n for m: of each run so many units are free, or where
// that is nil those of the first ones.
func freeParts(u *Unit, cheap []Run, free []int64) []Part {
	left := u.Size - u.Pays
	var out []Part
	var saved money.Minor
	for k, r := range cheap {
		n := min(left, r.Qty)
		if free != nil {
			n = free[k]
		}
		left -= n
		if n > 0 {
			out = append(out, Part{r.Line, n, r.Price})
			saved += r.Price * n
		}
		if r.Qty > n {
			out = append(out, Part{r.Line, r.Qty - n, 0})
		}
	}
	if saved == 0 {
		return nil
	}
	return out
}

// OtherWays gives the ways to price a set besides setParts: of n for m any of equally
// cheap units may be free where something tells their lines apart.
func (p *Problem) OtherWays(u *Unit, set []Run, yield func([]Part)) {
	if u.Form != NForM {
		return
	}
	cheap := CheapestFirst(set)
	free := u.Size - u.Pays
	from, before := 0, int64(0) // the runs of the dearest price that is free, and units before them
	for k, n := 0, int64(0); n < free; k++ {
		if cheap[k].Price != cheap[from].Price {
			from, before = k, n
		}
		n += cheap[k].Qty
	}
	to := from
	for to < len(cheap) && cheap[to].Price == cheap[from].Price {
		to++
	}
	if !p.toldApart(cheap[from:to]) {
		return
	}
	first := true
	Vectors(cheap[from:to], free-before, nil, func(v []int64) bool {
		if first {
			first = false // as setParts does it
			return true
		}
		all := make([]int64, len(cheap))
		for k := range from {
			all[k] = cheap[k].Qty
		}
		copy(all[from:], v)
		if parts := freeParts(u, cheap, all); parts != nil {
			yield(parts)
		}
		return true
	})
}

// Vectors calls yield with every way to draw n units from runs, as a number per
// run, from the dearest runs down. With a last vector it gives only those that do
// not come before it, so that sets are not drawn twice in another order.
func Vectors(runs []Run, n int64, last []int64, yield func([]int64) bool) bool {
	v := make([]int64, len(runs))
	room := make([]int64, len(runs)+1) // how many the runs from here on can give
	for i := len(runs) - 1; i >= 0; i-- {
		room[i] = room[i+1] + runs[i].Qty
	}
	var fill func(at int, left int64, free bool) bool
	fill = func(at int, left int64, free bool) bool {
		if at == len(runs) {
			return yield(v)
		}
		most := min(left, runs[at].Qty)
		if !free {
			most = min(most, last[at])
		}
		for k := most; k >= max(0, left-room[at+1]); k-- {
			v[at] = k
			if !fill(at+1, left-k, free || k < last[at]) {
				return false
			}
		}
		v[at] = 0
		return true
	}
	if n > room[0] {
		return true
	}
	return fill(0, n, last == nil)
}

// toldApart tells whether it may make a difference which of some equally dear units
// becomes cheaper: something looks at one line and not at another.
func (p *Problem) toldApart(of []Run) bool {
	for _, r := range of[1:] {
		if !p.alike(of[0].Line, r.Line) {
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
		if u := &p.Units[k]; p.Nudge(u.Nudge).Stacks && (u.On[i] != u.On[j] || u.PerLine || u.Apart()) {
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
func spreadSet(set []Run, price money.Minor) []Part {
	set = slices.Clone(set)
	slices.SortFunc(set, func(a, b Run) int { return a.Line - b.Line })
	var weights []money.Minor
	var of []int
	for i, r := range set {
		for range r.Qty {
			weights = append(weights, r.Price)
			of = append(of, i)
		}
	}
	shares := make([]money.Minor, len(weights))
	_ = money.Spread(shares, price, weights) // price is below the sum of weights
	var out []Part
	for i, s := range shares {
		r := set[of[i]]
		part := Part{r.Line, 1, r.Price - s}
		if k := len(out) - 1; k >= 0 && out[k].Line == part.Line && out[k].Off == part.Off {
			out[k].Qty++
			continue
		}
		out = append(out, part)
	}
	return out
}

// Overlaps tells whether any unit of the cart may both earn and be the reward of
// "every"; then none may be dearer than the units that earned it.
func (p *Problem) Overlaps(u *Unit) bool {
	for i := range p.Lines {
		if u.On[i] && u.Goal.Scope[i] && p.Lines[i].Quantity > 0 {
			return true
		}
	}
	return false
}

// Matched tells whether bought and rewarded units can be put into sets in which
// no rewarded unit is dearer than any that earned it. Dearest with dearest, down
// both lists, succeeds whenever any way does.
func Matched(bought, rewarded []Run, sets, size, gets int64) bool {
	down := func(a, b Run) int {
		switch {
		case a.Price > b.Price:
			return -1
		case a.Price < b.Price:
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
		first, last := (from+gets-1)/gets, (from+x.Qty-1)/gets
		from += x.Qty
		if last = min(last, sets-1); first > last {
			continue
		}
		if cheapest, ok := priceAt(b, (last+1)*size-1); ok && x.Price > cheapest {
			return false
		}
	}
	return true
}

// priceAt returns the price of the nth unit of runs, from 0.
func priceAt(runs []Run, n int64) (money.Minor, bool) {
	for _, r := range runs {
		if n < r.Qty {
			return r.Price, true
		}
		n -= r.Qty
	}
	return 0, false
}

// earns tells whether free units could earn "every" for a free unit of a line.
func (p *Problem) earns(pk Pick, line int, free []int64) bool {
	u := &p.Units[pk.Unit]
	ruled := p.Overlaps(u)
	var n int64
	for _, r := range p.RunsOf(pk, u.Goal.Scope, free) {
		if r.Line == line {
			r.Qty--
		}
		if !ruled || r.Price >= p.Lines[line].Unit {
			n += r.Qty
		}
	}
	return n >= u.Size
}
