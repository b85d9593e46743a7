package catalog

import (
	"slices"
	"time"

	"agonal.dev/agonal/core/money"
)

// NextSize is the next dearer variant of a product that differs from this one in one
// option only, of equal prices the first SKU; false where there is none.
func (it Item) NextSize(c money.Currency, at time.Time) (*Variant, bool) {
	now, sold := it.Variant.PriceIn(c, "", at)
	var best *Variant
	var price money.Minor
	for i := range it.Product.Variants {
		v := &it.Product.Variants[i]
		p, there := v.PriceIn(c, "", at)
		if !sold || !there || p.Price <= now.Price || differences(v, it.Variant) != 1 {
			continue
		}
		if best == nil || p.Price < price || p.Price == price && v.SKU < best.SKU {
			best, price = v, p.Price
		}
	}
	return best, best != nil
}

// differences counts the options in which two variants of a product differ.
func differences(a, b *Variant) (n int) {
	for _, o := range a.Options {
		if !slices.Contains(b.Options, o) {
			n++
		}
	}
	return max(n, len(b.Options)-len(a.Options)+n)
}
