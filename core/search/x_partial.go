package search

import (
	"slices"

	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/pricing"
)

// partial is a choice that has been made in part: rungs that are picked, units that some
// of them have taken, and what that leaves.
type partial struct {
	p       *pricing.Problem
	ladders []ladder
	owner   []int          // per unit rung: its ladder
	picks   []pricing.Pick // rungs that are given
	special []pricing.Pick // those of picks that take a limited number of units
	simple  []pricing.Pick
	stacked []pricing.Pick
	free    []int64
	claims  []pricing.Claim
	work    int         // steps that working out bounds has taken since they were last counted
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

// ladder is the unit rungs of one nudge.
type ladder struct {
	rungs []int
	nudge *pricing.Nudge
	lines pricing.Scope // lines whose units it may take
}

// gather puts rungs into ladders.
func (b *partial) gather() {
	p := b.p
	for i := range p.Units {
		u := &p.Units[i]
		last := len(b.ladders) - 1
		if last < 0 || p.Units[b.ladders[last].rungs[0]].Key.Nudge != u.Key.Nudge {
			b.ladders = append(b.ladders, ladder{nudge: p.Nudge(u.Nudge), lines: make(pricing.Scope, len(p.Lines))})
			last++
		}
		l := &b.ladders[last]
		l.rungs = append(l.rungs, i)
		b.owner[i] = last
		for j := range p.Lines {
			l.lines[j] = l.lines[j] || u.On[j] || u.Form == pricing.Every && u.Goal.Scope[j]
		}
	}
}

// sortPicks puts the picks by how they take units: limited, all there are, on top.
func (b *partial) sortPicks() {
	b.special, b.simple, b.stacked = b.special[:0], b.simple[:0], b.stacked[:0]
	for _, pk := range b.picks {
		u, n := &b.p.Units[pk.Unit], b.ladders[b.owner[pk.Unit]].nudge
		switch {
		case n.Stacks:
			b.stacked = append(b.stacked, pk)
		case u.InSets() || u.Pick > 0 || n.MostUnits > 0:
			b.special = append(b.special, pk)
		default:
			b.simple = append(b.simple, pk)
		}
	}
}

// taker is a simple rung that is picked and makes the units of a line cheaper:
// least and most are what it takes off one unit, apart only where rounding is per
// line.
type taker struct {
	unit        int
	off         money.Minor
	least, most money.Minor
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

// ready works out, for the picks at hand, which simple rungs may take units of
// which lines and what their goals want. Picks of ladders from one on are only
// possible.
func (b *partial) ready(from int) {
	p := b.p
	if b.takers == nil {
		b.touch()
	}
	b.work += len(b.touched) * (1 + 2*len(b.picks)) / 32
	for _, i := range b.touched {
		price := p.Lines[i].Unit
		b.takers[i] = takersOf(b.p, b.takers[i][:0], b.simple, i)
		b.freeUnit[i] = b.onTop(i, price)
		b.lowUnit[i], b.highUnit[i] = b.freeUnit[i], 0
		sure := false
		for _, t := range b.takers[i] {
			sure = sure || b.owner[t.unit] < from
			b.lowUnit[i] = min(b.lowUnit[i], b.onTop(i, price-t.most))
			b.highUnit[i] = max(b.highUnit[i], price-t.least)
		}
		if !sure {
			b.highUnit[i] = price
		}
	}
	b.wants = b.wants[:0]
	if len(b.picks) < 2 {
		return
	}
	for _, pk := range b.simple {
		if b.owner[pk.Unit] < from {
			b.want(pk, from)
		}
	}
}

// touch finds the lines whose units some ladder may take, and notes what the others
// cost.
func (b *partial) touch() {
	p := b.p
	n := len(p.Lines)
	b.takers = make([][]taker, n)
	all := make([]money.Minor, 5*n)
	b.low, b.high, b.lowUnit, b.highUnit, b.freeUnit = all[:n], all[n:2*n], all[2*n:3*n], all[3*n:4*n], all[4*n:]
	for i := range p.Lines {
		if slices.ContainsFunc(b.ladders, func(l ladder) bool { return l.lines[i] }) {
			b.touched = append(b.touched, i)
			continue
		}
		l := &p.Lines[i]
		b.low[i], b.high[i] = l.Amount, l.Amount
		b.lowUnit[i], b.highUnit[i], b.freeUnit[i] = l.Unit, l.Unit, l.Unit
		b.idle += l.Amount
	}
}

func (b *partial) onTop(line int, price money.Minor) money.Minor {
	for _, pk := range b.stacked {
		if u := &b.p.Units[pk.Unit]; pk.Kind < 0 || b.p.Kind(u, line) == pk.Kind {
			// The floor may skip a price that it lets through when the price is
			// higher, so the reward is taken for granted here.
			if u.On[line] {
				price -= u.MostOff(price)
			}
		}
	}
	return price
}
