package pricing

import (
	"slices"

	"agonal.dev/agonal/core/money"
)

// specials enumerates the claims of rungs that take a limited number of units,
// one rung after the other, and hands on to the simple ones. The claim that saves
// most comes first.
func (e *enumerator) specials(at int) {
	if !e.step() || e.tooDear(at, 0) {
		return
	}
	if at == len(e.special) {
		e.simples(0)
		return
	}
	pk := e.special[at]
	u := &e.p.Units[pk.unit]
	try := func(c Claim) {
		e.claim(c, 1)
		e.specials(at + 1)
		e.claim(c, -1)
	}
	limit := e.p.mostUnits(u, e.rewarded(pk.unit))
	switch {
	case u.Form == Every:
		e.everys(pk, limit, try)
	case u.inSets():
		e.sets(pk, limit, try)
	default:
		e.some(pk, limit, try)
	}
}

// rewarded is how many units the nudge of a rung has rewarded so far.
func (e *enumerator) rewarded(unit int) int64 {
	var n int64
	for _, c := range e.claims {
		if e.owner[c.Unit] == e.owner[unit] {
			n += e.p.rewarded(c)
		}
	}
	return n
}

// claim takes the units of a claim, or gives them back.
func (e *enumerator) claim(c Claim, sign int64) {
	for _, part := range c.Parts {
		e.free[part.Line] -= sign * part.Qty
	}
	if sign > 0 {
		e.claims = append(e.claims, c)
	} else {
		e.claims = e.claims[:len(e.claims)-1]
	}
}

// sets enumerates the ways to make sets of free units: the one that saves most,
// then every other grouping.
func (e *enumerator) sets(pk pick, limit int64, try func(Claim)) {
	u := &e.p.Units[pk.unit]
	if !e.charge(len(e.free) / 8) {
		return
	}
	first := e.p.claimSets(pk, e.free, limit)
	if first.Sets == 0 {
		return
	}
	try(first)
	runs := e.p.runsOf(pk, u.On, e.free)
	most := limit / e.p.rewardedPerSet(u)
	var made []Part
	var count int64
	var last []int64
	var more func()
	more = func() {
		if count > 0 {
			c := Claim{Unit: pk.unit, Sets: count, Parts: slices.Clone(made)}
			if !sameParts(c, first) {
				try(c)
			}
		}
		if count == most {
			return
		}
		vectors(runs, u.Size, last, func(v []int64) bool {
			if !e.step() {
				return false
			}
			var set []run
			for k, n := range v {
				if n > 0 {
					set = append(set, run{runs[k].line, n, runs[k].price})
				}
			}
			parts := e.p.setParts(u, set)
			if parts == nil {
				return true
			}
			was := last
			last, count = slices.Clone(v), count+1
			for k, n := range v {
				runs[k].qty -= n
			}
			one := func(parts []Part) {
				made = append(made, parts...)
				more()
				made = made[:len(made)-len(parts)]
			}
			one(parts)
			e.p.otherWays(u, set, one)
			for k, n := range v {
				runs[k].qty += n
			}
			last, count = was, count-1
			return !e.over
		})
	}
	more()
}

// vectors calls yield with every way to draw n units from runs, as a number per
// run, from the dearest runs down. With a last vector it gives only those that do
// not come before it, so that sets are not drawn twice in another order.
func vectors(runs []run, n int64, last []int64, yield func([]int64) bool) bool {
	v := make([]int64, len(runs))
	room := make([]int64, len(runs)+1) // how many the runs from here on can give
	for i := len(runs) - 1; i >= 0; i-- {
		room[i] = room[i+1] + runs[i].qty
	}
	var fill func(at int, left int64, free bool) bool
	fill = func(at int, left int64, free bool) bool {
		if at == len(runs) {
			return yield(v)
		}
		most := min(left, runs[at].qty)
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

func sameParts(a, b Claim) bool {
	return a.Sets == b.Sets && slices.Equal(joined(a.Parts), joined(b.Parts))
}

// joined puts parts of one line and price together, in order.
func joined(parts []Part) []Part {
	out := slices.Clone(parts)
	slices.SortFunc(out, func(a, b Part) int {
		if a.Line != b.Line {
			return a.Line - b.Line
		}
		return int(b.Off - a.Off)
	})
	w := 0
	for _, part := range out {
		if w > 0 && out[w-1].Line == part.Line && out[w-1].Off == part.Off {
			out[w-1].Qty += part.Qty
			continue
		}
		out[w] = part
		w++
	}
	return out[:w]
}

// everys enumerates the claims of "every": which units earn, and among equally
// cheap ones which are rewarded.
func (e *enumerator) everys(pk pick, limit int64, try func(Claim)) {
	p, u := e.p, &e.p.Units[pk.unit]
	var all int64
	for _, n := range e.free {
		all += n
	}
	if !e.charge(int(min(1<<20, all/(u.Size+1)*int64(len(e.free))/16))) {
		return
	}
	first := p.claimEvery(pk, e.free, limit)
	if first.Sets > 0 {
		try(first)
	}
	contested := e.othersTake(pk)
	earn := p.runsOf(pk, u.Goal.Scope, e.free)
	var units int64
	for _, r := range earn {
		units += r.qty
	}
	for sets := min(units/u.Size, (limit+u.Gets-1)/u.Gets); sets > 0 && !e.over; sets-- {
		vectors(earn, sets*u.Size, nil, func(v []int64) bool {
			if !e.step() {
				return false
			}
			left := slices.Clone(e.free)
			var bought []run
			for k, n := range v {
				if n > 0 {
					left[earn[k].line] -= n
					bought = append(bought, run{earn[k].line, n, earn[k].price})
				}
			}
			if contested {
				e.anyRewards(pk, bought, left, sets, limit, func(c Claim) {
					if !sameParts(c, first) {
						try(c)
					}
				})
				return !e.over
			}
			c, ok := p.everyFrom(pk, bought, left, sets, limit)
			if !ok {
				return true
			}
			e.ties(pk, c, len(bought), left, func(c Claim) {
				if !sameParts(c, first) {
					try(c)
				}
			})
			return !e.over
		})
	}
}

// othersTake tells whether another rung that is picked may take units that a rung
// may reward.
func (e *enumerator) othersTake(pk pick) bool {
	for _, o := range e.picks {
		l := &e.ladders[e.owner[o.unit]]
		if o == pk || l.nudge.Stacks {
			continue
		}
		for i, in := range e.p.Units[pk.unit].On {
			if in && l.lines[i] && e.p.Lines[i].Quantity > 0 {
				return true
			}
		}
	}
	return false
}

// anyRewards gives every claim that rewards free units for bought ones: which of
// them are the cheapest is known only once the other rungs have taken theirs.
func (e *enumerator) anyRewards(pk pick, bought []run, left []int64, sets, limit int64, try func(Claim)) {
	p, u := e.p, &e.p.Units[pk.unit]
	var can []run
	var units int64
	for _, r := range p.runsOf(pk, u.On, left) {
		if p.saves(u, r.line, r.price) > 0 {
			can = append(can, r)
			units += r.qty
		}
	}
	if !u.Dearest {
		slices.Reverse(can)
	}
	for n := min(units, limit, sets*u.Gets); n > (sets-1)*u.Gets && !e.over; n-- {
		vectors(can, n, nil, func(v []int64) bool {
			if !e.step() {
				return false
			}
			c := Claim{Unit: pk.unit, Sets: sets}
			for _, r := range bought {
				c.Parts = append(c.Parts, Part{r.line, r.qty, 0})
			}
			var got []run
			for k, q := range v {
				if q > 0 {
					got = append(got, run{can[k].line, q, can[k].price})
					c.Parts = append(c.Parts, Part{can[k].line, q, p.saves(u, can[k].line, can[k].price)})
				}
			}
			if !p.overlaps(u) || matched(bought, got, sets, u.Size, u.Gets) {
				try(c)
			}
			return !e.over
		})
	}
}

// ties gives a claim, and those that reward other units at the same prices: of
// equally cheap units any may be rewarded.
func (e *enumerator) ties(pk pick, c Claim, fixed int, left []int64, try func(Claim)) {
	try(c)
	u := &e.p.Units[c.Unit]
	levels := map[money.Minor]int64{}
	var prices []money.Minor
	for _, part := range c.Parts[fixed:] {
		price := e.p.Lines[part.Line].Unit
		if levels[price] == 0 {
			prices = append(prices, price)
		}
		levels[price] += part.Qty
	}
	var choose func(at int, parts []Part)
	choose = func(at int, parts []Part) {
		if at == len(prices) {
			if other := (Claim{Unit: c.Unit, Sets: c.Sets, Parts: parts}); !sameParts(other, c) {
				try(other)
			}
			return
		}
		var alike []run
		for _, r := range e.p.runsOf(pk, u.On, left) {
			if r.price == prices[at] && e.p.saves(u, r.line, r.price) > 0 {
				alike = append(alike, r)
			}
		}
		vectors(alike, levels[prices[at]], nil, func(v []int64) bool {
			if !e.step() {
				return false
			}
			next := slices.Clone(parts)
			for k, q := range v {
				if q > 0 {
					next = append(next, Part{alike[k].line, q, e.p.saves(u, alike[k].line, prices[at])})
				}
			}
			choose(at+1, next)
			return !e.over
		})
	}
	choose(0, slices.Clone(c.Parts[:fixed]))
}

// some enumerates the claims of a rung that rewards a limited number of units:
// the cheapest, the dearest, or any up to its limit.
func (e *enumerator) some(pk pick, limit int64, try func(Claim)) {
	u := &e.p.Units[pk.unit]
	var can []run
	var units int64
	for _, r := range e.p.runs(u.On, e.free) {
		if (pk.kind < 0 || e.p.kind(u, r.line) == pk.kind) && e.p.saves(u, r.line, r.price) > 0 {
			can = append(can, r)
			units += r.qty
		}
	}
	if u.Pick > 0 {
		limit = min(limit, u.Pick)
		if !u.Dearest {
			slices.Reverse(can)
		}
	}
	n := min(limit, units)
	if n == 0 {
		return
	}
	// Fewer than n are taken where simple rungs take the rest.
	least := n
	if len(e.simple)+len(e.special) > 1 {
		least = 1
	}
	for ; n >= least && !e.over; n-- {
		vectors(can, n, nil, func(v []int64) bool {
			if !e.step() {
				return false
			}
			c := Claim{Unit: pk.unit}
			for k, q := range v {
				if q > 0 {
					c.Parts = append(c.Parts, e.p.parts(u, can[k].line, q, can[k].price)...)
				}
			}
			try(c)
			return !e.over
		})
	}
}

// simples gives the free units of each line to the simple rungs that are picked
// and save something on it: all to the one that saves most, then every other way.
// Where one of them applies, no unit stays free.
func (e *enumerator) simples(line int) {
	if e.over {
		return
	}
	for line < len(e.p.Lines) && e.free[line] == 0 {
		line++
	}
	if line == len(e.p.Lines) {
		e.leaf()
		return
	}
	price := e.p.Lines[line].Unit
	takers := e.p.takersOf(nil, e.simple, line)
	if len(takers) == 0 {
		e.simples(line + 1) // its units stay free
		return
	}
	var give func(at int)
	give = func(at int) {
		t := takers[at]
		q := e.free[line]
		if at == len(takers)-1 {
			if q > 0 {
				e.claim(Claim{Unit: t.unit, Parts: e.p.parts(&e.p.Units[t.unit], line, q, price)}, 1)
				e.simplesNext(line + 1)
				e.claim(e.claims[len(e.claims)-1], -1)
			} else {
				e.simplesNext(line + 1)
			}
			return
		}
		for n := q; n >= 0; n-- {
			if !e.step() {
				return
			}
			if n == 0 {
				give(at + 1)
				continue
			}
			e.claim(Claim{Unit: t.unit, Parts: e.p.parts(&e.p.Units[t.unit], line, n, price)}, 1)
			give(at + 1)
			e.claim(e.claims[len(e.claims)-1], -1)
		}
	}
	give(0)
}

func (e *enumerator) simplesNext(line int) {
	if e.tooDear(len(e.special), line) || e.hopeless() {
		return
	}
	e.simples(line)
}
