package merchant

import (
	"crypto/rand"
	"encoding/hex"
	"errors"
	"net/http"

	"github.com/labstack/echo/v5"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/internal/app"
	"agonal.dev/agonal/internal/store"
)

type shopsView struct {
	Shops   []app.ShopRole
	New     app.NewShop
	Form    string // tells a second press from a second shop
	Err     map[string]string
	Zones   []string
	Locales []tokenView
}

func (s *server) shops(c *echo.Context) error {
	return s.showShops(c, http.StatusOK, shopsView{New: app.NewShop{TimeZone: "Europe/Berlin", Locale: "en"}, Form: newToken(), Err: map[string]string{}})
}

func (s *server) showShops(c *echo.Context, status int, v shopsView) error {
	shops, err := s.app.ShopsOf(c.Request().Context(), at(c).account.ID)
	if err != nil {
		return s.fail(c, err)
	}
	v.Shops, v.Zones, v.Locales = shops, timeZones(), locales()
	return s.render(c, status, "shops", page{Title: "Your shops", Data: v})
}

// makeShop makes a shop of one's own and leads to its first steps.
func (s *server) makeShop(c *echo.Context) error {
	v := shopsView{
		New:  app.NewShop{Name: c.FormValue("name"), Town: c.FormValue("town"), TimeZone: c.FormValue("time_zone"), Locale: c.FormValue("locale")},
		Form: c.FormValue("form"), Err: map[string]string{},
	}
	shop, err := s.app.CreateShop(c.Request().Context(), at(c).account, v.New, v.Form)
	var wrong app.Problem
	if errors.As(err, &wrong) {
		v.Err[wrong.Field] = wrong.Say
		return s.showShops(c, http.StatusUnprocessableEntity, v)
	}
	if err != nil {
		return s.fail(c, err)
	}
	return goTo(c, "/s/"+shop.ID+"/begin")
}

type beginView struct {
	Steps []stepView
	Done  int
	All   int
}

// stepView is one of the first steps.
type stepView struct {
	Name, About, Link, Go string
	Done, Next            bool
	Try                   bool // offers made-up goods
}

func (s *server) beginPage(c *echo.Context) error {
	h := at(c)
	v := beginView{Done: h.steps.Count(), All: 4}
	v.Steps = []stepView{
		{Name: "A region", About: "Where you deliver: countries, currency, tax, and what shipping costs.", Link: h.url("/shop/regions"), Go: "Set up a region", Done: h.steps.Region},
		{Name: "Your catalogue", About: "Products with prices and stock, as a CSV file. Or try things out with made-up goods of Lindquill, a shop for writing.", Link: h.url("/shop/import"), Go: "Import a file", Done: h.steps.Catalogue, Try: !h.steps.Catalogue},
		{Name: "Agonal on your pages", About: "Two lines of HTML. This ticks itself off when the first page has asked.", Link: h.url("/shop/connection"), Go: "Connect your pages", Done: h.steps.Seen},
		{Name: "A first nudge", About: "Say what a shopper must reach and what they get, try it, publish it.", Link: h.url("/nudges/start"), Go: "Start a nudge", Done: h.steps.Nudge},
	}
	next := false
	for i := range v.Steps {
		v.Steps[i].Next = !v.Steps[i].Done && !next
		next = next || v.Steps[i].Next
	}
	return s.render(c, http.StatusOK, "begin", page{Title: "First steps", Data: v})
}

// tryGoods puts made-up goods into a shop that has none.
func (s *server) tryGoods(c *echo.Context) error {
	ctx, h := c.Request().Context(), at(c)
	snap, err := s.app.Snapshots.Get(ctx, h.shop.ID)
	if err != nil {
		return s.fail(c, err)
	}
	if len(snap.Catalog().Products) > 0 {
		s.tell(c, flash{Say: "The shop has goods already; nothing was put in.", Tone: "open"})
		return goTo(c, h.url("/shop"))
	}
	if s.cfg.TryGoods == nil {
		return s.oops(c, http.StatusNotFound, "This server has no goods to try.")
	}
	var currencies []money.Currency
	for _, r := range snap.Regions() {
		currencies = append(currencies, r.Currency)
	}
	if err := s.app.Store.SaveProducts(ctx, h.shop.ID, s.cfg.TryGoods(currencies), s.app.Now(), nil); err != nil {
		return s.fail(c, err)
	}
	if _, err := s.app.Snapshots.Refresh(ctx, h.shop.ID); err != nil {
		return s.fail(c, err)
	}
	return s.done(c, h.url("/shop"), "Lindquill’s goods are in, to try things out. A file of yours can replace them.")
}

// newToken draws a token that tells one form from another.
func newToken() string {
	b := make([]byte, 12)
	_, _ = rand.Read(b) // never fails, see crypto/rand
	return hex.EncodeToString(b)
}

// regionOr is the first region, or an empty one for a shop that has none.
func regionOr(regions []catalog.Region, id string) catalog.Region {
	for _, r := range regions {
		if r.ID == id {
			return r
		}
	}
	if len(regions) > 0 {
		return regions[0]
	}
	return catalog.Region{Currency: "EUR", Languages: []string{"en"}}
}

// mayOwn lets only owners through.
func (s *server) mayOwn(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		if at(c).shop.Role != store.Owner {
			return s.oops(c, http.StatusForbidden, "Only an owner of the shop may do this. Ask one of them.")
		}
		return next(c)
	}
}
