package nudge_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/nudge"
)

// goods are a few products of some collections, with variants of some colours.
func goods(t *rapid.T) *catalog.Catalog {
	var out []catalog.Product
	for i := range rapid.IntRange(1, 6).Draw(t, "products") {
		p := catalog.Product{ID: fmt.Sprint("p", i), Title: fmt.Sprint("P", i), GiftCard: rapid.IntRange(0, 5).Draw(t, "card") == 0}
		p.Collections = rapid.SliceOfNDistinct(rapid.SampledFrom([]string{"a", "b", "c"}), 0, 3, rapid.ID).Draw(t, "collections")
		for k := range rapid.IntRange(1, 3).Draw(t, "variants") {
			v := catalog.Variant{SKU: fmt.Sprintf("%d-%d", i, k)}
			if colour := rapid.SampledFrom([]string{"", "red", "blue"}).Draw(t, "colour"); colour != "" {
				v.Options = []catalog.Option{{Name: "size", Value: "red"}, {Name: "colour", Value: colour}}
			}
			p.Variants = append(p.Variants, v)
		}
		out = append(out, p)
	}
	c, err := catalog.New(out)
	require.NoError(t, err)
	return c
}

func TestWhatIsAlikeIsFoundByTheIndexAsByLookingAtEverything(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		c := goods(t)
		r := nudge.Reward{Kind: nudge.Companions, Choose: rapid.SampledFrom([]nudge.Choose{nudge.SameCollection, nudge.SameOption}).Draw(t, "rule"), Alike: "colour"}
		for i := range c.Products {
			main := catalog.Item{Product: &c.Products[i], Variant: &c.Products[i].Variants[0]}
			var want []*catalog.Product
			for k := range c.Products {
				shared := false
				for n := range c.Products[k].Variants {
					it := catalog.Item{Product: &c.Products[k], Variant: &c.Products[k].Variants[n]}
					one := false
					if r.Choose == nudge.SameOption {
						for _, o := range it.Variant.Options {
							for _, m := range main.Variant.Options {
								one = one || o.Name == "colour" && m == o
							}
						}
					} else {
						for _, a := range it.Product.Collections {
							for _, b := range main.Product.Collections {
								one = one || a == b
							}
						}
					}
					assert.Equal(t, one && k != i && !it.Product.GiftCard, r.GoTogether(main, it))
					shared = shared || one
				}
				if shared {
					want = append(want, &c.Products[k])
				}
			}
			assert.Equal(t, fmt.Sprint(ids(want)), fmt.Sprint(ids(r.Like(c, main))))
		}
	})
}

func ids(ps []*catalog.Product) (out []string) {
	for _, p := range ps {
		out = append(out, p.ID)
	}
	return out
}
