package decide

import (
	"slices"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/snapshot"
)

// Placed is an order as far as returns look at it.
type Placed struct {
	Decision Decision
	ToPay    money.Minor // what was charged; not the decision's where a shop charged alone
	Back     []int64     // how many pieces of each line came back before
	Refunded money.Minor // and what was paid back for them
}

// Refunds is what goes back for goods that come back, by each way there is to treat
// rewards that what stays no longer earns. None is below zero.
type Refunds struct {
	// All tells that nothing stays: everything is paid back, shipping too.
	All bool
	// Keep pays back what was paid for the goods, after their shares of every reward.
	Keep money.Minor
	// Charge is Keep less the list price of the gifts that what stays does not earn.
	Charge money.Minor
	// Recompute is what was charged less what the rest would have cost by itself.
	Recompute money.Minor
	// Lost are those gifts, Rest what the rest would have cost.
	Lost []LostGift
	Rest money.Minor
	// Gone are the nudges that what stays earns nothing of any more.
	Gone []string
}

// LostGift is a gift that what stays does not earn.
type LostGift struct {
	Nudge string
	Item  GiftItem
}

// Refund works out what goes back where so many more pieces of each line come back. The
// rest is priced as it would have been: at the prices of the order, by the nudges that
// gave something with it, whose audience it was in. Errors are [FieldErrors].
func Refund(s *snapshot.Snapshot, p Placed, now []int64, req Request) (Refunds, error) {
	d := &p.Decision
	var out Refunds
	req.Cart.Lines = nil
	var paid money.Minor
	for i := range d.Lines {
		l := &d.Lines[i]
		back := p.Back[i] + now[i]
		if now[i] < 0 || back > l.Quantity {
			return out, FieldErrors{{"quantity", "more than were bought cannot come back"}}
		}
		whole := l.Paid
		if !d.TaxShown {
			whole += l.Tax
		}
		paid += portion(whole, back, l.Quantity)
		if stays := l.Quantity - back; stays > 0 {
			req.Cart.Lines = append(req.Cart.Lines, CartLine{ID: l.ID, SKU: l.SKU, Quantity: stays, Plan: l.Plan, Origin: l.Origin, Build: l.Build})
		}
	}
	left := p.ToPay - p.Refunded
	if out.All = len(req.Cart.Lines) == 0; out.All {
		out.Keep, out.Charge, out.Recompute = left, left, left
		for _, g := range d.Rewards {
			out.Gone = appendNew(out.Gone, g.Nudge)
		}
		for _, g := range d.Gifts {
			out.Gone = appendNew(out.Gone, g.Nudge)
		}
		return out, nil
	}
	if d.ToPay != p.ToPay { // a shop charged alone: what it charged is shared out alike
		paid = portion(p.ToPay, paid, max(d.ToPay, 1))
	}
	out.Keep = min(max(paid-p.Refunded, 0), left)
	rest, err := Price(s, req)
	if err != nil {
		return out, err
	}
	out.Rest = rest.ToPay
	out.Recompute = min(max(left-rest.ToPay, 0), left)
	out.Lost, out.Charge = lostGifts(d, &rest), out.Keep
	for _, g := range out.Lost {
		out.Charge = max(out.Charge-g.Item.Worth(), 0)
	}
	for _, g := range d.Rewards {
		if !slices.ContainsFunc(rest.Rewards, func(r Given) bool { return r.Nudge == g.Nudge }) {
			out.Gone = appendNew(out.Gone, g.Nudge)
		}
	}
	for _, g := range out.Lost {
		out.Gone = appendNew(out.Gone, g.Nudge)
	}
	return out, nil
}

func appendNew(in []string, s string) []string {
	if slices.Contains(in, s) {
		return in
	}
	return append(in, s)
}

// portion is the share of an amount that n of so many are, half away from zero.
func portion(of money.Minor, n, all int64) money.Minor {
	if all == 0 {
		return 0
	}
	return (2*of*n + all) / (2 * all)
}

// lostGifts lists the gifts of an order that the rest does not earn.
func lostGifts(d, rest *Decision) (out []LostGift) {
	for _, g := range d.Gifts {
		earned := slices.ContainsFunc(rest.Gifts, func(r GiftOutcome) bool { return r.Nudge == g.Nudge && r.Rung == g.Rung })
		for _, it := range g.Items {
			if !earned {
				out = append(out, LostGift{g.Nudge, it})
			}
		}
	}
	return out
}

// AsPlaced is a shop as an order saw it: its goods at the order's prices, and of the
// nudges those that gave something with it, for everybody. definitions are their
// revisions as they were then.
func AsPlaced(shop snapshot.Shop, d *Decision, definitions []snapshot.Live) (snapshot.Shop, error) {
	var products []catalog.Product
	at := map[string]int{}
	product := func(sku string) *catalog.Variant {
		it, ok := shop.Catalog.Item(sku)
		if !ok {
			it = catalog.Item{Product: &catalog.Product{ID: "gone-" + sku, Title: sku}, Variant: &catalog.Variant{SKU: sku}}
		}
		i, ok := at[it.Product.ID]
		if !ok {
			i = len(products)
			at[it.Product.ID] = i
			p := *it.Product
			p.Variants = nil
			products = append(products, p)
		}
		vs := &products[i].Variants
		for k := range *vs {
			if (*vs)[k].SKU == sku {
				return &(*vs)[k]
			}
		}
		v := *it.Variant
		v.Prices, v.Plans, v.Stock = map[money.Currency]catalog.Price{}, map[string]map[money.Currency]catalog.Price{}, nil
		*vs = append(*vs, v)
		return &(*vs)[len(*vs)-1]
	}
	price := func(sku, plan string, unit money.Minor) {
		v := product(sku)
		old := catalog.Price{}
		if it, ok := shop.Catalog.Item(sku); ok {
			old, _ = it.Variant.Prices[d.Currency]
		}
		p := catalog.Price{Price: unit, Reference: old.Reference, Cost: old.Cost}
		if plan == "" {
			v.Prices[d.Currency] = p
			return
		}
		v.Plans[plan] = map[money.Currency]catalog.Price{d.Currency: p}
		if _, sold := v.Prices[d.Currency]; !sold {
			v.Prices[d.Currency] = p
		}
	}
	for i := range d.Lines {
		price(d.Lines[i].SKU, d.Lines[i].Plan, d.Lines[i].Unit)
	}
	for _, g := range d.Gifts {
		for _, it := range g.Items {
			price(it.SKU, "", it.Unit)
		}
	}
	cat, err := catalog.New(products)
	if err != nil {
		return snapshot.Shop{}, err
	}
	shop.Catalog, shop.Nudges = cat, nil
	for _, n := range definitions {
		def := n.Definition.Clone()
		def.Audience, def.Schedule, def.AppliesCode = nudge.Audience{}, nudge.Schedule{}, ""
		def.Limits.Uses, def.Limits.PerShopper, def.Limits.Budget = 0, 0, nil
		n.Definition = def
		shop.Nudges = append(shop.Nudges, n)
	}
	return shop, nil
}
