package bounds

import (
	"slices"

	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/pricing"
)

// Slack bounds how much more than the cheapest a unit choice may cost and still
// be part of the best one: what shipping and the order rewards that depend on
// what units cost can be worth at most. It lets a dear choice have every one of them and
// a cheap one none, whatever their goals; no two choices are further apart.
func Slack(p *pricing.Problem, added money.Minor) money.Minor {
	if p.Added {
		added = max(added, p.Lines[0].Amount)
	}
	bonds := p.Bound()
	if bonds && len(p.Gifts) > 0 {
		return pricing.AnyAddition / 2
	}
	var out money.Minor
	all := bonds || p.Floor > 0 || p.MostOff > 0
	open := all || slices.ContainsFunc(p.Ships, func(s pricing.Shipping) bool { return undecided(p, s.Goal, added) })
	for i, m := range p.Methods {
		if !all && surelyFree(p, i) {
			continue
		}
		least, fee := m.FeeRange(0, money.Most, p.Grams)
		if !open {
			fee -= least // which rewards are given is settled; only the table's bands are not
		}
		out = max(out, fee+pricing.TaxOn(p.ShippingTax, fee))
	}
	var rate money.Rate
	for _, l := range p.Lines {
		if !p.TaxShown {
			rate = max(rate, l.Tax)
		}
	}
	var taken money.Minor // at most, by the order rewards before
	for i := range p.Orders {
		o := &p.Orders[i]
		sum, least := added, money.Minor(0)
		for j, in := range o.Lines {
			if in {
				sum += p.Lines[j].Amount
				least += lowest(p, j)
			}
		}
		off := o.Off(sum)
		taken += off
		if !all && taken < least && o.Percent < money.Whole && !undecided(p, o.Goal, added) {
			continue // what is dearer before it stays dearer after it
		}
		out += off + pricing.TaxOn(rate, off)
	}
	switch {
	case p.TaxShown && sameLines(p):
		out += money.Minor(len(p.Orders)) // each is rounded once, on one sum
	default:
		out += money.Minor(2 * (len(p.Orders) + 1) * (len(p.Lines) + 1)) // rounding
	}
	// Percentages off the order shrink what lies between two unit choices.
	for i := range p.Orders {
		keep := money.Whole - p.Orders[i].Percent
		if keep == 0 || out > pricing.AnyAddition/4/money.Minor(money.Whole) {
			return pricing.AnyAddition / 2
		}
		out = out*money.Minor(money.Whole)/money.Minor(keep) + 1
	}
	return out
}

// sameLines tells whether all order rewards take from the same lines.
func sameLines(p *pricing.Problem) bool {
	for i := 1; i < len(p.Orders); i++ {
		if !slices.Equal(p.Orders[i].Lines, p.Orders[0].Lines) {
			return false
		}
	}
	return true
}

// surelyFree tells whether a method costs nothing whatever units cost and whatever is
// added: a rung that nothing binds makes it free, and its goal holds in any case.
func surelyFree(p *pricing.Problem, method int) bool {
	if p.Bonds().Ships {
		return false
	}
	for i := range p.Ships {
		s := &p.Ships[i]
		if s.By[method].Form != pricing.Free || s.Goal.Most > 0 || s.Goal.Threshold == 0 || p.Nudge(s.Nudge).Replacing {
			continue
		}
		if least, _ := valueRange(p, &s.Goal, 0); least >= s.Goal.Threshold {
			return true
		}
	}
	return false
}

// undecided tells whether what units cost may decide if a goal holds, for some
// price of the added unit up to added.
func undecided(p *pricing.Problem, g pricing.Goal, added money.Minor) bool {
	if g.Basis == pricing.Before || g.Measure != pricing.Value {
		return false
	}
	least, most := valueRange(p, &g, added)
	any := slices.Contains(g.Scope, true)
	return g.Most > 0 || g.Meets(least, any) != g.Meets(most, any)
}

// valueRange bounds a goal's measure for any choice of units and any price of the
// added unit up to added.
func valueRange(p *pricing.Problem, g *pricing.Goal, added money.Minor) (least, most int64) {
	hi := p.Before(p.Scratch)
	p.Scratch = hi
	if g.Basis == pricing.Before || g.Measure != pricing.Value {
		if p.Added {
			hi[0] = 0
		}
		least, _ = p.MeasureOf(g, hi)
		if p.Added {
			hi[0] = added
		}
		most, _ = p.MeasureOf(g, hi)
		return least, most
	}
	if p.Lows == nil {
		p.Lows = make([]money.Minor, len(p.Lines))
		for i := range p.Lines {
			p.Lows[i] = lowest(p, i)
		}
	}
	if p.Added {
		p.Lows[0], hi[0] = 0, added
	}
	least, _ = p.MeasureOf(g, p.Lows)
	most, _ = p.MeasureOf(g, hi)
	if g.Basis == pricing.AfterOrder {
		for i := range p.Orders {
			o := &p.Orders[i]
			sum := added
			for j, in := range o.Lines {
				if in {
					sum += p.Lines[j].Amount
				}
			}
			least -= o.Off(sum)
		}
		least -= money.Minor(len(p.Lines)) // net values round down
	}
	return least, most
}

// lowest bounds from below what a line can cost after unit rewards.
func lowest(p *pricing.Problem, line int) money.Minor {
	l := &p.Lines[line]
	if l.Quantity == 0 {
		return l.Amount
	}
	price := l.Unit
	for j := range p.Units {
		u := &p.Units[j]
		switch {
		case !u.On[line]:
		case u.InSets():
			price = 0
		case !p.Nudge(u.Nudge).Stacks:
			price = min(price, l.Unit-u.MostOff(l.Unit))
		}
	}
	for j := range p.Units {
		if u := &p.Units[j]; u.On[line] && p.Nudge(u.Nudge).Stacks {
			price -= u.MostOff(price)
		}
	}
	return max(0, price) * l.Quantity
}
