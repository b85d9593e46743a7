// Package bounds says what nothing below a choice made in part can beat. Each bound
// relaxes a rule, and by that can only understate what is paid: [Partial.Reach] lets
// every unit that is free be taken by whichever rung that is picked saves most on it,
// [Outlook] lets every order and shipping reward be given whose goal can hold at some
// value of the goods, and [Slack] says how much dearer goods may be and still be part of
// the best choice.
package bounds

import (
	"slices"

	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/pricing"
)

// Outlook bounds from below what is paid in the end by any completion of a unit
// choice. It knows that a low price of goods and a goal that asks for a high one
// do not come together: each reward whose goal looks at what units cost is worth
// something only where goods cost as much as its threshold and what its goal does
// not count. At each level of goods it gives every reward whose goal can hold there, each
// on all of its lines at their dearest, though they may not stand together.
type Outlook struct {
	p       *pricing.Problem
	methods []int
	orders  []prospect
	ships   []prospect
	touched []bool           // lines that some order reward takes from
	fees    [][2]money.Minor // per method of the problem: the least and most its table holds
	total   money.Minor      // goods before nudges
	cards   money.Minor      // of which gift cards
	minRate money.Rate
	goods   bool // whether anything is to be shipped
	// What follows is of the choice at hand.
	levels []money.Minor
}

// prospect is the goal of an order or shipping rung as far as unit choices go.
type prospect struct {
	goal    *pricing.Goal
	settled bool // whether it holds does not depend on what units cost
	never   bool
	barred  bool        // something that is given does not stand beside it
	level   money.Minor // the least that goods must cost for it to hold
	lines   []int       // that it counts
}

func NewOutlook(p *pricing.Problem, methods []int) *Outlook {
	o := &Outlook{p: p, methods: methods, touched: make([]bool, len(p.Lines)), goods: p.AnyGoods(), minRate: money.Whole}
	for i := range p.Orders {
		o.orders = append(o.orders, newProspect(p, &p.Orders[i].Goal))
		if !o.orders[i].never {
			for j, in := range p.Orders[i].Lines {
				o.touched[j] = o.touched[j] || in
			}
		}
	}
	for i := range p.Ships {
		o.ships = append(o.ships, newProspect(p, &p.Ships[i].Goal))
	}
	for _, l := range p.Lines {
		o.total += l.Amount
		if l.GiftCard {
			o.cards += l.Amount
		}
		o.minRate = min(o.minRate, l.Tax)
	}
	if p.TaxShown || len(p.Lines) == 0 {
		o.minRate = 0
	}
	for _, m := range p.Methods {
		least, most := m.FeeRange(0, money.Most, p.Grams)
		o.fees = append(o.fees, [2]money.Minor{least, most})
	}
	return o
}

func newProspect(p *pricing.Problem, g *pricing.Goal) prospect {
	out := prospect{goal: g}
	for j, in := range g.Scope {
		if in {
			out.lines = append(out.lines, j)
		}
	}
	if g.Basis == pricing.Before || g.Measure != pricing.Value || g.Threshold == 0 && g.Most == 0 {
		out.settled = true
		out.never = !g.Meets(p.MeasureOf(g, p.Before(nil)))
	}
	return out
}

// Bar notes which order and shipping rewards do not stand beside unit rungs that
// are given.
func (o *Outlook) Bar(given func(yield func(nudge int) bool)) {
	barred := func(nudge int, class pricing.Class) bool {
		for n := range given {
			if pricing.Clash(o.p.Nudge(nudge), o.p.Nudge(n), class, pricing.UnitClass) && n != nudge {
				return true
			}
		}
		return false
	}
	for i := range o.orders {
		o.orders[i].barred = barred(o.p.Orders[i].Nudge, pricing.OrderClass)
	}
	for i := range o.ships {
		o.ships[i].barred = barred(o.p.Ships[i].Nudge, pricing.ShippingClass)
	}
}

// Least is the least that can be paid where goods cost at least so much after unit
// rewards, and each line no less than low and no more than high.
func (o *Outlook) Least(goods money.Minor, low, high []money.Minor) money.Minor {
	o.levels = append(o.levels[:0], goods)
	var all, untouched money.Minor
	for j, n := range low {
		all += n
		if !o.touched[j] {
			untouched += n
		}
	}
	look := func(pr *prospect, afterOrders bool) {
		if pr.settled || pr.barred {
			return
		}
		within, outside := money.Minor(0), all
		if afterOrders {
			outside = untouched
		}
		for _, j := range pr.lines {
			within += high[j]
			if !afterOrders || !o.touched[j] {
				outside -= low[j]
			}
		}
		pr.never = within < pr.goal.Threshold
		if pr.level = pr.goal.Threshold + outside; !pr.never && !afterOrders && pr.level > goods {
			o.levels = append(o.levels, pr.level)
		}
	}
	for i := range o.orders {
		look(&o.orders[i], false)
	}
	for i := range o.ships {
		look(&o.ships[i], o.ships[i].goal.Basis == pricing.AfterOrder)
	}
	slices.Sort(o.levels)
	out := pricing.AnyAddition
	for k, level := range o.levels {
		if k > 0 && level == o.levels[k-1] {
			continue
		}
		left := level
		for i := range o.orders {
			if pr := &o.orders[i]; pr.never || pr.barred || !pr.settled && pr.level > level {
				continue
			}
			var most money.Minor
			for j, in := range o.p.Orders[i].Lines {
				if in {
					most += high[j]
				}
			}
			left -= o.p.Orders[i].Off(min(left, most))
		}
		if o.p.MostOff > 0 {
			left = max(left, o.total-o.p.MostOff)
		}
		out = min(out, o.Shipped(level, left))
	}
	return out
}

// Shipped is the least that can be paid where goods cost so much after unit
// rewards and no less than left after order rewards, by the levels last looked at.
func (o *Outlook) Shipped(level, left money.Minor) money.Minor {
	out := o.taxed(left) + o.fee(level, left)
	for i := range o.ships {
		pr := &o.ships[i]
		if pr.settled || pr.never || pr.barred || pr.goal.Basis != pricing.AfterOrder || pr.level <= left {
			continue
		}
		out = min(out, o.taxed(pr.level)+o.fee(level, pr.level))
	}
	return out
}

func (o *Outlook) taxed(goods money.Minor) money.Minor {
	if o.minRate == 0 {
		return goods
	}
	return goods + max(0, pricing.TaxOn(o.minRate, goods)-money.Minor(len(o.p.Lines)))
}

// fee is the least fee of any method, with tax where that comes on top.
func (o *Outlook) fee(level, left money.Minor) money.Minor {
	if !o.goods {
		return 0
	}
	out := pricing.AnyAddition
	for _, m := range o.methods {
		if m < 0 {
			return 0
		}
		fee := o.fees[m][0]
		if fee != o.fees[m][1] {
			fee, _ = o.p.Methods[m].FeeRange(max(0, left-o.cards), o.total, o.p.Grams)
		}
		for i := range o.ships {
			pr := &o.ships[i]
			at := level
			if pr.goal.Basis == pricing.AfterOrder {
				at = left
			}
			if !pr.never && !pr.barred && (pr.settled || pr.level <= at) {
				fee = o.p.Ships[i].By[m].Lower(fee)
			}
		}
		if !o.p.TaxShown {
			fee += pricing.TaxOn(o.p.ShippingTax, fee)
		}
		out = min(out, fee)
	}
	return out
}
