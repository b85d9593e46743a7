package decide

import (
	"cmp"
	"slices"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
)

// Together is what the order costs with some companions put in, and with what they go with
// where that is not in the cart yet.
type Together struct {
	SKUs []string `json:"skus"` // of the companions; none: what they go with alone
	// More is to pay with them less to pay without them, ToPay what the whole order costs.
	More  money.Minor `json:"more"`
	ToPay money.Minor `json:"to_pay"`
	// Saved is how much less that is than with the same goods put in one by one.
	Saved money.Minor `json:"saved,omitempty"`
	// Profit is the change in the whole order's profit; null: a cost is unknown.
	Profit *money.Minor `json:"profit,omitempty"`
}

// OfferMain is what companions go with.
type OfferMain struct {
	SKU    string      `json:"sku"`
	Label  string      `json:"label"`
	Unit   money.Minor `json:"unit"` // list price of one
	InCart bool        `json:"in_cart,omitempty"`
}

// companions lists the companions of the page's product where that is not counted in the
// cart yet: putting it in is what gives the right to them.
func (w *work) companions(d *Decision) {
	for i := range w.taking {
		t := &w.taking[i]
		if t.reason != "" || w.hasOffer(d, t.n.ID) {
			continue
		}
		for k := range t.rungs {
			for j := range t.rungs[k].plan.Steps {
				r := t.rungs[k].plan.Steps[j].Reward
				if r.Kind != nudge.Companions {
					continue
				}
				o := OfferOutcome{Nudge: t.n.ID, Rung: t.rungs[k].rung, Kind: r.Kind}
				if why := w.toHaveWith(t, r, &o); why != "" {
					w.noOfferFor(t.n.ID, why)
				} else {
					d.Offers = append(d.Offers, o)
				}
			}
		}
	}
}

// toHaveWith adds the companions that can be had of the first thing that has some, or tells
// why there is nothing.
func (w *work) toHaveWith(t *taking, r *nudge.Reward, o *OfferOutcome) Reason {
	why := NoCompanion
	for _, main := range w.mains(t) {
		inCart := slices.ContainsFunc(w.lines, func(l line) bool { return l.SKU == main.Variant.SKU && l.Plain() })
		if !inCart && !w.inStock(main.Variant.SKU, 1) {
			why = OutOfStock
			continue
		}
		had := len(o.Items)
		if not := w.open(t, r, o, w.goWith(t, r, main)); not != "" {
			why = not
		}
		if len(o.Items) > had {
			o.Items = o.Items[:min(len(o.Items), had+r.Companions())]
			price, _ := w.listPrice(main.Variant.SKU)
			o.Main = &OfferMain{SKU: main.Variant.SKU, Label: main.Label(), Unit: price, InCart: inCart}
			return ""
		}
	}
	return why
}

// withCompanions is the place of the rung whose companions a nudge offers, −1: it offers none.
func (w *work) withCompanions(d *Decision, o *NudgeOutcome) int {
	for i := range d.Offers {
		if of := &d.Offers[i]; of.Nudge == o.Nudge && of.Main != nil {
			return slices.IndexFunc(o.Rungs, func(r RungOutcome) bool { return r.Rung == of.Rung })
		}
	}
	return -1
}

// mains lists what companions may go with: the product of the page where the nudge is
// about it, in the variant that the page shows; else what it counts of the cart, what was
// just put in first.
func (w *work) mains(t *taking) []catalog.Item {
	if it, ok := w.pageItem(t); ok {
		return []catalog.Item{it}
	}
	var out []catalog.Item
	for i := range w.lines {
		if l := &w.lines[i]; t.counts[i] && !l.isAdded() && l.Plain() {
			if slices.Contains(w.req.Visit.Added, l.SKU) {
				out = slices.Insert(out, 0, l.item)
			} else {
				out = append(out, l.item)
			}
		}
	}
	return out
}

// pageItem is the variant that the page shows of a product that the nudge is about: the one
// that is counted in the cart, else the chosen one, else the first that can be had.
func (w *work) pageItem(t *taking) (catalog.Item, bool) {
	page := &w.req.Moment.Page
	p, ok := w.s.Shop.Catalog.Product(page.Product)
	if !ok || p.GiftCard {
		return catalog.Item{}, false
	}
	for i := range w.lines {
		if l := &w.lines[i]; t.counts[i] && l.Plain() && l.item.Product == p {
			return l.item, true
		}
	}
	var first *catalog.Variant
	for i := range p.Variants {
		v := &p.Variants[i]
		it := catalog.Item{Product: p, Variant: v}
		price, sold := v.PriceIn(w.region.Currency, "", w.req.Moment.At)
		if facts := catalog.FactsOf(it, price, w.region.ID); !sold || !t.n.Scope.Matches(&facts) {
			continue
		}
		if v.SKU == page.Variant {
			return it, true
		}
		if page.Variant == "" && first == nil && w.inStock(v.SKU, 1) {
			first = v
		}
	}
	return catalog.Item{Product: p, Variant: first}, first != nil
}

// goWith lists the companions of what is shown or in the cart, those by rule first, and
// those chosen by hand where the rule finds too few.
func (w *work) goWith(t *taking, r *nudge.Reward, main catalog.Item) (out []offerChoice) {
	for _, it := range w.byRule(r, main) {
		out = append(out, offerChoice{item: nudge.Item{SKU: it.Variant.SKU}})
	}
	for _, it := range r.Items {
		if it.SKU != main.Variant.SKU && !slices.ContainsFunc(out, func(c offerChoice) bool { return c.item.SKU == it.SKU }) {
			out = append(out, offerChoice{item: it})
		}
	}
	return out
}

// byRule lists the goods that go with another by a rule, one variant of each product that
// can be had: what past orders hold beside it first, then the cheapest.
func (w *work) byRule(r *nudge.Reward, main catalog.Item) []catalog.Item {
	if r.Choose == "" {
		return nil
	}
	type found struct {
		item  catalog.Item
		lift  int64
		price money.Minor
	}
	var all []found
	look := func(p *catalog.Product) {
		var best *found
		for i := range p.Variants {
			it := catalog.Item{Product: p, Variant: &p.Variants[i]}
			price, sold := it.Variant.PriceIn(w.region.Currency, "", w.req.Moment.At)
			if !sold || !w.goesWith(r, main, it) || w.inCart(it.Variant.SKU) || !w.inStock(it.Variant.SKU, 1) {
				continue
			}
			if best == nil || price.Price < best.price || price.Price == best.price && it.Variant.SKU < best.item.Variant.SKU {
				best = &found{it, w.s.Shop.Companions[main.Product.ID][p.ID], price.Price}
			}
		}
		if best != nil {
			all = append(all, *best)
		}
	}
	switch r.Choose {
	case nudge.NextSize:
		look(main.Product)
	case nudge.BoughtTogether:
		for id := range w.s.Shop.Companions[main.Product.ID] {
			if p, ok := w.s.Shop.Catalog.Product(id); ok {
				look(p)
			}
		}
	default:
		for _, p := range r.Like(w.s.Shop.Catalog, main) {
			look(p)
		}
	}
	slices.SortFunc(all, func(a, b found) int {
		return cmp.Or(cmp.Compare(b.lift, a.lift), cmp.Compare(a.price, b.price), cmp.Compare(a.item.Variant.SKU, b.item.Variant.SKU))
	})
	out := make([]catalog.Item, len(all))
	for i := range all {
		out[i] = all[i].item
	}
	return out
}

// goesWith tells whether goods go with others by a reward's rule.
func (w *work) goesWith(r *nudge.Reward, main, it catalog.Item) bool {
	if r.Choose == nudge.NextSize {
		next, ok := w.nextSize(main)
		return ok && next == it.Variant
	}
	if r.Choose == nudge.BoughtTogether {
		return it.Product != main.Product && !it.Product.GiftCard && w.s.Shop.Companions[main.Product.ID][it.Product.ID] > 0
	}
	return r.GoTogether(main, it)
}

// isCompanion tells whether a line is a companion of what the nudge counts.
func (w *work) isCompanion(t *taking, r *nudge.Reward, l *line) bool {
	if hasItem(r.Items, l.SKU) {
		return true
	}
	for i := range w.lines {
		if m := &w.lines[i]; t.counts[i] && !m.isAdded() && w.goesWith(r, m.item, l.item) {
			return true
		}
	}
	return false
}

// weighTogether finds what the order costs with each choice among the companions that a
// nudge offers; false where even all of them are not to be had at their prices.
func (w *work) weighTogether(d *Decision, o *OfferOutcome) bool {
	var open []OfferItem
	for _, it := range o.Items {
		if !it.Taken {
			open = append(open, it)
		}
	}
	from := 1
	if o.Main == nil {
		return len(open) > 0
	}
	if !o.Main.InCart {
		from = 0
	}
	now, known := w.profit(d)
	for mask := 1<<len(open) - 1; mask >= from; mask-- {
		cart, plain := w.req.Cart, w.req.Cart
		if !o.Main.InCart {
			cart, plain = cart.With(o.Main.SKU, 1), plain.With(o.Main.SKU, 1)
		}
		sum := Together{SKUs: []string{}}
		for k, it := range open {
			if mask&(1<<k) != 0 {
				cart, plain = cart.Take(o.Nudge, it), plain.With(it.SKU, it.Quantity)
				sum.SKUs = append(sum.SKUs, it.SKU)
			}
		}
		with, ok := w.pricedCart(cart)
		if !ok || !with.takes(o.Nudge, sum.SKUs) {
			return false
		}
		sum.More, sum.ToPay = with.ToPay-d.ToPay, with.ToPay
		if then, sure := w.profit(&with); known && sure {
			change := then - now
			sum.Profit = &change
		}
		if apart, ok := w.pricedCart(plain); ok && len(sum.SKUs) > 0 {
			sum.Saved = max(0, apart.ToPay-with.ToPay)
		}
		o.Together = append(o.Together, sum)
	}
	return true
}

// takes tells whether a decision gives some goods at a nudge's price.
func (d *Decision) takes(id string, skus []string) bool {
	for _, sku := range skus {
		if !slices.ContainsFunc(d.Offers, func(o OfferOutcome) bool {
			return o.Nudge == id && slices.ContainsFunc(o.Items, func(it OfferItem) bool { return it.Taken && it.SKU == sku })
		}) {
			return false
		}
	}
	return true
}

// pricedCart prices this visit with another cart.
func (w *work) pricedCart(c Cart) (Decision, bool) {
	r := *w.req
	r.Suggest, r.Trace, r.Every, r.Drawn, r.Cart = false, false, false, false, c
	return w.priced(r)
}

// With is a cart with so many more of a SKU, bought once and by themselves.
func (c Cart) With(sku string, n int64) Cart {
	c.Lines = slices.Clone(c.Lines)
	if i := slices.IndexFunc(c.Lines, func(l CartLine) bool { return l.SKU == sku && l.Plain() }); i >= 0 {
		c.Lines[i].Quantity += n
	} else {
		c.Lines = append(c.Lines, CartLine{SKU: sku, Quantity: n})
	}
	return c
}

// allTogether is what companions are as one: their names, their prices added up, and what
// the order costs with all of them.
func (o *OfferOutcome) allTogether(language string) *OfferItem {
	out := &OfferItem{}
	var names []string
	for _, it := range o.Items {
		if !it.Taken {
			names = append(names, it.Label)
			out.Unit += it.Unit * it.Quantity
			out.Price += it.Price * it.Quantity
		}
	}
	out.Label = nudge.OfferWordsIn(language).All(names)
	if len(o.Together) > 0 {
		out.More, out.ToPay, out.Profit = &o.Together[0].More, &o.Together[0].ToPay, o.Together[0].Profit
	}
	return out
}

// saidTogether is what is ticked and put in together as it is drawn; nil where nothing is.
func (w *work) saidTogether(o *OfferOutcome, language string) *SaidTogether {
	if o.Main == nil || len(o.Together) == 0 {
		return nil
	}
	words := nudge.OfferWordsIn(language)
	out := &SaidTogether{Main: SaidItem{SKU: o.Main.SKU, Label: o.Main.Label, Price: w.money(o.Main.Unit), Taken: o.Main.InCart}}
	if it, ok := w.s.Shop.Catalog.Item(o.Main.SKU); ok {
		out.Main.Picture = it.Product.Picture
	}
	if o.Main.InCart {
		out.InCart = words.InCart
	}
	for _, sum := range o.Together {
		said := SaidSum{SKUs: sum.SKUs, More: words.Difference(sign(sum.More), w.money(max(sum.More, -sum.More))), Total: words.Total(w.money(sum.ToPay))}
		if sum.Saved > 0 {
			said.Saved = words.Saved(w.money(sum.Saved))
		}
		out.Sums = append(out.Sums, said)
	}
	return out
}
