package search

import (
	"slices"

	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/pricing"
)

// firstLook is how many steps each way to give ladders is looked at for at first.
const firstLook = 1 << 8

// combined is one way to give ladders, and what units cost by it at least.
type combined struct {
	picks []pricing.Pick
	least money.Minor
}

// worthless tells whether no completion of what has been taken so far can be of use.
func (e *enumerator) worthless(special, line int) bool {
	least, ok := e.least(special, line)
	return !ok || e.visit.useless(least) || e.visit.drawn(least)
}

// prepare gets what is to be known of the picks at hand; those of ladders from one on
// are only possible.
func (e *enumerator) prepare(from int) {
	e.Ready(from)
	e.visit.picked(func(yield func(int) bool) {
		for _, pk := range e.Picks {
			if n := e.Owner[pk.Unit]; n < from && !e.Ladders[n].Nudge.Stacks && !yield(e.P.Units[pk.Unit].Nudge) {
				return
			}
		}
	})
}

// least bounds what comes of any completion of what has been taken so far; false where a
// rung that is picked can no longer reach its goal.
func (e *enumerator) least(special, line int) (money.Minor, bool) {
	ok := e.Reach(special, line)
	e.charge(e.Work)
	e.Work = 0
	if !ok {
		return 0, false
	}
	return e.visit.least(e.Goods, e.Low, e.High), true
}

// atBest is the least that is paid in the end by any way to give ladders that
// begins as the one at hand: from one ladder on every rung may be given.
func (e *enumerator) atBest(at int) money.Minor {
	n := len(e.Picks)
	for _, l := range e.Ladders[at:] {
		for _, u := range l.Rungs {
			e.Picks = append(e.Picks, pricing.Pick{Unit: u, Kind: -1})
		}
	}
	e.SortPicks()
	e.prepare(at)
	least, ok := e.least(0, 0)
	e.Picks = e.Picks[:n]
	if !ok {
		return pricing.AnyAddition
	}
	return least
}

// eachWay completes every way to give ladders that can be of use, the more promising
// option first: each way shortly, then, at length, those with which a short look did
// not come to an end.
func (e *enumerator) eachWay() {
	var again []combined
	e.branch(0, 0, func(least money.Minor) {
		if open := e.open; !e.look(least, e.short) {
			e.open = open
			again = append(again, combined{slices.Clone(e.Picks), least})
		}
	})
	slices.SortStableFunc(again, func(a, b combined) int { return pricing.CompareMinor(a.least, b.least) })
	for _, c := range again {
		if e.visit.useless(c.least) {
			break
		}
		if e.nodes < 0 {
			e.open = min(e.open, c.least)
			break
		}
		e.Picks = append(e.Picks[:0], c.picks...)
		e.look(c.least, e.nodes)
	}
}

// branch decides what is given of each ladder in turn; least is the least that is
// paid in the end by what has been decided.
func (e *enumerator) branch(at int, least money.Minor, then func(least money.Minor)) {
	if at == len(e.Ladders) {
		then(least)
		return
	}
	n := len(e.Picks)
	type child struct {
		option []pricing.Pick
		least  money.Minor
	}
	options := e.options[at]
	children := make([]child, 0, len(options))
	for _, option := range options {
		if len(option) > 0 && e.clashes(at) {
			continue
		}
		e.Picks = append(e.Picks[:n], option...)
		if b := e.atBest(at + 1); !e.visit.useless(b) {
			children = append(children, child{option, b})
		}
	}
	slices.SortStableFunc(children, func(a, b child) int { return pricing.CompareMinor(a.least, b.least) })
	for _, c := range children {
		if e.nodes < 0 {
			e.open = min(e.open, c.least)
			break
		}
		if e.visit.useless(c.least) {
			break
		}
		e.Picks = append(e.Picks[:n], c.option...)
		e.branch(at+1, c.least, then)
	}
	e.Picks = e.Picks[:n]
}

// look completes the way at hand with so many steps; false where they did not
// suffice.
func (e *enumerator) look(least money.Minor, quota int) bool {
	e.quota, e.over = quota, false
	e.take()
	over := e.over
	if over {
		e.open = min(e.open, least)
	}
	e.over = e.nodes < 0
	return !over
}
