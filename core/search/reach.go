package search

import (
	"slices"

	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/pricing"
)

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

// taker is a simple rung that is picked and makes the units of a line cheaper:
// least and most are what it takes off one unit, apart only where rounding is per
// line.
type taker struct {
	unit        int
	off         money.Minor
	least, most money.Minor
}

// want is the goal of a simple rung that is picked, as long as other rungs may
// take units that it counts.
type want struct {
	owner     int
	threshold int64
	lines     []wanted
	weight    []int64 // per line of the cart, 0 where it is not counted
}

// wanted is a line that a goal counts.
type wanted struct {
	line   int
	weight int64       // what one unit adds to the measure
	others bool        // whether other nudges may take its units
	can    bool        // whether units may be left to the goal's own nudge, or to none
	loss   money.Minor // what such a unit costs more than taken by the rung that saves most
}

// ready works out, for the picks at hand, which simple rungs may take units of
// which lines and what their goals want. Picks of ladders from one on are only
// possible.
func (e *enumerator) ready(from int) {
	p := e.p
	if e.takers == nil {
		e.touch()
	}
	e.charge(len(e.touched) * (1 + 2*len(e.picks)) / 32)
	for _, i := range e.touched {
		price := p.Lines[i].Unit
		e.takers[i] = takersOf(e.p, e.takers[i][:0], e.simple, i)
		e.freeUnit[i] = e.onTop(i, price)
		e.lowUnit[i], e.highUnit[i] = e.freeUnit[i], 0
		sure := false
		for _, t := range e.takers[i] {
			sure = sure || e.owner[t.unit] < from
			e.lowUnit[i] = min(e.lowUnit[i], e.onTop(i, price-t.most))
			e.highUnit[i] = max(e.highUnit[i], price-t.least)
		}
		if !sure {
			e.highUnit[i] = price
		}
	}
	e.visit.picked(func(yield func(int) bool) {
		for _, pk := range e.picks {
			if l := &e.ladders[e.owner[pk.Unit]]; e.owner[pk.Unit] < from && !l.nudge.Stacks && !yield(e.p.Units[pk.Unit].Nudge) {
				return
			}
		}
	})
	e.wants = e.wants[:0]
	if len(e.picks) < 2 {
		return
	}
	for _, pk := range e.simple {
		if e.owner[pk.Unit] < from {
			e.want(pk, from)
		}
	}
}

// touch finds the lines whose units some ladder may take, and notes what the others
// cost.
func (e *enumerator) touch() {
	p := e.p
	n := len(p.Lines)
	e.takers = make([][]taker, n)
	all := make([]money.Minor, 5*n)
	e.low, e.high, e.lowUnit, e.highUnit, e.freeUnit = all[:n], all[n:2*n], all[2*n:3*n], all[3*n:4*n], all[4*n:]
	for i := range p.Lines {
		if slices.ContainsFunc(e.ladders, func(l ladder) bool { return l.lines[i] }) {
			e.touched = append(e.touched, i)
			continue
		}
		l := &p.Lines[i]
		e.low[i], e.high[i] = l.Amount, l.Amount
		e.lowUnit[i], e.highUnit[i], e.freeUnit[i] = l.Unit, l.Unit, l.Unit
		e.idle += l.Amount
	}
}

// takersOf lists the simple rungs that save something on a line, the one that
// saves most first.
func takersOf(p *pricing.Problem, dst []taker, simple []pricing.Pick, line int) []taker {
	price := p.Lines[line].Unit
	for _, pk := range simple {
		u := &p.Units[pk.Unit]
		if pk.Kind >= 0 && p.Kind(u, line) != pk.Kind {
			continue
		}
		if off := p.Saves(u, line, price); off > 0 {
			t := taker{pk.Unit, off, off, u.MostOff(price)}
			if u.PerLine && u.Form == pricing.PercentOff {
				t.least-- // of several units the line's rounding may leave one less
			}
			dst = append(dst, t)
		}
	}
	slices.SortStableFunc(dst, func(a, b taker) int { return pricing.CompareMinor(b.off, a.off) })
	return dst
}

// want notes what the goal of a simple rung asks for, where that adds up by units.
func (e *enumerator) want(pk pricing.Pick, from int) {
	p, u := e.p, &e.p.Units[pk.Unit]
	if p.Added && u.Goal.Measure == pricing.Value && u.Goal.Scope[0] {
		return // the added unit may make it
	}
	switch u.Goal.Measure {
	case pricing.Units, pricing.Value, pricing.Weight:
	case pricing.SameProduct, pricing.SameVariant:
		if pk.Kind < 0 {
			return
		}
	default:
		return
	}
	w := want{owner: e.owner[pk.Unit], threshold: max(1, u.Goal.Threshold), weight: make([]int64, len(p.Lines))}
	for j, in := range u.Goal.Scope {
		l := &p.Lines[j]
		if !in || pk.Kind >= 0 && p.Kind(u, j) != pk.Kind {
			continue
		}
		x := wanted{line: j, weight: 1}
		switch {
		case l.Quantity == 0:
			if u.Goal.Measure == pricing.Value {
				w.threshold -= l.Amount
			}
			if u.Goal.Threshold == 0 {
				return
			}
			continue
		case u.Goal.Measure == pricing.Value && u.Goal.Threshold > 0:
			x.weight = l.Unit
		case u.Goal.Measure == pricing.Weight:
			x.weight = l.Grams
		}
		sure, takes := false, false
		for _, t := range e.takers[j] {
			if e.owner[t.unit] != w.owner {
				x.others, sure = true, sure || e.owner[t.unit] < from
				continue
			}
			if loss := e.onTop(j, l.Unit-t.most) - e.lowUnit[j]; !takes || loss < x.loss {
				takes, x.loss = true, loss
			}
		}
		if x.can = takes || !sure; !takes {
			x.loss = e.freeUnit[j] - e.lowUnit[j]
		}
		w.lines = append(w.lines, x)
		w.weight[j] = x.weight
	}
	// The lines on which taking units costs least for what they add come first.
	slices.SortStableFunc(w.lines, func(a, b wanted) int {
		return pricing.CompareMinor(a.loss*b.weight, b.loss*a.weight)
	})
	e.wants = append(e.wants, w)
}

// missing is the least that it costs more than the cheapest to make a goal, with
// the lines before one already given away; false where it can not be made.
func (e *enumerator) missing(w *want, line int) (loss money.Minor, ok bool) {
	left := w.threshold
	for _, c := range e.claims {
		if e.owner[c.Unit] != w.owner {
			continue
		}
		for _, part := range c.Parts {
			left -= part.Qty * w.weight[part.Line]
		}
	}
	for _, x := range w.lines {
		if x.line < line || !x.others {
			left -= e.free[x.line] * x.weight
		}
	}
	for _, x := range w.lines {
		if left <= 0 {
			return loss, true
		}
		if x.line < line || !x.others || !x.can || x.weight == 0 {
			continue
		}
		n := e.free[x.line]
		if n*x.weight >= left {
			if x.weight == 1 {
				return loss + left*x.loss, true
			}
			return loss + portionOf(left, x.loss, x.weight), true
		}
		left -= n * x.weight
		loss += n * x.loss
	}
	return loss, left <= 0
}

// portionOf is a·b ÷ c rounded down, for b and c that are small.
func portionOf(a, b, c int64) int64 {
	if b == 0 {
		return 0
	}
	if a > money.Most/b {
		return a / c * b
	}
	return a * b / c
}

// reach fills low and high with what each line can cost at least and most, once
// the special rungs from one on, and the simple ones on the lines from one on,
// have taken their units; and returns the least that is paid in the end. False
// where a rung that is picked can no longer reach its goal.
func (e *enumerator) reach(special, line int) (least money.Minor, ok bool) {
	p := e.p
	open := special < len(e.special)
	e.charge((len(p.Lines)*(1+len(e.wants)+8*(len(e.special)-special)) + len(e.claims)) / 64)
	least = e.idle
	for _, i := range e.touched {
		l, n := &p.Lines[i], e.free[i]
		switch {
		case l.Quantity == 0:
			e.low[i], e.high[i] = l.Amount, l.Amount
		case open:
			e.low[i], e.high[i] = n*e.lowUnit[i], n*l.Unit
		case i < line:
			e.low[i], e.high[i] = n*e.freeUnit[i], n*l.Unit
		default:
			e.low[i], e.high[i] = n*e.lowUnit[i], n*e.highUnit[i]
		}
	}
	for _, c := range e.claims {
		for _, part := range c.Parts {
			price := p.Lines[part.Line].Unit - part.Off
			e.low[part.Line] += part.Qty * e.onTop(part.Line, price)
			e.high[part.Line] += part.Qty * price
		}
	}
	for _, i := range e.touched {
		least += e.low[i]
	}
	for _, pk := range e.special[special:] {
		least -= mostSaved(p, pk, e.free)
		u := &p.Units[pk.Unit]
		for _, i := range e.touched {
			n := e.free[i]
			if !u.On[i] || n == 0 || pk.Kind >= 0 && p.Kind(u, i) != pk.Kind {
				continue
			}
			e.low[i] -= n * e.lowUnit[i]
			if !u.InSets() {
				unit := p.Lines[i].Unit
				e.low[i] += n * min(e.lowUnit[i], e.onTop(i, unit-u.MostOff(unit)))
			}
			e.low[i] = max(0, e.low[i])
		}
	}
	if !open {
		// Each nudge loses by units of its own, rungs of one nudge perhaps by the same.
		var most money.Minor
		for i := range e.wants {
			w := &e.wants[i]
			loss, ok := e.missing(w, line)
			if !ok {
				return 0, false
			}
			if i > 0 && e.wants[i-1].owner == w.owner {
				least += max(0, loss-most)
				most = max(most, loss)
				continue
			}
			least += loss
			most = loss
		}
	}
	e.goods = max(0, least)
	return e.visit.least(e.goods, e.low, e.high), true
}

func (e *enumerator) onTop(line int, price money.Minor) money.Minor {
	for _, pk := range e.stacked {
		if u := &e.p.Units[pk.Unit]; pk.Kind < 0 || e.p.Kind(u, line) == pk.Kind {
			// The floor may skip a price that it lets through when the price is
			// higher, so the reward is taken for granted here.
			if u.On[line] {
				price -= u.MostOff(price)
			}
		}
	}
	return price
}

// mostSaved bounds what a special rung can save on free units.
func mostSaved(p *pricing.Problem, pk pricing.Pick, free []int64) money.Minor {
	u := &p.Units[pk.Unit]
	if u.WholeSets() {
		return claimSets(p, pk, free, pricing.AnyUnits).Saved()
	}
	var sum money.Minor
	for _, r := range p.Runs(u.On, free) {
		if pk.Kind < 0 || p.Kind(u, r.Line) == pk.Kind {
			if p.Saves(u, r.Line, r.Price) > 0 {
				sum += r.Qty * u.MostOff(r.Price)
			}
		}
	}
	return sum
}
