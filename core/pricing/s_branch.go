package pricing

import (
	"slices"

	"agonal.dev/agonal/core/money"
)

// firstLook is how many steps each way to give ladders is looked at for at first.
const firstLook = 1 << 8

// mostCombined is how many ways to give ladders are put in order before they are
// tried; beyond that they are tried as they come.
const mostCombined = 1 << 13

// combined is one way to give ladders, and what units cost by it at least.
type combined struct {
	picks []pick
	least money.Minor
}

// chooseAll tries what may be given of the ladders, the way that can cost least
// first, until no other can come near the best found.
func (e *enumerator) chooseAll() {
	if e.solver != nil {
		e.eachWay()
		return
	}
	n := 1
	for _, l := range e.ladders {
		if n *= len(l.options); n > mostCombined {
			e.choose(0, e.take)
			e.cut = e.over || e.partial
			return
		}
	}
	var all []combined
	e.choose(0, func() {
		e.sortPicks()
		least := e.least(0)
		all = append(all, combined{slices.Clone(e.picks), least})
	})
	slices.SortStableFunc(all, func(a, b combined) int { return compareMinor(a.least, b.least) })
	for _, c := range all {
		if e.over || e.best < anyAddition && c.least > e.best+e.slack {
			break
		}
		e.picks = append(e.picks[:0], c.picks...)
		e.take()
	}
	e.cut = e.over || e.partial
}

// choose decides what is given of each ladder in turn.
func (e *enumerator) choose(at int, then func()) {
	if !e.step() {
		return
	}
	if at == len(e.ladders) {
		then()
		return
	}
	n := len(e.picks)
	for _, option := range e.ladders[at].options {
		if len(option) > 0 && e.clashes(at) {
			continue
		}
		e.picks = append(e.picks[:n], option...)
		e.choose(at+1, then)
		e.picks = e.picks[:n]
	}
}

// hopeless tells whether a rung that is picked can no longer reach its goal,
// whatever the units that are still free become.
func (e *enumerator) hopeless() bool {
	if len(e.picks) < 2 || e.solver != nil {
		return false // a search looks at what goals want as it goes
	}
	for _, pk := range e.picks {
		o := e.owner[pk.unit]
		if e.ladders[o].nudge.Stacks {
			continue
		}
		u := e.p.Units[pk.unit]
		u.Goal.Most = 0
		_, _, ok := e.p.heldFor(&u, pk.kind, func(i int) int64 {
			n := e.free[i]
			for _, c := range e.claims {
				if e.owner[c.Unit] == o {
					n += c.taken(i)
				}
			}
			return n
		})
		if !ok {
			return true
		}
	}
	return false
}

// tooDear tells whether no completion of what has been taken so far can come
// near the best choice found.
func (e *enumerator) tooDear(special, line int) bool {
	if e.solver != nil {
		return e.worthless(special, line)
	}
	return e.best < anyAddition && e.least(special) > e.best+e.slack
}

// least bounds from below what units cost by any completion of what has been taken
// so far.
func (e *enumerator) least(special int) money.Minor {
	e.charge(len(e.p.Lines) * (1 + 8*(len(e.special)-special)) / 64)
	least := money.Minor(0)
	for i, l := range e.p.Lines {
		least += l.Amount
		if e.free[i] > 0 {
			least -= e.free[i] * (l.Unit - e.lowest(i, l.Unit))
		}
	}
	for _, c := range e.claims {
		for _, part := range c.Parts {
			price := e.p.Lines[part.Line].Unit - part.Off
			least -= part.Qty * (e.p.Lines[part.Line].Unit - e.onTop(part.Line, price))
		}
	}
	for _, pk := range e.special[special:] {
		least -= e.p.mostSaved(pk, e.free)
	}
	return least
}

// lowest is the lowest price that the simple and stacking rungs that are picked
// can bring one unit of a line to.
func (e *enumerator) lowest(line int, price money.Minor) money.Minor {
	low := price
	for _, pk := range e.simple {
		if u := &e.p.Units[pk.unit]; pk.kind < 0 || e.p.kind(u, line) == pk.kind {
			if e.p.saves(u, line, price) > 0 {
				low = min(low, price-u.mostOff(price))
			}
		}
	}
	return e.onTop(line, low)
}

// worthless tells whether no completion of what has been taken so far can be the
// best choice.
func (e *enumerator) worthless(special, line int) bool {
	least, ok := e.reach(special, line)
	s := e.solver
	if !ok || s.useless(least) {
		return true
	}
	if least == s.most && s.best != nil && s.best.pay(e.p) == s.most {
		e.drawn--
		return e.drawn < 0
	}
	return false
}

// atBest is the least that is paid in the end by any way to give ladders that
// begins as the one at hand: from one ladder on every rung may be given.
func (e *enumerator) atBest(at int) money.Minor {
	n := len(e.picks)
	for _, l := range e.ladders[at:] {
		for _, u := range l.rungs {
			e.picks = append(e.picks, pick{u, -1})
		}
	}
	e.sortPicks()
	e.ready(at)
	least, ok := e.reach(0, 0)
	e.picks = e.picks[:n]
	if !ok {
		return anyAddition
	}
	return least
}

// eachWay completes every way to give ladders that can be the best, the more
// promising option first: each way shortly, then, at length, those with which a
// short look did not come to an end.
func (e *enumerator) eachWay() {
	if e.plainly() {
		return
	}
	var again []combined
	e.branch(0, 0, func(least money.Minor) {
		if open := e.open; !e.look(least, firstLook) {
			e.open = open
			again = append(again, combined{slices.Clone(e.picks), least})
		}
	})
	slices.SortStableFunc(again, func(a, b combined) int { return compareMinor(a.least, b.least) })
	for _, c := range again {
		if e.solver.useless(c.least) {
			break
		}
		if e.nodes < 0 {
			e.open = min(e.open, c.least)
			break
		}
		e.picks = append(e.picks[:0], c.picks...)
		e.look(c.least, e.nodes)
	}
}

// plainly completes the way in which every ladder gives its highest rung, where
// ladders do not contend for units, and tells whether no other way can be the best:
// leaving anything out makes goods dearer.
func (e *enumerator) plainly() bool {
	if e.solver.bonds || e.p.MostOff > 0 || e.p.Bonds().Mixed {
		return false
	}
	defer func() { e.picks = e.picks[:0] }()
	taken := make([]bool, len(e.p.Lines))
	for i := range e.ladders {
		l := &e.ladders[i]
		if l.nudge.Stacks || len(l.rungs) > 1 && !l.nudge.Replacing {
			return false
		}
		for _, u := range l.rungs {
			if e.p.Units[u].Goal.Most > 0 {
				return false // with more units left to it a lower rung may hold
			}
		}
		for j, in := range l.lines {
			if in && taken[j] {
				return false
			}
			taken[j] = taken[j] || in
		}
		e.picks = append(e.picks, l.options[0]...)
	}
	e.look(0, firstLook)
	over := e.open < anyAddition
	e.open = anyAddition
	if e.solver.best != nil && !over {
		e.sortPicks()
		e.ready(len(e.ladders))
		e.reach(0, 0)
		for _, j := range e.touched {
			e.high[j] = e.p.Lines[j].Amount
		}
		over = !e.solver.useless(e.solver.outlook().least(e.goods+1, e.low, e.high))
	}
	return e.solver.best != nil && !over
}

// branch decides what is given of each ladder in turn; least is the least that is
// paid in the end by what has been decided.
func (e *enumerator) branch(at int, least money.Minor, then func(least money.Minor)) {
	if at == len(e.ladders) {
		then(least)
		return
	}
	n := len(e.picks)
	type child struct {
		option []pick
		least  money.Minor
	}
	options := e.ladders[at].options
	children := make([]child, 0, len(options))
	for _, option := range options {
		if len(option) > 0 && e.clashes(at) {
			continue
		}
		e.picks = append(e.picks[:n], option...)
		if b := e.atBest(at + 1); !e.solver.useless(b) {
			children = append(children, child{option, b})
		}
	}
	slices.SortStableFunc(children, func(a, b child) int { return compareMinor(a.least, b.least) })
	for _, c := range children {
		if e.nodes < 0 {
			e.open = min(e.open, c.least)
			break
		}
		if e.solver.useless(c.least) {
			break
		}
		e.picks = append(e.picks[:n], c.option...)
		e.branch(at+1, c.least, then)
	}
	e.picks = e.picks[:n]
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
