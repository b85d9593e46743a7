package decide

import (
	"slices"

	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/pricing"
)

// listPrice returns a SKU's price in this region's currency, false where it is
// not sold there.
func (w *work) listPrice(sku string) (money.Minor, bool) {
	it, ok := w.s.Shop.Catalog.Item(sku)
	if !ok {
		return 0, false
	}
	p, ok := it.Variant.PriceIn(w.region.Currency, "", w.req.Moment.At)
	return p.Price, ok
}

// worth is the list value of what a gift would give: of the first item there is,
// or of the dearest that may be picked.
func (w *work) worth(r *nudge.Reward) money.Minor {
	if r.Kind.Class() != nudge.GiftClass {
		return 0
	}
	var values []money.Minor
	for _, it := range r.Items {
		if p, ok := w.listPrice(it.SKU); ok && w.inStock(it.SKU, it.Many()) {
			values = append(values, p*it.Many())
		}
	}
	if len(values) == 0 {
		return 0
	}
	if r.Kind == nudge.Gift {
		return values[0]
	}
	slices.Sort(values)
	var sum money.Minor
	for k := range min(int(r.Pick), len(values)) {
		sum += values[len(values)-1-k]
	}
	return sum
}

// inStock tells whether so many of a SKU are there beside what the cart pays for:
// paid units come first.
func (w *work) inStock(sku string, n int64) bool { return w.left(sku) >= n }

const unlimited = int64(1) << 40

func (w *work) left(sku string) int64 {
	it, ok := w.s.Shop.Catalog.Item(sku)
	if !ok {
		return 0
	}
	if it.Variant.Stock == nil {
		return unlimited
	}
	n := *it.Variant.Stock
	for i := range w.lines {
		if w.lines[i].SKU == sku {
			n -= w.lines[i].Quantity
		}
	}
	return max(0, n)
}

// earned visits the gift and offer rewards of rungs whose right is given.
func (w *work) earned(class nudge.Class, visit func(t *taking, rung int, r *nudge.Reward)) {
	for i := range w.taking {
		t := &w.taking[i]
		for k := range t.rungs {
			tk := &t.rungs[k]
			if !tk.plan.Rights || !w.giftGiven(tk) {
				continue
			}
			for j := range tk.plan.Steps {
				if st := &tk.plan.Steps[j]; st.Class == class {
					visit(t, tk.rung, st.Reward)
				}
			}
		}
	}
}

// giftGiven tells whether the gifts and offers of a rung are given: the goal holds
// and nothing stands against them.
func (w *work) giftGiven(tk *taker) bool {
	for _, ref := range tk.refs {
		if ref.Class == pricing.GiftClass {
			return w.outcome.GiftGiven[ref.Index]
		}
	}
	return false
}

// gifts decides what gifts lie in the cart, and says what has become of those in
// the request.
func (w *work) gifts(d *Decision) {
	d.Gifts = []GiftOutcome{}
	var given map[string]int64 // stock already taken by gifts
	w.earned(nudge.GiftClass, func(t *taking, rung int, r *nudge.Reward) {
		if given == nil {
			given = map[string]int64{}
		}
		d.Gifts = append(d.Gifts, w.gift(t, rung, r, given))
	})
	for _, l := range w.giftLines {
		stays := slices.ContainsFunc(d.Gifts, func(g GiftOutcome) bool {
			return g.Nudge == l.Origin.Nudge && slices.ContainsFunc(g.Items, func(it GiftItem) bool { return it.SKU == l.SKU })
		})
		if !stays {
			d.Left = append(d.Left, w.leaving(d, &l))
		}
	}
}

func (w *work) gift(t *taking, rung int, r *nudge.Reward, given map[string]int64) GiftOutcome {
	out := GiftOutcome{Nudge: t.n.ID, Rung: rung}
	var there []GiftItem
	for _, it := range r.Items {
		price, sold := w.listPrice(it.SKU)
		if !sold || w.left(it.SKU)-given[it.SKU] < it.Many() {
			continue
		}
		item := GiftItem{SKU: it.SKU, Label: w.label(it.SKU), Quantity: it.Many(), Unit: price}
		if !r.Free() {
			off, _ := r.Percent.Of(price)
			item.Price = price - off
		}
		there = append(there, item)
	}
	picks := w.req.Visit.Picks[t.n.ID]
	switch {
	case len(there) == 0:
		out.State = GiftOutOfStock
		return out
	case slices.Contains(w.req.Visit.RemovedGifts, t.n.ID):
		out.State = GiftRemoved
		return out
	case !r.Free():
		out.State, out.Choice, out.Pick = GiftOffered, there, max(1, r.Pick)
		return out
	case r.Kind == nudge.Gift:
		out.State, out.Items = GiftAdded, there[:1]
	default:
		out.Choice, out.Pick = there, r.Pick
		for _, it := range there {
			if slices.Contains(picks, it.SKU) && int64(len(out.Items)) < r.Pick {
				out.Items = append(out.Items, it)
			}
		}
		if out.State = GiftAdded; len(out.Items) == 0 {
			out.State = GiftToPick
		}
	}
	for _, it := range out.Items {
		given[it.SKU] += it.Quantity
		out.Worth += it.Unit * it.Quantity
	}
	return out
}

func (w *work) label(sku string) string { return w.s.Shop.Catalog.Label(sku) }

// leaving says why a gift of the request's cart does not stand.
func (w *work) leaving(d *Decision, l *CartLine) Leaving {
	out := Leaving{SKU: l.SKU, Nudge: l.Origin.Nudge, Reason: "unknown"}
	label := w.label(l.SKU)
	say := func(why nudge.Leave, more ...any) string {
		return nudge.LeaveText(why, w.tongue.Language, append([]any{label}, more...)...)
	}
	i := slices.IndexFunc(w.taking, func(t taking) bool { return t.n.ID == l.Origin.Nudge })
	gift := slices.IndexFunc(d.Gifts, func(g GiftOutcome) bool { return g.Nudge == l.Origin.Nudge })
	switch {
	case i < 0:
		out.Say = say(nudge.LeftGone)
	case w.taking[i].reason != "":
		out.Reason, out.Say = "audience", say(nudge.LeftGone)
	case gift >= 0 && d.Gifts[gift].State == GiftRemoved:
		out.Reason, out.Say = "removed", say(nudge.LeftTaken)
	case gift >= 0 && d.Gifts[gift].State == GiftOutOfStock:
		out.Reason, out.Say = "out_of_stock", say(nudge.LeftStock)
	case gift >= 0:
		out.Reason, out.Say = "removed", say(nudge.LeftOther)
	default:
		out.Reason, out.Say = "goal", say(nudge.LeftGoal)
		for _, n := range d.Nudges {
			if n.Nudge != l.Origin.Nudge {
				continue
			}
			for _, r := range n.Rungs {
				if r.State != RungReached && r.Lasting != nil && w.gives(n.Nudge, r.Rung, l.SKU) {
					out.Say = say(nudge.LeftMissing, w.money(*r.Lasting))
				}
			}
		}
	}
	return out
}

// gives tells whether a rung has a gift of a SKU.
func (w *work) gives(id string, rung int, sku string) bool {
	for _, r := range w.taken(id).n.Definition.Ladder.Rungs[rung].Rewards {
		if r.Kind.Class() == nudge.GiftClass && hasItem(r.Items, sku) {
			return true
		}
	}
	return false
}

// later is what one shipment after the first costs for a line bought by a plan:
// its price, less the rewards that are for later shipments.
func (w *work) later(i int) *money.Minor {
	l := &w.lines[i]
	best := l.unit
	whole := l.amount
	for j := range w.taking {
		t := &w.taking[j]
		if t.reason != "" || !t.counts[i] {
			continue
		}
		for k := range t.rungs {
			tk := &t.rungs[k]
			if w.status(tk) != RungReached || t.n.Definition.Built() && !w.builtAt(tk, i) {
				continue
			}
			for j := range t.n.Definition.Ladder.Rungs[tk.rung].Rewards {
				r := &t.n.Definition.Ladder.Rungs[tk.rung].Rewards[j]
				if r.Shipments == nudge.LaterShipments || r.Shipments == nudge.EveryShipment {
					if r.Kind == nudge.BuiltPrice { // as in the first parcel
						whole = w.outcome.AfterUnits[i]
						continue
					}
					best = min(best, w.laterPrice(t, r, l))
				}
			}
		}
	}
	total := min(best*l.Quantity, whole)
	return &total
}

func (w *work) laterPrice(t *taking, r *nudge.Reward, l *line) money.Minor {
	f := &t.n.Scope
	if r.On != nil {
		f = r.On
	}
	if !f.Matches(w.goods(l)) || !slices.Contains(f.Include.Plans, l.Plan) || l.neverOff {
		return l.unit
	}
	amount := r.Amounts[w.region.ID].Minor
	switch r.Kind {
	case nudge.UnitPercent:
		off, _ := r.Percent.Of(l.unit)
		if e, ok := r.Endings[w.region.ID]; ok {
			return money.EndingOf(e).Lower(l.unit - off)
		}
		return l.unit - off
	case nudge.UnitAmount:
		return max(0, l.unit-amount)
	case nudge.UnitPrice:
		return min(l.unit, amount)
	}
	return l.unit
}
