package decide

import (
	"cmp"
	"slices"
	"time"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/snapshot"
)

// shelfKey names the goods of a scope in a region.
type shelfKey struct{ scope, region string }

// shelf lists what a nudge counts and the shop sells, the cheapest first. It is
// kept with the catalogue, since many carts ask for it.
func shelf(s *snapshot.Snapshot, n *snapshot.Compiled, region *catalog.Region, at time.Time) []good {
	return catalog.Keep(s.Shop.Catalog, shelfKey{n.Shelf, region.ID}, at, func() []good { return shelve(s, n, region, at) })
}

func shelve(s *snapshot.Snapshot, n *snapshot.Compiled, region *catalog.Region, at time.Time) []good {
	out := []good{}
	look := func(p *catalog.Product) {
		for i := range p.Variants {
			v := &p.Variants[i]
			price, sold := v.PriceIn(region.Currency, "", at)
			it := catalog.Item{Product: p, Variant: v}
			if !sold || price.Price == 0 || p.GiftCard {
				continue
			}
			if facts := catalog.FactsOf(it, price, region.ID); n.Scope.Matches(&facts) {
				out = append(out, good{it, price.Price, price.Price})
			}
		}
	}
	if ids := n.Scope.Include.Products; len(ids) > 0 {
		for _, id := range ids {
			if p, ok := s.Shop.Catalog.Product(id); ok {
				look(p)
			}
		}
	} else {
		for i := range s.Shop.Catalog.Products {
			look(&s.Shop.Catalog.Products[i])
		}
	}
	slices.SortFunc(out, func(a, b good) int {
		return cmp.Or(cmp.Compare(a.price, b.price), cmp.Compare(a.item.Variant.SKU, b.item.Variant.SKU))
	})
	return out
}

// firstFrom returns the place of the first good that costs at least so much.
func firstFrom(goods []good, price money.Minor) int {
	i, _ := slices.BinarySearchFunc(goods, price, func(g good, p money.Minor) int { return cmp.Compare(g.price, p) })
	return i
}

// close lists goods in stock that come close to closing a gap, the least expected
// overshoot first.
func (w *work) close(shelf []good, r *RungOutcome, missing int64) []good {
	var out []good
	seen := map[string]bool{}
	put := func(g good) bool {
		g.adds = w.adds(r, g.item, g.price)
		if g.adds == 0 || seen[g.item.Variant.SKU] {
			return false
		}
		if q := quantity(g, missing); q > mostQuantity || !w.inStock(g.item.Variant.SKU, q) {
			return false
		}
		seen[g.item.Variant.SKU] = true
		out = append(out, g)
		return true
	}
	if r.Measure == nudge.Value {
		for q := int64(1); q <= mostQuantity && q <= missing; q++ {
			n := 0
			for i := firstFrom(shelf, (missing+q-1)/q); i < len(shelf) && n < mostAlike && i < firstFrom(shelf, (missing+q-1)/q)+mostTriedSets*2; i++ {
				if put(shelf[i]) {
					n++
				}
			}
		}
	} else {
		for i := range shelf {
			if put(shelf[i]) && len(out) >= mostInSets && r.Measure != nudge.Weight {
				break
			}
		}
	}
	slices.SortFunc(out, func(a, b good) int {
		return cmp.Or(cmp.Compare(overshoot(a, missing), overshoot(b, missing)), cmp.Compare(quantity(a, missing), quantity(b, missing)), cmp.Compare(a.item.Variant.SKU, b.item.Variant.SKU))
	})
	return out
}

// adds is what one more of a good adds to a rung's measure.
func (w *work) adds(r *RungOutcome, it catalog.Item, price money.Minor) int64 {
	switch r.Measure {
	case nudge.Units:
		return 1
	case nudge.Weight:
		return it.Variant.Weight
	case nudge.Distinct, nudge.SameProduct, nudge.SameVariant:
		same := slices.ContainsFunc(w.lines, func(l line) bool {
			if r.Measure == nudge.SameVariant {
				return l.item.Variant == it.Variant
			}
			return l.item.Product == it.Product
		})
		if same == (r.Measure != nudge.Distinct) {
			return 1
		}
		return 0
	}
	return price
}

// sets makes sets of two and three different goods in stock, the least overshoot
// first.
func (w *work) sets(shelf []good, missing int64) [][]SuggestedItem {
	var pool []good
	for i := firstFrom(shelf, missing) - 1; i >= 0 && len(pool) < mostInSets; i-- {
		if w.inStock(shelf[i].item.Variant.SKU, 1) {
			pool = append(pool, shelf[i]) // the dearest first: they need the fewest
		}
	}
	slices.Reverse(pool)
	type set struct {
		over int64
		of   []int
	}
	var all []set
	for a := range pool {
		for b := a + 1; b < len(pool); b++ {
			if pool[a].item.Product == pool[b].item.Product {
				continue
			}
			two := pool[a].adds + pool[b].adds
			if two >= missing {
				all = append(all, set{two - missing, []int{a, b}})
				continue
			}
			for c := b + 1; c < len(pool); c++ {
				if p := pool[c].item.Product; p != pool[a].item.Product && p != pool[b].item.Product && two+pool[c].adds >= missing {
					all = append(all, set{two + pool[c].adds - missing, []int{a, b, c}})
				}
			}
		}
	}
	slices.SortStableFunc(all, func(x, y set) int {
		return cmp.Or(cmp.Compare(x.over, y.over), cmp.Compare(len(x.of), len(y.of)), slices.Compare(x.of, y.of))
	})
	var out [][]SuggestedItem
	for _, s := range all[:min(len(all), mostTriedSets/2)] {
		var items []SuggestedItem
		for _, k := range s.of {
			items = append(items, SuggestedItem{SKU: pool[k].item.Variant.SKU, Label: pool[k].item.Label(), Quantity: 1})
		}
		out = append(out, items)
	}
	return out
}
