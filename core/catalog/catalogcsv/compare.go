package catalogcsv

import (
	"slices"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/money"
)

// Difference is a cell in which two states of a variant differ, as a file holds it.
type Difference struct{ Column, Before, After string }

// Compare lists the cells in which a variant differs from what it was, in the
// order of columns. What a file does not hold (sales, plans, the price history) is
// not looked at.
func Compare(wasOf *catalog.Product, was *catalog.Variant, isOf *catalog.Product, is *catalog.Variant) []Difference {
	both := []catalog.Product{{Variants: []catalog.Variant{*was, *is}}}
	currencies, options := shape(both)
	header := fixedColumns(options)
	for _, c := range currencies {
		header = append(header, colPrice+string(c), colReference+string(c), colCost+string(c))
	}
	before, after := row(wasOf, was, currencies, options), row(isOf, is, currencies, options)
	var out []Difference
	for i, name := range header {
		if before[i] != after[i] {
			out = append(out, Difference{name, before[i], after[i]})
		}
	}
	return out
}

// shape returns the currencies in use, sorted, and the most options of a variant.
func shape(products []catalog.Product) ([]money.Currency, int) {
	var currencies []money.Currency
	options := 1
	for _, p := range products {
		for _, v := range p.Variants {
			options = max(options, len(v.Options))
			for c := range v.Prices {
				if !slices.Contains(currencies, c) {
					currencies = append(currencies, c)
				}
			}
		}
	}
	slices.Sort(currencies)
	return currencies, options
}
