package search

import (
	"slices"

	"agonal.dev/agonal/core/bounds"
	"agonal.dev/agonal/core/pricing"
)

// listOptions lists what may be given of each ladder.
func (e *enumerator) listOptions() {
	p := e.P
	// Ladders that can give nothing to this cart take no part.
	e.Ladders = slices.DeleteFunc(e.Ladders, func(l bounds.Ladder) bool {
		return !slices.ContainsFunc(l.Rungs, func(u int) bool { return couldHold(p, &p.Units[u], -1, true) && savesAny(p, u, -1) })
	})
	for i := range e.Ladders {
		for _, u := range e.Ladders[i].Rungs {
			e.Owner[u] = i
		}
	}
	e.options = make([][][]pricing.Pick, len(e.Ladders))
	e.options = make([][][]pricing.Pick, len(e.Ladders))
	for i := range e.Ladders {
		e.options[i] = e.optionsOf(i)
	}
}

// optionsOf lists what may be given of a ladder: every set of rungs whose goals
// can hold, or of a replacing ladder every single one; nothing comes last.
func (e *enumerator) optionsOf(at int) [][]pricing.Pick {
	l, p := &e.Ladders[at], e.P
	var can []int
	for _, u := range l.Rungs {
		if couldHold(p, &p.Units[u], -1, true) {
			can = append(can, u)
		}
	}
	slices.Reverse(can) // the highest first
	apart := slices.DeleteFunc(slices.Clone(can), func(u int) bool { return !p.Units[u].Apart() })
	can = slices.DeleteFunc(can, func(u int) bool { return p.Units[u].Apart() })
	var products [][]pricing.Pick
	if len(apart) > 0 {
		products = e.apart(at, apart)
	}
	if l.Nudge.Replacing {
		for _, u := range can {
			products = append(products, []pricing.Pick{{Unit: u, Kind: -1}})
		}
		return append(products, nil)
	}
	if len(can) == 0 {
		return append(products, nil)
	}
	e.unlisted = e.unlisted || len(can) > mostTogether
	can = can[:min(len(can), mostTogether)]
	products = append(products, nil)
	var out [][]pricing.Pick
	for _, first := range products {
		for set := 1<<len(can) - 1; set >= 0; set-- {
			picks := slices.Clone(first)
			for k, u := range can {
				if set>>k&1 == 1 {
					picks = append(picks, pricing.Pick{Unit: u, Kind: -1})
				}
			}
			out = append(out, picks)
		}
	}
	return out
}

// mostTogether is how many rungs of one cumulative ladder are given in every set.
const mostTogether = 10

// couldHold tells whether a rung's goal can hold for some price of the added
// unit: its threshold when no other nudge takes a unit, its upper end when others
// take some.
func couldHold(p *pricing.Problem, u *pricing.Unit, kind int, contested bool) bool {
	free := *u
	if contested {
		free.Goal.Most = 0
	}
	_, _, ok := p.HeldFor(&free, kind, func(i int) int64 { return p.Lines[i].Quantity })
	return ok
}

// apart lists what may be given of a ladder that judges every product by itself:
// for each product the rung it has reached, which is lower where others take
// units of it.
func (e *enumerator) apart(at int, can []int) [][]pricing.Pick {
	p := e.P
	out := [][]pricing.Pick{nil}
	seen := map[int]bool{}
	for j := range p.Lines {
		u0 := &p.Units[can[0]]
		k := p.Kind(u0, j)
		if seen[k] || !u0.Goal.Scope[j] || p.Lines[j].Quantity == 0 {
			continue
		}
		seen[k] = true
		var ways [][]pricing.Pick
		contested := e.contested(at, k, u0)
		for _, u := range can {
			if !couldHold(p, &p.Units[u], k, contested) {
				continue
			}
			if savesAny(p, u, k) && (!p.Units[u].InSets() || p.CouldTake(pricing.Pick{Unit: u, Kind: k}, j, e.Free)) {
				ways = append(ways, []pricing.Pick{{Unit: u, Kind: k}})
			}
			if !contested {
				break
			}
		}
		if contested || len(ways) == 0 {
			ways = append(ways, nil)
		}
		var next [][]pricing.Pick
		for _, have := range out {
			for _, way := range ways {
				if e.step() {
					next = append(next, append(slices.Clone(have), way...))
				}
			}
		}
		out = next
	}
	return slices.DeleteFunc(out, func(p []pricing.Pick) bool { return len(p) == 0 })
}

// contested tells whether another ladder may take units of a product.
func (e *enumerator) contested(at, kind int, u *pricing.Unit) bool {
	if e.Ladders[at].Nudge.Stacks {
		return false // it goes on top of others
	}
	for i := range e.Ladders {
		if i == at || e.Ladders[i].Nudge.Stacks {
			continue
		}
		for j, in := range e.Ladders[i].Lines {
			if in && e.P.Kind(u, j) == kind && e.P.Lines[j].Quantity > 0 {
				return true
			}
		}
	}
	return false
}

func savesAny(p *pricing.Problem, unit, kind int) bool {
	u := &p.Units[unit]
	for j, l := range p.Lines {
		if u.On[j] && (kind < 0 || p.Kind(u, j) == kind) && l.Quantity > 0 && (u.InSets() || p.Saves(u, j, l.Unit) > 0) {
			return true
		}
	}
	return false
}

// clashes tells whether a ladder may not be given beside those already picked.
func (e *enumerator) clashes(at int) bool {
	n := e.Ladders[at].Nudge
	for _, pk := range e.Picks {
		if o := e.Owner[pk.Unit]; o != at && pricing.Clash(n, e.Ladders[o].Nudge, pricing.UnitClass, pricing.UnitClass) {
			return true
		}
	}
	return false
}
