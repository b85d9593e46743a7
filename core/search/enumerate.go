package search

import (
	"slices"

	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/pricing"
)

// MostUnitNodes bounds the enumeration of unit choices: so many steps of the
// search, whatever the machine. Beyond it the choices found so far stand, the
// first of which takes the most that can be taken off.
const MostUnitNodes = 1 << 14

// ladder is the unit rungs of one nudge.
type ladder struct {
	rungs   []int
	nudge   *pricing.Nudge
	options [][]pricing.Pick // what may be given of it, nothing last
	lines   pricing.Scope    // lines whose units it may take
}

// visitor is what unit choices are enumerated for: it says which can not be of use, and
// takes the others.
type visitor interface {
	// picked tells which nudges are given on the way to the choices that follow.
	picked(nudges func(yield func(nudge int) bool))
	// least bounds what comes of choices by which goods cost at least so much, and each
	// line no less than low and no more than high.
	least(goods money.Minor, low, high []money.Minor) money.Minor
	// useless tells whether nothing that comes to so much or more is of use.
	useless(least money.Minor) bool
	// drawn tells whether enough has been looked at that is no better than the best.
	drawn(least money.Minor) bool
	// visit takes a choice, allowed for each of some prices of the added unit.
	visit(c *pricing.UnitChoice, allowed []pricing.Prices)
}

// enumerator enumerates unit choices: what is given of each ladder, then the units each
// rung takes.
type enumerator struct {
	p       *pricing.Problem
	visit   visitor
	nodes   int
	each    int  // what a step counts: more where there are many lines
	partial bool // whether not all that may be given of a ladder is listed
	quota   int  // steps that the way to give ladders at hand may still take
	short   int  // of which each way gets so many at first
	over    bool // whether it took them all
	ladders []ladder
	owner   []int // per unit rung: its ladder
	picks   []pricing.Pick
	special []pricing.Pick // those of picks that take a limited number of units
	simple  []pricing.Pick
	stacked []pricing.Pick
	free    []int64
	claims  []pricing.Claim
	open    money.Minor     // the least that what was not looked at could cost
	refused pricing.Refusal // why the last choice that limits forbid is not allowed
	wants   []want          // of the simple rungs that are picked
	takers  [][]taker       // per line: the simple rungs that are picked and save on it
	touched []int           // lines whose units some ladder may take
	idle    money.Minor     // what the other lines cost
	goods   money.Minor     // the least that all lines can cost, as last worked out
	// Per line: what one unit can cost at least and most, and if it stays free; and
	// what all of it can cost by what has been taken so far.
	lowUnit, highUnit, freeUnit []money.Minor
	low, high                   []money.Minor
}

func newEnumerator(p *pricing.Problem, steps int) *enumerator {
	e := &enumerator{p: p, nodes: stepsFor(p, steps), open: pricing.AnyAddition, owner: make([]int, len(p.Units)), each: 1 + len(p.Lines)/16}
	e.free, e.quota, e.short = p.Quantities(), e.nodes, firstLook
	e.gather()
	return e
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
			e.ladders = append(e.ladders, ladder{nudge: p.Nudge(u.Nudge), lines: make(pricing.Scope, len(p.Lines))})
			last++
		}
		l := &e.ladders[last]
		l.rungs = append(l.rungs, i)
		e.owner[i] = last
		for j := range p.Lines {
			l.lines[j] = l.lines[j] || u.On[j] || u.Form == pricing.Every && u.Goal.Scope[j]
		}
	}
}

// sortPicks puts the picks by how they take units: limited, all there are, on top.
func (e *enumerator) sortPicks() {
	e.special, e.simple, e.stacked = e.special[:0], e.simple[:0], e.stacked[:0]
	for _, pk := range e.picks {
		u, n := &e.p.Units[pk.Unit], e.ladders[e.owner[pk.Unit]].nudge
		switch {
		case n.Stacks:
			e.stacked = append(e.stacked, pk)
		case u.InSets() || u.Pick > 0 || n.MostUnits > 0:
			e.special = append(e.special, pk)
		default:
			e.simple = append(e.simple, pk)
		}
	}
}

// take assigns units to the rungs that are picked.
func (e *enumerator) take() {
	e.sortPicks()
	e.ready(len(e.ladders))
	e.claims = e.claims[:0]
	e.specials(0)
}

// leaf prices what has been assigned, puts the stacking rungs on top, and hands the
// choice on where it is allowed.
func (e *enumerator) leaf() {
	claims := merged(e.claims)
	allowed, no := e.p.Allowed(&pricing.Taking{Picks: e.picks, Claims: claims, Free: e.free})
	if !no.OK() {
		return
	}
	choice, no := e.p.Priced(claims, e.free, e.stacked)
	if !no.OK() {
		e.refused = no
		return
	}
	e.visit.visit(&choice, allowed)
}

// merged joins the claims of each rung.
func merged(claims []pricing.Claim) []pricing.Claim {
	out := make([]pricing.Claim, 0, len(claims))
	for _, c := range claims {
		if i := slices.IndexFunc(out, func(o pricing.Claim) bool { return o.Unit == c.Unit }); i >= 0 {
			out[i].Parts = append(slices.Clone(out[i].Parts), c.Parts...)
			out[i].Sets += c.Sets
			continue
		}
		out = append(out, c)
	}
	slices.SortFunc(out, func(a, b pricing.Claim) int { return a.Unit - b.Unit })
	return out
}
