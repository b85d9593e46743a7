package lindquill

import (
	"slices"

	"github.com/labstack/echo/v5"

	"agonal.dev/agonal/core/decide"
)

// offer takes what is offered, at the price that the decision says, or takes it out again.
func (s *shop) offer(c *echo.Context) error {
	v := of(c)
	id, sku, instead := c.FormValue("nudge"), c.FormValue("sku"), c.FormValue("instead")
	for _, x := range []string{id, sku, instead} {
		if !readable(x) || len(x) > 100 {
			return back(c, c.FormValue("in") == "drawer")
		}
	}
	lines := slices.Clone(v.cart.Lines)
	if c.FormValue("do") == "drop" {
		lines = slices.DeleteFunc(lines, func(l decide.CartLine) bool {
			return l.SKU == sku && l.Origin != nil && l.Origin.Kind == decide.FromOffer && l.Origin.Nudge == id
		})
	} else {
		p, err := s.price(c, decide.Page{})
		if err != nil {
			return err
		}
		item, there := offered(p.Decision, id, sku, instead)
		if !there {
			tell(c, slip{Say: "This offer does not hold any more; nothing was changed."})
			return back(c, c.FormValue("in") == "drawer")
		}
		lines = v.cart.Take(id, item).Lines
	}
	if wrong := fits(lines); wrong != "" {
		tell(c, slip{Say: wrong})
		return back(c, c.FormValue("in") == "drawer")
	}
	writeCookie(c, "lq_cart", printCart(lines))
	return back(c, c.FormValue("in") == "drawer")
}

// offered is what a decision offers of a nudge and is not taken yet.
func offered(d decide.Decision, id, sku, instead string) (decide.OfferItem, bool) {
	for _, o := range d.Offers {
		for _, it := range o.Items {
			if o.Nudge == id && it.SKU == sku && it.Instead == instead && !it.Taken {
				return it, true
			}
		}
	}
	return decide.OfferItem{}, false
}
