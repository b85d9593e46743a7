package lindquill

import (
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/snapshot"
)

// tile is a product as it stands on a shelf.
type tile struct {
	ID, Title, Picture, Price, Was string
	Badge                          string
	Sold                           bool
}

func (v *visit) tile(p *catalog.Product) tile {
	t := tile{ID: p.ID, Title: p.Title, Picture: p.Picture}
	var least *catalog.Price
	from := false
	for i := range p.Variants {
		price, sold := p.Variants[i].Prices[v.region.Currency]
		if !sold {
			continue
		}
		if least != nil && price.Price != least.Price {
			from = true
		}
		if least == nil || price.Price < least.Price {
			least = &price
		}
	}
	if least != nil {
		if t.Sold, t.Price = true, v.money(least.Price); from {
			t.Price = v.say("from %s", t.Price)
		}
		if least.OnSale() {
			t.Was = v.money(*least.Reference)
		}
	}
	if b, on := v.stock.Badges[v.region.ID][p.ID]; on {
		upTo := b.UpTo
		if t.Badge = fmt.Sprintf("−%d %%", b.Percent); v.stock.BadgeStyle.Shows == snapshot.ShowsAmount {
			t.Badge, upTo = "−"+v.money(b.Off), b.UpToOff
		}
		if upTo {
			t.Badge = v.say("up to %s", t.Badge)
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
	return s.show(c, http.StatusOK, "home", v.say("Lindquill, a shop for writing"), "", decide.Page{Kind: nudge.HomePage}, homeView{ts, v.sets()})
}

type homeView struct {
	Tiles []tile
	Sets  []setTile
}

func (s *shop) collection(c *echo.Context) error {
	v := of(c)
	name, err := url.PathUnescape(c.Param("name"))
	if err != nil || !slices.Contains(v.stock.list.Catalog().Collections(), name) {
		return s.missing(c)
	}
	ts := s.tiles(v, func(p *catalog.Product) bool { return slices.Contains(p.Collections, name) }, 1000)
	return s.show(c, http.StatusOK, "collection", v.say(name), name, decide.Page{Kind: nudge.CollectionPage, Collection: name}, map[string]any{"Name": name, "Tiles": ts})
}

type productView struct {
	P       catalog.Product
	Choices []choice
	Price   string
	Was     string
	Badge   string
	Prior   string
	Buyable bool
	Why     string // it cannot be bought
	Typed   string // the quantity
	Error   string // what is wrong with it
	More    []tile
}

// Chosen is the variant that is chosen.
func (w productView) Chosen() string {
	for _, ch := range w.Choices {
		if ch.On {
			return ch.SKU
		}
	}
	return ""
}

type choice struct {
	SKU, Text, Price, Was string
	Badge, Prior          string // of a reduced price: the percentage, and what the law asks to be said
	On, Out               bool
}

func (s *shop) product(c *echo.Context) error {
	v := of(c)
	p, ok := v.stock.list.Catalog().Product(c.Param("id"))
	if !ok {
		return s.missing(c)
	}
	view := productView{P: *p, Typed: "1"}
	want := c.QueryParam("sku")
	if _, ok := v.stock.list.Catalog().Item(want); !ok || !slices.ContainsFunc(p.Variants, func(x catalog.Variant) bool { return x.SKU == want }) {
		want = "" // not one of these: show the first
	}
	view.choose(v, want)
	if f := v.slip; f.In == "product" {
		view.Typed, view.Error = f.Typed, f.Say
	}
	view.More = s.tiles(v, func(o *catalog.Product) bool {
		return o.ID != p.ID && len(p.Collections) > 0 && slices.Contains(o.Collections, p.Collections[0])
	}, 4)
	here := ""
	if len(p.Collections) > 0 {
		here = p.Collections[0]
	}
	return s.show(c, http.StatusOK, "product", p.Title, here, decide.Page{Kind: nudge.ProductPage, Product: p.ID, Variant: view.Chosen()}, view)
}

func (s *shop) missing(c *echo.Context) error {
	return s.show(c, http.StatusNotFound, "missing", of(c).say("Not here"), "", decide.Page{}, nil)
}

func (s *shop) cart(c *echo.Context) error {
	return s.show(c, http.StatusOK, "cart", of(c).say("Your cart"), "", decide.Page{Kind: nudge.CartPage}, nil)
}

// choose lists the variants, with the wanted one chosen, or the first there is.
func (w *productView) choose(v *visit, want string) {
	sold := false
	for i := range w.P.Variants {
		x := &w.P.Variants[i]
		price, priced := x.Prices[v.region.Currency]
		var words []string
		for _, o := range x.Options {
			words = append(words, o.Value)
		}
		ch := choice{SKU: x.SKU, Out: !priced || x.Stock != nil && *x.Stock == 0}
		if len(words) == 0 {
			words = []string{v.say("the one there is")}
		}
		ch.Text = strings.Join(words, ", ")
		if priced {
			sold = true
			ch.Price = v.money(price.Price)
			ch.Text += " · " + ch.Price
			if price.OnSale() {
				ch.Was = v.money(*price.Reference)
			}
			if b, on := v.stock.Reductions[v.region.ID][x.SKU]; on {
				if ch.Badge = fmt.Sprintf("−%d %%", b.Percent); v.stock.BadgeStyle.Shows == snapshot.ShowsAmount {
					ch.Badge = "−" + v.money(b.Was-b.Now)
				}
				if v.region.PriorPrice {
					ch.Prior = v.say("%s was the lowest price of the 30 days before", v.money(b.Was))
				}
			}
		}
		if ch.Out {
			ch.Text += " (" + v.say("sold out") + ")"
		}
		if !ch.Out && (want == x.SKU || !w.Buyable) {
			for j := range w.Choices {
				w.Choices[j].On = false
			}
			ch.On, w.Buyable, w.Price, w.Was, w.Badge, w.Prior = true, true, ch.Price, ch.Was, ch.Badge, ch.Prior
		}
		w.Choices = append(w.Choices, ch)
	}
	switch {
	case w.Buyable:
	case !sold:
		w.Why = v.say("This is not sold where you are.")
	default:
		w.Why = v.say("Sold out. It will be back on the shelf.")
	}
}

// back leads to the page a form was sent from, never off the site.
func back(c *echo.Context, open bool) error {
	to := ownPath(c.FormValue("back"))
	if open && to != "/cart" {
		to += "?cart=open"
	}
	return c.Redirect(http.StatusSeeOther, to)
}

// ownPath is a path of the shop without what follows a question mark; any other
// address becomes the cart's.
func ownPath(to string) string {
	u, err := url.Parse(to)
	if err != nil || u.Scheme != "" || u.Host != "" || !strings.HasPrefix(u.Path, "/") || strings.HasPrefix(u.Path, "//") || strings.ContainsAny(to, "\\\t\r\n") {
		return "/cart"
	}
	return u.EscapedPath()
}

// mostOfOne is how many of one variant a cart holds.
const mostOfOne = 9999

// quantity reads what was typed; wrong says what is not right with it.
func (t tongue) quantity(typed string, least int64) (n int64, wrong string) {
	n, err := strconv.ParseInt(strings.TrimSpace(typed), 10, 64)
	if err != nil || n < least || n > mostOfOne {
		return 0, t.say("Write a whole number from %d to %d.", least, mostOfOne)
	}
	return n, ""
}

// fits says what keeps a cart from being so large, or nothing.
func (t tongue) fits(lines []decide.CartLine) string {
	var n int64
	for _, l := range lines {
		n += l.Quantity
	}
	switch {
	case n > decide.MostQuantity:
		return t.say("A cart holds at most %d pieces; this would be %d. Nothing was changed.", decide.MostQuantity, n)
	case len(lines) > mostCartLines:
		return t.say("A cart holds at most %d different things. Nothing was changed.", mostCartLines)
	}
	return ""
}

func (s *shop) add(c *echo.Context) error {
	v := of(c)
	sku, typed := c.FormValue("sku"), c.FormValue("quantity")
	it, known := v.stock.list.Catalog().Item(sku)
	if !known {
		tell(c, slip{Say: v.say("This is not on our shelves any more; nothing was added.")})
		return back(c, false)
	}
	here := "/products/" + it.Product.ID + "?sku=" + url.QueryEscape(sku)
	if _, sold := it.Variant.Prices[v.region.Currency]; !sold {
		tell(c, slip{Say: v.say("%s is not sold in %s; nothing was added.", it.Label(), v.say(v.region.Name))})
		return c.Redirect(http.StatusSeeOther, here)
	}
	n, wrong := v.quantity(typed, 1)
	lines := slices.Clone(v.cart.Lines)
	set := c.FormValue("set") // the goods finish a set that lies in the cart
	part := slices.IndexFunc(lines, func(l decide.CartLine) bool { return set != "" && l.Build != nil && l.Build.ID == set })
	if i := slices.IndexFunc(lines, func(l decide.CartLine) bool { return on(&l, sku, set, "") }); i >= 0 {
		lines[i].Quantity += n
		if lines[i].Quantity > mostOfOne && wrong == "" {
			wrong = v.say("The cart has %d of it already, and holds at most %d.", lines[i].Quantity-n, mostOfOne)
		}
	} else {
		line := decide.CartLine{SKU: sku, Quantity: n}
		if part >= 0 {
			line.Plan, line.Build = lines[part].Plan, lines[part].Build
		}
		lines = append(lines, line)
	}
	if wrong == "" {
		wrong = v.fits(lines)
	}
	if wrong != "" {
		tell(c, slip{In: "product", SKU: sku, Typed: typed, Say: wrong})
		return c.Redirect(http.StatusSeeOther, here)
	}
	writeCookie(c, "lq_cart", printCart(lines))
	return back(c, true)
}

func (s *shop) set(c *echo.Context) error {
	v := of(c)
	sku, set, typed, in := c.FormValue("sku"), c.FormValue("set"), c.FormValue("quantity"), c.FormValue("in")
	n, wrong := v.quantity(typed, 0)
	lines := slices.Clone(v.cart.Lines)
	for i := range lines {
		if on(&lines[i], sku, set, c.FormValue("gift")) {
			lines[i].Quantity = n
		}
	}
	lines = slices.DeleteFunc(lines, func(l decide.CartLine) bool { return l.Quantity == 0 })
	if wrong == "" {
		wrong = v.fits(lines)
	}
	if wrong != "" {
		tell(c, slip{In: in, SKU: sku, Typed: typed, Say: wrong})
		return back(c, in == "drawer")
	}
	writeCookie(c, "lq_cart", printCart(lines))
	return back(c, in == "drawer")
}

// mostCodes is how many codes are looked at.
const mostCodes = 5

func (s *shop) code(c *echo.Context) error {
	v := of(c)
	codes := strings.Fields(c.FormValue("code"))
	if len(codes) > mostCodes {
		tell(c, slip{Say: v.say("At most %d codes are looked at; the first %d are.", mostCodes, mostCodes)})
		codes = codes[:mostCodes]
	}
	had := readCookie(c, "lq_codes")
	switch now := strings.Join(codes, " "); {
	case now == "" && had == "":
		tell(c, slip{Say: v.say("Write a code first.")})
	case now == "":
		tell(c, slip{Say: v.say("No code is used any more.")})
	case now == had:
		tell(c, slip{Say: v.say("This code was looked at already; what came of it stands beside it.")})
	}
	writeCookie(c, "lq_codes", strings.Join(codes, " "))
	return back(c, false)
}

func (s *shop) deliverTo(c *echo.Context) error {
	if _, known := countryNames[c.FormValue("country")]; known {
		writeCookie(c, "lq_country", c.FormValue("country"))
	}
	writeCookie(c, "lq_postcode", strings.TrimSpace(c.FormValue("postcode")))
	return back(c, false)
}

func newCatalog(s shelf) (*catalog.Catalog, error) { return catalog.New(s.Products) }
