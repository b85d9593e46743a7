package pricing

import (
	"agonal.dev/agonal/core/money"
)

// Applied is what one order reward took from each line.
type Applied struct {
	Order  int // index into Problem.Orders
	Total  money.Minor
	Shares []money.Minor // per line
}

// Outcome is a choice of rungs and of units, and what the cart costs under it.
type Outcome struct {
	Method     int // index into Problem.Methods, -1: none
	UnitGiven  []bool
	OrderGiven []bool
	ShipGiven  []bool
	GiftGiven  []bool
	Claims     []Claim // the units each unit rung took
	AfterUnits []money.Minor
	Applied    []Applied
	After      []money.Minor // per line, as shown, after order rewards
	Tax        []money.Minor // per line: within or on top, by Problem.TaxShown
	Goods      money.Minor   // Σ After
	GoodsTax   money.Minor
	ListFee    money.Minor // before shipping rewards, as shown
	Fee        money.Minor
	FeeTax     money.Minor
	ToPay      money.Minor // with tax
	// Exact tells whether no better choice exists; else Gap is the most by which
	// a better one could be cheaper.
	Exact bool
	Gap   money.Minor
	Steps int // that the search took
}

// goodsStage is the goods side of a choice: the order rewards given on top of a
// unit choice.
type goodsStage struct {
	given   []bool
	applied []Applied
	after   []money.Minor
	tax     []money.Minor
	goods   money.Minor
	taxSum  money.Minor
	forFee  money.Minor // goods that fee tables look at
	count   int
}

// order computes the goods stage for the order rewards marked in given. It
// returns false where one of them would take nothing (such a reward is not
// given), or where a limit, a budget or a margin floor forbids the choice.
func (p *Problem) order(c *UnitChoice, given []bool) (goodsStage, bool) {
	st := goodsStage{given: given, after: append(make([]money.Minor, 0, len(p.Lines)), c.After...)}
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
		a := p.take(i, st.after, room, i == last)
		n := p.nudge(p.Orders[i].Nudge)
		if a.Total == 0 || n.HasBudget && a.Total > n.Budget {
			return st, false
		}
		for j, s := range a.Shares {
			st.after[j] -= s
		}
		off += a.Total
		st.applied = append(st.applied, a)
		st.count++
	}
	if st.count > 0 && !p.floorsHold(c, st.applied, st.after) {
		return st, false
	}
	p.taxes(&st)
	return st, true
}

func (p *Problem) taxes(st *goodsStage) {
	st.tax = make([]money.Minor, len(p.Lines))
	for i, l := range p.Lines {
		st.goods += st.after[i]
		if p.TaxShown {
			st.tax[i] = taxWithin(l.Tax, st.after[i])
		} else {
			st.tax[i] = taxOn(l.Tax, st.after[i])
		}
		st.taxSum += st.tax[i]
		if !l.GiftCard {
			st.forFee += st.after[i]
		}
	}
}

func (p *Problem) offUnits(c *UnitChoice) money.Minor {
	var off money.Minor
	for i, l := range p.Lines {
		off += l.Amount - c.After[i]
	}
	return off
}

// take works out what order reward i takes from the remaining amounts: a
// percentage rounded once on the sum, or an amount, capped, then spread by
// largest remainder. Where room (the most that may still be taken off the order)
// is not negative, the last reward is trimmed to it and any other takes nothing
// when it does not fit.
func (p *Problem) take(i int, remaining []money.Minor, room money.Minor, last bool) Applied {
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

func (st *goodsStage) toPay(taxShown bool) money.Minor {
	if taxShown {
		return st.goods
	}
	return st.goods + st.taxSum
}

// shipStage is the shipping side of a choice for one method.
type shipStage struct {
	method  int
	given   []bool
	use     []int // those given, in order
	count   int
	listFee money.Minor
	fee     money.Minor
	tax     money.Minor
}

func (s *shipStage) toPay(taxShown bool) money.Minor {
	if taxShown {
		return s.fee
	}
	return s.fee + s.tax
}

// shipping computes the shipping side with the rungs of use given, in the order
// of their keys; false where one of them would save nothing or goes over its
// budget.
func (p *Problem) shipping(st *goodsStage, method int, use []int) (shipStage, bool) {
	s := shipStage{method: method, given: make([]bool, len(p.Ships)), use: use}
	if method < 0 {
		return s, len(use) == 0
	}
	s.listFee = p.listFee(st, method)
	s.fee = s.listFee
	for _, i := range use {
		next := p.Ships[i].By[method].Lower(s.fee)
		n := p.nudge(p.Ships[i].Nudge)
		if next == s.fee || n.HasBudget && s.fee-next > n.Budget {
			return s, false
		}
		s.given[i] = true
		s.count++
		s.fee = next
	}
	if p.TaxShown {
		s.tax = taxWithin(p.ShippingTax, s.fee)
	} else {
		s.tax = taxOn(p.ShippingTax, s.fee)
	}
	return s, true
}

func (p *Problem) listFee(st *goodsStage, method int) money.Minor {
	if !p.anyGoods() {
		return 0
	}
	return p.Methods[method].Fee(st.forFee, p.Grams)
}

// anyGoods tells whether there is anything to ship: a cart of gift cards alone
// has no fee.
func (p *Problem) anyGoods() bool {
	for _, l := range p.Lines {
		if !l.GiftCard {
			return true
		}
	}
	return false
}

// fewest returns the rungs that bring the fee of a method down as far as all
// that hold would together: as few as do it, and of those the first by key.
// Beyond three rungs it drops what is not needed from the last one on.
func (p *Problem) fewest(method int, listFee money.Minor, holds []bool) []int {
	lowers := func(i int) bool { return holds[i] && p.Ships[i].By[method].Lower(listFee) < listFee }
	fee, n := listFee, 0
	for i := range p.Ships {
		if lowers(i) {
			fee = p.Ships[i].By[method].Lower(fee)
			n++
		}
	}
	if fee == listFee {
		return nil
	}
	use := make([]int, 0, n)
	for i := range p.Ships {
		if lowers(i) {
			if p.Ships[i].By[method].Lower(listFee) == fee {
				return append(use[:0], i)
			}
			use = append(use, i)
		}
	}
	for size := 2; size <= min(3, len(use)); size++ {
		if pick := p.pick(method, listFee, fee, use, nil, size); pick != nil {
			return pick
		}
	}
	for i := len(use) - 1; i >= 0; i-- {
		without := append(append([]int{}, use[:i]...), use[i+1:]...)
		if p.FeeWith(method, listFee, without) == fee {
			use = without
		}
	}
	return use
}

// FeeWith is what some shipping rungs, in order, leave of a method's fee.
func (p *Problem) FeeWith(method int, fee money.Minor, rungs []int) money.Minor {
	for _, i := range rungs {
		fee = p.Ships[i].By[method].Lower(fee)
	}
	return fee
}

func (p *Problem) pick(method int, listFee, want money.Minor, from, have []int, size int) []int {
	if size == 0 {
		if p.FeeWith(method, listFee, have) == want {
			return append([]int{}, have...)
		}
		return nil
	}
	for i := range from {
		if pick := p.pick(method, listFee, want, from[i+1:], append(have, from[i]), size-1); pick != nil {
			return pick
		}
	}
	return nil
}
