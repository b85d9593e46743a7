package nudge

import (
	"slices"
	"time"

	"agonal.dev/agonal/core/catalog"
)

// Common lists what goods have in common with those that go with them by the rule: the
// collections of their product, or the value of the option that is alike. It is empty where
// the rule is none of the two.
func (r *Reward) Common(it catalog.Item) []string {
	switch r.Choose {
	case SameCollection:
		return it.Product.Collections
	case SameOption:
		for _, o := range it.Variant.Options {
			if o.Name == r.Alike {
				return []string{o.Value}
			}
		}
	}
	return nil
}

// GoTogether tells whether goods go with others by having something in common: another
// product, that is no gift card.
func (r *Reward) GoTogether(main, it catalog.Item) bool {
	return it.Product != main.Product && !it.Product.GiftCard && slices.ContainsFunc(r.Common(it), func(c string) bool { return slices.Contains(r.Common(main), c) })
}

// commonKey names the index of what goods have in common.
type commonKey struct {
	choose Choose
	alike  string
}

// Like lists the products of which something has that in common with goods, as a rule wants
// it, in the catalogue's order. The product itself is among them.
func (r *Reward) Like(c *catalog.Catalog, main catalog.Item) []*catalog.Product {
	index := catalog.Keep(c, commonKey{r.Choose, r.Alike}, time.Time{}, func() map[string][]int { return r.index(c) })
	var at []int
	for _, common := range r.Common(main) {
		at = append(at, index[common]...)
	}
	slices.Sort(at)
	out := make([]*catalog.Product, 0, len(at))
	for _, i := range slices.Compact(at) {
		out = append(out, &c.Products[i])
	}
	return out
}

// index lists, by what is in common, the places of products in the catalogue.
func (r *Reward) index(c *catalog.Catalog) map[string][]int {
	out := map[string][]int{}
	for i := range c.Products {
		p := &c.Products[i]
		for k := range p.Variants {
			for _, common := range r.Common(catalog.Item{Product: p, Variant: &p.Variants[k]}) {
				if in := out[common]; len(in) == 0 || in[len(in)-1] != i {
					out[common] = append(in, i)
				}
			}
		}
	}
	return out
}
