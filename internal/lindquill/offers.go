package lindquill

import (
	"slices"

	"github.com/labstack/echo/v5"

	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/nudge"
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
			tell(c, slip{Say: v.say("This offer does not hold any more; nothing was changed.")})
			return back(c, c.FormValue("in") == "drawer")
		}
		lines = v.cart.Take(id, item).Lines
	}
	if wrong := v.fits(lines); wrong != "" {
		tell(c, slip{Say: wrong})
		return back(c, c.FormValue("in") == "drawer")
	}
	writeCookie(c, "lq_cart", printCart(lines))
	return back(c, c.FormValue("in") == "drawer")
}

// together puts in what goes together: the product that the page shows, where it is not in
// the cart yet, and those of its companions that are ticked. All of it, or nothing.
func (s *shop) together(c *echo.Context) error {
	v := of(c)
	form, err := c.FormValues()
	if err != nil {
		return err
	}
	id, main, items := form.Get("nudge"), form.Get("sku"), form["item"]
	for _, x := range append([]string{id, main}, items...) {
		if !readable(x) || len(x) > 100 || len(items) > nudge.MostCompanions {
			return back(c, false)
		}
	}
	page := decide.Page{}
	cart := v.cart
	if main != "" {
		it, known := v.stock.list.Catalog().Item(main)
		if !known {
			tell(c, slip{Say: v.say("This is not on our shelves any more; nothing was added.")})
			return back(c, false)
		}
		page = decide.Page{Kind: nudge.ProductPage, Product: it.Product.ID, Variant: main}
		cart = cart.With(main, 1)
	}
	p, err := s.price(c, page)
	if err != nil {
		return err
	}
	for _, sku := range items {
		item, there := offered(p.Decision, id, sku, "")
		if !there {
			tell(c, slip{Say: v.say("This offer does not hold any more; nothing was changed.")})
			return back(c, false)
		}
		cart = cart.Take(id, item)
	}
	if wrong := v.fits(cart.Lines); wrong != "" {
		tell(c, slip{Say: wrong})
		return back(c, false)
	}
	writeCookie(c, "lq_cart", printCart(cart.Lines))
	return back(c, true)
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
