package progress

import (
	"slices"

	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/pricing"
	"agonal.dev/agonal/core/search"
)

// walked is what taking the rungs in the merchant's order comes to for a method.
type walked struct {
	t     *search.Turns
	ships []int
	pay   span // less the price of the added unit
	fee   bool // whether the method's table holds one fee throughout
	sure  bool // whether what the target goes by stays as it is
}

// byPriority judges the target where rungs are taken in the merchant's order: if every
// goal is certain at its turn, for every method that may be the cheapest, all additions
// in the range go the same way, and what one of them comes to holds for each.
func (s *hunt) byPriority() verdict {
	v := s.view
	if v.single() {
		return s.solve(v.lo)
	}
	var ways []walked
	for m := min(0, len(s.p.Methods)-1); m < len(s.p.Methods); m++ {
		w, sure := s.walk(m)
		if !sure {
			return maybe
		}
		ways = append(ways, w)
	}
	for i := range ways {
		w := &ways[i]
		if !cheapest(ways, i) {
			continue
		}
		if !w.sure || !w.fee {
			return maybe
		}
		// Of walks that differ only in the fee the fees alone tell the cheapest.
		for k := range ways {
			if k != i && cheapest(ways, k) && !w.alike(&ways[k]) {
				return maybe
			}
		}
	}
	return s.solve(v.lo)
}

// solve decides with one addition.
func (s *hunt) solve(x money.Minor) verdict {
	if !s.charge(s.weight) {
		return never
	}
	s.p.Lines[0].Amount = x
	o := s.prepared.Solve()
	return s.attained(&o)
}

func (w *walked) alike(o *walked) bool {
	return slices.Equal(w.t.Orders, o.t.Orders) && slices.Equal(w.t.Units.After[1:], o.t.Units.After[1:])
}

// cheapest tells whether a way may be the cheapest.
func cheapest(ways []walked, i int) bool {
	return !slices.ContainsFunc(ways, func(o walked) bool { return o.pay.hi < ways[i].pay.lo })
}

// walk takes rungs in the merchant's order for all additions at once, for a method
// (-1: there is none); false where they may go different ways.
func (s *hunt) walk(method int) (walked, bool) {
	v, sure := s.view, true
	note := func(of verdict) bool {
		sure = sure && of != maybe
		return of == always
	}
	// at turns the view to what a walk has come to.
	var units *money.Minor
	var orders []bool
	at := func(t *search.Turns) {
		if units == &t.Units.After[0] && slices.Equal(orders, t.Orders) {
			return
		}
		units, orders = &t.Units.After[0], slices.Clone(t.Orders)
		c := t.Units
		c.From, c.To = 0, 1<<60 // goals of units are judged by the walk itself
		v.look(s.f.passing(&c), orders)
	}
	lowers := func(i int, fee money.Minor, others []int) (bool, bool) {
		return s.p.Lowers(i, method, s.p.FeeWith(method, fee, others))
	}
	s.p.Lines[0].Amount = v.lo
	j := search.Judge{
		Unit: func(unit, kind int, units func(int) int64) bool {
			return note(v.inRange(s.p.UnitHeldFor(unit, kind, units)))
		},
		Within: func(ranges []pricing.Prices) bool {
			out := never
			for _, r := range ranges {
				if in := v.inRange(r.From, r.To, true); in != never && out != always {
					out = in
				}
			}
			return note(out)
		},
		Goal: func(r pricing.Ref, t *search.Turns) bool {
			at(t)
			return note(v.goal(r))
		},
		Allowed: func(t *search.Turns) bool {
			at(t)
			return note(certain(v.sure && !v.fails, !v.fails))
		},
		Lowers: func(i int, t *search.Turns, others []int) (bool, bool) {
			if method < 0 {
				return false, true
			}
			at(t)
			fee := v.listFee(method)
			lo, within := lowers(i, fee.lo, others)
			hi, too := lowers(i, fee.hi, others)
			return note(certain(lo, hi)), note(certain(within, too))
		},
	}
	t := search.InOrder(s.p, j)
	if !sure {
		return walked{}, false
	}
	w := walked{t: t, fee: true, sure: true}
	w.ships, _, _ = t.Given(j)
	at(t)
	w.pay = v.pay()
	if method >= 0 {
		fee := v.listFee(method)
		w.fee = fee.lo == fee.hi
		w.pay = w.pay.plus(v.taxed(span{s.p.FeeWith(method, fee.lo, w.ships), s.p.FeeWith(method, fee.hi, w.ships)}))
	}
	for _, r := range s.refs {
		w.sure = w.sure && (r.Class == pricing.UnitClass || v.due(r) != maybe && v.goal(r) != maybe) && s.targetSettled(v, r)
	}
	return w, sure
}

// passing is a unit choice of the moment, without sums.
func (f *figures) passing(u *pricing.UnitChoice) *choice {
	c := &choice{units: u}
	for j := 1; j < len(f.p.Lines); j++ {
		l := &f.p.Lines[j]
		c.pay += u.After[j]
		if !f.p.TaxShown {
			c.pay += on(l.Tax, u.After[j])
		}
		if !l.GiftCard {
			c.fee += u.After[j]
		}
		if f.lowered(j) {
			c.base += u.After[j]
		}
	}
	return c
}
