package decide

import (
	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/pricing"
)

// blueprint is a nudge as a region has it: what its rungs are in a pricing problem,
// but for the lines they are about.
type blueprint struct {
	nudge pricing.Nudge // without what is left of its budget
	rungs []rungPlan    // those that have what they need in the region
	// How much of everything there is.
	refs, units, orders, ships, gifts int
}

// rungPlan is a rung: its goal, and what its rewards are in a problem.
type rungPlan struct {
	rung    int
	goal    pricing.Goal
	measure nudge.Measure // that the goal is told in
	repeats bool          // the reward is given for every set
	rights  bool          // a gift or an offer is among the rewards
	refs    int
	steps   []step
	says    []string // what it gives, in each of the region's languages
}

// step puts one reward into a problem.
type step struct {
	ref    int // its place among the references of its rung
	reward *nudge.Reward
	class  nudge.Class
	filter *catalog.Filter // of a unit reward on other goods than the counted ones
	plans  []string        // the purchase plans that a unit reward may touch
	unit   *pricing.Unit   // one of these
	order  *pricing.Order
	by     []pricing.ShippingReward // per method of the region
	offer  *pricing.Unit            // of a gift or offer at a price: the price of what was accepted of it
}

// blueprints are a nudge in each region.
func blueprints(l *Live, shop *Shop) []blueprint {
	out := make([]blueprint, len(shop.Regions))
	for i := range shop.Regions {
		out[i] = blueprintOf(l, shop, &shop.Regions[i])
	}
	return out
}

func blueprintOf(l *Live, shop *Shop, region *catalog.Region) blueprint {
	d := &l.Definition
	b := blueprint{nudge: pricing.Nudge{Replacing: d.Ladder.Replacing, Stacks: d.Beside.Stacks, Group: d.Beside.Group, MostUnits: d.Limits.Units}}
	for _, c := range d.Beside.Refuses {
		b.nudge.Refuses |= classBit(nudge.ClassOf(c))
	}
	if d.Limits.Margin != nil {
		b.nudge.Floor = *d.Limits.Margin
	}
	if a, ok := d.Limits.Budget[region.ID]; ok {
		b.nudge.HasBudget, b.nudge.Budget = true, a.Minor
	}
	for i := range d.Ladder.Rungs {
		r := &d.Ladder.Rungs[i]
		threshold, own, ok := thresholdOf(&d.Ladder, r, region)
		if !ok || !priced(r, region) {
			continue
		}
		p := planner{region: region, settings: &shop.Settings, own: &d.Ladder.Scope, key: pricing.Key{Priority: l.Priority, Nudge: l.ID, Rung: i}}
		plan := p.plan(i, r)
		plan.goal = goalOf(&d.Ladder, r, region, threshold, own)
		if plan.measure = d.Ladder.Counts(); plan.goal.Measure == pricing.Units {
			plan.measure = nudge.Units // a set has a goal of pieces, whatever the ladder counts
		}
		plan.repeats = nudge.Repeats(r.Rewards[0].Kind)
		for _, locale := range region.Languages {
			plan.says = append(plan.says, nudge.RewardsText(r.Rewards, voice(shop, region, tongueOf(locale))))
		}
		b.rungs = append(b.rungs, plan)
		b.refs += plan.refs
		for j := range plan.steps {
			switch st := &plan.steps[j]; {
			case st.unit != nil:
				b.units++
			case st.order != nil:
				b.orders++
			case st.by != nil:
				b.ships++
			default:
				b.gifts++
			}
		}
	}
	return b
}

// priced tells whether a rung's rewards have the amounts they need in a region's
// currency.
func priced(r *nudge.Rung, region *catalog.Region) bool {
	for i := range r.Rewards {
		if k := r.Rewards[i].Kind; k == nudge.UnitAmount || k == nudge.UnitPrice || k == nudge.SetPrice || k == nudge.OrderAmount {
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
func (p *planner) plan(i int, r *nudge.Rung) rungPlan {
	var money, rights []step
	var shipping []*nudge.Reward
	for j := range r.Rewards {
		w := &r.Rewards[j]
		switch w.Kind.Class() {
		case nudge.UnitClass:
			if w.Shipments == nudge.LaterShipments {
				rights = append(rights, step{reward: w})
				continue
			}
			money = append(money, p.unit(w))
		case nudge.OrderClass:
			o := &pricing.Order{Key: p.key, Amount: w.Amounts[p.region.ID].Minor, Cap: w.Cap[p.region.ID].Minor}
			if w.Percent != nil {
				o.Percent = *w.Percent
			}
			money = append(money, step{reward: w, order: o})
		case nudge.ShippingClass:
			shipping = append(shipping, w)
		default:
			rights = append(rights, p.right(w))
		}
	}
	if len(shipping) > 0 {
		money = append(money, step{reward: shipping[0], by: p.shipping(shipping)})
	}
	out := rungPlan{rung: i, refs: len(money) + len(rights)}
	for k := range money {
		money[k].ref = len(money) - 1 - k
	}
	for k := range rights {
		rights[k].ref = len(money) + k
	}
	out.steps = append(money, rights...)
	for k := range out.steps {
		out.steps[k].class = out.steps[k].reward.Kind.Class()
		out.rights = out.rights || out.steps[k].class >= nudge.GiftClass
	}
	return out
}

var unitForms = map[nudge.Kind]pricing.UnitForm{
	nudge.UnitPercent: pricing.PercentOff, nudge.UnitAmount: pricing.AmountOff, nudge.UnitPrice: pricing.FixedPrice,
	nudge.SetPrice: pricing.SetPrice, nudge.NForM: pricing.NForM, nudge.Every: pricing.Every,
}

func (p *planner) unit(r *nudge.Reward) step {
	u := &pricing.Unit{
		Key: p.key, Form: unitForms[r.Kind], Size: r.Size, Pays: r.PayFor, Gets: r.Get,
		Pick: max(r.Cheapest, r.Dearest), Dearest: r.Dearest > 0 || r.DearestFirst,
		PerLine: p.settings.Rounding == PerLine, Elsewhere: r.On != nil,
		Amount: r.Amounts[p.region.ID].Minor,
	}
	if r.Percent != nil {
		u.Percent = *r.Percent
	}
	st := step{reward: r, unit: u, filter: r.On, plans: p.own.Include.Plans}
	if r.On != nil {
		st.plans = r.On.Include.Plans
	}
	return st
}

// right lays out a gift or an offer: the right itself, and the price of exactly
// those units that were accepted of it.
func (p *planner) right(r *nudge.Reward) step {
	st := step{reward: r}
	if r.Percent != nil || len(r.Amounts) > 0 {
		st.offer = &pricing.Unit{Key: p.key, Elsewhere: true, Form: pricing.FixedPrice, Amount: r.Amounts[p.region.ID].Minor}
		if r.Percent != nil {
			st.offer.Form, st.offer.Percent = pricing.PercentOff, *r.Percent
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
