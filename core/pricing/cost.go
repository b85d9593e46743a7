package pricing

import (
	"slices"

	"agonal.dev/agonal/core/money"
)

// UnitChoice is an allowed choice of unit rungs and of the units each takes.
type UnitChoice struct {
	Given  []bool  // per Problem.Units
	Claims []Claim // in the order of rungs, those that stack last
	After  []money.Minor
	Goods  money.Minor
	Count  int
	// From and To are the prices of the added unit for which the choice is
	// allowed; without an added unit it always is.
	From, To money.Minor
}

func (p *Problem) NoUnits() UnitChoice {
	c := UnitChoice{Given: make([]bool, len(p.Units)), After: p.Before(make([]money.Minor, 0, len(p.Lines))), To: AnyAddition}
	for _, a := range c.After {
		c.Goods += a
	}
	return c
}

// seg is a run of units of one line at the price that remains.
type seg struct {
	qty   int64
	price money.Minor
}

// Priced is what units cost under some claims, with the rungs that stack on top: what
// would save nothing there is not given. Refused where a limit, a budget or a floor
// forbids it.
func (p *Problem) Priced(claims []Claim, free []int64, stacked []Pick) (UnitChoice, Refusal) {
	segs := make([][]seg, len(p.Lines))
	for _, c := range claims {
		for _, part := range c.Parts {
			segs[part.Line] = append(segs[part.Line], seg{part.Qty, p.Lines[part.Line].Unit - part.Off})
		}
	}
	for i, n := range free {
		if n > 0 {
			segs[i] = append(segs[i], seg{n, p.Lines[i].Unit})
		}
	}
	for _, pk := range stacked {
		if c := p.onTop(pk, segs); len(c.Parts) > 0 {
			claims = append(claims, c)
		}
	}
	c := UnitChoice{Given: make([]bool, len(p.Units)), Claims: claims, After: make([]money.Minor, len(p.Lines)), To: AnyAddition}
	for _, claim := range claims {
		c.Given[claim.Unit] = true
	}
	for _, g := range c.Given {
		if g {
			c.Count++
		}
	}
	for i, l := range p.Lines {
		if l.Quantity == 0 {
			c.After[i] = l.Amount
		}
		for _, s := range segs[i] {
			c.After[i] += s.qty * s.price
		}
		c.Goods += c.After[i]
	}
	return c, p.UnitsWithin(&c)
}

// onTop puts a stacking rung on what units cost by now.
func (p *Problem) onTop(pk Pick, segs [][]seg) Claim {
	u := &p.Units[pk.Unit]
	c := Claim{Unit: pk.Unit}
	for i := range segs {
		if pk.Kind >= 0 && p.Kind(u, i) != pk.Kind {
			continue
		}
		var next, lowered []seg
		for _, s := range segs[i] {
			if p.Saves(u, i, s.price) > 0 {
				lowered = append(lowered, s)
			} else {
				next = append(next, s)
			}
		}
		for _, part := range p.lower(u, i, lowered) {
			c.Parts = append(c.Parts, part.Part)
			next = append(next, seg{part.Qty, part.price - part.Off})
		}
		segs[i] = next
	}
	return c
}

// pricedPart is a part with the price its units cost before.
type pricedPart struct {
	Part
	price money.Minor
}

// lower takes a rung's reward off units of one line at several prices. Rounded per
// line, the reward is spread over the units by the largest remainder, the dearest
// first among equals.
func (p *Problem) lower(u *Unit, line int, segs []seg) []pricedPart {
	var out []pricedPart
	if !u.PerLine || u.Form != PercentOff {
		for _, s := range segs {
			out = append(out, pricedPart{Part{line, s.qty, p.Saves(u, line, s.price)}, s.price})
		}
		return out
	}
	slices.SortStableFunc(segs, func(a, b seg) int { return CompareMinor(b.price, a.price) })
	var sum money.Minor
	for _, s := range segs {
		sum += s.price * s.qty
	}
	total, _ := u.Percent.Of(sum)
	left := total
	rests := make([]uint64, len(segs))
	order := make([]int, len(segs))
	for k, s := range segs {
		each, rest := portion(total, s.price, sum)
		out = append(out, pricedPart{Part{line, s.qty, each}, s.price})
		left -= each * s.qty
		rests[k], order[k] = rest, k
	}
	slices.SortStableFunc(order, func(a, b int) int {
		switch {
		case rests[a] > rests[b]:
			return -1
		case rests[a] < rests[b]:
			return 1
		}
		return 0
	})
	for _, k := range order {
		n := min(left, out[k].Qty)
		left -= n
		if n == 0 {
			continue
		}
		if n < out[k].Qty {
			out = append(out, pricedPart{Part{line, n, out[k].Off + 1}, out[k].price})
			out[k].Qty -= n
		} else {
			out[k].Off++
		}
	}
	return out
}
