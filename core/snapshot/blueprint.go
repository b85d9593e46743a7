package snapshot

import (
	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/pricing"
)

// Blueprint is a nudge as a region has it: what its rungs are in a pricing problem,
// but for the lines they are about.
type Blueprint struct {
	Nudge pricing.Nudge // without what is left of its budget
	Rungs []RungPlan    // those that have what they need in the region
	// How much of everything there is.
	Refs, Units, Orders, Ships, Gifts int
}

// RungPlan is a rung: its goal, and what its rewards are in a problem.
type RungPlan struct {
	Rung    int
	Goal    pricing.Goal
	Measure nudge.Measure // that the goal is told in
	Repeats bool          // the reward is given for every set
	Rights  bool          // a gift or an offer is among the rewards
	Refs    int
	Steps   []Step
	Says    []string // what it gives, in each of the region's languages
}

// Step puts one reward into a problem.
type Step struct {
	Ref    int // its place among the references of its rung
	Reward *nudge.Reward
	Class  nudge.Class
	Filter *catalog.Filter // of a unit reward on other goods than the counted ones
	Plans  []string        // the purchase plans that a unit reward may touch
	Unit   *pricing.Unit   // one of these
	Order  *pricing.Order
	By     []pricing.ShippingReward // per method of the region
	Offer  *pricing.Unit            // of a gift or offer at a price: the price of what was accepted of it
}

// blueprints are a nudge in each region.
func blueprints(l *Live, shop *Shop) []Blueprint {
	out := make([]Blueprint, len(shop.Regions))
	for i := range shop.Regions {
		out[i] = blueprintOf(l, shop, &shop.Regions[i])
	}
	return out
}

func blueprintOf(l *Live, shop *Shop, region *catalog.Region) Blueprint {
	d := &l.Definition
	b := Blueprint{Nudge: pricing.Nudge{Replacing: d.Ladder.Replacing, Stacks: d.Beside.Stacks, Group: d.Beside.Group, MostUnits: d.Limits.Units}}
	for _, c := range d.Beside.Refuses {
		b.Nudge.Refuses |= classBit(nudge.ClassOf(c))
	}
	if d.Limits.Margin != nil {
		b.Nudge.Floor = *d.Limits.Margin
	}
	if a, ok := d.Limits.Budget[region.ID]; ok {
		b.Nudge.HasBudget, b.Nudge.Budget = true, a.Minor
	}
	for i := range d.Ladder.Rungs {
		r := &d.Ladder.Rungs[i]
		threshold, own, ok := thresholdOf(&d.Ladder, r, region)
		if !ok || !priced(r, region) {
			continue
		}
		p := planner{region: region, settings: &shop.Settings, own: &d.Ladder.Scope, key: pricing.Key{Priority: l.Priority, Nudge: l.ID, Rung: i}}
		plan := p.plan(i, r)
		plan.Goal = goalOf(&d.Ladder, r, region, threshold, own)
		if plan.Measure = d.Ladder.Counts(); plan.Goal.Measure == pricing.Units {
			plan.Measure = nudge.Units // a set has a goal of pieces, whatever the ladder counts
		}
		plan.Repeats = nudge.Repeats(r.Rewards[0].Kind)
		for _, locale := range region.Languages {
			plan.Says = append(plan.Says, nudge.RewardsText(r.Rewards, Voice(shop, region, tongueOf(locale))))
		}
		b.Rungs = append(b.Rungs, plan)
		b.Refs += plan.Refs
		for j := range plan.Steps {
			switch st := &plan.Steps[j]; {
			case st.Unit != nil:
				b.Units++
			case st.Order != nil:
				b.Orders++
			case st.By != nil:
				b.Ships++
			default:
				b.Gifts++
			}
		}
	}
	return b
}

// priced tells whether a rung's rewards have the amounts they need in a region's
// currency.
func priced(r *nudge.Rung, region *catalog.Region) bool {
	for i := range r.Rewards {
		if k := r.Rewards[i].Kind; k == nudge.UnitAmount || k == nudge.UnitPrice || k == nudge.SetPrice || k == nudge.BuiltPrice || k == nudge.OrderAmount {
			if a, ok := r.Rewards[i].Amounts[region.ID]; !ok || a.Currency != region.Currency {
				return false
			}
		}
	}
	return true
}

// thresholdOf returns a rung's threshold in a region, and whether it is the one that
// a set has of itself; false where there is none.
func thresholdOf(l *nudge.Ladder, r *nudge.Rung, region *catalog.Region) (threshold int64, own, ok bool) {
	switch {
	case l.Counts() != nudge.Value && r.Count > 0:
		return r.Count, false, true
	case l.Counts() != nudge.Value, len(r.Thresholds) == 0 && nudge.Repeats(r.Rewards[0].Kind):
		return r.Rewards[0].Size, true, true
	}
	a, ok := r.Thresholds[region.ID]
	return a.Minor, false, ok && a.Currency == region.Currency
}

func goalOf(l *nudge.Ladder, r *nudge.Rung, region *catalog.Region, threshold int64, own bool) pricing.Goal {
	g := pricing.Goal{WithoutTax: l.WithoutTax, Threshold: threshold, Most: r.UpperCount, Measure: measures[l.Counts()]}
	switch l.BasisOf(r) {
	case nudge.AfterUnit:
		g.Basis = pricing.AfterUnit
	case nudge.AfterOrder:
		g.Basis = pricing.AfterOrder
	}
	if l.Counts() == nudge.Value {
		g.Most = r.Upper[region.ID].Minor
		if own {
			g.Measure = pricing.Units
		}
	}
	return g
}

var measures = map[nudge.Measure]pricing.Measure{
	nudge.Value: pricing.Value, nudge.Units: pricing.Units, nudge.SameProduct: pricing.SameProduct,
	nudge.SameVariant: pricing.SameVariant, nudge.Distinct: pricing.Distinct, nudge.Weight: pricing.Weight,
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

// planner lays out the rewards of one rung.
type planner struct {
	region   *catalog.Region
	settings *Settings
	own      *catalog.Filter // what the nudge counts
	key      pricing.Key
}

// plan lays out a rung: its money in one place, each gift and offer in its own. The
// references to its money come first, the last one first.
func (p *planner) plan(i int, r *nudge.Rung) RungPlan {
	var money, rights []Step
	var shipping []*nudge.Reward
	for j := range r.Rewards {
		w := &r.Rewards[j]
		switch w.Kind.Class() {
		case nudge.UnitClass:
			if w.Shipments == nudge.LaterShipments {
				rights = append(rights, Step{Reward: w})
				continue
			}
			money = append(money, p.unit(w))
		case nudge.OrderClass:
			o := &pricing.Order{Key: p.key, Amount: w.Amounts[p.region.ID].Minor, Cap: w.Cap[p.region.ID].Minor}
			if w.Percent != nil {
				o.Percent = *w.Percent
			}
			money = append(money, Step{Reward: w, Order: o})
		case nudge.ShippingClass:
			shipping = append(shipping, w)
		default:
			rights = append(rights, p.right(w))
		}
	}
	if len(shipping) > 0 {
		money = append(money, Step{Reward: shipping[0], By: p.shipping(shipping)})
	}
	out := RungPlan{Rung: i, Refs: len(money) + len(rights)}
	for k := range money {
		money[k].Ref = len(money) - 1 - k
	}
	for k := range rights {
		rights[k].Ref = len(money) + k
	}
	out.Steps = append(money, rights...)
	for k := range out.Steps {
		out.Steps[k].Class = out.Steps[k].Reward.Kind.Class()
		out.Rights = out.Rights || out.Steps[k].Class >= nudge.GiftClass
	}
	return out
}

var unitForms = map[nudge.Kind]pricing.UnitForm{
	nudge.UnitPercent: pricing.PercentOff, nudge.UnitAmount: pricing.AmountOff, nudge.UnitPrice: pricing.FixedPrice,
	nudge.SetPrice: pricing.SetPrice, nudge.BuiltPrice: pricing.SetPrice, nudge.NForM: pricing.NForM, nudge.Every: pricing.Every,
}

func (p *planner) unit(r *nudge.Reward) Step {
	u := &pricing.Unit{
		Key: p.key, Form: unitForms[r.Kind], Size: r.Size, Pays: r.PayFor, Gets: r.Get,
		Pick: max(r.Cheapest, r.Dearest), Dearest: r.Dearest > 0 || r.DearestFirst,
		PerLine: p.settings.Rounding == PerLine, Elsewhere: r.On != nil,
		Amount: r.Amounts[p.region.ID].Minor,
	}
	if r.Percent != nil {
		u.Percent = *r.Percent
	}
	if e, ok := r.Endings[p.region.ID]; ok {
		u.Ending, u.PerLine = money.EndingOf(e), false
	}
	st := Step{Reward: r, Unit: u, Filter: r.On, Plans: p.own.Include.Plans}
	if r.On != nil {
		st.Plans = r.On.Include.Plans
	}
	return st
}

// right lays out a gift or an offer: the right itself, and the price of exactly
// those units that were accepted of it.
func (p *planner) right(r *nudge.Reward) Step {
	st := Step{Reward: r}
	if r.Percent != nil || len(r.Amounts) > 0 {
		st.Offer = &pricing.Unit{Key: p.key, Elsewhere: true, Form: pricing.FixedPrice, Amount: r.Amounts[p.region.ID].Minor}
		if r.Percent != nil {
			st.Offer.Form, st.Offer.Percent = pricing.PercentOff, *r.Percent
		}
	}
	return st
}

// shipping is what the shipping rewards of a rung do to each method of the region.
func (p *planner) shipping(rewards []*nudge.Reward) []pricing.ShippingReward {
	by := make([]pricing.ShippingReward, len(p.region.Methods))
	for i := range p.region.Methods {
		for _, r := range rewards {
			if !r.Names(p.region.Methods[i].ID) || by[i].Form != pricing.NoShippingReward {
				continue
			}
			switch r.Kind {
			case nudge.FreeShipping:
				by[i] = pricing.ShippingReward{Form: pricing.Free}
			case nudge.ShippingOff:
				by[i] = pricing.ShippingReward{Form: pricing.Off, Amount: r.Amounts[p.region.ID].Minor}
			case nudge.ShippingFlat:
				if a, ok := r.Amounts[p.region.ID]; ok {
					by[i] = pricing.ShippingReward{Form: pricing.Flat, Amount: a.Minor}
				}
			}
		}
	}
	return by
}
