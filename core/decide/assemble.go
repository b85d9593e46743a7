package decide

import (
	"slices"

	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/pricing"
	"agonal.dev/agonal/core/snapshot"
)

// build builds the pricing problem of the cart as it is, or with one added unit as
// line 0, before the cart's lines; with one, quiet nudges take part too. It tells for
// each nudge that takes part where its rungs stand in it, and with an added unit its
// scopes, in which that is not counted yet.
func (w *work) build(extra int, in *room) (p *pricing.Problem, places [][]taker, scopes [][]pricing.Scope) {
	set := &w.s.Shop.Settings
	p = &pricing.Problem{Mode: w.s.Mode(), TaxShown: w.region.TaxShown, ShippingTax: w.region.ShippingTax, MostOff: set.MostOff[w.region.ID].Minor, Added: extra > 0, Effort: w.effort}
	if set.Margin != nil {
		p.Floor = *set.Margin
	}
	in.lines = toPricing(in.lines, w.lines, extra)
	p.Lines = in.lines
	if p.Added {
		p.Lines[0] = pricing.Line{Tax: w.region.Rate(""), Product: -1, Variant: -1}
	}
	for i := range w.lines {
		if !w.lines[i].giftCard {
			p.Grams += w.lines[i].grams * w.lines[i].Quantity
		}
	}
	a := assembler{w: w, p: p, extra: extra, lines: extra + len(w.lines), from: 0, to: len(w.methods)}
	if w.chosen >= 0 {
		a.from, a.to = w.chosen, w.chosen+1
	}
	p.Methods = w.fees[a.from:a.to]
	var all snapshot.Blueprint
	n, rungs := 0, 0
	for i := range w.taking {
		if t := &w.taking[i]; a.takes(t) {
			b := &t.n.Blueprints[w.at]
			n, rungs = n+1, rungs+len(b.Rungs)
			all.Refs, all.Units, all.Orders, all.Ships, all.Gifts = all.Refs+b.Refs, all.Units+b.Units, all.Orders+b.Orders, all.Ships+b.Ships, all.Gifts+b.Gifts
			a.weighs = a.weighs || b.Nudge.Group != "" || b.Nudge.Refuses&pricing.GiftClass != 0
		}
	}
	p.Nudges = slices.Grow(in.nudges[:0], n)
	p.Units, p.Orders = slices.Grow(in.units[:0], all.Units), slices.Grow(in.orders[:0], all.Orders)
	p.Ships, p.Gifts = slices.Grow(in.ships[:0], all.Ships), slices.Grow(in.gifts[:0], all.Gifts)
	in.takers, in.refs = slices.Grow(in.takers[:0], rungs), slices.Grow(in.refs[:0], all.Refs)[:all.Refs]
	a.takers, a.refs, a.in, a.room = in.takers, in.refs, in, in.scopes
	in.places = emptied(in.places, len(w.taking))
	places = in.places
	if p.Added {
		scopes = make([][]pricing.Scope, len(w.taking))
	}
	for i := range w.taking {
		t := &w.taking[i]
		if !a.takes(t) {
			continue
		}
		places[i] = a.put(t) // never nil
		if p.Added {
			scopes[i] = a.scopes
		}
	}
	in.nudges, in.units, in.orders, in.ships, in.gifts = p.Nudges, p.Units, p.Orders, p.Ships, p.Gifts
	return p, places, scopes
}

// assembler puts the rungs of nudges into a problem.
type assembler struct {
	w        *work
	p        *pricing.Problem
	extra    int  // added units before the cart's lines
	lines    int  // with them
	weighs   bool // whether the worth of gifts may decide
	from, to int  // the methods there are to choose from
	takers   []taker
	refs     []pricing.Ref
	in       *room
	room     []bool // of it, for scopes
	// Of the nudge at hand:
	t       *taking
	nudge   int // place among the problem's nudges
	counted pricing.Scope
	scopes  []pricing.Scope // counted, and what order rewards take from
}

// takes tells whether a nudge takes part: quiet ones only where a unit is added.
func (a *assembler) takes(t *taking) bool { return t.reason == "" && (!t.quiet || a.p.Added) }

// scope makes a scope in which nothing is counted yet.
func (a *assembler) scope() pricing.Scope {
	if len(a.room) < a.lines {
		a.in.scopes = make([]bool, a.lines*max(4, 2*len(a.w.taking), 2*len(a.in.scopes)/a.lines))
		a.room = a.in.scopes
	}
	out := a.room[:a.lines:a.lines]
	a.room = a.room[a.lines:]
	clear(out)
	return out
}

// put puts the rungs of a nudge into the problem.
func (a *assembler) put(t *taking) []taker {
	a.t, a.nudge, a.counted = t, len(a.p.Nudges), t.counts
	if a.extra > 0 {
		a.counted = a.scope()
		copy(a.counted[a.extra:], t.counts)
		a.scopes = append(make([]pricing.Scope, 0, 2), a.counted)
	}
	b := &t.n.Blueprints[a.w.at]
	a.p.Nudges = append(a.p.Nudges, b.Nudge)
	if b.Nudge.HasBudget {
		a.p.Nudges[a.nudge].Budget -= a.w.req.Usage[t.n.ID].Spent
	}
	from := len(a.takers)
	for i := range b.Rungs {
		r := &b.Rungs[i]
		refs := a.refs[:r.Refs:r.Refs]
		a.refs = a.refs[r.Refs:]
		key := pricing.Key{Priority: t.n.Priority, Nudge: t.n.ID, Rung: r.Rung}
		if t.n.Definition.Built() {
			a.takers = append(a.takers, taker{r.Rung, r, a.builds(r, key)})
			continue
		}
		goal := r.Goal
		goal.Scope = a.counted
		for j := range r.Steps {
			st := &r.Steps[j]
			refs[st.Ref] = a.step(st, key, &goal)
		}
		a.takers = append(a.takers, taker{r.Rung, r, refs})
	}
	return a.takers[from:len(a.takers):len(a.takers)]
}

// step puts a reward into the problem.
func (a *assembler) step(st *snapshot.Step, key pricing.Key, goal *pricing.Goal) pricing.Ref {
	p := a.p
	switch {
	case st.Unit != nil:
		p.Units = append(p.Units, *st.Unit)
		u := &p.Units[len(p.Units)-1]
		u.Nudge, u.Goal, u.On = a.nudge, upTo(goal, pricing.Before), a.on(st)
		return pricing.Ref{Class: pricing.UnitClass, Index: len(p.Units) - 1}
	case st.Order != nil:
		p.Orders = append(p.Orders, *st.Order)
		o := &p.Orders[len(p.Orders)-1]
		o.Nudge, o.Goal, o.Lines = a.nudge, upTo(goal, pricing.AfterUnit), a.lowered()
		return pricing.Ref{Class: pricing.OrderClass, Index: len(p.Orders) - 1}
	case st.By != nil:
		p.Ships = append(p.Ships, pricing.Shipping{Key: key, Nudge: a.nudge, Goal: *goal, By: a.by(st.By)})
		return pricing.Ref{Class: pricing.ShippingClass, Index: len(p.Ships) - 1}
	case st.Offer != nil:
		a.accepted(st, goal)
	}
	g := pricing.Gift{Key: key, Nudge: a.nudge, Goal: *goal}
	if a.weighs {
		g.Worth = a.w.worth(st.Reward)
	}
	p.Gifts = append(p.Gifts, g)
	return pricing.Ref{Class: pricing.GiftClass, Index: len(p.Gifts) - 1}
}

// upTo is a rung's goal as a reward may look at it: at a basis no later than one.
func upTo(goal *pricing.Goal, last pricing.Basis) pricing.Goal {
	g := *goal
	g.Basis = min(g.Basis, last)
	return g
}

// on marks the lines a unit reward may touch: goods in its filter that may be
// discounted. Lines bought by a plan are touched only where the filter names it.
func (a *assembler) on(st *snapshot.Step) pricing.Scope {
	if st.Filter == nil && a.extra == 0 && a.w.usual {
		return a.counted
	}
	out := a.scope()
	for j := range a.w.lines {
		l := &a.w.lines[j]
		if !a.w.touches(l, st.Plans) {
			continue
		}
		if out[a.extra+j] = a.t.counts[j]; st.Filter != nil {
			out[a.extra+j] = st.Filter.Matches(a.w.goods(l))
		}
	}
	return out
}

// touches tells whether unit rewards for lines of some plans may touch a line at all.
func (w *work) touches(l *line, plans []string) bool {
	return !l.neverOff && !l.isAdded() && (l.Plan == "" || slices.Contains(plans, l.Plan))
}

// lowered marks the lines an order reward takes from: counted ones that may be
// discounted.
func (a *assembler) lowered() pricing.Scope {
	if a.w.usual {
		return a.counted
	}
	out := a.scope()
	copy(out, a.counted)
	for j := range a.w.lines {
		out[a.extra+j] = out[a.extra+j] && !a.w.lines[j].neverOff
	}
	a.scopes = append(a.scopes, out)
	return out
}

// by is what a shipping rung does to each method there is to choose from.
func (a *assembler) by(all []pricing.ShippingReward) []pricing.ShippingReward {
	if len(a.w.methods) == len(all) {
		return all[a.from:a.to]
	}
	out := make([]pricing.ShippingReward, 0, a.to-a.from)
	for _, m := range a.w.methods[a.from:a.to] {
		for i := range all {
			if m == &a.w.region.Methods[i] {
				out = append(out, all[i])
			}
		}
	}
	return out
}

// accepted puts the price of what was accepted of a gift or an offer into the
// problem.
func (a *assembler) accepted(st *snapshot.Step, goal *pricing.Goal) {
	kind := FromOffer
	if st.Reward.Kind.Class() == nudge.GiftClass {
		kind = FromGift
	}
	var on pricing.Scope
	for j := range a.w.lines {
		l := &a.w.lines[j]
		if l.by(kind, a.t.n.ID) && a.w.isOf(a.t, st.Reward, l) && !l.neverOff {
			if on == nil {
				on = a.scope()
			}
			on[a.extra+j] = true
		}
	}
	if on == nil {
		return
	}
	u := *st.Offer
	u.Nudge, u.Goal, u.On = a.nudge, *goal, on
	if goal.Basis == pricing.Before && !a.right(&u) {
		return
	}
	a.p.Units = append(a.p.Units, u)
}

// right gives the price of what was accepted the goal of its right: that looks at the
// other lines before nudges, whatever takes their units. Where it holds, the goal is to
// have what was accepted; where only an added unit may make it hold, so much of that. It is
// false where nothing does.
func (a *assembler) right(u *pricing.Unit) bool {
	g := u.Goal
	amounts := make([]money.Minor, len(a.p.Lines))
	for i := range a.p.Lines {
		amounts[i] = a.p.Lines[i].Amount
	}
	cart := a.scope()
	copy(cart[a.extra:], g.Scope[a.extra:])
	g.Scope = cart
	have, any := a.p.MeasureOf(&g, amounts)
	switch {
	case g.Meets(have, any):
		u.Goal, u.Elsewhere = pricing.Goal{Measure: pricing.Units, Scope: u.On}, false
		return true
	case a.extra == 0 || g.Measure != pricing.Value || g.Most > 0 && have > g.Most:
		return false
	}
	added := a.scope()
	a.scopes = append(a.scopes, added)
	u.Goal.Scope, u.Goal.Threshold = added, max(0, g.Threshold-have)
	if g.Most > 0 {
		u.Goal.Most = g.Most - have
	}
	return true
}
