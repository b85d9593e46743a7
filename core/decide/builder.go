package decide

import (
	"slices"
	"time"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/snapshot"
)

// builder adds what a set is put together from where it shows with its goods.
func (w *work) builder(t *taking, d *Decision, said *Said) {
	l := &t.n.Definition.Ladder
	if !t.n.Definition.Built() || !shownIn(d, t.n.ID, nudge.SetBuilder) && !shownIn(d, t.n.ID, nudge.ProductBlock) {
		return
	}
	v := snapshot.Voice(&w.s.Shop, w.region, w.tongue)
	b := &Builder{Words: nudge.BuildWordsIn(said.Language), Slots: make([]BuilderSlot, len(l.Slots))}
	for i := range l.Slots {
		s := &l.Slots[i]
		b.Slots[i] = BuilderSlot{Name: s.Name(v), Bounds: b.Words.Bounds(s.Least, s.Most), Least: s.Least, Most: s.Most, Goods: []BuilderGood{}}
	}
	for _, plan := range l.Scope.Include.Plans {
		b.Plans = append(b.Plans, *w.planChoice(plan, said.Language))
	}
	none := nudge.Fill(l.Slots, nil)
	for k := range t.rungs {
		count := t.rungs[k].plan.Goal.Threshold
		if gap, ok := none.ToGo(l.Slots, count); ok && b.Empty == "" {
			b.Empty = b.Words.ToGo(gap, w.rewardsText(t.n, t.rungs[k].rung, said.Language))
		}
		b.Most = max(b.Most, count)
	}
	for i := range w.s.Shop.Catalog.Products {
		w.offerGoods(l, b, &w.s.Shop.Catalog.Products[i])
	}
	said.Builder = b
}

// offerGoods puts the variants of a product into the slots that they fit.
func (w *work) offerGoods(l *nudge.Ladder, b *Builder, p *catalog.Product) {
	if p.GiftCard || p.NeverOff {
		return
	}
	for j := range p.Variants {
		it := catalog.Item{Product: p, Variant: &p.Variants[j]}
		good := BuilderGood{SKU: it.Variant.SKU, Label: it.Label(), Picture: p.Picture, By: map[string]string{}, Out: it.Variant.Stock != nil && *it.Variant.Stock <= 0}
		var facts catalog.Facts
		for _, plan := range waysOf(l) {
			price, sold := it.Variant.PriceIn(w.region.Currency, plan, w.req.Moment.At)
			facts = catalog.FactsOf(it, price, w.region.ID)
			if facts.Plan = plan; !sold || !l.Scope.Matches(&facts) {
				continue
			}
			if good.By[plan] = w.money(price.Price); good.Price == "" {
				good.Price = good.By[plan]
			}
		}
		for s := range l.Slots {
			if goods := &b.Slots[s].Goods; good.Price != "" && l.Slots[s].Scope.Matches(&facts) && len(*goods) < MostGoods {
				*goods = append(*goods, good)
			}
		}
	}
}

// waysOf lists the plans by which a set can be bought, empty for once.
func waysOf(l *nudge.Ladder) []string {
	if len(l.Scope.Include.Plans) == 0 {
		return []string{""}
	}
	var out []string
	for _, plan := range l.Scope.Include.Plans {
		if plan == catalog.Once {
			plan = ""
		}
		out = append(out, plan)
	}
	return out
}

// laterShown is how many later parcels are told.
const laterShown = 3

// planChoice says how often a plan sends a parcel, and on which days the next ones.
func (w *work) planChoice(plan, language string) *PlanChoice {
	out := &PlanChoice{Plan: plan, Text: nudge.PlanText(plan, language)}
	if plan == catalog.Once {
		out.Plan = ""
	}
	if i, ok := catalog.IntervalOf(plan); ok {
		for n := range laterShown {
			out.Next = append(out.Next, i.After(w.req.Moment.At, n+1).Format(time.DateOnly))
		}
	}
	return out
}

// block adds what belongs to a block of its own: its heading, picture and end.
func (w *work) block(t *taking, d *Decision, said *Said) {
	def := &t.n.Definition
	said.Once, said.Remember = def.Frequency.PerVisit == 1, max(t.n.Caps.PerDay, t.n.Caps.PerShopper, def.DeclinedDays) > 0
	if slices.ContainsFunc(blocks(def), func(p nudge.Placement) bool { return shownIn(d, t.n.ID, p) }) {
		said.Heading = def.Headings[said.Language]
		if p, ok := w.s.Shop.Catalog.Product(def.Look.PictureOf); ok {
			said.Picture = p.Picture
		}
		if def.Look.Picture != "" {
			said.Picture, said.PictureAlt = def.Look.Picture, def.Look.PictureAlt[said.Language]
		}
	}
	until := w.req.OfferedUntil
	if end := def.Schedule.Until; def.Look.Countdown && end != nil && (until == nil || end.Before(*until)) {
		until = end
	}
	if until != nil && until.After(w.req.Moment.At) {
		said.Ends = &Ends{Seconds: int64(until.Sub(w.req.Moment.At).Seconds()), Text: nudge.BuildWordsIn(said.Language).Left("{time}")}
	}
}

// blocks are the places where a nudge has a block of its own; one that only says something
// has it in the cart, too.
func blocks(d *nudge.Definition) []nudge.Placement {
	out := []nudge.Placement{nudge.SetBuilder, nudge.ProductBlock, nudge.Dialog, nudge.AfterBuy}
	if d.Notices() {
		out = append(out, nudge.CartDrawer, nudge.CartBlock)
	}
	return out
}

// shownIn tells whether a place shows a nudge.
func shownIn(d *Decision, id string, p nudge.Placement) bool { return slices.Contains(d.Shown[p], id) }
