// Package storefront is the public API that shops call, and the embed script's
// server side.
package storefront

import (
	"context"
	"io/fs"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/labstack/echo/v5"
	"github.com/labstack/echo/v5/middleware"

	"agonal.dev/agonal/internal/app"
	"agonal.dev/agonal/internal/shoppertoken"
	"agonal.dev/agonal/internal/store"
)

// Config is what the API needs to know of its surroundings.
type Config struct {
	// Dist holds embed.js.
	Dist fs.FS
	// PerSecond bounds the requests of one key from one address; 0 means 50.
	PerSecond float64
}

// unknownPerSecond bounds the requests of one address with keys that do not hold.
const unknownPerSecond = 5

// MostBody is the largest request body, in bytes.
const MostBody = 64 << 10

type server struct {
	app   *app.App
	embed map[string][]byte // the scripts, by the name of their file
	limit middleware.RateLimiterStore
	// unknown bounds the requests of one address with keys that do not hold.
	unknown middleware.RateLimiterStore
}

// Mount adds the API to a router, under /v1, /embed and /openapi.json.
func Mount(e *echo.Echo, a *app.App, cfg Config) error {
	embed := map[string][]byte{}
	for _, name := range []string{"embed.js", "cart.js", "set.js"} {
		b, err := fs.ReadFile(cfg.Dist, name)
		if err != nil {
			b = []byte("/* the embed was not built; run make build */")
		}
		embed[name] = b
	}
	perSecond := cfg.PerSecond
	if perSecond == 0 {
		perSecond = 50
	}
	limiter := func(perSecond float64) middleware.RateLimiterStore {
		return middleware.NewRateLimiterMemoryStoreWithConfig(middleware.RateLimiterMemoryStoreConfig{
			Rate: perSecond, Burst: int(perSecond * 4), ExpiresIn: time.Minute,
		})
	}
	s := &server{app: a, embed: embed, limit: limiter(perSecond), unknown: limiter(unknownPerSecond)}
	e.GET("/embed/v1.js", s.script("embed.js"))
	e.GET("/embed/v1-cart.js", s.script("cart.js"))
	e.GET("/embed/v1-set.js", s.script("set.js"))
	e.GET("/openapi.json", openAPI)
	v1 := e.Group("/v1", s.origin)
	for path, h := range map[string]echo.HandlerFunc{
		"/decisions": s.decisions, "/events": s.events, "/orders": s.orders, "/orders/given-up": s.givenUp,
		"/codes/earn": s.earn, "/links": s.share, "/links/open": s.openLink, "/orders/after": s.afterOrder, "/orders/add": s.addToOrder, "/orders/plan": s.planEvent,
	} {
		v1.POST(path, s.keyed(h))
		v1.OPTIONS(path, preflight)
	}
	v1.GET("/catalogue", s.keyed(s.catalogue))
	v1.PUT("/nudges/:id", s.managed(s.publish))
	v1.POST("/pools/:pool/codes", s.managed(s.addCodes))
	v1.GET("/pools/:pool/codes", s.managed(s.listCodes))
	v1.OPTIONS("/catalogue", preflight)
	v1.RouteNotFound("/*", func(c *echo.Context) error {
		return reply(c, problem{Status: http.StatusNotFound, Title: "There is no such operation", Detail: "See /openapi.json."})
	})
	return nil
}

// origin answers for browsers: a response may be read by the shop's own origins
// only, which keyed decides once the shop is known.
func (s *server) origin(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		c.Response().Header().Add("Vary", "Origin")
		return next(c)
	}
}

func preflight(c *echo.Context) error {
	h := c.Response().Header()
	if o := c.Request().Header.Get("Origin"); o != "" {
		h.Set("Access-Control-Allow-Origin", o)
		h.Set("Access-Control-Allow-Methods", "GET, POST")
		h.Set("Access-Control-Allow-Headers", "Authorization, Content-Type, "+shoppertoken.Header)
		h.Set("Access-Control-Max-Age", "600")
	}
	return c.NoContent(http.StatusNoContent)
}

// call is a request with its shop and key looked up.
type call struct {
	*echo.Context
	app    *app.App
	ctx    context.Context
	shop   *app.ShopSnapshot
	secret bool
}

const callKey = "storefront.call"

// keyed finds the shop by the request's key, checks origin and rate, and notes who
// asked, so that the merchant's page can say why a request was refused.
func (s *server) keyed(h echo.HandlerFunc) echo.HandlerFunc { return s.keyedWithin(callWithin, h) }

func (s *server) keyedWithin(most time.Duration, h echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		r := c.Request()
		key, ok := strings.CutPrefix(r.Header.Get("Authorization"), "Bearer ")
		if !ok || key == "" || len(key) > mostKey {
			return reply(c, problem{Status: http.StatusUnauthorized, Title: "A key is needed", Detail: "Send the shop's key as “Authorization: Bearer …”."})
		}
		ctx, cancel := context.WithTimeout(r.Context(), most)
		defer cancel()
		use, err := s.app.UseKey(ctx, key)
		if err != nil {
			return fail(c, err, problem{})
		}
		origin := r.Header.Get("Origin")
		outcome := use.Outcome
		if outcome == store.SeenWell && origin != "" && !slices.Contains(use.Shop.Shop.Origins, origin) {
			outcome = store.SeenOrigin
		}
		if outcome == store.SeenWell && len(use.Shop.Regions()) == 0 {
			outcome = store.SeenNoRegions
		}
		s.app.Saw(use, origin, r.URL.Query().Get("from"), outcome)
		switch outcome {
		case store.SeenUnknown, store.SeenEnded:
			if ok, err := s.unknown.Allow(c.RealIP()); err != nil || !ok {
				c.Response().Header().Set("Retry-After", "10")
				return reply(c, problem{Status: http.StatusTooManyRequests, Title: "Too many requests with a key that does not hold", Detail: "Wait, and correct the key: it is on the shop's page Connection."})
			}
			if outcome == store.SeenEnded {
				return reply(c, problem{Status: http.StatusUnauthorized, Title: "This key holds no more", Detail: "It was withdrawn or replaced; the shop's page Connection has the one that holds."})
			}
			return reply(c, problem{Status: http.StatusUnauthorized, Title: "This key is not known", Detail: "No shop has this key; copy it again from the shop's page Connection."})
		case store.SeenOrigin:
			return reply(c, problem{Status: http.StatusForbidden, Title: "This origin is not allowed", Detail: "Add " + origin + " to the shop's allowed origins."})
		}
		if origin != "" {
			c.Response().Header().Set("Access-Control-Allow-Origin", origin)
		}
		if !use.Secret {
			if ok, err := s.limit.Allow(key + "|" + c.RealIP()); err != nil || !ok {
				c.Response().Header().Set("Retry-After", "1")
				return reply(c, problem{Status: http.StatusTooManyRequests, Title: "Too many requests", Detail: "Wait a second and try again."})
			}
		}
		c.Set(callKey, &call{Context: c, app: s.app, ctx: ctx, shop: use.Shop, secret: use.Secret})
		return h(c)
	}
}

// mostKey is the longest key that is looked at, in bytes.
const mostKey = 200

func callOf(c *echo.Context) *call {
	v, _ := c.Get(callKey).(*call)
	return v
}

func (s *server) script(name string) echo.HandlerFunc {
	return func(c *echo.Context) error {
		h := c.Response().Header()
		h.Set("Cache-Control", "public, max-age=300")
		h.Set("Access-Control-Allow-Origin", "*")
		h.Set("Cross-Origin-Resource-Policy", "cross-origin")
		return c.Blob(http.StatusOK, "text/javascript; charset=utf-8", s.embed[name])
	}
}
