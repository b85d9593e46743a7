package pricing

import (
	"slices"

	"agonal.dev/agonal/core/money"
)

type candidate struct {
	units *UnitChoice
	goodsSide
	shippingSide
	gifts []bool
	keys  []Key // of the rungs given, built when first compared
}

func (c *candidate) pay(p *Problem) money.Minor {
	return c.goodsSide.toPay(p.TaxShown) + c.shippingSide.toPay(p.TaxShown)
}

func (c *candidate) count() int { return c.units.count + c.goodsSide.count + c.shippingSide.count }

// better tells whether a is to be preferred: less to pay; then fewer rungs;
// then the list of rungs that comes first; then earlier lines that pay less, in
// the end or else after unit rewards; then the method that comes first.
func (p *Problem) better(a, b *candidate) bool {
	if x, y := a.pay(p), b.pay(p); x != y {
		return x < y
	}
	if x, y := a.count(), b.count(); x != y {
		return x < y
	}
	if c := slices.CompareFunc(a.list(p), b.list(p), Key.Compare); c != 0 {
		return c < 0
	}
	if c := slices.Compare(a.after, b.after); c != 0 {
		return c < 0
	}
	if c := slices.Compare(a.units.After, b.units.After); c != 0 {
		return c < 0
	}
	return a.method < b.method
}

// list returns the keys of the rungs given, in order.
func (c *candidate) list(p *Problem) []Key {
	if c.keys == nil {
		c.keys = p.unitKeys(c.units.Given)
		for i, g := range c.goodsSide.given {
			if g {
				c.keys = append(c.keys, p.Orders[i].Key)
			}
		}
		for i, g := range c.shippingSide.given {
			if g {
				c.keys = append(c.keys, p.Ships[i].Key)
			}
		}
		slices.SortFunc(c.keys, Key.Compare)
	}
	return c.keys
}

func (p *Problem) unitKeys(given []bool) []Key {
	var out []Key
	for i, g := range given {
		if g {
			out = append(out, p.Units[i].Key)
		}
	}
	return out
}

func (p *Problem) outcome(c *candidate) Outcome {
	gifts := c.gifts
	if gifts == nil {
		gifts = make([]bool, len(p.Gifts))
	}
	return Outcome{
		Method: c.method, UnitGiven: c.units.Given, OrderGiven: c.goodsSide.given, ShipGiven: c.shippingSide.given, GiftGiven: gifts,
		Claims: c.units.Claims, AfterUnits: c.units.After,
		Applied: c.applied, After: c.after, Tax: c.goodsSide.tax, Goods: c.goods, GoodsTax: c.taxSum,
		ListFee: c.listFee, Fee: c.fee, FeeTax: c.shippingSide.tax, ToPay: c.pay(p), Exact: true,
	}
}
