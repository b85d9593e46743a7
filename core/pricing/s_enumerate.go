package pricing

import (
	"slices"

	"agonal.dev/agonal/core/money"
)

// MostUnitNodes bounds the enumeration of unit choices: so many steps of the
// search, whatever the machine. Beyond it the choices found so far stand, the
// first of which takes the most that can be taken off.
const MostUnitNodes = 1 << 14

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

// leaf keeps what has been assigned where it is allowed.
func (e *enumerator) leaf() {
	claims := e.merged()
	if allowed, _ := e.p.Allowed(&taking{e.picks, claims, e.free}); len(allowed) > 0 {
		e.keep(claims, allowed)
	}
}

// merged joins the claims of each rung.
func (e *enumerator) merged() []Claim {
	return mergedClaims(e.claims)
}

func mergedClaims(claims []Claim) []Claim {
	out := make([]Claim, 0, len(claims))
	for _, c := range claims {
		if i := slices.IndexFunc(out, func(o Claim) bool { return o.Unit == c.Unit }); i >= 0 {
			out[i].Parts = append(slices.Clone(out[i].Parts), c.Parts...)
			out[i].Sets += c.Sets
			continue
		}
		out = append(out, c)
	}
	slices.SortFunc(out, func(a, b Claim) int { return a.Unit - b.Unit })
	return out
}

// keep prices what has been assigned, puts the stacking rungs on top, and keeps
// the choice where limits and floors allow it.
func (e *enumerator) keep(claims []Claim, allowed []Prices) {
	choice, no := e.p.priced(claims, e.free, e.stacked)
	if !no.OK() {
		return
	}
	for _, r := range allowed {
		choice.From, choice.To = r.From, r.To
		if e.solver != nil {
			if c, ok := e.p.present(choice); ok {
				e.solver.orders(&c)
			}
			continue
		}
		if r == (Prices{0, anyAddition}) {
			e.best = min(e.best, choice.Goods) // it stands beside every other for every addition
		}
		e.found = append(e.found, choice)
	}
}
