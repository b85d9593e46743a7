package pricing

import (
	"slices"

	"agonal.dev/agonal/core/money"
)

// MostUnitNodes bounds the enumeration of unit choices: so many steps of the
// search, whatever the machine. Beyond it the choices found so far stand, the
// first of which takes the most that can be taken off.
const MostUnitNodes = 1 << 14

// anyAddition is the end of a range without an end.
const anyAddition money.Minor = 1 << 60

// UnitChoice is an allowed choice of unit rungs and of the units each takes.
type UnitChoice struct {
	Given  []bool  // per Problem.Units
	Claims []Claim // in the order of rungs, those that stack last
	After  []money.Minor
	Goods  money.Minor
	count  int
	// From and To are the prices of the added unit for which the choice is
	// allowed; without an added unit it always is.
	From, To money.Minor
}

// pick is a rung that is given, for one kind of product where products are
// judged by themselves (else -1).
type pick struct {
	unit int
	kind int
}

// ladder is the unit rungs of one nudge.
type ladder struct {
	rungs   []int
	nudge   *Nudge
	options [][]pick // what may be given of it, nothing last
	lines   Scope    // lines whose units it may take
}

type enumerator struct {
	p       *Problem
	slack   money.Minor // choices that cost more than the best by more than this are of no use
	nodes   int
	each    int // what a step counts: more where there are many lines
	cut     bool
	partial bool // whether not all that may be given of a ladder is listed
	quota   int  // steps that the way to give ladders at hand may still take
	over    bool // whether it took them all
	ladders []ladder
	owner   []int // per unit rung: its ladder
	picks   []pick
	special []pick // those of picks that take a limited number of units
	simple  []pick
	stacked []pick
	free    []int64
	claims  []Claim
	best    money.Minor // goods of the best choice found
	found   []UnitChoice
	// With a solver, choices are not listed but completed as they are found.
	solver  *solver
	open    money.Minor // the least that what was not looked at could cost
	drawn   int         // looks at what can at best cost as much as the best found
	wants   []want      // of the simple rungs that are picked
	takers  [][]taker   // per line: the simple rungs that are picked and save on it
	touched []int       // lines whose units some ladder may take
	idle    money.Minor // what the other lines cost
	goods   money.Minor // the least that all lines can cost, as last worked out
	// Per line: what one unit can cost at least and most, and if it stays free; and
	// what all of it can cost by what has been taken so far.
	lowUnit, highUnit, freeUnit []money.Minor
	low, high                   []money.Minor
}

// eachUnitChoice completes every allowed unit choice that can be part of the best
// choice, and returns the least that one it did not come to could cost.
func (p *Problem) eachUnitChoice(s *solver) (open money.Minor) {
	if len(p.Units) == 0 {
		c := p.noUnits()
		s.orders(&c)
		return anyAddition
	}
	e := p.enumerator()
	e.solver, e.open, e.drawn, e.nodes, e.quota = s, anyAddition, MostTies, p.steps(MostSearchNodes), p.steps(MostSearchNodes)
	e.gather()
	e.listOptions()
	if e.over {
		e.partial = true
	}
	e.chooseAll()
	s.steps += p.steps(MostSearchNodes) - e.nodes
	if e.partial {
		return 0
	}
	return e.open
}

func (p *Problem) enumerator() *enumerator {
	e := &enumerator{p: p, nodes: p.steps(MostUnitNodes), quota: p.steps(MostUnitNodes), best: anyAddition, owner: make([]int, len(p.Units)), each: 1 + len(p.Lines)/16}
	e.free = p.quantities()
	return e
}

// unitChoices lists the allowed unit choices that cost, before order rewards, at
// most slack more than the cheapest, and tells whether the search was cut short and
// how many steps it took.
func (p *Problem) unitChoices(slack money.Minor) (choices []UnitChoice, cut bool, steps int) {
	if len(p.Units) == 0 {
		return []UnitChoice{p.noUnits()}, false, 0
	}
	e := p.enumerator()
	e.slack = slack
	e.gather()
	e.listOptions()
	e.chooseAll()
	steps = p.steps(MostUnitNodes) - e.nodes
	if len(e.found) == 0 {
		return []UnitChoice{p.noUnits()}, e.cut, steps
	}
	return e.useful(), e.cut, steps
}

func (p *Problem) noUnits() UnitChoice {
	c := UnitChoice{Given: make([]bool, len(p.Units)), After: p.before(make([]money.Minor, 0, len(p.Lines))), To: anyAddition}
	for _, a := range c.After {
		c.Goods += a
	}
	return c
}

// useful drops choices that cost too much to be of use, and all but the first of
// those that leave every line the same, for the same additions.
func (e *enumerator) useful() []UnitChoice {
	slices.SortStableFunc(e.found, func(a, b UnitChoice) int {
		if a.Goods != b.Goods {
			if a.Goods < b.Goods {
				return -1
			}
			return 1
		}
		if a.count != b.count {
			return a.count - b.count
		}
		if c := slices.CompareFunc(e.p.unitKeys(a.Given), e.p.unitKeys(b.Given), Key.Compare); c != 0 {
			return c
		}
		return slices.Compare(a.After, b.After)
	})
	bound := e.p.bound()
	out := e.found[:0]
	for _, c := range e.found {
		if c.Goods > e.best+e.slack {
			break
		}
		same := false
		for k := len(out) - 1; k >= 0 && out[k].Goods == c.Goods && !same; k-- {
			same = out[k].From <= c.From && out[k].To >= c.To && slices.Equal(out[k].After, c.After) && !bound
		}
		if !same {
			out = append(out, c)
		}
	}
	return out
}

func (p *Problem) unitKeys(given []bool) []Key {
	var out []Key
	for i, g := range given {
		if g {
			out = append(out, p.Units[i].Key)
		}
	}
	return out
}

// step counts a node; false once the search is cut.
func (e *enumerator) step() bool { return e.charge(e.each) }

// charge counts so many steps.
func (e *enumerator) charge(steps int) bool {
	e.nodes -= steps
	e.quota -= steps
	if e.nodes < 0 || e.quota < 0 {
		e.over = true
	}
	return !e.over
}

// gather puts rungs into ladders.
func (e *enumerator) gather() {
	p := e.p
	for i := range p.Units {
		u := &p.Units[i]
		last := len(e.ladders) - 1
		if last < 0 || p.Units[e.ladders[last].rungs[0]].Key.Nudge != u.Key.Nudge {
			e.ladders = append(e.ladders, ladder{nudge: p.nudge(u.Nudge), lines: make(Scope, len(p.Lines))})
			last++
		}
		l := &e.ladders[last]
		l.rungs = append(l.rungs, i)
		e.owner[i] = last
		for j := range p.Lines {
			l.lines[j] = l.lines[j] || u.On[j] || u.Form == Every && u.Goal.Scope[j]
		}
	}
}

// listOptions lists what may be given of each ladder.
func (e *enumerator) listOptions() {
	p := e.p
	// Ladders that can give nothing to this cart take no part.
	e.ladders = slices.DeleteFunc(e.ladders, func(l ladder) bool {
		return !slices.ContainsFunc(l.rungs, func(u int) bool { return p.couldHold(&p.Units[u], -1, true) && p.savesAny(u, -1) })
	})
	for i := range e.ladders {
		for _, u := range e.ladders[i].rungs {
			e.owner[u] = i
		}
	}
	for i := range e.ladders {
		e.ladders[i].options = e.options(i)
	}
}

// options lists what may be given of a ladder: every set of rungs whose goals
// can hold, or of a replacing ladder every single one; nothing comes last.
func (e *enumerator) options(at int) [][]pick {
	l, p := &e.ladders[at], e.p
	var can []int
	for _, u := range l.rungs {
		if p.couldHold(&p.Units[u], -1, true) {
			can = append(can, u)
		}
	}
	slices.Reverse(can) // the highest first
	apart := slices.DeleteFunc(slices.Clone(can), func(u int) bool { return !p.Units[u].apart() })
	can = slices.DeleteFunc(can, func(u int) bool { return p.Units[u].apart() })
	var products [][]pick
	if len(apart) > 0 {
		products = e.apart(at, apart)
	}
	if l.nudge.Replacing {
		for _, u := range can {
			products = append(products, []pick{{u, -1}})
		}
		return append(products, nil)
	}
	if len(can) == 0 {
		return append(products, nil)
	}
	e.partial = e.partial || len(can) > mostTogether
	can = can[:min(len(can), mostTogether)]
	products = append(products, nil)
	var out [][]pick
	for _, first := range products {
		for set := 1<<len(can) - 1; set >= 0; set-- {
			picks := slices.Clone(first)
			for k, u := range can {
				if set>>k&1 == 1 {
					picks = append(picks, pick{u, -1})
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
func (p *Problem) couldHold(u *Unit, kind int, contested bool) bool {
	free := *u
	if contested {
		free.Goal.Most = 0
	}
	_, _, ok := p.heldFor(&free, kind, func(i int) int64 { return p.Lines[i].Quantity })
	return ok
}

// apart lists what may be given of a ladder that judges every product by itself:
// for each product the rung it has reached, which is lower where others take
// units of it.
func (e *enumerator) apart(at int, can []int) [][]pick {
	p := e.p
	out := [][]pick{nil}
	seen := map[int]bool{}
	for j := range p.Lines {
		u0 := &p.Units[can[0]]
		k := p.kind(u0, j)
		if seen[k] || !u0.Goal.Scope[j] || p.Lines[j].Quantity == 0 {
			continue
		}
		seen[k] = true
		var ways [][]pick
		contested := e.contested(at, k, u0)
		for _, u := range can {
			if !p.couldHold(&p.Units[u], k, contested) {
				continue
			}
			if p.savesAny(u, k) && (!p.Units[u].inSets() || p.couldTake(pick{u, k}, j, e.free)) {
				ways = append(ways, []pick{{u, k}})
			}
			if !contested {
				break
			}
		}
		if contested || len(ways) == 0 {
			ways = append(ways, nil)
		}
		var next [][]pick
		for _, have := range out {
			for _, way := range ways {
				if e.step() {
					next = append(next, append(slices.Clone(have), way...))
				}
			}
		}
		out = next
	}
	return slices.DeleteFunc(out, func(p []pick) bool { return len(p) == 0 })
}

// contested tells whether another ladder may take units of a product.
func (e *enumerator) contested(at, kind int, u *Unit) bool {
	if e.ladders[at].nudge.Stacks {
		return false // it goes on top of others
	}
	for i := range e.ladders {
		if i == at || e.ladders[i].nudge.Stacks {
			continue
		}
		for j, in := range e.ladders[i].lines {
			if in && e.p.kind(u, j) == kind && e.p.Lines[j].Quantity > 0 {
				return true
			}
		}
	}
	return false
}

func (p *Problem) savesAny(unit, kind int) bool {
	u := &p.Units[unit]
	for j, l := range p.Lines {
		if u.On[j] && (kind < 0 || p.kind(u, j) == kind) && l.Quantity > 0 && (u.inSets() || p.saves(u, j, l.Unit) > 0) {
			return true
		}
	}
	return false
}

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

// firstLook is how many steps each way to give ladders is looked at for at first.
const firstLook = 1 << 8

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

// clashes tells whether a ladder may not be given beside those already picked.
func (e *enumerator) clashes(at int) bool {
	n := e.ladders[at].nudge
	for _, pk := range e.picks {
		if o := e.owner[pk.unit]; o != at && clash(n, e.ladders[o].nudge, UnitClass, UnitClass) {
			return true
		}
	}
	return false
}

// sortPicks puts the picks by how they take units: limited, all there are, on top.
func (e *enumerator) sortPicks() {
	e.special, e.simple, e.stacked = e.special[:0], e.simple[:0], e.stacked[:0]
	for _, pk := range e.picks {
		u, n := &e.p.Units[pk.unit], e.ladders[e.owner[pk.unit]].nudge
		switch {
		case n.Stacks:
			e.stacked = append(e.stacked, pk)
		case u.inSets() || u.Pick > 0 || n.MostUnits > 0:
			e.special = append(e.special, pk)
		default:
			e.simple = append(e.simple, pk)
		}
	}
}

// take assigns units to the rungs that are picked.
func (e *enumerator) take() {
	e.sortPicks()
	if e.solver != nil {
		e.ready(len(e.ladders))
	}
	e.claims = e.claims[:0]
	e.specials(0)
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

func (e *enumerator) onTop(line int, price money.Minor) money.Minor {
	for _, pk := range e.stacked {
		if u := &e.p.Units[pk.unit]; pk.kind < 0 || e.p.kind(u, line) == pk.kind {
			// The floor may skip a price that it lets through when the price is
			// higher, so the reward is taken for granted here.
			if u.On[line] {
				price -= u.mostOff(price)
			}
		}
	}
	return price
}

// mostSaved bounds what a special rung can save on free units.
func (p *Problem) mostSaved(pk pick, free []int64) money.Minor {
	u := &p.Units[pk.unit]
	if u.wholeSets() {
		return p.claimSets(pk, free, anyUnits).Saved()
	}
	var sum money.Minor
	for _, r := range p.runs(u.On, free) {
		if pk.kind < 0 || p.kind(u, r.line) == pk.kind {
			if p.saves(u, r.line, r.price) > 0 {
				sum += r.qty * u.mostOff(r.price)
			}
		}
	}
	return sum
}
