package pricing

import "agonal.dev/agonal/core/money"

// shippingSide is the shipping side of a choice for one method.
type shippingSide struct {
	method  int
	given   []bool
	use     []int // those given, in order
	count   int
	listFee money.Minor
	fee     money.Minor
	tax     money.Minor
}

func (s *shippingSide) toPay(taxShown bool) money.Minor {
	if taxShown {
		return s.fee
	}
	return s.fee + s.tax
}

// shipping computes the shipping side with the rungs of use given, in the order
// of their keys; refused where one of them would save nothing or goes over its
// budget.
func (p *Problem) shipping(st *goodsSide, method int, use []int) (shippingSide, Refusal) {
	s := shippingSide{method: method, given: make([]bool, len(p.Ships)), use: use}
	if method < 0 {
		return s, Refusal{}
	}
	s.listFee = p.listFee(st, method)
	s.fee = s.listFee
	for _, i := range use {
		switch lowers, within := p.Lowers(i, method, s.fee); {
		case !lowers:
			return s, Refusal{SavesNothing, Ref{ShippingClass, i}}
		case !within:
			return s, Refusal{OverBudget, Ref{ShippingClass, i}}
		}
		s.given[i] = true
		s.count++
		s.fee = p.Ships[i].By[method].Lower(s.fee)
	}
	if p.TaxShown {
		s.tax = taxWithin(p.ShippingTax, s.fee)
	} else {
		s.tax = taxOn(p.ShippingTax, s.fee)
	}
	return s, Refusal{}
}

func (p *Problem) listFee(st *goodsSide, method int) money.Minor {
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

// FeeWith is what some shipping rungs, in order, leave of a method's fee.
func (p *Problem) FeeWith(method int, fee money.Minor, rungs []int) money.Minor {
	for _, i := range rungs {
		fee = p.Ships[i].By[method].Lower(fee)
	}
	return fee
}

// Lowers tells whether a shipping rung lowers what is left of a method's fee, and
// whether that is within its budget.
func (p *Problem) Lowers(i, method int, fee money.Minor) (lowers, within bool) {
	s := &p.Ships[i]
	next, n := s.By[method].Lower(fee), p.nudge(s.Nudge)
	return next < fee, !n.HasBudget || fee-next <= n.Budget
}
