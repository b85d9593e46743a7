package snapshot

import (
	"fmt"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
)

// CheckGoods tells what a definition asks of the shop that is not there: a gift
// or offer that does not exist, amounts in another currency than the region's, a
// price for units or sets that is above everything it is for. Errors are
// nudge.FieldError.
func CheckGoods(d *nudge.Definition, cat *catalog.Catalog, regions []catalog.Region) error {
	for i := range d.Ladder.Rungs {
		for j := range d.Ladder.Rungs[i].Rewards {
			r := &d.Ladder.Rungs[i].Rewards[j]
			at := fmt.Sprintf("ladder.rungs[%d].rewards[%d]", i, j)
			for k, it := range r.Items {
				if _, ok := cat.Item(it.SKU); !ok {
					return nudge.FieldError{Field: fmt.Sprintf("%s.items[%d].sku", at, k), Why: fmt.Sprintf("the shop has no SKU %q", it.SKU)}
				}
			}
			for k, sku := range r.InPlaceOf {
				if _, ok := cat.Item(sku); !ok {
					return nudge.FieldError{Field: fmt.Sprintf("%s.in_place_of[%d]", at, k), Why: fmt.Sprintf("the shop has no SKU %q", sku)}
				}
			}
			for n := range regions {
				if err := checkAmounts(at, r, &regions[n]); err != nil {
					return err
				}
				if err := checkPrice(at, d, i, r, cat, &regions[n]); err != nil {
					return err
				}
			}
		}
	}
	return nil
}

func checkAmounts(at string, r *nudge.Reward, region *catalog.Region) error {
	for field, a := range map[string]nudge.Amounts{"amounts": r.Amounts, "cap": r.Cap, "endings": r.Endings} {
		if v, ok := a[region.ID]; ok && v.Currency != region.Currency {
			return nudge.FieldError{Field: at + "." + field + "." + region.ID, Why: fmt.Sprintf("%s is in another currency than the region's, %s", v, region.Currency)}
		}
	}
	return nil
}

// checkPrice refuses a fixed price, or a set's, at which nothing would be cheaper.
func checkPrice(at string, d *nudge.Definition, rung int, r *nudge.Reward, cat *catalog.Catalog, region *catalog.Region) error {
	price, ok := r.Amounts[region.ID]
	if !ok || r.Kind != nudge.UnitPrice && r.Kind != nudge.SetPrice && r.Kind != nudge.BuiltPrice {
		return nil
	}
	scope := &d.Ladder.Scope
	if r.On != nil {
		scope = r.On
	}
	n := max(1, r.Size)
	if r.Kind == nudge.BuiltPrice {
		n = d.Ladder.Rungs[rung].Count
	}
	dearest, any := money.Minor(0), false
	for i := range cat.Products {
		p := &cat.Products[i]
		for j := range p.Variants {
			it := catalog.Item{Product: p, Variant: &p.Variants[j]}
			v, sold := it.Variant.Prices[region.Currency]
			if !sold || any && v.Price <= dearest {
				continue
			}
			if facts := catalog.FactsOf(it, v, region.ID); scope.Matches(&facts) {
				if dearest, any = v.Price, true; dearest*n > price.Minor {
					return nil // something is cheaper by it
				}
			}
		}
	}
	if any && price.Minor >= dearest*n {
		return nudge.FieldError{Field: at + ".amounts." + region.ID, Why: fmt.Sprintf("%s is no less than %s, the most that %d of its goods cost", price, money.Amount{Minor: dearest * n, Currency: region.Currency}, n)}
	}
	return nil
}
