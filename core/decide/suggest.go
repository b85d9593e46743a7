package decide

import (
	"cmp"
	"slices"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/choice"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
)

// How widely suggestions are looked for. Counts, never a clock.
const (
	mostSuggested = 3  // suggestions of one nudge
	mostTriedSets = 10 // goods decided on with one nudge
	mostInSets    = 40 // different goods that sets are made of
	mostQuantity  = 50 // of one suggested product
)

// suggest finds goods that close the gap of each nudge that shows a promise.
func (w *work) suggest(d *Decision) error {
	if !w.req.Suggest {
		return nil
	}
	for i := range d.Nudges {
		d.Nudges[i].Suggestions = w.suggestions(d, &d.Nudges[i])
	}
	return nil
}

// good is something in scope that may be suggested.
type good struct {
	item  catalog.Item
	price money.Minor
	adds  int64 // to the measure, by one
}

// suggestions ranks goods that reach the nudge's next open rung.
func (w *work) suggestions(d *Decision, o *NudgeOutcome) []Suggestion {
	at := slices.IndexFunc(o.Rungs, func(r RungOutcome) bool { return r.promises() })
	if o.Reason != "" || at < 0 || slices.Contains(w.req.Visit.Declined, o.Nudge) {
		return nil
	}
	t := w.taken(o.Nudge)
	r := &o.Rungs[at]
	missing, _ := r.missing()
	goods := w.inScope(t, r)
	var tries [][]SuggestedItem
	slices.SortFunc(goods, func(a, b good) int {
		return cmp.Or(cmp.Compare(overshoot(a, missing), overshoot(b, missing)), cmp.Compare(a.item.Variant.SKU, b.item.Variant.SKU))
	})
	for _, g := range goods[:min(len(goods), mostTriedSets)] {
		if q := quantity(g, missing); q <= mostQuantity {
			tries = append(tries, []SuggestedItem{{g.item.Variant.SKU, g.item.Label(), q}})
		}
	}
	if len(goods) == 0 {
		return nil
	}
	if r.Measure == nudge.Value && overshoot(goods[0], missing)*5 > r.Threshold {
		tries = append(tries, sets(goods, missing)...)
	}
	var out []Suggestion
	for _, items := range tries {
		if s, ok := w.try(d, o.Nudge, r, items); ok {
			out = append(out, s)
		}
	}
	w.rank(t.n.Definition.Suggest, out)
	return out[:min(len(out), mostSuggested)]
}

// quantity is how many of a good are expected to close a gap.
func quantity(g good, missing int64) int64 { return max(1, (missing+g.adds-1)/g.adds) }

// overshoot is how far beyond the gap a good is expected to lead.
func overshoot(g good, missing int64) int64 { return quantity(g, missing)*g.adds - missing }

// inScope lists what a nudge counts and the shop can sell now.
func (w *work) inScope(t *taking, r *RungOutcome) []good {
	var out []good
	look := func(p *catalog.Product) {
		if p.GiftCard {
			return
		}
		for i := range p.Variants {
			v := &p.Variants[i]
			price, sold := v.PriceIn(w.region.Currency, "", w.req.Moment.At)
			it := catalog.Item{Product: p, Variant: v}
			if !sold || price.Price == 0 || !t.n.scope.Matches(catalog.FactsOf(it, price, w.region.ID)) || !w.inStock(v.SKU, 1) {
				continue
			}
			if g := (good{it, price.Price, w.adds(r, it, price.Price)}); g.adds > 0 {
				out = append(out, g)
			}
		}
	}
	if ids := t.n.scope.Include.Products; len(ids) > 0 {
		for _, id := range ids {
			if p, ok := w.s.shop.Catalog.Product(id); ok {
				look(p)
			}
		}
		return out
	}
	for i := range w.s.shop.Catalog.Products {
		look(&w.s.shop.Catalog.Products[i])
	}
	return out
}

// adds is what one more of a good adds to a rung's measure.
func (w *work) adds(r *RungOutcome, it catalog.Item, price money.Minor) int64 {
	switch r.Measure {
	case nudge.Units:
		return 1
	case nudge.Weight:
		return it.Variant.Weight
	case nudge.Distinct, nudge.SameProduct, nudge.SameVariant:
		same := slices.ContainsFunc(w.lines, func(l line) bool {
			if r.Measure == nudge.SameVariant {
				return l.item.Variant == it.Variant
			}
			return l.item.Product == it.Product
		})
		if same == (r.Measure != nudge.Distinct) {
			return 1
		}
		return 0
	}
	return price
}

// sets makes sets of two and three different goods, the least overshoot first.
func sets(goods []good, missing int64) [][]SuggestedItem {
	pool := slices.Clone(goods)
	slices.SortFunc(pool, func(a, b good) int {
		return cmp.Or(cmp.Compare(a.adds, b.adds), cmp.Compare(a.item.Variant.SKU, b.item.Variant.SKU))
	})
	pool = slices.DeleteFunc(pool, func(g good) bool { return g.adds >= missing })
	if n := len(pool); n > mostInSets {
		pool = pool[n-mostInSets:] // the dearest need the fewest
	}
	type set struct {
		over int64
		of   []int
	}
	var all []set
	for a := range pool {
		for b := a + 1; b < len(pool); b++ {
			if pool[a].item.Product == pool[b].item.Product {
				continue
			}
			two := pool[a].adds + pool[b].adds
			if two >= missing {
				all = append(all, set{two - missing, []int{a, b}})
				continue
			}
			for c := b + 1; c < len(pool); c++ {
				if p := pool[c].item.Product; p != pool[a].item.Product && p != pool[b].item.Product && two+pool[c].adds >= missing {
					all = append(all, set{two + pool[c].adds - missing, []int{a, b, c}})
				}
			}
		}
	}
	slices.SortStableFunc(all, func(x, y set) int {
		return cmp.Or(cmp.Compare(x.over, y.over), cmp.Compare(len(x.of), len(y.of)), slices.Compare(x.of, y.of))
	})
	var out [][]SuggestedItem
	for _, s := range all[:min(len(all), mostTriedSets/2)] {
		var items []SuggestedItem
		for _, k := range s.of {
			items = append(items, SuggestedItem{pool[k].item.Variant.SKU, pool[k].item.Label(), 1})
		}
		out = append(out, items)
	}
	return out
}

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
		if len(items) > 1 {
			return Suggestion{}, false
		}
		items = []SuggestedItem{{items[0].SKU, items[0].Label, items[0].Quantity + 1}}
	}
	return Suggestion{}, false
}

// with prices the cart with goods added, false where there is not so much of them.
func (w *work) with(items []SuggestedItem) (Decision, bool) {
	r := *w.req
	r.Suggest, r.Trace, r.Every = false, false, false
	r.Cart.Lines = slices.Clone(r.Cart.Lines)
	for _, it := range items {
		if !w.inStock(it.SKU, it.Quantity) {
			return Decision{}, false
		}
		i := slices.IndexFunc(r.Cart.Lines, func(l CartLine) bool { return l.SKU == it.SKU && l.Plan == "" && l.Origin == nil })
		if i >= 0 {
			r.Cart.Lines[i].Quantity += it.Quantity
			continue
		}
		r.Cart.Lines = append(r.Cart.Lines, CartLine{SKU: it.SKU, Quantity: it.Quantity})
	}
	d, err := w.s.Price(r)
	return d, err == nil
}

// profit is what the shop earns by a decision: what is paid for goods and shipping
// without tax, less the goods' cost, the parcel's and that of gifts. false where a
// cost is not known.
func (w *work) profit(d *Decision) (money.Minor, bool) {
	var out money.Minor
	cost := func(sku string, n int64) bool {
		it, ok := w.s.shop.Catalog.Item(sku)
		if !ok {
			return false
		}
		p, sold := it.Variant.PriceIn(w.region.Currency, "", w.req.Moment.At)
		if !sold || p.Cost == nil {
			return false
		}
		out -= *p.Cost * n
		return true
	}
	for _, l := range d.Lines {
		it, ok := w.s.shop.Catalog.Item(l.SKU)
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

// rank puts suggestions in the merchant's chosen order.
func (w *work) rank(by nudge.Suggest, all []Suggestion) {
	keys := func(a, b *Suggestion) int {
		return cmp.Or(cmp.Compare(a.Overshoot, b.Overshoot), cmp.Compare(a.Net, b.Net), cmp.Compare(len(a.Items), len(b.Items)), cmp.Compare(a.Items[0].SKU, b.Items[0].SKU))
	}
	profit := func(a, b *Suggestion) int {
		pa, pb := money.Minor(-1<<60), money.Minor(-1<<60)
		if a.Profit != nil {
			pa = *a.Profit
		}
		if b.Profit != nil {
			pb = *b.Profit
		}
		return cmp.Compare(pb, pa)
	}
	companion := func(a, b *Suggestion) int { return cmp.Compare(w.lift(b), w.lift(a)) }
	switch by {
	case nudge.MostProfit:
		slices.SortStableFunc(all, func(a, b Suggestion) int { return cmp.Or(profit(&a, &b), keys(&a, &b)) })
	case nudge.BestCompanion:
		slices.SortStableFunc(all, func(a, b Suggestion) int { return cmp.Or(companion(&a, &b), keys(&a, &b)) })
	case nudge.Blend:
		place := map[string]int{}
		for _, order := range []func(a, b *Suggestion) int{keys, profit, companion} {
			slices.SortStableFunc(all, func(a, b Suggestion) int { return cmp.Or(order(&a, &b), keys(&a, &b)) })
			for i := range all {
				place[all[i].name()] += i
			}
		}
		slices.SortStableFunc(all, func(a, b Suggestion) int {
			return cmp.Or(cmp.Compare(place[a.name()], place[b.name()]), keys(&a, &b))
		})
	default:
		slices.SortStableFunc(all, func(a, b Suggestion) int { return keys(&a, &b) })
	}
}

func (s *Suggestion) name() string {
	out := ""
	for _, it := range s.Items {
		out += it.SKU + "\x00"
	}
	return out
}

// lift is how much likelier the suggested goods are beside what is in the cart: the
// greatest lift of any pair, in thousandths.
func (w *work) lift(s *Suggestion) int64 {
	var best int64
	for _, it := range s.Items {
		a, ok := w.s.shop.Catalog.Item(it.SKU)
		if !ok {
			continue
		}
		for i := range w.lines {
			if b := w.lines[i].item.Product; b != nil {
				best = max(best, w.s.shop.Companions[a.Product.ID][b.ID])
			}
		}
	}
	return best
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

// gain is what showing a nudge is expected to earn: the mean of the posterior for
// its gap band, and the change in profit with its first suggestion or its offered
// item. nil where there is neither, or a cost is not known.
func (w *work) gain(d *Decision, o *NudgeOutcome, st standing) *Gain {
	change, ok := w.change(d, o)
	if !ok || len(o.Rungs) == 0 {
		return nil
	}
	r := &o.Rungs[st.rung]
	prior := w.s.shop.Settings.Prior
	if prior.IsZero() {
		prior = Prior{1, 19}
	}
	out := &Gain{Band: BandOf(r.Gap, r.Threshold), Profit: change}
	seen := w.req.Usage[o.Nudge].Bands[out.Band]
	g := choice.Posterior(change, prior.Accepted, prior.Refused, seen.Shows, seen.Accepted)
	out.Accepted, out.Shows = g.Accepted, g.Shows
	return out
}

func (w *work) change(d *Decision, o *NudgeOutcome) (money.Minor, bool) {
	for _, offer := range d.Offers {
		if offer.Nudge != o.Nudge || offer.Accepted {
			continue
		}
		now, known := w.profit(d)
		if !known {
			return 0, false
		}
		r := *w.req
		r.Suggest, r.Trace = false, false
		r.Cart.Lines = append(slices.Clone(r.Cart.Lines), CartLine{SKU: offer.Items[0].SKU, Quantity: offer.Items[0].Quantity, Origin: &Origin{FromOffer, o.Nudge}})
		with, err := w.s.Price(r)
		if err != nil {
			return 0, false
		}
		then, known := w.profit(&with)
		return then - now, known
	}
	suggested := o.Suggestions
	if suggested == nil {
		suggested = w.suggestions(d, o)
	}
	if len(suggested) == 0 || suggested[0].Profit == nil {
		return 0, false
	}
	return *suggested[0].Profit, true
}
