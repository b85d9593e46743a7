package progress

import (
	"slices"

	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/pricing"
)

// figures is what does not depend on the addition, worked out once for a cart: what
// each goal counts, and sums for each unit choice, without the added unit.
type figures struct {
	p       *pricing.Problem
	bonds   pricing.Bonds
	goals   [4][]counted // by class
	choices []choice
	table   []span // per method: the least and most its fee table holds
	taxes   span   // the least and highest rate
	// alike tells that all order rewards take from the same lines and nothing limits
	// them, so that sums tell what remains.
	alike bool
	seen  view
	given []bool   // room for marks
	pile  []option // options that may be the best, range by range
}

// counted is a goal, and what of the lines it counts order rewards take from.
type counted struct {
	goal    *pricing.Goal
	any     bool          // anything but the added unit is counted
	lines   int           // lines that are counted and lowered
	outside bool          // whether lines that are lowered are not counted
	higher  []pricing.Ref // rungs that stand above it in a replacing ladder
}

// choice is a unit choice with the sums that goals and fees look at.
type choice struct {
	units *pricing.UnitChoice
	pay   money.Minor // what lines cost before order rewards, with tax where it comes on top
	base  money.Minor // of lines that order rewards take from
	fee   money.Minor // goods that fee tables look at
	sums  [4][]sums   // per goal: its measure before order rewards, and what of it order rewards take from
}

type sums struct{ value, lowered int64 }

// place is where a class stands in what is kept by class.
func place(c pricing.Class) int {
	switch c {
	case pricing.UnitClass:
		return 0
	case pricing.OrderClass:
		return 1
	case pricing.ShippingClass:
		return 2
	}
	return 3
}

func figuresOf(p *pricing.Problem, choices []pricing.UnitChoice) *figures {
	f := &figures{p: p, bonds: p.Bonds(), choices: make([]choice, len(choices)), taxes: span{int64(money.Whole), 0}}
	f.alike = !f.bonds.Limits
	for i := range p.Orders {
		f.alike = f.alike && slices.Equal(p.Orders[i].Lines[1:], p.Orders[0].Lines[1:])
	}
	all := make([]counted, len(p.Units)+len(p.Orders)+len(p.Ships)+len(p.Gifts))
	for at, n := range []int{len(p.Units), len(p.Orders), len(p.Ships), len(p.Gifts)} {
		f.goals[at], all = all[:0:n], all[n:]
	}
	p.EachRung(func(r pricing.Ref) {
		at := place(r.Class)
		c := f.counted(p.GoalOf(r))
		p.HigherOf(r, func(h pricing.Ref) { c.higher = append(c.higher, h) })
		f.goals[at] = append(f.goals[at], c)
	})
	for _, m := range p.Methods {
		least, most := m.FeeRange(0, money.Most, p.Grams)
		f.table = append(f.table, span{least, most})
	}
	for i, l := range p.Lines {
		f.taxes = span{min(f.taxes.lo, int64(l.Tax)), max(f.taxes.hi, int64(l.Tax))}
		f.alike = f.alike && (!l.GiftCard || !f.lowered(i))
	}
	for i := range choices {
		f.choices[i] = f.choice(&choices[i])
	}
	return f
}

// lowered tells whether order rewards take from a line.
func (f *figures) lowered(line int) bool {
	return len(f.p.Orders) > 0 && f.p.Orders[0].Lines[line]
}

// fits tells whether the added unit, too, is lowered by all order rewards or by none.
func (f *figures) fits() bool {
	for i := range f.p.Orders {
		if f.p.Orders[i].Lines[0] != f.p.Orders[0].Lines[0] {
			return false
		}
	}
	return f.alike
}

func (f *figures) counted(g *pricing.Goal) counted {
	c := counted{goal: g}
	for j := 1; j < len(g.Scope); j++ {
		switch lowered := f.lowered(j); {
		case g.Scope[j] && lowered:
			c.lines++
		case lowered:
			c.outside = true
		}
		c.any = c.any || g.Scope[j] && (f.p.Lines[j].Quantity > 0 || g.Measure == pricing.Value)
	}
	return c
}

func (f *figures) choice(u *pricing.UnitChoice) choice {
	c := choice{units: u}
	for j := 1; j < len(f.p.Lines); j++ {
		l := &f.p.Lines[j]
		c.pay += u.After[j]
		if !f.p.TaxShown {
			c.pay += on(l.Tax, u.After[j])
		}
		if f.lowered(j) {
			c.base += u.After[j]
		}
		if !l.GiftCard {
			c.fee += u.After[j]
		}
	}
	n := 0
	for _, of := range f.goals {
		n += len(of)
	}
	all := make([]sums, n)
	for at, of := range f.goals {
		c.sums[at], all = all[:len(of):len(of)], all[len(of):]
		if at == 0 {
			continue // goals of unit rewards look at prices before nudges
		}
		for i := range of {
			c.sums[at][i] = f.sums(of[i].goal, u)
		}
	}
	return c
}

func (f *figures) sums(g *pricing.Goal, u *pricing.UnitChoice) (s sums) {
	if g.Measure != pricing.Value {
		s.value, _ = f.p.MeasureOf(g, u.After)
		return s
	}
	for j := 1; j < len(g.Scope); j++ {
		if !g.Scope[j] {
			continue
		}
		a := u.After[j]
		if g.Basis == pricing.Before {
			a = f.p.Lines[j].Amount
		}
		if f.lowered(j) {
			s.lowered += a
		}
		if g.WithoutTax && f.p.TaxShown {
			a = net(f.p.Lines[j].Tax, a)
		}
		s.value += a
	}
	return s
}
