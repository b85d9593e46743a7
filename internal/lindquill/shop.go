// Package lindquill is the made-up shop Lindquill: its pages, its till and its
// simulated payment. It knows Agonal only through the public API and the embed;
// where Agonal is away, list prices come from the core without nudges.
package lindquill

import (
	"bytes"
	"context"
	"crypto/rand"
	"embed"
	"encoding/json"
	"fmt"
	"html/template"
	"io/fs"
	"log/slog"
	"net/http"
	"net/url"
	"path"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode"
	"unicode/utf8"

	"github.com/labstack/echo/v5"

	"agonal.dev/agonal/core/audience"
	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/snapshot"
	"agonal.dev/agonal/internal/pictures"
	"agonal.dev/agonal/internal/serving"
)

//go:embed templates
var templates embed.FS

// Config is how the shop is set up.
type Config struct {
	Agonal      string // the API's address as the shop's server calls it
	Embed       string // the address shoppers' browsers load the embed from
	Publishable string
	Secret      string
	StateDir    string
	Dist        fs.FS
	QuoteKey    []byte // signs quotes
}

type shop struct {
	cfg    Config
	client *client
	goods  *goods
	ledger *ledger
	pages  map[tongue]map[string]*template.Template
	log    *slog.Logger
	turns  turns
	till   till
}

// Mount adds the shop to a router. It follows Agonal until the context ends.
func Mount(ctx context.Context, e *echo.Echo, cfg Config, log *slog.Logger) error {
	s := &shop{cfg: cfg, client: newClient(cfg), turns: newTurns(pagesAtATime, pagesWaiting), pages: map[tongue]map[string]*template.Template{}, log: log}
	s.goods = &goods{client: s.client, file: filepath.Join(cfg.StateDir, "catalogue.json"), log: log}
	var err error
	if s.ledger, err = openLedger(cfg.StateDir, s.client, log); err != nil {
		return fmt.Errorf("the shop's orders: %w", err)
	}
	assets := serving.NewAssets(cfg.Dist)
	assets.Mount(e)
	names, err := fs.Glob(templates, "templates/page-*.html")
	if err != nil {
		return err
	}
	for _, lang := range tongues {
		s.pages[lang] = map[string]*template.Template{}
		for _, n := range names {
			funcs := template.FuncMap{"path": url.PathEscape, "field": newField, "args": args, "asset": assets.URL, "say": lang.say}
			t, err := template.New("").Funcs(funcs).ParseFS(templates, "templates/layout.html", n)
			if err != nil {
				return err
			}
			s.pages[lang][strings.TrimSuffix(strings.TrimPrefix(path.Base(n), "page-"), ".html")] = t
		}
	}
	go s.goods.keep(ctx)
	go s.ledger.deliver(ctx)
	s.routes(e)
	return nil
}

// quantityOf is a number before what there are so many of.
func quantityOf(n int64) string { return strconv.FormatInt(n, 10) + " × " }

// upper begins a label with a capital.
func upper(s string) string {
	r, n := utf8.DecodeRuneInString(s)
	if n == 0 || r == utf8.RuneError {
		return s
	}
	return string(unicode.ToUpper(r)) + s[n:]
}

// args makes a map from names and values, to hand several to a part.
func args(pairs ...any) (map[string]any, error) {
	out := make(map[string]any, len(pairs)/2)
	for i := 0; i+1 < len(pairs); i += 2 {
		name, ok := pairs[i].(string)
		if !ok {
			return nil, fmt.Errorf("args: %v is not a name", pairs[i])
		}
		out[name] = pairs[i+1]
	}
	return out, nil
}

// slip is what was wrong with the last form, told on the page that follows.
type slip struct {
	In    string `json:"in,omitempty"` // product, page or drawer: where it was typed
	SKU   string `json:"sku,omitempty"`
	Typed string `json:"typed,omitempty"`
	Say   string `json:"say"`
}

const slipCookie = "lq_slip"

// mostTyped bounds what is kept of a field.
const mostTyped = 20

func tell(c *echo.Context, s slip) {
	if len(s.Typed) > mostTyped {
		s.Typed = s.Typed[:mostTyped]
	}
	if b, err := json.Marshal(s); err == nil {
		writeCookie(c, slipCookie, string(b))
	}
}

// takeSlip reads what was told, once.
func takeSlip(c *echo.Context) (s slip) {
	text := readCookie(c, slipCookie)
	if text == "" || c.Request().Method != http.MethodGet {
		return s
	}
	c.SetCookie(&http.Cookie{Name: slipCookie, Path: "/", MaxAge: -1})
	if json.Unmarshal([]byte(text), &s) != nil {
		return slip{}
	}
	return s
}

func (s *shop) routes(e *echo.Echo) {
	pictures.Mount(e)
	g := e.Group("", s.small, s.oneOfFew, s.open)
	g.GET("/", s.home)
	g.GET("/collections/:name", s.collection)
	g.GET("/products/:id", s.product)
	g.GET("/cart", s.cart)
	g.POST("/cart/add", s.add)
	g.POST("/cart/gift", s.gift)
	g.POST("/cart/offer", s.offer)
	g.POST("/cart/together", s.together)
	g.POST("/cart/set", s.set)
	g.POST("/cart/build", s.build)
	g.GET("/sets/:nudge", s.setPage)
	g.POST("/cart/code", s.code)
	g.POST("/deliver-to", s.deliverTo)
	g.POST("/language", s.speak)
	g.GET("/share-to", s.shareTo)
	g.POST("/share-to", s.post)
	g.GET("/c/:token", s.linked)
	g.GET("/account", s.account)
	g.POST("/account", s.signIn)
	g.GET("/checkout", s.checkout)
	g.POST("/checkout", s.checkoutForm)
	g.GET("/thanks/:key", s.thanks)
	g.POST("/thanks/:key/offer", s.addAfter)
	g.POST("/thanks/:key/plan", s.plan)
	g.RouteNotFound("/*", s.missing)
	otherwise := e.HTTPErrorHandler
	e.HTTPErrorHandler = func(c *echo.Context, err error) {
		if strings.HasPrefix(c.Request().URL.Path, "/assets/") || s.failed(c, err) != nil {
			otherwise(c, err)
		}
	}
}

// failed answers where no handler did, as the shop's other pages do where it can.
func (s *shop) failed(c *echo.Context, err error) error {
	switch status := echo.StatusCode(err); status {
	case http.StatusNotFound, http.StatusMethodNotAllowed:
		return s.oneOfFew(s.open(s.missing))(c)
	case 0, http.StatusInternalServerError:
		s.log.Error("a page failed", "path", c.Request().URL.Path, "error", err)
		return bare(c, http.StatusInternalServerError, text("This page failed"), text("Your cart is kept. Load the page again in a moment."))
	default:
		return bare(c, status, text("This cannot be read"), text("Your cart is kept. Go back and try again."))
	}
}

// bare is a page that needs nothing of the shop.
func bare(c *echo.Context, status int, heading, say string) error {
	t := tongueOf(c)
	heading, say = t.say(heading), t.say(say)
	return c.HTML(status, `<!doctype html><html lang="`+string(t)+`"><head><meta charset="utf-8" /><meta name="viewport" content="width=device-width" /><title>`+heading+` · Lindquill</title></head>`+
		`<body><h1>`+heading+`</h1><p>`+say+`</p><p><a href="/">`+t.say("Back to the shop")+`</a></p></body></html>`)
}

// visit is one request of a shopper.
type visit struct {
	tongue
	stock   *stock
	region  *catalog.Region
	cart    decide.Cart
	state   decide.Visit
	who     person // signed in; zero: nobody
	shopper decide.Shopper
	told    string
	slip    slip // of the form before this page
}

const visitKey = "lindquill.visit"

func of(c *echo.Context) *visit {
	v, _ := c.Get(visitKey).(*visit)
	return v
}

// open reads the shopper's cookies: the cart, where it goes, and what the embed
// remembers of the visit.
func (s *shop) open(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		st := s.goods.get()
		if st == nil {
			c.Response().Header().Set("Retry-After", "2")
			return bare(c, http.StatusServiceUnavailable, text("We are just opening"), text("Load the page again in a moment."))
		}
		v := &visit{tongue: tongueOf(c), stock: st, region: &st.Regions[0]}
		country := readCookie(c, "lq_country")
		for i := range st.Regions {
			if slices.Contains(st.Regions[i].Countries, country) {
				v.region = &st.Regions[i]
			}
		}
		if !slices.Contains(v.region.Countries, country) {
			country = v.region.Countries[0]
		}
		v.cart = parseCart(readCookie(c, "lq_cart"))
		v.cart.Codes = strings.FieldsFunc(readCookie(c, "lq_codes"), func(r rune) bool { return r == ' ' })
		v.cart.Codes = slices.DeleteFunc(v.cart.Codes, func(s string) bool { return !readable(s) })
		v.cart.Codes = v.cart.Codes[:min(len(v.cart.Codes), mostCodes)]
		v.cart.Destination = &decide.Destination{Country: country}
		if postcode := readCookie(c, "lq_postcode"); len(postcode) <= 12 && readable(postcode) {
			v.cart.Destination.Postcode = postcode
		}
		v.dropUnsold()
		if v.slip = takeSlip(c); v.slip.In == "" && v.slip.Say != "" {
			v.told = strings.TrimSpace(v.told + " " + v.slip.Say)
		}
		v.state = parseVisit(readCookie(c, "agonal_visit"))
		v.state.Visitor = visitor(c)
		v.state.Remembered = parseRemembered(readCookie(c, "agonal_shows"), time.Now())
		gifts := readGifts(c)
		v.state.RemovedGifts, v.state.Picks = gifts.Removed, gifts.Picks
		if p, ok := personCalled(readCookie(c, whoCookie)); ok {
			v.who, v.shopper = p, s.shopper(p, time.Now())
		}
		s.secure(c)
		c.Set(visitKey, v)
		return next(c)
	}
}

// visitorCookie is where the embed keeps who visits, by a random number.
const visitorCookie = "agonal_visitor"

var visitorID = regexp.MustCompile(`^[\w-]{8,100}$`)

// visitor is who visits. It is set here on the first page, so that what the shop's server
// decides and what the embed decides is for the same visitor.
func visitor(c *echo.Context) string {
	if id := readCookie(c, visitorCookie); visitorID.MatchString(id) {
		return id
	}
	id := rand.Text()
	c.SetCookie(&http.Cookie{Name: visitorCookie, Value: id, Path: "/", MaxAge: 30 * 24 * 3600, SameSite: http.SameSiteLaxMode}) //nolint:gosec // the embed reads it, and it says nothing
	return id
}

// secure sets what browsers are told of every page.
func (s *shop) secure(c *echo.Context) {
	h := c.Response().Header()
	h.Set("Content-Security-Policy", "default-src 'self'; script-src 'self' "+s.cfg.Embed+"; connect-src 'self' "+s.cfg.Embed+
		"; img-src 'self' data:; frame-ancestors 'self'; base-uri 'none'; form-action 'self'; object-src 'none'")
	h.Set("Cache-Control", "no-store")
}

// dropUnsold takes goods out that are not sold where the order goes, and says so.
func (v *visit) dropUnsold() {
	v.cart.Lines = slices.DeleteFunc(v.cart.Lines, func(l decide.CartLine) bool {
		it, ok := v.stock.list.Catalog().Item(l.SKU)
		if !ok {
			return true
		}
		if _, sold := it.Variant.Prices[v.region.Currency]; !sold {
			v.told = strings.TrimSpace(v.told + " " + v.say("%s is not sold in %s and was left out.", it.Label(), v.say(v.region.Name)))
			return true
		}
		return false
	})
}

func readCookie(c *echo.Context, name string) string {
	k, err := c.Cookie(name)
	if err != nil {
		return ""
	}
	s, err := url.QueryUnescape(k.Value)
	if err != nil {
		return ""
	}
	return s
}

func writeCookie(c *echo.Context, name, value string) {
	c.SetCookie(&http.Cookie{Name: name, Value: url.QueryEscape(value), Path: "/", MaxAge: 30 * 24 * 3600, HttpOnly: true, SameSite: http.SameSiteLaxMode})
}

// mostCartLines is how many different things a cart holds.
const mostCartLines = 60

// A cart is kept as sku:quantity:from:set:nudge:plan:how:instead, as far as there is
// something to say of a line: a gift at a price or an offer names the nudge that it is
// from, a line of a set the set and its nudge.
func parseCart(s string) decide.Cart {
	var out decide.Cart
	for _, part := range strings.Split(s, "|") {
		f := append(strings.Split(part, ":"), "", "", "", "", "", "", "")
		q, err := strconv.ParseInt(f[1], 10, 64)
		if err != nil || f[0] == "" || !readable(part) || q < 1 || q > decide.MostQuantity || len(out.Lines) == mostCartLines || len(part) > 400 {
			continue
		}
		l := decide.CartLine{SKU: f[0], Quantity: q, Plan: f[5]}
		switch {
		case f[2] != "":
			if l.Origin = (&decide.Origin{Kind: decide.FromGift, Nudge: f[2]}); f[6] != "" {
				l.Origin.Kind, l.Origin.Instead = decide.FromOffer, f[7]
			}
		case f[3] != "" && f[4] != "":
			l.Build = &decide.Build{ID: f[3], Nudge: f[4]}
		}
		out.Lines = append(out.Lines, l)
	}
	return out
}

func printCart(lines []decide.CartLine) string {
	parts := make([]string, len(lines))
	for i, l := range lines {
		f := []string{l.SKU, strconv.FormatInt(l.Quantity, 10), "", "", "", l.Plan, "", ""}
		if l.Origin != nil {
			if f[2] = l.Origin.Nudge; l.Origin.Kind == decide.FromOffer {
				f[6], f[7] = string(decide.FromOffer), l.Origin.Instead
			}
		}
		if l.Build != nil {
			f[3], f[4] = l.Build.ID, l.Build.Nudge
		}
		parts[i] = strings.TrimRight(strings.Join(f, ":"), ":")
	}
	return strings.Join(parts, "|")
}

func parseVisit(s string) decide.Visit {
	var v struct {
		ID      string            `json:"id"`
		Reached []decide.RungRef  `json:"reached"`
		Shown   []decide.ShownRef `json:"shown"`

		Declined []string         `json:"declined"`
		Shows    map[string]int64 `json:"shows"`

		Device   audience.Device   `json:"device"`
		Campaign map[string]string `json:"campaign"`
	}
	if json.Unmarshal([]byte(s), &v) != nil || len(v.ID) > 100 || max(len(v.Reached), len(v.Shown), len(v.Declined), len(v.Shows), len(v.Campaign)) > 60 || !readable(s) || !readable(v.ID) {
		return decide.Visit{}
	}
	if !slices.Contains(audience.Devices, v.Device) {
		v.Device = ""
	}
	return decide.Visit{ID: v.ID, Reached: v.Reached, Shown: v.Shown, Declined: v.Declined, Shows: v.Shows, Device: v.Device, Campaign: v.Campaign}
}

// parseRemembered reads what the shopper's device remembers of shows.
func parseRemembered(s string, now time.Time) map[string]decide.Remembered {
	var kept map[string][4]int64 // shows, the first of a day in Unix milliseconds, how many since, and when it was declined
	if json.Unmarshal([]byte(s), &kept) != nil || len(kept) > 60 || !readable(s) {
		return nil
	}
	out := map[string]decide.Remembered{}
	for id, k := range kept {
		r := decide.Remembered{Shows: k[0]}
		if since := now.Sub(time.UnixMilli(k[1])); since >= 0 && since < 24*time.Hour {
			r.Today = k[2]
		}
		if k[3] > 0 {
			since := max(0, int64(now.Sub(time.UnixMilli(k[3])).Seconds()))
			r.SinceDeclined = &since
		}
		out[id] = r
	}
	return out
}

// priced is a cart as it is shown: by Agonal, or by list prices while it is away.
type priced struct {
	decide.Decision
	Away bool
}

func (s *shop) price(c *echo.Context, page decide.Page) (priced, error) {
	v := of(c)
	req := decide.Request{Cart: v.cart, Visit: v.state, Shopper: v.shopper, Moment: v.moment(page)}
	d, err := s.client.decide(c.Request().Context(), req)
	if err == nil {
		return priced{d, false}, nil
	}
	// A refusal here means that the cart, as the cookie has it, fits no longer:
	// the list prices say what is wrong with it.
	d, err = decide.Decide(v.stock.list, req)
	return priced{d, true}, err
}

// moment is a page as it is asked about, with the places it has. Dialogs are the embed's own
// to ask for: it alone knows when one was last open.
func (v *visit) moment(page decide.Page) decide.Moment {
	places := []nudge.Placement{nudge.TopBar, nudge.CartDrawer, nudge.Launcher}
	switch page.Kind {
	case nudge.ProductPage:
		places = append(places, nudge.ProductBlock)
	case nudge.SetPage:
		places = append(places, nudge.SetBuilder)
	case nudge.CartPage:
		if len(v.cart.Lines) > 0 { // the page of an empty cart has no such place
			places = append(places, nudge.CartBlock)
		}
	case nudge.CheckoutPage:
		places = append(places, nudge.CheckoutBump)
	}
	return decide.Moment{Page: page, Locale: v.locale(), Placements: places}
}

// locale is how amounts and sentences are written.
func (v *visit) locale() string {
	if v.tongue == english && v.region.Currency == "GBP" {
		return "en-GB"
	}
	return string(v.tongue)
}

// page is what every page is given.
type page struct {
	Language   tongue
	Others     []tongue // that it speaks, too
	Title      string
	About      string // the page, for who finds it elsewhere
	Shelves    []string
	Here       string
	Countries  []country
	Country    string
	Postcode   string
	BadgeShape snapshot.BadgeShape
	Cart       []cartGroup
	Units      int64
	P          priced
	Goods      string
	Rewards    []rewardRow
	Gifts      []giftRow
	Choices    []giftChoice
	Shipping   string
	Fee        string
	Tax        string
	ToPay      string
	Codes      []decide.CodeOutcome
	Entered    string
	Told       string
	Who        string // signed in; empty: nobody
	Open       bool
	Request    template.JS
	Decision   template.JS
	Key        string
	Embed      string
	Top        *decide.Said
	Path       string
	AtTill     bool // the country is part of the address there
	Data       any
}

// CountryName is where the order goes.
func (p page) CountryName() string { return p.Language.say(countryNames[p.Country]) }

// Name is the language's name in itself.
func (t tongue) Name() string {
	return map[tongue]string{english: "English", german: "Deutsch"}[t]
}

// Badges is the shape of sale badges, as a class of the page.
func (p page) Badges() string {
	if p.BadgeShape == "" {
		return "notch"
	}
	return string(p.BadgeShape)
}

// CountryCodes are all countries, one after the other.
func (p page) CountryCodes() string {
	codes := make([]string, len(p.Countries))
	for i, c := range p.Countries {
		codes[i] = c.Code
	}
	return strings.Join(codes, " ")
}

type country struct{ Code, Name string }

// rewardRow is what one reward takes off the goods.
type rewardRow struct{ Text, Amount string }

// cartGroup is what stands together in the cart: one line, or the lines of a set.
type cartGroup struct {
	Set        string // its id; empty: a line by itself
	Title, Say string // of a set
	Was, Price string
	Plan       string // by which it is bought
	Later      string // what a later parcel costs
	Next       []string
	Rows       []cartRow
}

type cartRow struct {
	SKU, Label, Picture, ID, Amount string
	Set, Gift                       string // the set or the nudge that it is part of
	Was                             string // where its pieces are cheaper now
	Quantity                        int64
	slip                            slip // what is wrong with the quantity as it was typed
}

// WrongIn is what is wrong with the quantity typed in the cart page or the drawer.
func (r cartRow) WrongIn(in string) string {
	if r.slip.In != in {
		return ""
	}
	return r.slip.Say
}

// TypedIn is the quantity as it stands in the cart page or the drawer.
func (r cartRow) TypedIn(in string) string {
	if r.slip.In == in {
		return r.slip.Typed
	}
	return strconv.FormatInt(r.Quantity, 10)
}

var countryNames = map[string]string{
	"DE": text("Germany"), "AT": text("Austria"), "BE": text("Belgium"), "CZ": text("Czechia"), "DK": text("Denmark"), "ES": text("Spain"), "FI": text("Finland"), "FR": text("France"), "IE": text("Ireland"),
	"IT": text("Italy"), "LU": text("Luxembourg"), "NL": text("Netherlands"), "PL": text("Poland"), "PT": text("Portugal"), "SE": text("Sweden"), "GB": text("United Kingdom"), "JP": text("Japan"),
}

func (v *visit) money(m money.Minor) string {
	return money.Format(money.Amount{Minor: m, Currency: v.region.Currency}, v.locale())
}

// show renders a page with the cart priced for it.
func (s *shop) show(c *echo.Context, status int, name, title, here string, at decide.Page, data any) error {
	v := of(c)
	p, err := s.price(c, at)
	if err != nil {
		// The cart in the cookie cannot be priced at all: begin with an empty one
		// rather than with a page that never loads.
		v.cart.Lines, v.told = nil, v.say("Your cart could not be read and was emptied. We are sorry.")
		writeCookie(c, "lq_cart", "")
		if p, err = s.price(c, at); err != nil {
			return err
		}
	}
	return s.showPriced(c, status, name, title, here, at, data, p)
}

func (s *shop) showPriced(c *echo.Context, status int, name, title, here string, at decide.Page, data any, p priced) error {
	v := of(c)
	out := page{
		Language: v.tongue, Title: title, Shelves: v.stock.list.Catalog().Collections(), Here: here, Country: v.cart.Destination.Country, Postcode: v.cart.Destination.Postcode, BadgeShape: v.stock.BadgeStyle.Shape, P: p, Codes: p.Codes,
		Told: v.told, About: v.about(name, title, data), Open: c.QueryParam("cart") == "open", Key: s.cfg.Publishable, Embed: s.cfg.Embed, Data: data, Path: c.Request().URL.Path, AtTill: name == "checkout",
		Goods: v.money(p.Before), Tax: v.money(p.Tax), ToPay: v.money(p.ToPay), Entered: strings.Join(v.cart.Codes, " "),
	}
	if p.Shipping != nil {
		out.Shipping, out.Fee = upper(p.Shipping.Name), v.money(p.Shipping.Fee)
		if p.Shipping.Fee == 0 {
			out.Fee = v.say("free")
		}
	}
	out.Others = slices.DeleteFunc(slices.Clone(tongues), func(t tongue) bool { return t == v.tongue })
	for _, r := range v.stock.Regions {
		for _, code := range r.Countries {
			out.Countries = append(out.Countries, country{code, v.say(countryNames[code])})
		}
	}
	for _, l := range p.Lines {
		it, _ := v.stock.list.Catalog().Item(l.SKU)
		row := cartRow{SKU: l.SKU, Label: it.Label(), Picture: it.Product.Picture, ID: it.Product.ID, Amount: v.money(l.AfterUnit()), Quantity: l.Quantity}
		if l.UnitOff > 0 {
			row.Was = v.money(l.Amount)
		}
		if f := v.slip; f.SKU == l.SKU {
			row.slip = f
		}
		out.Units += l.Quantity
		if l.Origin != nil {
			row.Gift = l.Origin.Nudge
		}
		if l.Build == nil {
			out.Cart = append(out.Cart, cartGroup{Rows: []cartRow{row}})
			continue
		}
		row.Set = l.Build.ID
		i := slices.IndexFunc(out.Cart, func(g cartGroup) bool { return g.Set == l.Build.ID })
		if i < 0 {
			i = len(out.Cart)
			out.Cart = append(out.Cart, v.setGroup(p.Decision, l.Build))
		}
		if out.Cart[i].Price != "" {
			row.Was, row.Amount = "", "" // the set has one price
		}
		out.Cart[i].Rows = append(out.Cart[i].Rows, row)
	}
	for _, r := range p.OffGoods() {
		out.Rewards = append(out.Rewards, rewardRow{upper(r.Text), "−" + v.money(r.Amount)})
	}
	out.Gifts, out.Choices = v.gifts(p.Decision)
	if top := p.In(nudge.TopBar); len(top) > 0 && !p.Away {
		out.Top = &top[0]
	}
	if !p.Away {
		out.Decision = jsonFor(p.Decision)
	}
	visit := map[string]any{}
	if len(v.state.RemovedGifts) > 0 {
		visit["removed_gifts"] = v.state.RemovedGifts
	}
	if len(v.state.Picks) > 0 {
		visit["picks"] = v.state.Picks
	}
	out.Who = v.who.Name
	request := map[string]any{"cart": v.cart, "moment": v.moment(at), "visit": visit}
	if token := v.token(s.cfg.Secret, time.Now()); token != "" {
		request["shopper_token"] = token
	}
	out.Request = jsonFor(request)
	var b bytes.Buffer
	if err := s.pages[v.tongue][name].ExecuteTemplate(&b, "layout", out); err != nil {
		return err
	}
	return c.HTMLBlob(status, bytes.TrimSpace(b.Bytes()))
}

// about tells in a sentence what a page is.
func (v *visit) about(name, title string, data any) string {
	switch w, product := data.(productView); {
	case product:
		return v.say(w.P.Description)
	case name == "collection":
		return v.say("%s for writing, from Lindquill at the harbour in Vessmark.", title)
	}
	return v.say("Inks, pens, paper and what else writing needs, from Lindquill at the harbour in Vessmark.")
}

// jsonFor is JSON for a script element; json.Marshal escapes what could end it.
func jsonFor(v any) template.JS {
	b, err := json.Marshal(v)
	if err != nil {
		return "null"
	}
	return template.JS(b) //nolint:gosec // <, > and & are escaped by json.Marshal
}
