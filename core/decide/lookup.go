package decide

import (
	"fmt"
	"slices"

	"agonal.dev/agonal/core/audience"
	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/pricing"
	"agonal.dev/agonal/core/snapshot"
)

// line is a cart line with everything looked up.
type line struct {
	CartLine
	item     catalog.Item
	product  int // the first line of the same product
	variant  int // the first line of the same variant
	unit     money.Minor
	amount   money.Minor
	cost     money.Minor
	hasCost  bool // whether cost is known
	giftCard bool
	neverOff bool
	onSale   bool
	tax      money.Rate
	grams    int64          // of one
	names    []int32        // the numbers of its collections and tags
	known    *catalog.Facts // what filters see, once one has asked
}

// facts is what filters see of a line in a region.
func (l *line) facts(region *catalog.Region) *catalog.Facts {
	if l.known == nil {
		p, v := l.item.Product, l.item.Variant
		l.known = &catalog.Facts{
			Product: p.ID, SKU: v.SKU, Collections: p.Collections, Tags: p.Tags, Options: v.Options,
			OnSale: l.onSale, Region: region.ID, Price: l.unit, Priced: true, Plan: l.Plan,
		}
	}
	return l.known
}

// label names the goods of a line.
func (l *line) label() string {
	if l.isAdded() {
		return "added unit"
	}
	return l.item.Label()
}

// RegionOf returns the id of the region a cart is priced in. Errors are
// [FieldErrors].
func RegionOf(s *snapshot.Snapshot, c Cart) (string, error) {
	i, err := regionOf(s, c)
	if err != nil {
		return "", err
	}
	return s.Shop.Regions[i].ID, nil
}

// regionOf returns the position of the region a cart is priced in.
func regionOf(s *snapshot.Snapshot, c Cart) (int, error) {
	if len(s.Shop.Regions) == 0 {
		return 0, FieldErrors{{"cart.destination", "the shop delivers nowhere yet; it needs a region"}}
	}
	if d := c.Destination; d != nil {
		best, closest := -1, -1
		for i := range s.Shop.Regions {
			if n, ok := s.Shop.Regions[i].Covers(d.Country, d.Postcode); ok && n > closest {
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
	if i, ok := s.ByRegion[c.Region]; ok {
		return i, nil
	}
	return 0, FieldErrors{{"cart.region", fmt.Sprintf("the shop has no region %q", c.Region)}}
}

// look looks up the cart's lines in their order, and refuses what is unknown, not
// sold in the region's currency, or too much. Free gifts are not among them: they are
// decided anew each time.
func (w *work) look(order []int32) error {
	s, req, r := w.s, w.req, w.region
	var errs []lineError
	out := slices.Grow(w.desk.lines[:0], len(order)+1)
	wares := s.Wares(w.at)
	var total money.Minor
	var grams int64
	for _, i := range order {
		c := &req.Cart.Lines[i]
		bad := func(field, format string, args ...any) {
			errs = append(errs, lineError{int(i), FieldError{fmt.Sprintf("cart.lines[%d].%s", i, field), fmt.Sprintf(format, args...)}})
		}
		number, ok := s.Shop.Catalog.Number(c.SKU)
		if !ok {
			bad("sku", "%q is not in the catalogue", c.SKU)
			continue
		}
		if c.Origin != nil && c.Origin.Kind == FromGift && !paidGift(s, c) {
			w.giftLines = append(w.giftLines, *c)
			continue
		}
		ware := &wares[number]
		l := line{
			CartLine: *c, item: ware.Item, unit: ware.Price, cost: ware.Cost, hasCost: ware.HasCost, giftCard: ware.GiftCard, neverOff: ware.NeverOff,
			onSale: ware.OnSale, tax: ware.Tax, grams: ware.Grams, names: s.Shelved(ware),
		}
		if sold := ware.Sold; c.Plan != "" || ware.Timed {
			var price catalog.Price
			price, sold = ware.Item.Variant.PriceIn(r.Currency, c.Plan, req.Moment.At)
			l.unit, l.onSale, l.hasCost = price.Price, price.OnSale(), price.Cost != nil
			if l.hasCost {
				l.cost = *price.Cost
			}
			if !sold && c.Plan != "" {
				bad("plan", "%s is not sold by the plan %q in %s", c.SKU, c.Plan, r.Currency)
				continue
			}
		} else if !sold {
			bad("sku", "%s has no price in %s and is not sold in %s", c.SKU, r.Currency, r.Name)
			continue
		}
		var err error
		l.amount, err = money.Times(l.unit, c.Quantity)
		if err == nil {
			total, err = money.Add(total, l.amount)
		}
		grams += l.grams * c.Quantity // each at most 10⁹ × 10⁴
		if err != nil || total > money.Most/100 || grams > 1e16 {
			bad("quantity", "the cart's value is more than can be computed")
			break
		}
		out = append(out, l)
	}
	w.desk.lines = out
	if len(errs) > 0 {
		return inputOrder(errs)
	}
	if a := req.Added; a != nil {
		at := s.Find(a.Nudge)
		if at == nil {
			return FieldErrors{{"added.nudge", fmt.Sprintf("there is no nudge %q", a.Nudge)}}
		}
		n := &s.Nudges[at[0]]
		out = append(out, line{CartLine: CartLine{Quantity: 1}, known: &n.Carried, names: n.Names, unit: a.Price, amount: a.Price, tax: r.Rate("")})
		slices.SortFunc(out, func(a, b line) int { return a.compare(&b.CartLine) })
	}
	w.lines, w.usual = out, true
	for i := range out {
		w.usual = w.usual && !out[i].neverOff && out[i].Plan == "" && !out[i].isAdded()
	}
	w.alike()
	return nil
}

// alike tells lines of one product, and of one variant, together.
func (w *work) alike() {
	for i := range w.lines {
		l := &w.lines[i]
		l.product, l.variant = i, i
		for j := i - 1; j >= 0 && l.item.Product != nil; j-- {
			o := &w.lines[j]
			if o.item.Product == l.item.Product {
				l.product = o.product
				if o.item.Variant == l.item.Variant {
					l.variant = o.variant
				}
			}
		}
	}
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

// paidGift tells whether a gift line is of a gift at a price, which is bought like
// any other line.
func paidGift(s *snapshot.Snapshot, l *CartLine) bool {
	at := s.Find(l.Origin.Nudge)
	if at == nil {
		return false
	}
	for _, r := range s.Nudges[at[0]].Definition.Ladder.Rungs {
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

// toPricing turns lines into the pricing's, with numbers for products and
// variants. An added unit has a price and no quantity.
func toPricing(out []pricing.Line, lines []line, extra int) []pricing.Line {
	out = append(slices.Grow(out[:0], extra+len(lines)), make([]pricing.Line, extra)...)
	for i := range lines {
		l := &lines[i]
		p := pricing.Line{
			Unit: l.unit, Quantity: l.Quantity, Amount: l.amount, Tax: l.tax, GiftCard: l.giftCard, Grams: l.grams, Product: l.product, Variant: l.variant,
			Cost: l.cost, HasCost: l.hasCost,
		}
		if l.isAdded() {
			p.Quantity = 0
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
	f := &w.desk.facts
	f.Region, f.Codes, f.Method, f.SignedIn, f.Groups = w.region.ID, r.Cart.Codes, r.Cart.Method, r.Shopper.SignedIn, r.Shopper.Groups
	f.Orders, f.LastOrder, f.Lifetime = r.Shopper.Orders, r.Shopper.LastOrder, r.Shopper.Lifetime
	f.Campaign, f.Device, f.Acts, f.Arms = r.Visit.Campaign, r.Visit.Device, r.Visit.Acts, r.Visit.Arms
	f.Page, f.At, f.Zone = string(r.Moment.Page.Kind), r.Moment.At, w.s.Zone
	for i := range w.lines {
		if l := &w.lines[i]; !l.isAdded() {
			f.Lines = append(f.Lines, audience.Line{Quantity: l.Quantity, Amount: l.amount, Grams: l.grams * l.Quantity, GiftCard: l.giftCard})
			if w.s.Goods {
				f.Lines[len(f.Lines)-1].Goods = w.goods(l)
			}
		}
	}
	f.Remember(w.s.Leaves)
	if d := r.Cart.Destination; d != nil {
		f.Country, f.Postcode = d.Country, d.Postcode
	}
	if r.Shopper.Bought != nil {
		f.Bought = []string{}
		for _, sku := range r.Shopper.Bought {
			if it, ok := w.s.Shop.Catalog.Item(sku); ok {
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
	if p, ok := w.s.Shop.Catalog.Product(page.Product); ok {
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
