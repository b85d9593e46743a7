package decide

import (
	"fmt"
	"slices"

	"agonal.dev/agonal/core/audience"
	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/pricing"
)

// line is a cart line with everything looked up.
type line struct {
	CartLine
	item     catalog.Item
	facts    catalog.Facts
	label    string
	unit     money.Minor
	amount   money.Minor
	cost     *money.Minor
	tax      money.Rate
	grams    int64 // of one
	giftCard bool
	neverOff bool
}

// RegionOf returns the id of the region a cart is priced in. Errors are
// [FieldErrors].
func (s *Snapshot) RegionOf(c Cart) (string, error) {
	i, err := s.regionOf(c)
	if err != nil {
		return "", err
	}
	return s.shop.Regions[i].ID, nil
}

// regionOf returns the position of the region a cart is priced in.
func (s *Snapshot) regionOf(c Cart) (int, error) {
	if d := c.Destination; d != nil {
		best, closest := -1, -1
		for i := range s.shop.Regions {
			if n, ok := s.shop.Regions[i].Covers(d.Country, d.Postcode); ok && n > closest {
				best, closest = i, n
			}
		}
		if best < 0 {
			return 0, FieldErrors{{"cart.destination.country", fmt.Sprintf("the shop does not deliver to %q", d.Country)}}
		}
		return best, nil
	}
	if c.Region == "" {
		return 0, nil
	}
	if i, ok := s.byRegion[c.Region]; ok {
		return i, nil
	}
	return 0, FieldErrors{{"cart.region", fmt.Sprintf("the shop has no region %q", c.Region)}}
}

// lines looks up the cart's lines, puts them in order (by SKU, plan, origin, then
// id), and refuses what is unknown, not sold in the region's currency, or too
// much. Free gifts are not among them: they are decided anew each time.
func (s *Snapshot) lines(req *Request, r *catalog.Region) (out []line, gifts []CartLine, err error) {
	var errs []lineError
	out = make([]line, 0, len(req.Cart.Lines)+1)
	var total money.Minor
	var grams int64
	for _, i := range inOrder(req.Cart.Lines) {
		c := req.Cart.Lines[i]
		bad := func(field, format string, args ...any) {
			errs = append(errs, lineError{i, FieldError{fmt.Sprintf("cart.lines[%d].%s", i, field), fmt.Sprintf(format, args...)}})
		}
		it, ok := s.shop.Catalog.Item(c.SKU)
		if !ok {
			bad("sku", "%q is not in the catalogue", c.SKU)
			continue
		}
		if c.Origin != nil && c.Origin.Kind == FromGift && !s.paidGift(&c) {
			gifts = append(gifts, c)
			continue
		}
		price, sold := it.Variant.PriceIn(r.Currency, c.Plan, req.Moment.At)
		switch {
		case !sold && c.Plan != "":
			bad("plan", "%s is not sold by the plan %q in %s", c.SKU, c.Plan, r.Currency)
			continue
		case !sold:
			bad("sku", "%s has no price in %s and is not sold in %s", c.SKU, r.Currency, r.Name)
			continue
		}
		amount, err := money.Times(price.Price, c.Quantity)
		if err == nil {
			total, err = money.Add(total, amount)
		}
		grams += it.Variant.Weight * c.Quantity // each at most 10⁹ × 10⁶
		if err != nil || total > money.Most/100 || grams > 1e16 {
			bad("quantity", "the cart's value is more than can be computed")
			break
		}
		l := line{
			CartLine: c, item: it, facts: catalog.FactsOf(it, price, r.ID), label: it.Label(), unit: price.Price, amount: amount, cost: price.Cost,
			tax: r.Rate(it.Variant.TaxClass), grams: it.Variant.Weight,
			giftCard: it.Product.GiftCard, neverOff: it.Product.NeverOff || it.Product.GiftCard,
		}
		l.facts.Plan = c.Plan
		out = append(out, l)
	}
	if len(errs) > 0 {
		return nil, nil, inputOrder(errs)
	}
	if a := req.Added; a != nil {
		at := s.find(a.Nudge)
		if at == nil {
			return nil, nil, FieldErrors{{"added.nudge", fmt.Sprintf("there is no nudge %q", a.Nudge)}}
		}
		out = append(out, line{
			CartLine: CartLine{Quantity: 1}, facts: s.nudges[at[0]].scope.Carried(), label: "added unit",
			unit: a.Price, amount: a.Price, tax: r.Rate(""),
		})
	}
	if req.Added != nil {
		slices.SortFunc(out, func(a, b line) int { return idOf(&a.CartLine).compare(idOf(&b.CartLine)) })
	}
	return out, gifts, nil
}

// lineError is what is wrong with a line of the request.
type lineError struct {
	line int
	FieldError
}

// inputOrder puts errors in the order of the request's lines.
func inputOrder(errs []lineError) FieldErrors {
	slices.SortStableFunc(errs, func(a, b lineError) int { return a.line - b.line })
	var out FieldErrors
	for _, e := range errs {
		out = append(out, e.FieldError)
	}
	return out
}

// inOrder lists the places of cart lines in the order in which they are decided.
func inOrder(lines []CartLine) []int {
	order := make([]int, len(lines))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(a, b int) int { return idOf(&lines[a]).compare(idOf(&lines[b])) })
	return order
}

// paidGift tells whether a gift line is of a gift at a price, which is bought like
// any other line.
func (s *Snapshot) paidGift(l *CartLine) bool {
	at := s.find(l.Origin.Nudge)
	if at == nil {
		return false
	}
	for _, r := range s.nudges[at[0]].Definition.Ladder.Rungs {
		for _, w := range r.Rewards {
			if w.Kind.Class() == nudge.GiftClass && !w.Free() && hasItem(w.Items, l.SKU) {
				return true
			}
		}
	}
	return false
}

func hasItem(items []nudge.Item, sku string) bool {
	return slices.ContainsFunc(items, func(it nudge.Item) bool { return it.SKU == sku })
}

// isAdded tells whether a line is the made-up unit of a rehearsal.
func (l *line) isAdded() bool { return l.SKU == "" }

// counts tells whether a nudge counts a line.
func (n *compiled) counts(l *line, added *Added) bool {
	if l.giftCard {
		return false
	}
	if l.isAdded() && added != nil && added.Nudge == n.ID {
		return true
	}
	if n.shelf != "" {
		return slices.Contains(l.facts.Collections, n.shelf)
	}
	return n.scope.Matches(&l.facts)
}

// toPricing turns lines into the pricing's, with numbers for products and
// variants. An added unit has a price and no quantity.
func toPricing(lines []line, extra int) []pricing.Line {
	out := make([]pricing.Line, extra, extra+len(lines))
	for i := range lines {
		l := &lines[i]
		p := pricing.Line{Unit: l.unit, Quantity: l.Quantity, Amount: l.amount, Tax: l.tax, GiftCard: l.giftCard, Grams: l.grams, Product: i, Variant: i}
		if l.isAdded() {
			p.Quantity = 0
		}
		if l.cost != nil {
			p.Cost, p.HasCost = *l.cost, true
		}
		for j := range i {
			if lines[j].item.Product != nil && lines[j].item.Product == l.item.Product {
				p.Product = out[extra+j].Product
			}
			if lines[j].item.Variant != nil && lines[j].item.Variant == l.item.Variant {
				p.Variant = out[extra+j].Variant
			}
		}
		out = append(out, p)
	}
	return out
}

// facts gathers what audiences are judged by.
func (w *work) facts() *audience.Facts {
	if w.known != nil {
		return w.known
	}
	r := w.req
	f := &audience.Facts{
		Region: w.region.ID, Codes: r.Cart.Codes, Method: r.Cart.Method, SignedIn: r.Shopper.SignedIn, Groups: r.Shopper.Groups,
		Orders: r.Shopper.Orders, LastOrder: r.Shopper.LastOrder, Lifetime: r.Shopper.Lifetime,
		Campaign: r.Visit.Campaign, Device: r.Visit.Device, Acts: r.Visit.Acts, Arms: r.Visit.Arms,
		Page: string(r.Moment.Page.Kind), At: r.Moment.At, Zone: w.s.zone,
	}
	f.Lines = make([]audience.Line, 0, len(w.lines))
	for i := range w.lines {
		if l := &w.lines[i]; !l.isAdded() {
			f.Lines = append(f.Lines, audience.Line{Goods: l.facts, Quantity: l.Quantity, Amount: l.amount, Grams: l.grams * l.Quantity, GiftCard: l.giftCard})
		}
	}
	if d := r.Cart.Destination; d != nil {
		f.Country, f.Postcode = d.Country, d.Postcode
	}
	if r.Shopper.Bought != nil {
		f.Bought = []string{}
		for _, sku := range r.Shopper.Bought {
			if it, ok := w.s.shop.Catalog.Item(sku); ok {
				f.Bought = append(f.Bought, it.Product.ID)
			}
		}
	}
	w.page(f)
	w.known = f
	return f
}

// page tells what the page shows.
func (w *work) page(f *audience.Facts) {
	page := w.req.Moment.Page
	if p, ok := w.s.shop.Catalog.Product(page.Product); ok {
		g := catalog.Facts{Product: p.ID, Collections: p.Collections, Tags: p.Tags, Region: w.region.ID}
		stock := false
		for i := range p.Variants {
			v := &p.Variants[i]
			price, sold := v.PriceIn(w.region.Currency, "", w.req.Moment.At)
			if !sold {
				continue
			}
			if !g.Priced || price.Price < g.Price {
				g.Price, g.Priced = price.Price, true
			}
			g.OnSale = g.OnSale || price.OnSale()
			g.Options = append(g.Options, v.Options...)
			stock = stock || v.Stock == nil || *v.Stock > 0
		}
		image := p.Picture != ""
		f.Goods, f.InStock, f.HasImage = &g, &stock, &image
		return
	}
	if page.Collection != "" {
		f.Goods = &catalog.Facts{Collections: []string{page.Collection}, Region: w.region.ID}
	}
}
