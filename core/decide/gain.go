package decide

import (
	"slices"
	"time"

	"agonal.dev/agonal/core/choice"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/snapshot"
)

// try decides again with goods added, with one more of the last while the rung is
// not reached: a quantity break may move the total either way.
func (w *work) try(d *Decision, id string, r *RungOutcome, items []SuggestedItem) (Suggestion, bool) {
	for range 4 {
		with, ok := w.with(items)
		if !ok {
			return Suggestion{}, false
		}
		for _, n := range with.Nudges {
			if n.Nudge != id {
				continue
			}
			for _, o := range n.Rungs {
				if o.Rung == r.Rung && o.State == RungReached {
					s := Suggestion{Items: items, Overshoot: o.Counted - o.Threshold, Net: with.ToPay - d.ToPay}
					for _, g := range with.Gifts {
						s.Gift += g.Worth
					}
					for _, g := range d.Gifts {
						s.Gift -= g.Worth
					}
					if a, known := w.profit(&with); known {
						if b, known := w.profit(d); known {
							p := a - b
							s.Profit = &p
						}
					}
					return s, true
				}
			}
		}
		if len(items) > 1 || items[0].Build != nil {
			return Suggestion{}, false
		}
		items = []SuggestedItem{{SKU: items[0].SKU, Label: items[0].Label, Quantity: items[0].Quantity + 1}}
	}
	return Suggestion{}, false
}

// with prices the cart with goods added, false where there is not so much of them.
func (w *work) with(items []SuggestedItem) (Decision, bool) {
	r := *w.req
	r.Suggest, r.Trace, r.Every, r.Drawn = false, false, false, false
	r.Cart.Lines = slices.Clone(r.Cart.Lines)
	for _, it := range items {
		if !w.inStock(it.SKU, it.Quantity) {
			return Decision{}, false
		}
		i := slices.IndexFunc(r.Cart.Lines, func(l CartLine) bool {
			if it.Build != nil {
				return l.SKU == it.SKU && l.Plan == it.plan && l.Build != nil && *l.Build == *it.Build
			}
			return l.SKU == it.SKU && l.Plain()
		})
		if i >= 0 {
			r.Cart.Lines[i].Quantity += it.Quantity
			continue
		}
		r.Cart.Lines = append(r.Cart.Lines, CartLine{SKU: it.SKU, Quantity: it.Quantity, Plan: it.plan, Build: it.Build})
	}
	return w.priced(r)
}

// priced prices another cart, false where it cannot be, or not for certain.
func (w *work) priced(r Request) (Decision, bool) {
	if w.tries <= 0 {
		return Decision{}, false
	}
	d, steps, err := decide(w.s, r, true, min(mostTry, w.tries))
	w.tries -= steps
	return d, err == nil && d.Exact
}

// Profit is what the shop earns by a decision that was made on a snapshot at a moment: what is
// paid for goods and shipping without tax, less the goods' cost, the parcel's and that of
// gifts. false where a cost is not known.
func Profit(s *snapshot.Snapshot, d *Decision, at time.Time) (money.Minor, bool) {
	return workOn(s, d, at).profit(d)
}

// GiftCost is what the gifts of a nudge cost the shop in a decision; false where a cost is not
// known.
func GiftCost(s *snapshot.Snapshot, d *Decision, g *GiftOutcome, at time.Time) (cost money.Minor, known bool) {
	w := workOn(s, d, at)
	for _, it := range g.Items {
		c, known := w.cost(it.SKU)
		if !known {
			return 0, false
		}
		cost += c * it.Quantity
	}
	return cost, true
}

// workOn is what a decision was made with, as far as what it earned is concerned.
func workOn(s *snapshot.Snapshot, d *Decision, at time.Time) *work {
	return &work{s: s, region: &s.Shop.Regions[s.ByRegion[d.Region]], req: &Request{Moment: Moment{At: at}}}
}

// cost is what one unit of a SKU costs the shop.
func (w *work) cost(sku string) (money.Minor, bool) {
	it, ok := w.s.Shop.Catalog.Item(sku)
	if !ok {
		return 0, false
	}
	p, sold := it.Variant.PriceIn(w.region.Currency, "", w.req.Moment.At)
	if !sold || p.Cost == nil {
		return 0, false
	}
	return *p.Cost, true
}

// profit is what the shop earns by a decision: what is paid for goods and shipping
// without tax, less the goods' cost, the parcel's and that of gifts. false where a
// cost is not known.
func (w *work) profit(d *Decision) (money.Minor, bool) {
	var out money.Minor
	cost := func(sku string, n int64) bool {
		c, known := w.cost(sku)
		out -= c * n
		return known
	}
	for _, l := range d.Lines {
		it, ok := w.s.Shop.Catalog.Item(l.SKU)
		if !ok || !cost(l.SKU, l.Quantity) {
			return 0, false
		}
		out += w.net(l.Paid, w.region.Rate(it.Variant.TaxClass))
	}
	for _, g := range d.Gifts {
		for _, it := range g.Items {
			if !cost(it.SKU, it.Quantity) {
				return 0, false
			}
		}
	}
	if s := d.Shipping; s != nil && (s.ListFee > 0 || s.Fee > 0) {
		m, _ := w.region.Method(s.Method)
		out += w.net(s.Fee, w.region.ShippingTax) - m.Cost
	}
	return out, true
}

// Bands are the gap bands, by the share of the threshold that is missing.
var Bands = []string{"10", "20", "30", "50", "beyond"}

// BandOf returns the band of a gap to a threshold.
func BandOf(gap, threshold int64) string {
	for i, most := range []int64{10, 20, 30, 50} {
		if gap*100 <= most*threshold {
			return Bands[i]
		}
	}
	return Bands[4]
}

// Mean is how likely a nudge is believed to be accepted after what was seen of it: the mean of
// the posterior, to the nearest millionth.
func (t Tally) Mean(prior snapshot.Prior) money.Rate {
	g := choice.Posterior(0, prior.Accepted, prior.Refused, t.Shows, t.Accepted)
	if g.Shows == 0 {
		return 0
	}
	whole := int64(money.Whole)
	return money.Rate((2*g.Accepted*whole + g.Shows) / (2 * g.Shows))
}

// gain is what showing a nudge is expected to earn: the mean of the posterior for
// its gap band, and the change in profit with its first suggestion or its offered
// item. nil where there is neither, or a cost is not known.
func (w *work) gain(d *Decision, o *NudgeOutcome, st standing) *Gain {
	change, ok := w.change(d, o)
	if !ok || len(o.Rungs) == 0 {
		return nil
	}
	r := &o.Rungs[st.rung]
	prior := w.s.Shop.Settings.Believed()
	out := &Gain{Band: BandOf(r.Gap, r.Threshold), Profit: change}
	seen := w.req.Usage[o.Nudge].Bands[out.Band]
	g := choice.Posterior(change, prior.Accepted, prior.Refused, seen.Shows, seen.Accepted)
	out.Accepted, out.Shows = g.Accepted, g.Shows
	return out
}

func (w *work) change(d *Decision, o *NudgeOutcome) (money.Minor, bool) {
	if item := firstOf(d, o.Nudge, "en"); item != nil {
		if item.Profit == nil {
			return 0, false
		}
		return *item.Profit, true
	}
	suggested := o.Suggestions
	if suggested == nil {
		suggested = w.suggestions(d, o, mostWeighed)
	}
	if len(suggested) == 0 || suggested[0].Profit == nil {
		return 0, false
	}
	return *suggested[0].Profit, true
}
