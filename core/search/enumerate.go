package search

import (
	"slices"

	"agonal.dev/agonal/core/bounds"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/pricing"
)

// MostUnitNodes bounds the enumeration of unit choices: so many steps of the
// search, whatever the machine. Beyond it the choices found so far stand, the
// first of which takes the most that can be taken off.
const MostUnitNodes = 1 << 14

// MostSearchNodes bounds the steps of the search for the best choice, and MostTies
// how many of them may look at what can at best cost as much as the best choice
// found, for a choice that is to be preferred among equals. Carts of more than
// ManyLines lines get a thirty-second of the steps. Counts, never a clock.
const (
	MostSearchNodes = 1 << 18
	MostTies        = 1 << 12
	ManyLines       = 64
)

// stepsFor is how many of so many steps a problem gets.
func stepsFor(p *pricing.Problem, most int) int {
	if len(p.Lines) > ManyLines {
		most /= 32
	}
	if p.Effort > 0 {
		return min(most, p.Effort)
	}
	return most
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
	visit    visitor
	nodes    int
	each     int  // what a step counts: more where there are many lines
	unlisted bool // whether not all that may be given of a ladder is listed
	quota    int  // steps that the way to give ladders at hand may still take
	short    int  // of which each way gets so many at first
	over     bool // whether it took them all
	bounds.Partial
	options [][][]pricing.Pick // per ladder: what may be given of it, nothing last
	open    money.Minor        // the least that what was not looked at could cost
	refused pricing.Refusal    // why the last choice that limits forbid is not allowed
}

func newEnumerator(p *pricing.Problem, steps int) *enumerator {
	e := &enumerator{Partial: bounds.Partial{P: p, Owner: make([]int, len(p.Units))}, nodes: stepsFor(p, steps), open: pricing.AnyAddition, each: 1 + len(p.Lines)/16}
	e.Free, e.quota, e.short = p.Quantities(), e.nodes, firstLook
	e.Gather()
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

// take assigns units to the rungs that are picked.
func (e *enumerator) take() {
	e.SortPicks()
	e.prepare(len(e.Ladders))
	e.Claims = e.Claims[:0]
	e.specials(0)
}

// leaf prices what has been assigned, puts the stacking rungs on top, and hands the
// choice on where it is allowed.
func (e *enumerator) leaf() {
	claims := merged(e.Claims)
	allowed, no := e.P.Allowed(&pricing.Taking{Picks: e.Picks, Claims: claims, Free: e.Free})
	if !no.OK() {
		return
	}
	choice, no := e.P.Priced(claims, e.Free, e.Stacked)
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
