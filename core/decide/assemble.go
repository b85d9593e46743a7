package decide

import (
	"slices"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/pricing"
)

// assemble builds the pricing problem of the cart as it is, and tells for each
// nudge that takes part where its rungs stand in it.
func (w *work) assemble() (*pricing.Problem, [][]taker) {
	p, places, _ := w.build(0)
	return p, places
}

// build builds a problem with so many added units, none or one as line 0, before
// the cart's lines; with one, quiet nudges take part too. It tells for each nudge
// where its rungs stand, and its scopes, in which no added unit is counted yet.
func (w *work) build(extra int) (p *pricing.Problem, places [][]taker, scopes [][]pricing.Scope) {
	set := &w.s.shop.Settings
	p = &pricing.Problem{Mode: w.s.mode(), TaxShown: w.region.TaxShown, ShippingTax: w.region.ShippingTax, MostOff: set.MostOff[w.region.ID].Minor, Added: extra > 0}
	if set.Margin != nil {
		p.Floor = *set.Margin
	}
	p.Lines = toPricing(w.lines, extra)
	if p.Added {
		p.Lines[0] = pricing.Line{Tax: w.region.Rate(""), Product: -1, Variant: -1}
	}
	for i := range w.lines {
		if !w.lines[i].giftCard {
			p.Grams += w.lines[i].grams * w.lines[i].Quantity
		}
	}
	methods := w.methods
	p.Methods = w.fees
	if w.chosen >= 0 {
		methods, p.Methods = methods[w.chosen:w.chosen+1], w.fees[w.chosen:w.chosen+1]
	}
	rungs := 0
	for i := range w.taking {
		rungs += len(w.taking[i].n.Definition.Ladder.Rungs)
	}
	p.Nudges = make([]pricing.Nudge, 0, len(w.taking))
	p.Ships, p.Units, p.Gifts = make([]pricing.Shipping, 0, rungs), make([]pricing.Unit, 0, rungs), make([]pricing.Gift, 0, rungs)
	places, scopes = make([][]taker, len(w.taking)), make([][]pricing.Scope, len(w.taking))
	for i := range w.taking {
		t := &w.taking[i]
		if t.reason != "" || t.quiet && !p.Added {
			continue
		}
		counted := make(pricing.Scope, extra+len(w.lines))
		copy(counted[extra:], t.counts)
		a := assembler{w: w, p: p, t: t, extra: extra, counted: counted, scopes: []pricing.Scope{counted}, methods: methods}
		places[i] = a.put()
		scopes[i] = a.scopes
	}
	return p, places, scopes
}

// assembler puts the rungs of one nudge into a problem.
type assembler struct {
	w       *work
	p       *pricing.Problem
	t       *taking
	nudge   int // place among the problem's nudges
	extra   int // added units before the cart's lines
	counted pricing.Scope
	scopes  []pricing.Scope // counted, and what order rewards take from
	methods []catalog.Method
}

func (a *assembler) put() []taker {
	d := &a.t.n.Definition
	a.nudge = len(a.p.Nudges)
	n := pricing.Nudge{
		Replacing: d.Ladder.Replacing, Stacks: d.Beside.Stacks, Group: d.Beside.Group, MostUnits: d.Limits.Units,
	}
	for _, c := range d.Beside.Refuses {
		n.Refuses |= classBit(nudge.ClassOf(c))
	}
	if d.Limits.Margin != nil {
		n.Floor = *d.Limits.Margin
	}
	if b, ok := d.Limits.Budget[a.w.region.ID]; ok {
		n.HasBudget, n.Budget = true, b.Minor-a.w.req.Usage[a.t.n.ID].Spent
	}
	a.p.Nudges = append(a.p.Nudges, n)
	out := make([]taker, 0, len(d.Ladder.Rungs))
	for i := range d.Ladder.Rungs {
		if a.t.n.offers[a.w.at][i].ok {
			out = append(out, a.rung(i, &d.Ladder.Rungs[i]))
		}
	}
	return out
}

func classBit(c nudge.Class) pricing.Class {
	switch c {
	case nudge.UnitClass:
		return pricing.UnitClass
	case nudge.OrderClass:
		return pricing.OrderClass
	case nudge.ShippingClass:
		return pricing.ShippingClass
	}
	return pricing.GiftClass
}

func (a *assembler) goal(i int, r *nudge.Rung) pricing.Goal {
	l := &a.t.n.Definition.Ladder
	offer := &a.t.n.offers[a.w.at][i]
	g := pricing.Goal{Scope: a.counted, WithoutTax: l.WithoutTax, Threshold: offer.threshold, Most: r.UpperCount}
	switch l.BasisOf(r) {
	case nudge.AfterUnit:
		g.Basis = pricing.AfterUnit
	case nudge.AfterOrder:
		g.Basis = pricing.AfterOrder
	}
	g.Measure = measures[l.Counts()]
	if l.Counts() == nudge.Value {
		g.Most = r.Upper[a.w.region.ID].Minor
		if offer.own {
			g.Measure = pricing.Units
		}
	}
	return g
}

var measures = map[nudge.Measure]pricing.Measure{
	nudge.Value: pricing.Value, nudge.Units: pricing.Units, nudge.SameProduct: pricing.SameProduct,
	nudge.SameVariant: pricing.SameVariant, nudge.Distinct: pricing.Distinct, nudge.Weight: pricing.Weight,
}

// rung puts one rung into the problem: its money in one place, each gift and offer
// in its own.
func (a *assembler) rung(i int, r *nudge.Rung) taker {
	out := taker{rung: i}
	key := pricing.Key{Priority: a.t.n.Priority, Nudge: a.t.n.ID, Rung: i}
	goal := a.goal(i, r)
	var shipping []nudge.Reward
	for j := range r.Rewards {
		w := &r.Rewards[j]
		switch w.Kind.Class() {
		case nudge.UnitClass:
			if w.Shipments == nudge.LaterShipments {
				out.refs = append(out.refs, a.gift(key, goal, 0))
				continue
			}
			out.refs = append([]pricing.Ref{a.unit(key, goal, w)}, out.refs...)
		case nudge.OrderClass:
			out.refs = append([]pricing.Ref{a.order(key, goal, w)}, out.refs...)
		case nudge.ShippingClass:
			shipping = append(shipping, *w)
		default:
			out.refs = append(out.refs, a.unlocked(key, goal, w))
		}
	}
	if len(shipping) > 0 {
		out.refs = append([]pricing.Ref{{Class: pricing.ShippingClass, Index: len(a.p.Ships)}}, out.refs...)
		a.p.Ships = append(a.p.Ships, pricing.Shipping{Key: key, Nudge: a.nudge, Goal: goal, By: a.w.shippingRewards(shipping, a.methods)})
	}
	return out
}

// unit puts a unit reward into the problem.
func (a *assembler) unit(key pricing.Key, goal pricing.Goal, r *nudge.Reward) pricing.Ref {
	filter := &a.t.n.scope
	if r.On != nil {
		filter = r.On
	}
	u := pricing.Unit{
		Key: key, Nudge: a.nudge, Goal: goal, On: a.on(filter, r.On != nil),
		Size: r.Size, Pays: r.PayFor, Gets: r.Get, Pick: max(r.Cheapest, r.Dearest), Dearest: r.Dearest > 0 || r.DearestFirst,
		PerLine: a.w.s.shop.Settings.Rounding == PerLine, Elsewhere: r.On != nil || nudge.Repeats(r.Kind),
		Amount: r.Amounts[a.w.region.ID].Minor,
	}
	if r.Percent != nil {
		u.Percent = *r.Percent
	}
	u.Form = unitForms[r.Kind]
	a.p.Units = append(a.p.Units, u)
	return pricing.Ref{Class: pricing.UnitClass, Index: len(a.p.Units) - 1}
}

var unitForms = map[nudge.Kind]pricing.UnitForm{
	nudge.UnitPercent: pricing.PercentOff, nudge.UnitAmount: pricing.AmountOff, nudge.UnitPrice: pricing.FixedPrice,
	nudge.SetPrice: pricing.SetPrice, nudge.NForM: pricing.NForM, nudge.Every: pricing.Every,
}

// on marks the lines a unit reward may touch: goods in its filter that may be
// discounted. Lines bought by a plan are touched only where the filter names it.
func (a *assembler) on(f *catalog.Filter, own bool) pricing.Scope {
	out := make(pricing.Scope, len(a.counted))
	for j := range a.w.lines {
		l := &a.w.lines[j]
		in := a.t.counts[j]
		if own {
			in = !l.isAdded() && f.Matches(&l.facts)
		}
		out[a.extra+j] = in && !l.neverOff && !l.isAdded() && (l.Plan == "" || slices.Contains(f.Include.Plans, l.Plan))
	}
	return out
}

func (a *assembler) order(key pricing.Key, goal pricing.Goal, r *nudge.Reward) pricing.Ref {
	o := pricing.Order{Key: key, Nudge: a.nudge, Goal: goal, Amount: r.Amounts[a.w.region.ID].Minor, Cap: r.Cap[a.w.region.ID].Minor}
	if r.Percent != nil {
		o.Percent = *r.Percent
	}
	o.Lines = slices.Clone(goal.Scope)
	for j := range a.w.lines {
		o.Lines[a.extra+j] = o.Lines[a.extra+j] && !a.w.lines[j].neverOff
	}
	a.scopes = append(a.scopes, o.Lines)
	a.p.Orders = append(a.p.Orders, o)
	return pricing.Ref{Class: pricing.OrderClass, Index: len(a.p.Orders) - 1}
}

// unlocked puts a gift or an offer into the problem: the right itself, and for
// what was accepted of it at a price, the price of exactly those units.
func (a *assembler) unlocked(key pricing.Key, goal pricing.Goal, r *nudge.Reward) pricing.Ref {
	kind := FromOffer
	if r.Kind.Class() == nudge.GiftClass {
		kind = FromGift
	}
	on := make(pricing.Scope, len(a.counted))
	any := false
	for j := range a.w.lines {
		l := &a.w.lines[j]
		on[a.extra+j] = l.by(kind, key.Nudge) && hasItem(r.Items, l.SKU) && !l.neverOff
		any = any || on[a.extra+j]
	}
	if any && (r.Percent != nil || len(r.Amounts) > 0) {
		u := pricing.Unit{Key: key, Nudge: a.nudge, Goal: goal, On: on, Elsewhere: true, Form: pricing.FixedPrice, Amount: r.Amounts[a.w.region.ID].Minor}
		if r.Percent != nil {
			u.Form, u.Percent = pricing.PercentOff, *r.Percent
		}
		a.p.Units = append(a.p.Units, u)
	}
	return a.gift(key, goal, a.w.worth(r))
}

func (a *assembler) gift(key pricing.Key, goal pricing.Goal, worth money.Minor) pricing.Ref {
	a.p.Gifts = append(a.p.Gifts, pricing.Gift{Key: key, Nudge: a.nudge, Goal: goal, Worth: worth})
	return pricing.Ref{Class: pricing.GiftClass, Index: len(a.p.Gifts) - 1}
}

func (w *work) shippingRewards(rewards []nudge.Reward, methods []catalog.Method) []pricing.ShippingReward {
	by := make([]pricing.ShippingReward, len(methods))
	for i, m := range methods {
		for _, r := range rewards {
			if !r.Names(m.ID) || by[i].Form != pricing.NoShippingReward {
				continue
			}
			switch r.Kind {
			case nudge.FreeShipping:
				by[i] = pricing.ShippingReward{Form: pricing.Free}
			case nudge.ShippingOff:
				by[i] = pricing.ShippingReward{Form: pricing.Off, Amount: r.Amounts[w.region.ID].Minor}
			case nudge.ShippingFlat:
				if a, ok := r.Amounts[w.region.ID]; ok {
					by[i] = pricing.ShippingReward{Form: pricing.Flat, Amount: a.Minor}
				}
			}
		}
	}
	return by
}
