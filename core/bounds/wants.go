package bounds

import (
	"slices"

	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/pricing"
)

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

// want notes what the goal of a simple rung asks for, where that adds up by units.
func (b *Partial) want(pk pricing.Pick, from int) {
	p, u := b.P, &b.P.Units[pk.Unit]
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
	w := want{owner: b.Owner[pk.Unit], threshold: max(1, u.Goal.Threshold), weight: make([]int64, len(p.Lines))}
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
		for _, t := range b.takers[j] {
			if b.Owner[t.Unit] != w.owner {
				x.others, sure = true, sure || b.Owner[t.Unit] < from
				continue
			}
			if loss := b.onTop(j, l.Unit-t.most) - b.lowUnit[j]; !takes || loss < x.loss {
				takes, x.loss = true, loss
			}
		}
		if x.can = takes || !sure; !takes {
			x.loss = b.freeUnit[j] - b.lowUnit[j]
		}
		w.lines = append(w.lines, x)
		w.weight[j] = x.weight
	}
	// The lines on which taking units costs least for what they add come first.
	slices.SortStableFunc(w.lines, func(a, b wanted) int {
		return pricing.CompareMinor(a.loss*b.weight, b.loss*a.weight)
	})
	b.wants = append(b.wants, w)
}

// missing is the least that it costs more than the cheapest to make a goal, with
// the lines before one already given away; false where it can not be made.
func (b *Partial) missing(w *want, line int) (loss money.Minor, ok bool) {
	left := w.threshold
	for _, c := range b.Claims {
		if b.Owner[c.Unit] != w.owner {
			continue
		}
		for _, part := range c.Parts {
			left -= part.Qty * w.weight[part.Line]
		}
	}
	for _, x := range w.lines {
		if x.line < line || !x.others {
			left -= b.Free[x.line] * x.weight
		}
	}
	for _, x := range w.lines {
		if left <= 0 {
			return loss, true
		}
		if x.line < line || !x.others || !x.can || x.weight == 0 {
			continue
		}
		n := b.Free[x.line]
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
