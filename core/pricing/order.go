package pricing

import (
	"slices"

	"agonal.dev/agonal/core/money"
)

// Applied is what one order reward took from each line.
type Applied struct {
	Order  int // index into Problem.Orders
	Total  money.Minor
	Shares []money.Minor // per line
}

// GoodsSide is the goods side of a choice: the order rewards given on top of a
// unit choice.
type GoodsSide struct {
	Given   []bool
	Applied []Applied
	After   []money.Minor
	Tax     []money.Minor
	Goods   money.Minor
	TaxSum  money.Minor
	forFee  money.Minor // goods that fee tables look at
	Count   int
}

// Order computes the goods stage for the order rewards marked in given. It is refused
// where one of them would take nothing (such a reward is not given), or where a limit,
// a budget or a margin floor forbids the choice.
func (p *Problem) Order(c *UnitChoice, given []bool) (GoodsSide, Refusal) {
	st := GoodsSide{Given: given, After: append(make([]money.Minor, 0, len(p.Lines)), c.After...)}
	last := -1
	for i, g := range given {
		if g {
			last = i
		}
	}
	off := p.offUnits(c)
	for i := range p.Orders {
		if !given[i] {
			continue
		}
		room := money.Minor(-1)
		if p.MostOff > 0 {
			room = p.MostOff - off
		}
		a := p.Take(i, st.After, room, i == last)
		n := p.Nudge(p.Orders[i].Nudge)
		rung := Ref{OrderClass, i}
		switch {
		case a.Total == 0 && room >= 0 && p.Orders[i].Off(p.sumOf(i, st.After)) > 0:
			return st, Refusal{OverMostOff, rung}
		case a.Total == 0:
			return st, Refusal{SavesNothing, rung}
		case n.HasBudget && a.Total > n.Budget:
			return st, Refusal{OverBudget, rung}
		}
		for j, s := range a.Shares {
			st.After[j] -= s
		}
		off += a.Total
		st.Applied = append(st.Applied, a)
		st.Count++
	}
	if st.Count > 0 && !p.floorsHold(c, st.Applied, st.After) {
		return st, Refusal{UnderFloor, Ref{OrderClass, last}}
	}
	p.taxes(&st)
	return st, Refusal{}
}

func (p *Problem) taxes(st *GoodsSide) {
	st.Tax = make([]money.Minor, len(p.Lines))
	for i, l := range p.Lines {
		st.Goods += st.After[i]
		if p.TaxShown {
			st.Tax[i] = taxWithin(l.Tax, st.After[i])
		} else {
			st.Tax[i] = TaxOn(l.Tax, st.After[i])
		}
		st.TaxSum += st.Tax[i]
		if !l.GiftCard {
			st.forFee += st.After[i]
		}
	}
}

// Take works out what order reward i takes from the remaining amounts: a
// percentage rounded once on the sum, or an amount, capped, then spread by
// largest remainder. Where room (the most that may still be taken off the order)
// is not negative, the last reward is trimmed to it and any other takes nothing
// when it does not fit.
func (p *Problem) Take(i int, remaining []money.Minor, room money.Minor, last bool) Applied {
	o := &p.Orders[i]
	base := make([]money.Minor, len(remaining))
	var sum money.Minor
	for j, in := range o.Lines {
		if in {
			base[j] = remaining[j]
			sum += base[j]
		}
	}
	off := o.Off(sum)
	if room >= 0 && off > room {
		off = 0
		if last {
			off = room
		}
	}
	a := Applied{Order: i, Total: off, Shares: make([]money.Minor, len(base))}
	if off > 0 {
		// Cannot fail: no weight is negative and off never exceeds their sum.
		_ = money.Spread(a.Shares, off, base)
	}
	return a
}

// sumOf is what order reward i takes from.
func (p *Problem) sumOf(i int, amounts []money.Minor) (sum money.Minor) {
	for j, in := range p.Orders[i].Lines {
		if in {
			sum += amounts[j]
		}
	}
	return sum
}

// Off returns what the reward takes off a sum, before any limit of the order.
func (o *Order) Off(sum money.Minor) money.Minor {
	off := min(o.Amount, max(0, sum))
	if o.Percent > 0 {
		off, _ = o.Percent.Of(max(0, sum))
	}
	if o.Cap > 0 {
		off = min(off, o.Cap)
	}
	return off
}

func (st *GoodsSide) ToPay(taxShown bool) money.Minor {
	if taxShown {
		return st.Goods
	}
	return st.Goods + st.TaxSum
}

// AfterOrders returns each line once the order rewards marked in given are taken from
// what units cost, at the added unit's present price; false where that is not allowed.
func (p *Problem) AfterOrders(c *UnitChoice, given []bool) ([]money.Minor, bool) {
	now := *c
	now.After = slices.Clone(now.After)
	if p.Added {
		now.After[0] = p.Lines[0].Amount
	}
	st, no := p.Order(&now, given)
	return st.After, no.OK()
}
