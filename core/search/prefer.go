package search

import (
	"slices"

	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/pricing"
)

type candidate struct {
	units *pricing.UnitChoice
	pricing.GoodsSide
	pricing.ShippingSide
	gifts []bool
	keys  []pricing.Key // of the rungs given, built when first compared
}

func (c *candidate) pay(p *pricing.Problem) money.Minor {
	return c.GoodsSide.ToPay(p.TaxShown) + c.ShippingSide.ToPay(p.TaxShown)
}

func (c *candidate) count() int { return c.units.Count + c.GoodsSide.Count + c.ShippingSide.Count }

// better tells whether a is to be preferred: less to pay; then fewer rungs;
// then the list of rungs that comes first; then earlier lines that pay less, in
// the end or else after unit rewards; then the method that comes first.
func better(p *pricing.Problem, a, b *candidate) bool {
	if x, y := a.pay(p), b.pay(p); x != y {
		return x < y
	}
	if x, y := a.count(), b.count(); x != y {
		return x < y
	}
	if c := slices.CompareFunc(a.list(p), b.list(p), pricing.Key.Compare); c != 0 {
		return c < 0
	}
	if c := slices.Compare(a.After, b.After); c != 0 {
		return c < 0
	}
	if c := slices.Compare(a.units.After, b.units.After); c != 0 {
		return c < 0
	}
	if a.Method != b.Method {
		return a.Method < b.Method
	}
	return slices.CompareFunc(a.gifts, b.gifts, earlierGiven) < 0
}

// earlierGiven puts a choice that gives a gift before one that does not.
func earlierGiven(a, b bool) int {
	switch {
	case a == b:
		return 0
	case a:
		return -1
	}
	return 1
}

// list returns the keys of the rungs given, in order.
func (c *candidate) list(p *pricing.Problem) []pricing.Key {
	if c.keys == nil {
		c.keys = unitKeys(p, c.units.Given)
		for i, g := range c.GoodsSide.Given {
			if g {
				c.keys = append(c.keys, p.Orders[i].Key)
			}
		}
		for i, g := range c.ShippingSide.Given {
			if g {
				c.keys = append(c.keys, p.Ships[i].Key)
			}
		}
		slices.SortFunc(c.keys, pricing.Key.Compare)
	}
	return c.keys
}

func unitKeys(p *pricing.Problem, given []bool) []pricing.Key {
	var out []pricing.Key
	for i, g := range given {
		if g {
			out = append(out, p.Units[i].Key)
		}
	}
	return out
}

func outcome(p *pricing.Problem, c *candidate) pricing.Outcome {
	gifts := c.gifts
	if gifts == nil {
		gifts = make([]bool, len(p.Gifts))
	}
	return pricing.Outcome{
		Method: c.Method, UnitGiven: c.units.Given, OrderGiven: c.GoodsSide.Given, ShipGiven: c.ShippingSide.Given, GiftGiven: gifts,
		Claims: c.units.Claims, AfterUnits: c.units.After,
		Applied: c.Applied, After: c.After, Tax: c.GoodsSide.Tax, Goods: c.Goods, GoodsTax: c.TaxSum,
		ListFee: c.ListFee, Fee: c.Fee, FeeTax: c.ShippingSide.Tax, ToPay: c.pay(p), Exact: true,
	}
}
