package pricingtest

import "agonal.dev/agonal/core/pricing"

// mixed draws a ladder whose rungs give rewards of one class or another, or of two at
// once. Goals look as late as the class may, of a replacing ladder all of them alike.
func (g *gen) mixed(id string) {
	key, at := g.nudge(id, true)
	n := &g.p.Nudges[at]
	n.Replacing = g.one(2, "replacing")
	goal := g.goal(90)
	basis := pricing.Basis(g.num(0, 2, "basis"))
	rungs := int(g.num(1, 3, "rungs"))
	classes := make([]pricing.Class, rungs)
	for i := range classes {
		classes[i] = pricing.Class(1 << g.num(0, 3, "class"))
		if rungs == 1 || g.one(3, "two classes") {
			classes[i] |= pricing.Class(1 << g.num(0, 3, "class"))
		}
		if n.Replacing && classes[i]&pricing.UnitClass != 0 {
			basis = pricing.Before
		}
		if n.Replacing && classes[i]&pricing.OrderClass != 0 {
			basis = min(basis, pricing.AfterUnit)
		}
	}
	if goal.Measure == pricing.SameProduct || goal.Measure == pricing.SameVariant {
		n.MostUnits = 0
	}
	for i, c := range classes {
		key.Rung = i
		goal.Threshold += int64(min(i, 1)) * g.num(1, 20, "more")
		to := func(latest pricing.Basis) pricing.Goal {
			out := goal
			out.Basis = min(basis, latest)
			return out
		}
		if c&pricing.UnitClass != 0 {
			u := pricing.Unit{Key: key, Nudge: at, Goal: to(pricing.Before), Form: pricing.UnitForm(g.num(0, 3, "form"))}
			u.On = g.on(goal.Scope)
			if u.Form < pricing.SetPrice && g.one(3, "elsewhere") {
				u.On, u.Elsewhere = g.goods(), true
			}
			g.reward(&u)
			g.p.Units = append(g.p.Units, u)
		}
		if c&pricing.OrderClass != 0 {
			o := pricing.Order{Key: key, Nudge: at, Goal: to(pricing.AfterUnit), Lines: append(pricing.Scope{}, goal.Scope...)}
			if o.Percent = g.rate(50_000, 100_000); g.one(2, "amount") {
				o.Percent, o.Amount = 0, g.num(1, 20, "off")
			}
			g.p.Orders = append(g.p.Orders, o)
		}
		if c&pricing.ShippingClass != 0 {
			s := pricing.Shipping{Key: key, Nudge: at, Goal: to(pricing.AfterOrder)}
			for range g.p.Methods {
				s.By = append(s.By, pricing.ShippingReward{Form: pricing.ShippingForm(g.num(0, 3, "form")), Amount: g.num(1, 15, "off")})
			}
			g.p.Ships = append(g.p.Ships, s)
		}
		if c&pricing.GiftClass != 0 {
			g.p.Gifts = append(g.p.Gifts, pricing.Gift{Key: key, Nudge: at, Goal: to(pricing.AfterOrder), Worth: g.num(1, 20, "worth")})
		}
	}
}

// crossing draws free shipping not far above what the cart holds, and an amount off
// the order, worth more than any fee, that takes goods below it again. It makes them
// the only shipping and order rewards, so that they are asked about.
func (g *gen) crossing() {
	p := g.p
	everything := func() pricing.Scope {
		s := make(pricing.Scope, len(p.Lines))
		for i, l := range p.Lines {
			s[i] = !l.GiftCard
		}
		return s
	}
	var value int64
	for _, l := range p.Lines {
		if !l.GiftCard {
			value += l.Amount
		}
	}
	free := value + g.num(1, 40, "free from")
	off := g.num(26, 60, "off")
	key, at := g.nudge("crossed", false)
	s := pricing.Shipping{Key: key, Nudge: at, Goal: pricing.Goal{Scope: everything(), Basis: pricing.AfterOrder, Threshold: free}}
	for range p.Methods {
		s.By = append(s.By, pricing.ShippingReward{Form: pricing.Free})
	}
	key, at = g.nudge("crossing", false)
	o := pricing.Order{Key: key, Nudge: at, Lines: everything(), Amount: off, Goal: pricing.Goal{Scope: everything(), Basis: pricing.AfterUnit, Threshold: free + g.num(0, off-1, "off from")}}
	p.Ships, p.Orders = []pricing.Shipping{s}, []pricing.Order{o}
}
