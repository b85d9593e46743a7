package lindquill

import (
	"cmp"
	"net/http"
	"slices"
	"strconv"
	"time"

	"github.com/labstack/echo/v5"

	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/nudge"
)

// setTile is a set on the counter.
type setTile struct{ Nudge, Title, Picture string }

// sets are those that can be put together where the order goes.
func (v *visit) sets() (out []setTile) {
	for _, s := range v.stock.Sets {
		if len(s.Regions) > 0 && !slices.Contains(s.Regions, v.region.ID) {
			continue
		}
		t := setTile{Nudge: s.Nudge, Title: cmp.Or(s.Headings[string(v.tongue)], s.Headings["en"])}
		if t.Title == "" {
			t.Title = v.say("Put a set together")
		}
		if p, ok := v.stock.list.Catalog().Product(s.Product); ok {
			t.Picture = p.Picture
		}
		out = append(out, t)
	}
	return out
}

// setPage is where a set is put together; the embed draws it.
func (s *shop) setPage(c *echo.Context) error {
	id := c.Param("nudge")
	for _, t := range of(c).sets() {
		if t.Nudge == id {
			return s.show(c, http.StatusOK, "set", t.Title, "", decide.Page{Kind: nudge.SetPage, Set: id}, t)
		}
	}
	return s.missing(c)
}

// setGroup is how a set stands in the cart.
func (v *visit) setGroup(d decide.Decision, b *decide.Build) cartGroup {
	g := cartGroup{Set: b.ID, Title: v.say("A set")}
	for _, o := range d.Builds {
		if o.ID != b.ID || o.Nudge != b.Nudge {
			continue
		}
		if g.Say, g.Price = o.Text, v.money(o.Price); o.Heading != "" {
			g.Title = o.Heading
		}
		if o.Price < o.Amount {
			g.Was = v.money(o.Amount)
		}
		if o.Plan != nil {
			g.Plan = o.Plan.Text
			if o.Later != nil {
				g.Later = v.money(*o.Later)
			}
			for _, d := range o.Plan.Next {
				if day, err := time.Parse(time.DateOnly, d); err == nil {
					g.Next = append(g.Next, v.day(day))
				}
			}
		}
	}
	return g
}

// build puts a set into the cart, as one.
func (s *shop) build(c *echo.Context) error {
	v := of(c)
	form, err := c.FormValues()
	if err != nil {
		return err
	}
	id, plan := form.Get("nudge"), form.Get("plan")
	lines := slices.Clone(v.cart.Lines)
	b := &decide.Build{Nudge: id, ID: freeSet(lines)}
	skus, many := form["sku"], form["quantity"]
	wrong := ""
	for i, sku := range skus {
		n := int64(0)
		if i < len(many) {
			n, _ = strconv.ParseInt(many[i], 10, 64)
		}
		it, known := v.stock.list.Catalog().Item(sku)
		if !known || n < 1 || n > mostOfOne || !readable(id) || id == "" || len(id) > 100 || !readable(plan) || len(plan) > 100 {
			wrong = v.say("This set cannot be put together any more; nothing was added.")
			break
		}
		if it.Variant.Stock != nil && v.inCart(sku)+n > *it.Variant.Stock {
			wrong = v.say("%s has run out meanwhile; nothing was added. Choose something else in its place.", it.Label())
			break
		}
		lines = append(lines, decide.CartLine{SKU: sku, Quantity: n, Plan: plan, Build: b})
	}
	if len(skus) == 0 {
		wrong = v.say("Nothing was chosen yet.")
	}
	if wrong == "" {
		wrong = v.fits(lines)
	}
	if wrong != "" {
		tell(c, slip{Say: wrong})
		return back(c, false)
	}
	writeCookie(c, "lq_cart", printCart(lines))
	return back(c, true)
}

// inCart is how many of a variant the cart holds, on all lines.
func (v *visit) inCart(sku string) (n int64) {
	for _, l := range v.cart.Lines {
		if l.SKU == sku {
			n += l.Quantity
		}
	}
	return n
}

// freeSet is an id that no set of the cart has.
func freeSet(lines []decide.CartLine) string {
	for n := 1; ; n++ {
		id := strconv.Itoa(n)
		if !slices.ContainsFunc(lines, func(l decide.CartLine) bool { return l.Build != nil && l.Build.ID == id }) {
			return id
		}
	}
}

// on tells whether a line of the cart is what a form is about: a SKU by itself, one that
// came as a gift of a nudge, one of a set, or all of a set where no SKU is named.
func on(l *decide.CartLine, sku, set, gift string) bool {
	in, of := "", ""
	if l.Build != nil {
		in = l.Build.ID
	}
	if l.Origin != nil {
		of = l.Origin.Nudge
	}
	return in == set && of == gift && (l.SKU == sku || sku == "" && set != "")
}
