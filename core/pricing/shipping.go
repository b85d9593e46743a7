package pricing

import "agonal.dev/agonal/core/money"

// ShippingSide is the shipping side of a choice for one method.
type ShippingSide struct {
	Method  int
	Given   []bool
	Use     []int // those given, in order
	Count   int
	ListFee money.Minor
	Fee     money.Minor
	Tax     money.Minor
}

func (s *ShippingSide) ToPay(taxShown bool) money.Minor {
	if taxShown {
		return s.Fee
	}
	return s.Fee + s.Tax
}

// Shipping computes the shipping side with the rungs of use given, in the order
// of their keys; refused where one of them would save nothing or goes over its
// budget.
func (p *Problem) Shipping(st *GoodsSide, method int, use []int) (ShippingSide, Refusal) {
	s := ShippingSide{Method: method, Given: make([]bool, len(p.Ships)), Use: use}
	if method < 0 {
		return s, Refusal{}
	}
	s.ListFee = p.ListFee(st, method)
	s.Fee = s.ListFee
	for _, i := range use {
		switch lowers, within := p.Lowers(i, method, s.Fee); {
		case !lowers:
			return s, Refusal{SavesNothing, Ref{ShippingClass, i}}
		case !within:
			return s, Refusal{OverBudget, Ref{ShippingClass, i}}
		}
		s.Given[i] = true
		s.Count++
		s.Fee = p.Ships[i].By[method].Lower(s.Fee)
	}
	if p.TaxShown {
		s.Tax = taxWithin(p.ShippingTax, s.Fee)
	} else {
		s.Tax = TaxOn(p.ShippingTax, s.Fee)
	}
	return s, Refusal{}
}

func (p *Problem) ListFee(st *GoodsSide, method int) money.Minor {
	if !p.AnyGoods() {
		return 0
	}
	return p.Methods[method].Fee(st.forFee, p.Grams)
}

// AnyGoods tells whether there is anything to ship: a cart of gift cards alone
// has no fee.
func (p *Problem) AnyGoods() bool {
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
	next, n := s.By[method].Lower(fee), p.Nudge(s.Nudge)
	return next < fee, !n.HasBudget || fee-next <= n.Budget
}
