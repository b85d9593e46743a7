package pricing

import (
	"slices"

	"agonal.dev/agonal/core/money"
)

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
