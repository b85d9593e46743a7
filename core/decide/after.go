package decide

import (
	"slices"
	"time"

	"agonal.dev/agonal/core/audience"
	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/snapshot"
)

// AfterOrder is a shop as a placed order saw it, with what is offered after orders today
// beside it: the order's goods at its prices, what is offered at today's; of the nudges
// those that gave something with the order, as they were, and the live ones that only offer
// something after orders. definitions are the former.
func AfterOrder(shop snapshot.Shop, d *Decision, definitions []snapshot.Live) (snapshot.Shop, error) {
	then, err := AsPlaced(shop, d, definitions)
	if err != nil {
		return then, err
	}
	var skus []string
	for i := range shop.Nudges {
		n := &shop.Nudges[i]
		if !afterOnly(&n.Definition) {
			continue
		}
		then.Nudges = append(then.Nudges, *n)
		for _, it := range onlyOffered(&n.Definition) {
			skus = append(skus, it.SKU)
		}
	}
	products := slices.Clone(then.Catalog.Products)
	for _, sku := range skus {
		it, ok := shop.Catalog.Item(sku)
		if _, known := then.Catalog.Item(sku); known || !ok {
			continue
		}
		i := slices.IndexFunc(products, func(p catalog.Product) bool { return p.ID == it.Product.ID })
		if i < 0 {
			p := *it.Product
			p.Variants, i = nil, len(products)
			products = append(products, p)
		}
		if !slices.ContainsFunc(products[i].Variants, func(v catalog.Variant) bool { return v.SKU == sku }) {
			products[i].Variants = append(slices.Clone(products[i].Variants), *it.Variant)
		}
	}
	then.Catalog, err = catalog.New(products)
	return then, err
}

// afterOnly tells whether all that a nudge gives is offered after orders.
func afterOnly(d *nudge.Definition) bool {
	for i := range d.Ladder.Rungs {
		for _, r := range d.Ladder.Rungs[i].Rewards {
			if r.Kind != nudge.OfferAfter {
				return false
			}
		}
	}
	return true
}

func onlyOffered(d *nudge.Definition) (out []nudge.Item) {
	for i := range d.Ladder.Rungs {
		for _, r := range d.Ladder.Rungs[i].Rewards {
			out = append(out, r.Items...)
		}
	}
	return out
}

// AsOrdered is a request about a placed order: its lines, parcel and picks, on the page that
// thanks for it, until its time is over.
func AsOrdered(d *Decision, country, method string, until time.Time) Request {
	r := Request{
		OfferedUntil: &until,
		Cart:         Cart{Destination: &Destination{Country: country}, Method: method},
		Visit:        Visit{Acts: []audience.Act{audience.OrderPlaced}, Picks: map[string][]string{}},
		Moment:       Moment{Page: Page{Kind: nudge.ThanksPage}, Locale: d.Locale, Placements: []nudge.Placement{nudge.AfterBuy}},
	}
	for i := range d.Lines {
		l := &d.Lines[i]
		r.Cart.Lines = append(r.Cart.Lines, CartLine{ID: l.ID, SKU: l.SKU, Quantity: l.Quantity, Plan: l.Plan, Origin: l.Origin, Build: l.Build})
	}
	for _, g := range d.Gifts {
		for _, it := range g.Items {
			r.Visit.Picks[g.Nudge] = append(r.Visit.Picks[g.Nudge], it.SKU)
		}
		if g.State == GiftRemoved {
			r.Visit.RemovedGifts = append(r.Visit.RemovedGifts, g.Nudge)
		}
	}
	return r
}

// Addition is what taking an offer after an order does to it.
type Addition struct {
	Item     OfferItem
	Revision int
	Now      Decision    // of the order with it
	More     money.Minor // what is charged; below 0, what is paid back
}

// AddAfter decides an order with what a nudge offers after it taken. s is a shop as
// [AfterOrder] makes it; false where the offer does not hold, or its price is not certain.
func AddAfter(s *snapshot.Snapshot, r Request, toPay money.Minor, id, sku, instead string) (Addition, bool, error) {
	var out Addition
	now, err := Decide(s, r)
	if err != nil || now.ToPay != toPay {
		return out, false, err // what was charged is not what these nudges make
	}
	for _, o := range now.Offers {
		for _, it := range o.Items {
			if o.Nudge == id && it.SKU == sku && it.Instead == instead && !it.Taken && it.More != nil {
				out.Item = it
			}
		}
	}
	if out.Item.SKU == "" {
		return out, false, nil
	}
	r.Cart = r.Cart.Take(id, out.Item)
	if out.Now, err = Decide(s, r); err != nil {
		return out, false, err
	}
	if n := s.Find(id); len(n) > 0 {
		out.Revision = s.Nudges[n[0]].Revision
	}
	out.More = out.Now.ToPay - toPay
	return out, out.More == *out.Item.More, nil
}
