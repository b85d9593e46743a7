package search

import (
	"slices"

	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/pricing"
)

// everys enumerates the claims of "every": which units earn, and among equally
// cheap ones which are rewarded.
func (e *enumerator) everys(pk pricing.Pick, limit int64, try func(pricing.Claim)) {
	p, u := e.P, &e.P.Units[pk.Unit]
	var all int64
	for _, n := range e.Free {
		all += n
	}
	if !e.charge(int(min(1<<20, all/(u.Size+1)*int64(len(e.Free))/16))) {
		return
	}
	first := claimEvery(p, pk, e.Free, limit)
	if first.Sets > 0 {
		try(first)
	}
	contested := e.othersTake(pk)
	earn := p.RunsOf(pk, u.Goal.Scope, e.Free)
	var units int64
	for _, r := range earn {
		units += r.Qty
	}
	for sets := min(units/u.Size, (limit+u.Gets-1)/u.Gets); sets > 0 && !e.over; sets-- {
		pricing.Vectors(earn, sets*u.Size, nil, func(v []int64) bool {
			if !e.step() {
				return false
			}
			left := slices.Clone(e.Free)
			var bought []pricing.Run
			for k, n := range v {
				if n > 0 {
					left[earn[k].Line] -= n
					bought = append(bought, pricing.Run{Line: earn[k].Line, Qty: n, Price: earn[k].Price})
				}
			}
			if contested {
				e.anyRewards(pk, bought, left, sets, limit, func(c pricing.Claim) {
					if !sameParts(c, first) {
						try(c)
					}
				})
				return !e.over
			}
			c, ok := everyFrom(p, pk, bought, left, sets, limit)
			if !ok {
				return true
			}
			e.ties(pk, c, len(bought), left, func(c pricing.Claim) {
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
func (e *enumerator) othersTake(pk pricing.Pick) bool {
	for _, o := range e.Picks {
		l := &e.Ladders[e.Owner[o.Unit]]
		if o == pk || l.Nudge.Stacks {
			continue
		}
		for i, in := range e.P.Units[pk.Unit].On {
			if in && l.Lines[i] && e.P.Lines[i].Quantity > 0 {
				return true
			}
		}
	}
	return false
}

// anyRewards gives every claim that rewards free units for bought ones: which of
// them are the cheapest is known only once the other rungs have taken theirs.
func (e *enumerator) anyRewards(pk pricing.Pick, bought []pricing.Run, left []int64, sets, limit int64, try func(pricing.Claim)) {
	p, u := e.P, &e.P.Units[pk.Unit]
	var can []pricing.Run
	var units int64
	for _, r := range p.RunsOf(pk, u.On, left) {
		if p.Saves(u, r.Line, r.Price) > 0 {
			can = append(can, r)
			units += r.Qty
		}
	}
	if !u.Dearest {
		slices.Reverse(can)
	}
	for n := min(units, limit, sets*u.Gets); n > (sets-1)*u.Gets && !e.over; n-- {
		pricing.Vectors(can, n, nil, func(v []int64) bool {
			if !e.step() {
				return false
			}
			c := pricing.Claim{Unit: pk.Unit, Sets: sets}
			for _, r := range bought {
				c.Parts = append(c.Parts, pricing.Part{Line: r.Line, Qty: r.Qty, Off: 0})
			}
			var got []pricing.Run
			for k, q := range v {
				if q > 0 {
					got = append(got, pricing.Run{Line: can[k].Line, Qty: q, Price: can[k].Price})
					c.Parts = append(c.Parts, pricing.Part{Line: can[k].Line, Qty: q, Off: p.Saves(u, can[k].Line, can[k].Price)})
				}
			}
			if !p.Overlaps(u) || pricing.Matched(bought, got, sets, u.Size, u.Gets) {
				try(c)
			}
			return !e.over
		})
	}
}

// ties gives a claim, and those that reward other units at the same prices: of
// equally cheap units any may be rewarded.
func (e *enumerator) ties(pk pricing.Pick, c pricing.Claim, fixed int, left []int64, try func(pricing.Claim)) {
	try(c)
	u := &e.P.Units[c.Unit]
	levels := map[money.Minor]int64{}
	var prices []money.Minor
	for _, part := range c.Parts[fixed:] {
		price := e.P.Lines[part.Line].Unit
		if levels[price] == 0 {
			prices = append(prices, price)
		}
		levels[price] += part.Qty
	}
	var choose func(at int, parts []pricing.Part)
	choose = func(at int, parts []pricing.Part) {
		if at == len(prices) {
			if other := (pricing.Claim{Unit: c.Unit, Sets: c.Sets, Parts: parts}); !sameParts(other, c) {
				try(other)
			}
			return
		}
		var alike []pricing.Run
		for _, r := range e.P.RunsOf(pk, u.On, left) {
			if r.Price == prices[at] && e.P.Saves(u, r.Line, r.Price) > 0 {
				alike = append(alike, r)
			}
		}
		pricing.Vectors(alike, levels[prices[at]], nil, func(v []int64) bool {
			if !e.step() {
				return false
			}
			next := slices.Clone(parts)
			for k, q := range v {
				if q > 0 {
					next = append(next, pricing.Part{Line: alike[k].Line, Qty: q, Off: e.P.Saves(u, alike[k].Line, prices[at])})
				}
			}
			choose(at+1, next)
			return !e.over
		})
	}
	choose(0, slices.Clone(c.Parts[:fixed]))
}
