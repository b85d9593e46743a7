// Package pricingtest makes small random pricing problems for property tests.
package pricingtest

import (
	"fmt"

	"pgregory.net/rapid"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/pricing"
)

// Shape is how large and how bound together a drawn problem is.
type Shape struct {
	Lines, Units        int // at most so many lines, and units in all
	UnitNudges          int
	Orders, Ships       int
	Gifts               int
	Bonds               bool // groups, refusals, budgets, floors and limits
	Mixed               bool // ladders whose rungs give rewards of several classes
	Added               bool // line 0 is an added unit of price 0
	LeastShips, LeastUN int
	LeastLines          int
	Cheap               bool // amounts of a few minor units
}

// Small is a shape whose every choice can be tried.
var Small = Shape{Lines: 4, Units: 6, UnitNudges: 3, Orders: 2, Ships: 2, Gifts: 2, Bonds: true, Mixed: true}

// Eight is a shape whose every choice can be tried with patience.
var Eight = Shape{Lines: 5, Units: 8, UnitNudges: 4, Orders: 3, Ships: 2, Gifts: 2, Bonds: true, Mixed: true}

// Asking is a shape for questions about additions: a few hundred minor units,
// so that a test can try every addition in turn.
var Asking = Shape{Lines: 3, Units: 5, UnitNudges: 2, Orders: 3, Ships: 3, Gifts: 2, Added: true, LeastShips: 1, Mixed: true}

// Tiny is a shape for the same questions, where every choice for every addition can be
// tried.
var Tiny = Shape{Lines: 3, Units: 3, UnitNudges: 2, Orders: 2, Ships: 2, Gifts: 2, Added: true, Bonds: true, Mixed: true, LeastLines: 2, Cheap: true}

// Draw draws a problem.
func (s Shape) Draw(t *rapid.T) *pricing.Problem {
	g := &gen{T: t, s: s}
	p := &pricing.Problem{
		Mode:        pricing.Mode(g.num(0, 2, "mode") / 2),
		Added:       s.Added,
		TaxShown:    g.num(0, 2, "tax shown") > 0,
		ShippingTax: g.rate(0, 190_000),
		Grams:       100,
	}
	g.p = p
	g.lines()
	for m := range int(g.num(0, 2, "methods")) {
		p.Methods = append(p.Methods, g.fees(m))
	}
	for i := range int(g.num(int64(s.LeastUN), int64(s.UnitNudges), "unit nudges")) {
		g.unitNudge(fmt.Sprintf("unit-%d", i))
	}
	for i := range int(g.num(0, int64(s.Orders), "orders")) {
		g.order(fmt.Sprintf("order-%d", i))
	}
	if s.Added && g.one(2, "one place") { // all order rewards take from the same lines
		for i := range p.Orders[min(1, len(p.Orders)):] {
			copy(p.Orders[i+1].Lines, p.Orders[0].Lines)
		}
	}
	for i := range int(g.num(int64(s.LeastShips), int64(s.Ships), "ships")) {
		g.ship(fmt.Sprintf("ship-%d", i))
	}
	for i := range int(g.num(0, int64(s.Gifts), "gifts")) {
		g.gift(fmt.Sprintf("gift-%d", i))
	}
	if s.Mixed && g.one(4, "mixed") {
		g.mixed("mixed")
	}
	if s.Added && len(p.Methods) > 0 && g.one(8, "crossing") {
		g.crossing()
	}
	if s.Bonds && g.one(12, "most off") {
		p.MostOff = g.num(1, 60, "most off")
	}
	if s.Bonds && g.one(12, "floor") {
		p.Floor = g.rate(100_000, 300_000)
	}
	pricing.SortRungs(p)
	return p
}

type gen struct {
	*rapid.T
	s Shape
	p *pricing.Problem
}

func (g *gen) num(lo, hi int64, label string) int64 { return rapid.Int64Range(lo, hi).Draw(g.T, label) }

// one is true one time in n.
func (g *gen) one(n int64, label string) bool { return g.num(1, n, label) == n }

func (g *gen) rate(of ...int64) money.Rate {
	return money.Rate(rapid.SampledFrom(of).Draw(g.T, "rate"))
}

func (g *gen) lines() {
	p := g.p
	if g.s.Added {
		p.Lines = append(p.Lines, pricing.Line{Tax: g.rate(0, 70_000, 190_000), Product: -1, Variant: -1})
	}
	left := int64(g.s.Units)
	most := int64(40)
	if g.s.Cheap {
		most = 8
	}
	prices := []int64{g.num(1, most, "price"), g.num(1, most, "price"), g.num(0, most*3/2, "price")}
	if g.one(3, "one price") {
		prices = prices[:1]
	}
	for i := range int(g.num(max(1, int64(g.s.LeastLines)), int64(g.s.Lines), "lines")) {
		if left == 0 {
			break
		}
		l := pricing.Line{Quantity: g.num(1, min(3, left), "quantity"), Tax: g.rate(0, 70_000, 190_000), Product: int(g.num(0, 2, "product")), Grams: g.num(1, 50, "grams")}
		l.Variant = l.Product*2 + int(g.num(0, 1, "variant"))
		l.Unit = rapid.SampledFrom(prices).Draw(g.T, "of the prices")
		if g.one(4, "own price") {
			l.Unit = g.num(1, most, "price")
		}
		left -= l.Quantity
		l.Amount = l.Unit * l.Quantity
		l.GiftCard = i > 0 && g.one(12, "gift card")
		if g.one(3, "cost") {
			l.HasCost, l.Cost = true, g.num(0, l.Unit, "cost")
		}
		p.Lines = append(p.Lines, l)
	}
}

// scope draws which lines are counted, gift cards never; the added unit often.
func (g *gen) scope() pricing.Scope {
	s := make(pricing.Scope, len(g.p.Lines))
	everything := g.num(0, 2, "everything") > 0
	for i, l := range g.p.Lines {
		s[i] = !l.GiftCard && (everything || g.num(0, 2, "in") > 0)
	}
	return s
}

// goods is a scope without the added unit and what is never discounted.
func (g *gen) goods() pricing.Scope {
	s := g.scope()
	for i, l := range g.p.Lines {
		s[i] = s[i] && l.Quantity > 0
	}
	return s
}

// nudge draws what the rungs of a nudge share and returns its key and number.
func (g *gen) nudge(id string, unit bool) (pricing.Key, int) {
	n := pricing.Nudge{}
	if g.s.Bonds {
		if g.one(4, "group") {
			n.Group = "g"
		}
		if g.one(10, "refuses") {
			n.Refuses = pricing.Class(1 << g.num(0, 3, "class"))
		}
		if g.one(12, "budget") {
			n.HasBudget, n.Budget = true, g.num(0, 40, "budget")
		}
		if g.one(12, "floor") {
			n.Floor = g.rate(100_000, 400_000)
		}
		if unit && g.one(8, "most units") {
			n.MostUnits = g.num(1, 3, "most units")
		}
	}
	g.p.Nudges = append(g.p.Nudges, n)
	return pricing.Key{Priority: int(g.num(1, 3, "priority")), Nudge: id}, len(g.p.Nudges) - 1
}

func (g *gen) goal(most int64) pricing.Goal {
	if g.s.Cheap {
		most /= 6
	}
	out := pricing.Goal{Scope: g.scope(), Threshold: g.num(0, most, "threshold"), WithoutTax: g.one(3, "net")}
	if g.one(4, "other measure") {
		out.Measure = pricing.Measure(g.num(1, 5, "measure"))
		out.Threshold = g.num(1, 4, "count")
		if out.Measure == pricing.Weight {
			out.Threshold = g.num(1, 150, "weight")
		}
	}
	return out
}

func (g *gen) unitNudge(id string) {
	key, at := g.nudge(id, true)
	n := &g.p.Nudges[at]
	base := pricing.Unit{Key: key, Nudge: at, Goal: g.goal(70)}
	base.Form = pricing.UnitForm(g.num(0, 5, "form"))
	if g.num(0, 2, "units") > 0 || base.Form >= pricing.SetPrice && g.num(0, 3, "of units") > 0 {
		of := []int{1, 1, 2, 3}
		if base.Form >= pricing.SetPrice {
			of = []int{1, 2, 3}
		}
		base.Goal.Measure = pricing.Measure(rapid.SampledFrom(of).Draw(g.T, "measure"))
		base.Goal.Threshold = g.num(1, 4, "count")
	}
	base.On = g.on(base.Goal.Scope)
	if base.Form < pricing.SetPrice || base.Form == pricing.Every {
		if g.one(3, "elsewhere") {
			base.On, base.Elsewhere = g.goods(), true
		}
	}
	if base.Form < pricing.SetPrice {
		if n.Stacks = g.one(5, "stacks"); n.Stacks {
			n.MostUnits = 0
		} else if g.one(4, "pick") {
			base.Pick, base.Dearest = g.num(1, 2, "pick"), g.one(2, "dearest")
		}
	}
	same := base.Goal.Measure == pricing.SameProduct || base.Goal.Measure == pricing.SameVariant
	if same && !base.Elsewhere {
		n.MostUnits = 0
	}
	rungs := 1
	if base.Form < pricing.SetPrice && g.one(3, "rungs") {
		rungs = 2
		n.Replacing = same && !base.Elsewhere || n.Stacks || g.num(0, 2, "replacing") > 0
	}
	if n.Replacing && g.one(4, "upper end") {
		base.Goal.Most = base.Goal.Threshold + g.num(0, 3, "most")
	}
	for i := range rungs {
		u := base
		u.Key.Rung = i
		u.Goal.Threshold += int64(i) * g.num(1, 3, "more")
		if i > 0 {
			u.Goal.Most = 0
		}
		g.reward(&u)
		g.p.Units = append(g.p.Units, u)
	}
}

// on is a scope without the added unit and lines without units.
func (g *gen) on(scope pricing.Scope) pricing.Scope {
	out := append(pricing.Scope{}, scope...)
	for i, l := range g.p.Lines {
		out[i] = out[i] && l.Quantity > 0 && !g.one(10, "never discounted")
	}
	return out
}

func (g *gen) reward(u *pricing.Unit) {
	switch u.Form {
	case pricing.PercentOff:
		u.Percent = g.rate(100_000, 150_000, 250_000, 333_300, 500_000)
		if u.PerLine = g.one(4, "per line"); !u.PerLine && g.one(4, "ends") {
			u.Ending = money.Ending{Every: 10, At: g.num(0, 9, "ending")}
		}
	case pricing.AmountOff:
		u.Amount = g.num(1, 15, "off")
	case pricing.FixedPrice:
		u.Amount = g.num(0, 30, "price")
	case pricing.SetPrice:
		u.Size, u.Amount = g.num(2, 3, "size"), g.num(5, 80, "price")
	case pricing.NForM:
		u.Size = g.num(2, 3, "n")
		u.Pays = g.num(1, u.Size-1, "m")
	case pricing.Every:
		u.Size, u.Gets, u.Percent, u.Dearest = g.num(1, 2, "bought"), g.num(1, 2, "gets"), g.rate(500_000, 1_000_000), g.one(3, "dearest")
		if g.one(4, "ends") {
			u.Ending = money.Ending{Every: 10, At: g.num(0, 9, "ending")}
		}
	}
	if u.Form >= pricing.SetPrice {
		u.Pick = 0
	}
}

func (g *gen) order(id string) {
	key, at := g.nudge(id, false)
	o := pricing.Order{Key: key, Nudge: at, Goal: g.goal(120)}
	o.Goal.Basis = pricing.Basis(g.num(0, 1, "basis"))
	o.Lines = append(pricing.Scope{}, o.Goal.Scope...)
	if g.num(0, 2, "amount") == 0 {
		if o.Amount = g.num(1, 20, "off"); g.s.Cheap {
			o.Amount = 1 + o.Amount/5
		}
		if g.one(5, "greedy") && !g.s.Cheap { // it may take most of what the cart holds, or all
			o.Amount = g.num(20, 200, "much off")
		}
	} else {
		o.Percent = g.rate(50_000, 100_000, 125_000, 333_300)
		if g.one(4, "capped") {
			o.Cap = g.num(1, 20, "cap")
		}
	}
	g.p.Orders = append(g.p.Orders, o)
	if g.one(5, "second rung") {
		g.p.Nudges[at].Replacing = g.one(2, "replacing")
		o.Key.Rung = 1
		o.Goal.Threshold += g.num(1, 30, "more")
		g.p.Orders = append(g.p.Orders, o)
	}
}

func (g *gen) ship(id string) {
	key, at := g.nudge(id, false)
	s := pricing.Shipping{Key: key, Nudge: at, Goal: g.goal(120)}
	s.Goal.Basis = pricing.Basis(g.num(0, 2, "basis"))
	for range g.p.Methods {
		s.By = append(s.By, pricing.ShippingReward{Form: pricing.ShippingForm(g.num(0, 3, "form")), Amount: g.num(1, 15, "off")})
	}
	g.p.Ships = append(g.p.Ships, s)
	if g.one(5, "second rung") {
		g.p.Nudges[at].Replacing = g.one(2, "replacing")
		s.Key.Rung = 1
		s.Goal.Threshold += g.num(1, 30, "more")
		g.p.Ships = append(g.p.Ships, s)
	}
}

func (g *gen) gift(id string) {
	key, at := g.nudge(id, false)
	gift := pricing.Gift{Key: key, Nudge: at, Goal: g.goal(120), Worth: g.num(1, 20, "worth")}
	gift.Goal.Basis = pricing.Basis(g.num(0, 2, "basis"))
	g.p.Gifts = append(g.p.Gifts, gift)
}

func (g *gen) fees(m int) catalog.Method {
	method := catalog.Method{ID: fmt.Sprint(m), ByWeight: g.one(4, "by weight")}
	from := int64(0)
	for range int(g.num(1, 3, "bands")) {
		fee := g.num(0, 25, "fee")
		if g.one(5, "no fee") {
			fee = 0
		}
		method.Bands = append(method.Bands, catalog.Band{From: from, Fee: fee})
		from += g.num(1, 100, "band")
	}
	return method
}
