package storefront

import (
	"context"
	_ "embed"
	"net/http"
	"slices"
	"time"

	"github.com/goccy/go-json"
	"github.com/labstack/echo/v5"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/snapshot"
	"agonal.dev/agonal/internal/app"
	"agonal.dev/agonal/internal/shoppertoken"
)

// How long the database may take: for codes of pools, without which a decision is made;
// for what shoppers wait for; and for managing, where up to 100,000 codes are made.
const (
	poolsWithin   = 200 * time.Millisecond
	callWithin    = 3 * time.Second
	managedWithin = 25 * time.Second
)

// decisions prices a cart and says what shows. A publishable key may not ask for
// the trace, another moment, or things that only a rehearsal needs.
func (s *server) decisions(c *echo.Context) error {
	k := callOf(c)
	var req decide.Request
	if ok, err := decode(c, &req); !ok {
		return err
	}
	if !k.secret {
		for field, set := range map[string]bool{"trace": req.Trace, "moment.at": !req.Moment.At.IsZero(), "every": req.Every, "added": req.Added != nil, "shopper": !req.Shopper.IsZero(), "arms": len(req.Arms) > 0} {
			if set {
				return reply(c, problem{Status: http.StatusForbidden, Title: "A secret key is needed for this", Detail: field + " is answered for a secret key only",
					Errors: []decide.FieldError{{Field: field, Why: "is answered for a secret key only"}}})
			}
		}
	}
	if token := c.Request().Header.Get(shoppertoken.Header); token != "" {
		who, err := s.app.Shopper(k.shop.Shop.ID, token)
		if err != nil {
			return fail(c, err, problem{})
		}
		req.Shopper = who
	}
	if req.Moment.At.IsZero() {
		req.Moment.At = s.app.Now()
	}
	if region, err := decide.RegionOf(k.shop.Snapshot, req.Cart); err == nil {
		req.Usage = s.app.Usage(k.ctx, k.shop, region) // known here, never told from outside
	}
	ctx, cancel := context.WithTimeout(k.ctx, poolsWithin)
	pools, err := s.app.PoolCodes(ctx, k.shop, req.Cart.Codes)
	cancel()
	if err != nil {
		s.app.Log.Warn("looking up codes of pools", "error", err)
	}
	req.Cart.PoolCodes, req.Cart.PoolsAway = pools, err != nil
	d, err := decide.Decide(k.shop.Snapshot, req)
	if err != nil {
		return fail(c, err, problem{})
	}
	b, err := json.Marshal(d)
	if err != nil {
		return err
	}
	return c.JSONBlob(http.StatusOK, b)
}

func (s *server) events(c *echo.Context) error {
	k := callOf(c)
	var b app.EventBatch
	if ok, err := decode(c, &b); !ok {
		return err
	}
	if err := s.app.Record(k.ctx, k.shop.Shop.ID, b); err != nil {
		return fail(c, err, problem{})
	}
	return c.NoContent(http.StatusNoContent)
}

type orderReply struct {
	Number int64  `json:"number"`
	ToPay  int64  `json:"to_pay"`
	Cur    string `json:"currency"`
}

func (s *server) orders(c *echo.Context) error {
	k := callOf(c)
	if !k.secret {
		return reply(c, problem{Status: http.StatusForbidden, Title: "A secret key is needed for this", Detail: "Orders are placed by the shop's server, with its secret key."})
	}
	var req struct {
		app.OrderRequest
		Expect *money.Minor `json:"expect_to_pay"`
	}
	if ok, err := decode(c, &req); !ok {
		return err
	}
	if req.Expect == nil {
		return fail(c, app.Problem{Field: "expect_to_pay", Say: "the total that was shown to the shopper is needed"}, problem{})
	}
	req.OrderRequest.Expect = *req.Expect
	o, err := s.app.PlaceOrder(k.ctx, k.shop.Shop.ID, req.OrderRequest)
	if err != nil {
		return fail(c, err, problem{})
	}
	return c.JSON(http.StatusCreated, orderReply{o.Number, o.ToPay, string(o.Currency)})
}

// givenUpRequest is an order that the shop's server has charged and sends no more.
type givenUpRequest struct {
	Key      string         `json:"idempotency_key"`
	Why      string         `json:"why"`
	Charged  money.Minor    `json:"charged"`
	Currency money.Currency `json:"currency,omitempty"`
	PlacedAt *time.Time     `json:"placed_at,omitempty"`
}

// givenUp puts an order on the list that the merchant sees.
func (s *server) givenUp(c *echo.Context) error {
	k := callOf(c)
	if !k.secret {
		return reply(c, problem{Status: http.StatusForbidden, Title: "A secret key is needed for this", Detail: "Orders are given up by the shop's server, with its secret key."})
	}
	var req givenUpRequest
	if ok, err := decode(c, &req); !ok {
		return err
	}
	why := req.Why
	if req.Currency != "" && why != "" {
		why = money.Format(money.Amount{Minor: req.Charged, Currency: req.Currency}, k.shop.Shop.Locale) + ": " + why
	}
	if err := s.app.GiveUp(k.ctx, k.shop.Shop.ID, req.Key, why); err != nil {
		return fail(c, err, problem{})
	}
	return c.NoContent(http.StatusNoContent)
}

// catalogueReply is what a storefront needs to show goods and list prices. What
// goods and parcels cost the shop is left out: the key is in every page.
type catalogueReply struct {
	Shop     string            `json:"shop"`
	Regions  []catalog.Region  `json:"regions"`
	Products []catalog.Product `json:"products"`
	// Badges are the sale badges of products, Reductions the reduced prices of variants
	// with what they were before, both by region: against the lowest price of the 30 days
	// before where the region asks for it.
	Badges     map[string]map[string]catalog.ProductBadge `json:"badges"`
	Reductions map[string]map[string]catalog.Badge        `json:"reductions"`
	// BadgeStyle is how the merchant wants badges to look.
	BadgeStyle snapshot.BadgeStyle `json:"badge_style"`
	// Sets are those that shoppers can put together on a page of their own now.
	Sets []setPage `json:"sets"`
	// QuoteMinutes is how long a checkout's total is held.
	QuoteMinutes int `json:"quote_minutes"`
}

// setPage is a set that shoppers put together: its nudge, where it is to be had (every
// region where none is named), what stands above it by language, and whose picture fits.
type setPage struct {
	Nudge    string            `json:"nudge"`
	Regions  []string          `json:"regions,omitempty"`
	Headings map[string]string `json:"headings,omitempty"`
	Product  string            `json:"product,omitempty"`
}

// setPages lists the sets that are in force and have a page of their own.
func setPages(s *snapshot.Snapshot, now time.Time) []setPage {
	out := []setPage{}
	for i := range s.Nudges {
		d := &s.Nudges[i].Definition
		if d.Built() && slices.Contains(d.Placements, nudge.SetBuilder) && d.Schedule.Holds(now) {
			out = append(out, setPage{s.Nudges[i].ID, d.Audience.Regions, d.Headings, d.Look.PictureOf})
		}
	}
	return out
}

func (s *server) catalogue(c *echo.Context) error {
	k := callOf(c)
	out := catalogueReply{Shop: k.shop.Shop.Name, QuoteMinutes: int(k.shop.Shop.Settings.Quote().Minutes()), BadgeStyle: k.shop.Shop.Settings.Badges, Regions: []catalog.Region{}, Products: []catalog.Product{}}
	for _, r := range k.shop.Regions() {
		r.Methods = slices.Clone(r.Methods)
		for i := range r.Methods {
			r.Methods[i].Cost = 0
		}
		out.Regions = append(out.Regions, r)
	}
	now := s.app.Now()
	for _, p := range k.shop.Catalog().Products {
		out.Products = append(out.Products, withoutCosts(p, now))
	}
	out.reduced(k.shop.Catalog(), now)
	out.Sets = setPages(k.shop.Snapshot, now)
	c.Response().Header().Set("Cache-Control", "private, max-age=5")
	return c.JSON(http.StatusOK, out)
}

// reduced fills in what is on sale in each region.
func (r *catalogueReply) reduced(c *catalog.Catalog, now time.Time) {
	r.Badges, r.Reductions = map[string]map[string]catalog.ProductBadge{}, map[string]map[string]catalog.Badge{}
	for i := range r.Regions {
		g := &r.Regions[i]
		badges, reductions := map[string]catalog.ProductBadge{}, map[string]catalog.Badge{}
		for j := range c.Products {
			p := &c.Products[j]
			if b, ok := p.BadgeAt(g, now); ok {
				badges[p.ID] = b
			}
			for k := range p.Variants {
				price, sold := p.Variants[k].Prices[g.Currency]
				if b, ok := price.BadgeAt(now, g.PriorPrice); ok && sold {
					reductions[p.Variants[k].SKU] = b
				}
			}
		}
		r.Badges[g.ID], r.Reductions[g.ID] = badges, reductions
	}
}

// withoutCosts leaves out what the shop pays for its goods.
func withoutCosts(p catalog.Product, at time.Time) catalog.Product {
	vs := make([]catalog.Variant, len(p.Variants))
	for i, v := range p.Variants {
		prices := make(map[money.Currency]catalog.Price, len(v.Prices))
		for cur, price := range v.Prices {
			// Sales to come and the history are the shop's own; the price is today's.
			price = price.At(at)
			price.Cost, price.Sales, price.History = nil, nil, nil
			prices[cur] = price
		}
		v.Prices = prices
		vs[i] = v
	}
	p.Variants = vs
	return p
}

//go:embed openapi.json
var document []byte

func openAPI(c *echo.Context) error {
	c.Response().Header().Set("Access-Control-Allow-Origin", "*")
	return c.JSONBlob(http.StatusOK, document)
}
