package search

import (
	"slices"

	"agonal.dev/agonal/core/bounds"
	"agonal.dev/agonal/core/pricing"
)

// specials enumerates the claims of rungs that take a limited number of units,
// one rung after the other, and hands on to the simple ones. The claim that saves
// most comes first.
func (e *enumerator) specials(at int) {
	if !e.step() || e.worthless(at, 0) {
		return
	}
	if at == len(e.Special) {
		e.simples(0)
		return
	}
	pk := e.Special[at]
	u := &e.P.Units[pk.Unit]
	try := func(c pricing.Claim) {
		e.claim(c, 1)
		e.specials(at + 1)
		e.claim(c, -1)
	}
	limit := e.P.MostUnits(u, e.rewarded(pk.Unit))
	switch {
	case u.Form == pricing.Every:
		e.everys(pk, limit, try)
	case u.InSets():
		e.sets(pk, limit, try)
	default:
		e.some(pk, limit, try)
	}
}

// rewarded is how many units the nudge of a rung has rewarded so far.
func (e *enumerator) rewarded(unit int) int64 {
	var n int64
	for _, c := range e.Claims {
		if e.Owner[c.Unit] == e.Owner[unit] {
			n += e.P.Rewarded(c)
		}
	}
	return n
}

// claim takes the units of a claim, or gives them back.
func (e *enumerator) claim(c pricing.Claim, sign int64) {
	for _, part := range c.Parts {
		e.Free[part.Line] -= sign * part.Qty
	}
	if sign > 0 {
		e.Claims = append(e.Claims, c)
	} else {
		e.Claims = e.Claims[:len(e.Claims)-1]
	}
}

// sets enumerates the ways to make sets of free units: the one that saves most,
// then every other grouping.
func (e *enumerator) sets(pk pricing.Pick, limit int64, try func(pricing.Claim)) {
	u := &e.P.Units[pk.Unit]
	if !e.charge(len(e.Free) / 8) {
		return
	}
	first := claimSets(e.P, pk, e.Free, limit)
	if first.Sets == 0 {
		return
	}
	try(first)
	runs := e.P.RunsOf(pk, u.On, e.Free)
	most := limit / e.P.RewardedPerSet(u)
	var made []pricing.Part
	var count int64
	var last []int64
	var more func()
	more = func() {
		if count > 0 {
			c := pricing.Claim{Unit: pk.Unit, Sets: count, Parts: slices.Clone(made)}
			if !sameParts(c, first) {
				try(c)
			}
		}
		if count == most {
			return
		}
		pricing.Vectors(runs, u.Size, last, func(v []int64) bool {
			if !e.step() {
				return false
			}
			var set []pricing.Run
			for k, n := range v {
				if n > 0 {
					set = append(set, pricing.Run{Line: runs[k].Line, Qty: n, Price: runs[k].Price})
				}
			}
			parts := e.P.SetParts(u, set)
			if parts == nil {
				return true
			}
			was := last
			last, count = slices.Clone(v), count+1
			for k, n := range v {
				runs[k].Qty -= n
			}
			one := func(parts []pricing.Part) {
				made = append(made, parts...)
				more()
				made = made[:len(made)-len(parts)]
			}
			one(parts)
			e.P.OtherWays(u, set, one)
			for k, n := range v {
				runs[k].Qty += n
			}
			last, count = was, count-1
			return !e.over
		})
	}
	more()
}

func sameParts(a, b pricing.Claim) bool {
	return a.Sets == b.Sets && slices.Equal(joined(a.Parts), joined(b.Parts))
}

// joined puts parts of one line and price together, in order.
func joined(parts []pricing.Part) []pricing.Part {
	out := slices.Clone(parts)
	slices.SortFunc(out, func(a, b pricing.Part) int {
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

// some enumerates the claims of a rung that rewards a limited number of units:
// the cheapest, the dearest, or any up to its limit.
func (e *enumerator) some(pk pricing.Pick, limit int64, try func(pricing.Claim)) {
	u := &e.P.Units[pk.Unit]
	var can []pricing.Run
	var units int64
	for _, r := range e.P.Runs(u.On, e.Free) {
		if (pk.Kind < 0 || e.P.Kind(u, r.Line) == pk.Kind) && e.P.Saves(u, r.Line, r.Price) > 0 {
			can = append(can, r)
			units += r.Qty
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
	if len(e.Simple)+len(e.Special) > 1 {
		least = 1
	}
	for ; n >= least && !e.over; n-- {
		pricing.Vectors(can, n, nil, func(v []int64) bool {
			if !e.step() {
				return false
			}
			c := pricing.Claim{Unit: pk.Unit}
			for k, q := range v {
				if q > 0 {
					c.Parts = append(c.Parts, e.P.Parts(u, can[k].Line, q, can[k].Price)...)
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
	for line < len(e.P.Lines) && e.Free[line] == 0 {
		line++
	}
	if line == len(e.P.Lines) {
		e.leaf()
		return
	}
	price := e.P.Lines[line].Unit
	takers := bounds.TakersOf(e.P, nil, e.Simple, line)
	if len(takers) == 0 {
		e.simples(line + 1) // its units stay free
		return
	}
	var give func(at int)
	give = func(at int) {
		t := takers[at]
		q := e.Free[line]
		if at == len(takers)-1 {
			if q > 0 {
				e.claim(pricing.Claim{Unit: t.Unit, Parts: e.P.Parts(&e.P.Units[t.Unit], line, q, price)}, 1)
				e.simplesNext(line + 1)
				e.claim(e.Claims[len(e.Claims)-1], -1)
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
			e.claim(pricing.Claim{Unit: t.Unit, Parts: e.P.Parts(&e.P.Units[t.Unit], line, n, price)}, 1)
			give(at + 1)
			e.claim(e.Claims[len(e.Claims)-1], -1)
		}
	}
	give(0)
}

func (e *enumerator) simplesNext(line int) {
	if e.worthless(len(e.Special), line) {
		return
	}
	e.simples(line)
}
