package decide

import (
	"slices"

	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
)

// hasOffer tells whether a nudge has an offer to show.
func (w *work) hasOffer(d *Decision, id string) bool {
	return slices.ContainsFunc(d.Offers, func(o OfferOutcome) bool { return o.Nudge == id })
}

// unavailable tells why what a nudge gives or offers cannot be had: sold out, in
// the cart already, or below the margin floor.
func (w *work) unavailable(d *Decision, t *taking) Reason {
	items := t.n.Items
	if len(items) == 0 {
		return ""
	}
	if !slices.ContainsFunc(items, func(it nudge.Item) bool { return w.inStock(it.SKU, it.Many()) || w.inCart(it.SKU) }) {
		return OutOfStock
	}
	for _, o := range d.Offers {
		if o.Nudge != t.n.ID {
			continue
		}
		if !o.Accepted && slices.ContainsFunc(o.Items, func(it GiftItem) bool { return w.inCart(it.SKU) }) {
			return InCart
		}
		if !slices.ContainsFunc(o.Items, func(it GiftItem) bool { return w.aboveFloor(t, it) }) {
			return BelowMargin
		}
	}
	return ""
}

func (w *work) inCart(sku string) bool {
	return slices.ContainsFunc(w.lines, func(l line) bool { return l.SKU == sku })
}

// aboveFloor tells whether an offered item's price leaves the margin floor.
func (w *work) aboveFloor(t *taking, it GiftItem) bool {
	var floor money.Rate
	if m := w.s.Shop.Settings.Margin; m != nil {
		floor = *m
	}
	if m := t.n.Definition.Limits.Margin; m != nil {
		floor = max(floor, *m)
	}
	item, ok := w.s.Shop.Catalog.Item(it.SKU)
	if !ok || floor == 0 {
		return true
	}
	price, sold := item.Variant.PriceIn(w.region.Currency, "", w.req.Moment.At)
	if !sold || price.Cost == nil {
		return true
	}
	net := w.net(it.Price, w.region.Rate(item.Variant.TaxClass))
	return net*int64(money.Whole-floor) >= *price.Cost*int64(money.Whole)
}

// net is an amount without the tax it includes where prices are shown with tax.
func (w *work) net(m money.Minor, rate money.Rate) money.Minor {
	if !w.region.TaxShown {
		return m
	}
	tax, _ := rate.Within(m)
	return m - tax
}
