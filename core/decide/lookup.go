package decide

import (
	"cmp"
	"fmt"
	"slices"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/pricing"
)

// line is a cart line with everything looked up.
type line struct {
	CartLine
	facts    catalog.Facts
	label    string
	unit     money.Minor
	amount   money.Minor
	tax      money.Rate
	grams    int64
	giftCard bool
	neverOff bool
}

// regionOf returns the position of the region a cart is priced in.
func (s *Snapshot) regionOf(c Cart) (int, error) {
	if d := c.Destination; d != nil {
		if i, ok := s.byCountry[d.Country]; ok {
			return i, nil
		}
		return 0, FieldErrors{{"cart.destination.country", fmt.Sprintf("the shop does not deliver to %q", d.Country)}}
	}
	if c.Region == "" {
		return 0, nil
	}
	if i, ok := s.byRegion[c.Region]; ok {
		return i, nil
	}
	return 0, FieldErrors{{"cart.region", fmt.Sprintf("the shop has no region %q", c.Region)}}
}

// lines looks up the cart's lines, puts them in order (by SKU, then id), and
// refuses what is unknown, not sold in the region's currency, or too much.
func (s *Snapshot) lines(req *Request, r *catalog.Region) ([]line, error) {
	var errs FieldErrors
	out := make([]line, 0, len(req.Cart.Lines)+1)
	var total money.Minor
	for i, c := range req.Cart.Lines {
		at := fmt.Sprintf("cart.lines[%d]", i)
		it, ok := s.shop.Catalog.Item(c.SKU)
		if !ok {
			errs = append(errs, FieldError{at + ".sku", fmt.Sprintf("%q is not in the catalogue", c.SKU)})
			continue
		}
		price, sold := it.Variant.Prices[r.Currency]
		if !sold {
			errs = append(errs, FieldError{at + ".sku", fmt.Sprintf("%s has no price in %s and is not sold in %s", c.SKU, r.Currency, r.Name)})
			continue
		}
		amount, err := money.Times(price.Price, c.Quantity)
		if err == nil {
			total, err = money.Add(total, amount)
		}
		if err != nil || total > money.Most/100 {
			errs = append(errs, FieldError{at + ".quantity", "the cart's value is more than can be computed"})
			break
		}
		out = append(out, line{
			CartLine: c, facts: catalog.FactsOf(it, price), label: it.Label(), unit: price.Price, amount: amount,
			tax: r.Rate(it.Variant.TaxClass), grams: it.Variant.Weight * c.Quantity,
			giftCard: it.Product.GiftCard, neverOff: it.Product.NeverOff || it.Product.GiftCard,
		})
	}
	if len(errs) > 0 {
		return nil, errs
	}
	if a := req.Added; a != nil {
		at := s.find(a.Nudge)
		if at == nil {
			return nil, FieldErrors{{"added.nudge", fmt.Sprintf("there is no nudge %q", a.Nudge)}}
		}
		out = append(out, line{
			CartLine: CartLine{Quantity: 1}, facts: s.nudges[at[0]].scope.Carried(), label: "added unit",
			unit: a.Price, amount: a.Price, tax: r.Rate(""),
		})
	}
	slices.SortFunc(out, func(a, b line) int {
		return cmp.Or(cmp.Compare(a.SKU, b.SKU), cmp.Compare(a.ID, b.ID))
	})
	return out, nil
}

// counts tells whether a nudge counts a line.
func (n *compiled) counts(l *line, added *Added) bool {
	if l.giftCard {
		return false
	}
	if l.SKU == "" && added != nil && added.Nudge == n.ID {
		return true
	}
	return n.scope.Matches(l.facts)
}

func toPricing(l *line) pricing.Line {
	return pricing.Line{Amount: l.amount, Tax: l.tax, GiftCard: l.giftCard}
}
