package merchant

import (
	"net/http"
	"time"

	"github.com/labstack/echo/v5"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/nudge"
)

// preview is the page in the frame: a made-up product page of the shop, with the
// embed that shoppers get.
func (s *server) preview(c *echo.Context) error {
	ctx, h := c.Request().Context(), at(c)
	snap, err := s.app.Snapshots.Get(ctx, h.shop.ID)
	if err != nil {
		return s.fail(c, err)
	}
	n, err := s.app.Nudge(ctx, h.shop.ID, c.Param("nudge"))
	if err != nil {
		return s.fail(c, err)
	}
	goods := previewGoods(snap.Catalog(), &n.Draft.Ladder, chosenRegion(c, &n.Draft, snap.Regions()), s.app.Now())
	return s.renderPart(c, http.StatusOK, "preview", "preview", page{Title: "Preview", Data: previewPage{goods, orElse(c.QueryParam("page"), string(nudge.ProductPage))}})
}

type previewPage struct {
	previewView
	Page string
}

type previewView struct {
	First catalog.Product
	More  []catalog.Product
}

// previewGoods are the product that the preview shows, the first that a nudge counts, and
// some beside it.
func previewGoods(cat *catalog.Catalog, scope *nudge.Ladder, r catalog.Region, now time.Time) previewView {
	var v previewView
	for i := range cat.Products {
		if p := &cat.Products[i]; v.First.ID == "" && firstIn(p, scope, r, now) >= 0 {
			v.First = *p
		}
	}
	for _, p := range cat.Products {
		switch {
		case p.GiftCard || p.ID == v.First.ID:
		case v.First.ID == "":
			v.First = p
		case len(v.More) < 4:
			v.More = append(v.More, p)
		}
	}
	return v
}

// firstIn is the first variant of a product that a scope counts and a region sells, -1:
// none.
func firstIn(p *catalog.Product, scope *nudge.Ladder, r catalog.Region, now time.Time) int {
	for j := range p.Variants {
		it := catalog.Item{Product: p, Variant: &p.Variants[j]}
		price, sold := it.Variant.PriceIn(r.Currency, "", now)
		if facts := catalog.FactsOf(it, price, r.ID); sold && !p.GiftCard && scope.Holds(&facts) {
			return j
		}
	}
	return -1
}
