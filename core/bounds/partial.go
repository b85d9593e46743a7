package bounds

import (
	"slices"

	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/pricing"
)

// Partial is a choice that has been made in part: rungs that are picked, units that some
// of them have taken, and what that leaves.
type Partial struct {
	P       *pricing.Problem
	Ladders []Ladder
	Owner   []int          // per unit rung: its ladder
	Picks   []pricing.Pick // rungs that are given
	Special []pricing.Pick // those of picks that take a limited number of units
	Simple  []pricing.Pick
	Stacked []pricing.Pick
	Free    []int64
	Claims  []pricing.Claim
	Work    int         // steps that working out bounds has taken since they were last counted
	wants   []want      // of the simple rungs that are picked
	takers  [][]taker   // per line: the simple rungs that are picked and save on it
	Touched []int       // lines whose units some ladder may take
	idle    money.Minor // what the other lines cost
	Goods   money.Minor // the least that all lines can cost, as last worked out
	// Per line: what one unit can cost at least and most, and if it stays free; and
	// what all of it can cost by what has been taken so far.
	lowUnit, highUnit, freeUnit []money.Minor
	Low, High                   []money.Minor
}

// Ladder is the unit rungs of one nudge.
type Ladder struct {
	Rungs []int
	Nudge *pricing.Nudge
	Lines pricing.Scope // lines whose units it may take
}

// Gather puts rungs into ladders.
func (b *Partial) Gather() {
	p := b.P
	for i := range p.Units {
		u := &p.Units[i]
		last := len(b.Ladders) - 1
		if last < 0 || p.Units[b.Ladders[last].Rungs[0]].Key.Nudge != u.Key.Nudge {
			b.Ladders = append(b.Ladders, Ladder{Nudge: p.Nudge(u.Nudge), Lines: make(pricing.Scope, len(p.Lines))})
			last++
		}
		l := &b.Ladders[last]
		l.Rungs = append(l.Rungs, i)
		b.Owner[i] = last
		for j := range p.Lines {
			l.Lines[j] = l.Lines[j] || u.On[j] || u.Form == pricing.Every && u.Goal.Scope[j]
		}
	}
}

// SortPicks puts the picks by how they take units: limited, all there are, on top.
func (b *Partial) SortPicks() {
	b.Special, b.Simple, b.Stacked = b.Special[:0], b.Simple[:0], b.Stacked[:0]
	for _, pk := range b.Picks {
		u, n := &b.P.Units[pk.Unit], b.Ladders[b.Owner[pk.Unit]].Nudge
		switch {
		case n.Stacks:
			b.Stacked = append(b.Stacked, pk)
		case u.InSets() || u.Pick > 0 || n.MostUnits > 0:
			b.Special = append(b.Special, pk)
		default:
			b.Simple = append(b.Simple, pk)
		}
	}
}

// taker is a simple rung that is picked and makes the units of a line cheaper:
// least and most are what it takes off one unit, apart only where rounding is per
// line.
type taker struct {
	Unit        int
	off         money.Minor
	least, most money.Minor
}

// TakersOf lists the simple rungs that save something on a line, the one that
// saves most first.
func TakersOf(p *pricing.Problem, dst []taker, simple []pricing.Pick, line int) []taker {
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

// Ready works out, for the picks at hand, which simple rungs may take units of
// which lines and what their goals want. Picks of ladders from one on are only
// possible.
func (b *Partial) Ready(from int) {
	p := b.P
	if b.takers == nil {
		b.touch()
	}
	b.Work += len(b.Touched) * (1 + 2*len(b.Picks)) / 32
	for _, i := range b.Touched {
		price := p.Lines[i].Unit
		b.takers[i] = TakersOf(b.P, b.takers[i][:0], b.Simple, i)
		b.freeUnit[i] = b.onTop(i, price)
		b.lowUnit[i], b.highUnit[i] = b.freeUnit[i], 0
		sure := false
		for _, t := range b.takers[i] {
			sure = sure || b.Owner[t.Unit] < from
			b.lowUnit[i] = min(b.lowUnit[i], b.onTop(i, price-t.most))
			b.highUnit[i] = max(b.highUnit[i], price-t.least)
		}
		if !sure {
			b.highUnit[i] = price
		}
	}
	b.wants = b.wants[:0]
	if len(b.Picks) < 2 {
		return
	}
	for _, pk := range b.Simple {
		if b.Owner[pk.Unit] < from {
			b.want(pk, from)
		}
	}
}

// touch finds the lines whose units some ladder may take, and notes what the others
// cost.
func (b *Partial) touch() {
	p := b.P
	n := len(p.Lines)
	b.takers = make([][]taker, n)
	all := make([]money.Minor, 5*n)
	b.Low, b.High, b.lowUnit, b.highUnit, b.freeUnit = all[:n], all[n:2*n], all[2*n:3*n], all[3*n:4*n], all[4*n:]
	for i := range p.Lines {
		if slices.ContainsFunc(b.Ladders, func(l Ladder) bool { return l.Lines[i] }) {
			b.Touched = append(b.Touched, i)
			continue
		}
		l := &p.Lines[i]
		b.Low[i], b.High[i] = l.Amount, l.Amount
		b.lowUnit[i], b.highUnit[i], b.freeUnit[i] = l.Unit, l.Unit, l.Unit
		b.idle += l.Amount
	}
}

func (b *Partial) onTop(line int, price money.Minor) money.Minor {
	for _, pk := range b.Stacked {
		if u := &b.P.Units[pk.Unit]; pk.Kind < 0 || b.P.Kind(u, line) == pk.Kind {
			// The floor may skip a price that it lets through when the price is
			// higher, so the reward is taken for granted here.
			if u.On[line] {
				price -= u.MostOff(price)
			}
		}
	}
	return price
}
