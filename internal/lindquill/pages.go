package lindquill

import (
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/nudge"
)

// tile is a product as it stands on a shelf.
type tile struct {
	ID, Title, Picture, Price, Was string
	From, Sold                     bool
}

func (v *visit) tile(p *catalog.Product) tile {
	t := tile{ID: p.ID, Title: p.Title, Picture: p.Picture}
	var least *catalog.Price
	for i := range p.Variants {
		price, sold := p.Variants[i].Prices[v.region.Currency]
		if !sold {
			continue
		}
		if least != nil && price.Price != least.Price {
			t.From = true
		}
		if least == nil || price.Price < least.Price {
			least = &price
		}
	}
	if least != nil {
		t.Sold, t.Price = true, v.money(least.Price)
		if least.OnSale() {
			t.Was = v.money(*least.Reference)
		}
	}
	return t
}

func (s *shop) tiles(v *visit, keep func(*catalog.Product) bool, most int) []tile {
	var out []tile
	ps := v.stock.list.Catalog().Products
	for i := range ps {
		if keep(&ps[i]) && len(out) < most {
			out = append(out, v.tile(&ps[i]))
		}
	}
	return out
}

func (s *shop) home(c *echo.Context) error {
	v := of(c)
	picks := []string{"harbour-blue", "kittiwake", "dunlin-a5", "oyster-converter", "brine", "tide-diary", "rocker-blotter", "sampler-quay"}
	ts := s.tiles(v, func(p *catalog.Product) bool { return slices.Contains(picks, p.ID) }, 8)
	if len(ts) < 4 {
		ts = s.tiles(v, func(*catalog.Product) bool { return true }, 8)
	}
	return s.show(c, http.StatusOK, "home", "Lindquill, a shop for writing", "", decide.Page{Kind: nudge.HomePage}, ts)
}

func (s *shop) collection(c *echo.Context) error {
	v := of(c)
	name, err := url.PathUnescape(c.Param("name"))
	if err != nil || !slices.Contains(v.stock.list.Catalog().Collections(), name) {
		return s.missing(c)
	}
	ts := s.tiles(v, func(p *catalog.Product) bool { return slices.Contains(p.Collections, name) }, 1000)
	return s.show(c, http.StatusOK, "collection", name, name, decide.Page{Kind: nudge.CollectionPage, Collection: name}, map[string]any{"Name": name, "Tiles": ts})
}

type productView struct {
	P       catalog.Product
	Choices []choice
	Price   string
	Was     string
	Buyable bool
	More    []tile
}

type choice struct {
	SKU, Label, Price string
	On, Out           bool
}

func (s *shop) product(c *echo.Context) error {
	v := of(c)
	p, ok := v.stock.list.Catalog().Product(c.Param("id"))
	if !ok {
		return s.missing(c)
	}
	view := productView{P: *p}
	want := c.QueryParam("sku")
	for i := range p.Variants {
		x := &p.Variants[i]
		price, sold := x.Prices[v.region.Currency]
		label := make([]string, 0, 2)
		for _, o := range x.Options {
			label = append(label, o.Value)
		}
		ch := choice{SKU: x.SKU, Label: strings.Join(label, ", "), Out: !sold || x.Stock != nil && *x.Stock == 0}
		if sold {
			ch.Price = v.money(price.Price)
		}
		if !ch.Out && (want == x.SKU || want == "" && !view.Buyable) {
			ch.On, view.Buyable, view.Price = true, true, ch.Price
			if price.OnSale() {
				view.Was = v.money(*price.Reference)
			}
		}
		view.Choices = append(view.Choices, ch)
	}
	view.More = s.tiles(v, func(o *catalog.Product) bool {
		return o.ID != p.ID && len(p.Collections) > 0 && slices.Contains(o.Collections, p.Collections[0])
	}, 4)
	here := ""
	if len(p.Collections) > 0 {
		here = p.Collections[0]
	}
	return s.show(c, http.StatusOK, "product", p.Title, here, decide.Page{Kind: nudge.ProductPage, Product: p.ID}, view)
}

func (s *shop) missing(c *echo.Context) error {
	return s.show(c, http.StatusNotFound, "missing", "Not here", "", decide.Page{}, nil)
}

func (s *shop) cart(c *echo.Context) error {
	return s.show(c, http.StatusOK, "cart", "Your cart", "", decide.Page{Kind: nudge.CartPage}, nil)
}

// back leads to the page a form was sent from, never off the site.
func back(c *echo.Context, open bool) error {
	to := c.FormValue("back")
	if !strings.HasPrefix(to, "/") || strings.HasPrefix(to, "//") || strings.HasPrefix(to, "/\\") {
		to = "/cart"
	}
	if open {
		to, _, _ = strings.Cut(to, "?")
		to += "?cart=open"
	}
	return c.Redirect(http.StatusSeeOther, to)
}

func (s *shop) add(c *echo.Context) error {
	v := of(c)
	sku := c.FormValue("sku")
	n, err := strconv.ParseInt(c.FormValue("quantity"), 10, 64)
	it, known := v.stock.list.Catalog().Item(sku)
	if err != nil || n < 1 || n > 999 || !known {
		return c.Redirect(http.StatusSeeOther, "/cart")
	}
	if _, sold := it.Variant.Prices[v.region.Currency]; !sold {
		return c.Redirect(http.StatusSeeOther, "/products/"+it.Product.ID)
	}
	i := slices.IndexFunc(v.cart.Lines, func(l decide.CartLine) bool { return l.SKU == sku })
	if i >= 0 {
		v.cart.Lines[i].Quantity = min(v.cart.Lines[i].Quantity+n, 9999)
	} else if len(v.cart.Lines) < 60 {
		v.cart.Lines = append(v.cart.Lines, decide.CartLine{SKU: sku, Quantity: n})
	}
	writeCookie(c, "lq_cart", printCart(v.cart.Lines))
	return back(c, true)
}

func (s *shop) set(c *echo.Context) error {
	v := of(c)
	sku := c.FormValue("sku")
	n, err := strconv.ParseInt(c.FormValue("quantity"), 10, 64)
	if err != nil || n < 0 || n > 9999 {
		return back(c, false)
	}
	for i := range v.cart.Lines {
		if v.cart.Lines[i].SKU == sku {
			v.cart.Lines[i].Quantity = n
		}
	}
	v.cart.Lines = slices.DeleteFunc(v.cart.Lines, func(l decide.CartLine) bool { return l.Quantity == 0 })
	writeCookie(c, "lq_cart", printCart(v.cart.Lines))
	return back(c, c.FormValue("drawer") != "")
}

func (s *shop) code(c *echo.Context) error {
	codes := strings.Fields(c.FormValue("code"))
	if len(codes) > 5 {
		codes = codes[:5]
	}
	writeCookie(c, "lq_codes", strings.Join(codes, " "))
	return back(c, false)
}

func (s *shop) deliverTo(c *echo.Context) error {
	if _, known := countryNames[c.FormValue("country")]; known {
		writeCookie(c, "lq_country", c.FormValue("country"))
	}
	return back(c, false)
}

func newCatalog(s shelf) (*catalog.Catalog, error) { return catalog.New(s.Products) }
