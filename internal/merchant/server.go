// Package merchant serves the pages of those who run a shop: handlers, view
// models and the rendering of templates. Rules live in core, tasks in app.
package merchant

import (
	"errors"
	"fmt"
	"io/fs"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/alexedwards/scs/pgxstore"
	"github.com/alexedwards/scs/v2"
	"github.com/labstack/echo/v5"
	"github.com/labstack/echo/v5/middleware"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/strict"
	"agonal.dev/agonal/internal/app"
	"agonal.dev/agonal/internal/serving"
	"agonal.dev/agonal/internal/store"
)

// Config is what the pages need to know of their surroundings.
type Config struct {
	Templates  fs.FS
	Dist       fs.FS
	Storefront string // where the demo's shop is served, linked from the pages
	Gallery    bool   // serve /gallery
	// DemoShop is the id of the shop that Storefront belongs to.
	DemoShop string
	// TryGoods makes made-up goods with prices in some currencies, for a shop that
	// has none; nil: there are none to try.
	TryGoods func([]money.Currency) []catalog.Product
}

type server struct {
	app      *app.App
	cfg      Config
	sessions *scs.SessionManager
	pages    *pages
	drafts   drafts
	counted  counts
}

// MostUpload is the largest catalogue file taken, in bytes, with some room for
// the form around it.
const MostUpload = 33 << 20

// Mount adds the merchant's pages to a router.
func Mount(e *echo.Echo, a *app.App, cfg Config) error {
	assets := serving.NewAssets(cfg.Dist)
	pages, err := loadPages(cfg.Templates, assets)
	if err != nil {
		return err
	}
	s := &server{app: a, cfg: cfg, pages: pages, sessions: scs.New()}
	s.sessions.Store = pgxstore.NewWithCleanupInterval(a.Store.Pool, 10*time.Minute)
	s.sessions.Lifetime = 14 * 24 * time.Hour
	s.sessions.Cookie.Name = "agonal_session"
	s.sessions.Cookie.SameSite = http.SameSiteLaxMode
	s.sessions.ErrorFunc = func(w http.ResponseWriter, _ *http.Request, err error) {
		a.Log.Error("sessions", "error", err)
		http.Error(w, "The database does not answer. Nothing was changed; load the page again in a moment.", http.StatusServiceUnavailable)
	}
	assets.Mount(e)
	g := e.Group("", echo.WrapMiddleware(s.sessions.LoadAndSave), secure, s.bounded, s.storable, middleware.CSRFWithConfig(middleware.CSRFConfig{
		TokenLookup: "header:X-CSRF-Token,form:csrf", ContextKey: "csrf", CookieName: "agonal_csrf", CookiePath: "/",
		CookieHTTPOnly: true, CookieSameSite: http.SameSiteLaxMode,
		ErrorHandler: func(c *echo.Context, _ error) error {
			return s.oops(c, http.StatusForbidden, "This page was open for too long, or the request came from elsewhere. Load it again and repeat what you did.")
		},
	}))
	g.GET("/", s.home)
	g.GET("/sign-in", s.signInPage)
	g.POST("/sign-in", s.signIn)
	g.GET("/account/new", s.joinPage)
	g.POST("/account/new", s.join)
	g.GET("/invite/:token", s.invitePage)
	g.POST("/invite/:token", s.takeInvite)
	g.GET("/mail", s.mails)
	g.POST("/sign-out", s.signOut)
	if cfg.Gallery {
		g.GET("/gallery", s.gallery)
	}
	in := g.Group("", s.signedIn)
	in.GET("/shops", s.shops)
	in.POST("/shops", s.makeShop)
	in.GET("/account", s.account)
	in.POST("/account", s.saveAccount)
	sh := in.Group("/s/:shop", s.inShop)
	s.routes(sh)
	e.HTTPErrorHandler = s.failed(e.HTTPErrorHandler)
	return nil
}

// failed answers in words where no handler answered: an unknown address, a
// method that is none, a panic. The API's paths keep their own way.
func (s *server) failed(otherwise echo.HTTPErrorHandler) echo.HTTPErrorHandler {
	return func(c *echo.Context, err error) {
		if strings.HasPrefix(c.Request().URL.Path, "/v1/") {
			otherwise(c, err)
			return
		}
		status, say := echo.StatusCode(err), noSuchPage
		if status == 0 || status >= 500 {
			s.app.Log.Error("a page failed", "path", c.Request().URL.Path, "error", err)
			status, say = http.StatusInternalServerError, "Agonal failed at this. Nothing was changed; try again in a moment."
		}
		tell := func(c *echo.Context) error { return s.oops(c, status, say) }
		if c.Get("csrf") == nil { // it failed before there was a session
			tell = s.asPage(tell)
		}
		if tell(c) != nil {
			otherwise(c, err)
		}
	}
}

// asPage gives a handler the session and the headers of a page.
func (s *server) asPage(h echo.HandlerFunc) echo.HandlerFunc {
	return echo.WrapMiddleware(s.sessions.LoadAndSave)(secure(h))
}

const noSuchPage = "There is no such page here."

func (s *server) routes(g *echo.Group) {
	edit := s.mayEdit
	to := func(path string) echo.HandlerFunc {
		return func(c *echo.Context) error { return c.Redirect(http.StatusSeeOther, at(c).url(path)) }
	}
	g.GET("", to("/nudges"))
	g.GET("/begin", s.beginPage)
	g.POST("/begin/goods", s.tryGoods, edit)
	g.POST("/shop/goods/tried", s.dropTried, edit)
	g.GET("/pick", s.pick)
	g.GET("/nudges", s.board)
	g.GET("/nudges/start", s.starts)
	g.POST("/nudges/start", s.start, edit)
	g.POST("/nudges/order", s.reorder, edit)
	g.GET("/nudges/order", to("/nudges"))
	g.POST("/nudges/several", s.several, edit)
	g.GET("/nudges/several", to("/nudges"))
	g.GET("/nudges/:nudge", s.bench)
	g.POST("/nudges/:nudge/edit", s.edit, edit)
	g.POST("/nudges/:nudge/frame", s.frame)
	g.GET("/nudges/:nudge/preview", s.preview)
	g.GET("/nudges/:nudge/picture.svg", s.picture)
	g.POST("/nudges/:nudge/publish", s.publish, edit)
	g.POST("/nudges/:nudge/state", s.setState, edit)
	g.POST("/nudges/:nudge/away", s.putAway, edit)
	g.POST("/nudges/:nudge/copy", s.copy, edit)
	g.POST("/nudges/:nudge/delete", s.deleteDraft, edit)
	g.POST("/nudges/:nudge/undelete", s.undelete, edit)
	g.GET("/nudges/:nudge/revisions", s.revisions)
	g.POST("/nudges/:nudge/restore", s.restore, edit)
	// The address of an act, entered again, leads to the nudge.
	for _, act := range []string{"edit", "publish", "state", "away", "copy", "delete", "undelete", "restore"} {
		g.GET("/nudges/:nudge/"+act, s.toNudge)
	}
	g.GET("/nudge-file", s.nudgeFile)
	g.POST("/nudge-file", s.lookAtFile, edit)
	g.POST("/nudge-file/bring", s.bringFile, edit)
	g.GET("/nudge-file/nudges.json", s.nudgesJSON)
	g.GET("/nudge-file/nudges.ics", s.nudgesCalendar)
	g.GET("/nudge-file/*", to("/nudge-file"))
	g.GET("/rehearsal", s.rehearsal)
	g.GET("/rehearsal/kept", s.savedPage)
	g.POST("/rehearsal/kept", s.keep, edit)
	g.POST("/rehearsal/kept/accept", s.accept, edit)
	g.POST("/rehearsal/kept/:visit/drop", s.dropVisit, edit)
	g.GET("/rehearsal/kept/*", to("/rehearsal/kept"))
	g.GET("/results", s.results)
	g.GET("/results.csv", s.resultsFile)
	g.GET("/results.xlsx", s.resultsFile)
	g.POST("/results/weekly", s.weekly)
	g.GET("/results/weekly", to("/results"))
	g.GET("/results/days.svg", s.resultsPicture)
	g.GET("/results/balance.svg", s.resultsPicture)
	g.GET("/results/sets", s.sets)
	g.POST("/results/sets", s.setsStart, edit)
	g.GET("/results/trials", to("/results"))
	g.GET("/results/trials/:trial", s.trial)
	g.GET("/results/trials/:trial/tables.csv", s.trialFile)
	g.GET("/results/trials/:trial/tables.xlsx", s.trialFile)
	g.GET("/results/trials/:trial/picture.svg", s.trialPicture)
	g.POST("/results/trials/:trial/end", s.trialEnd, edit)
	g.GET("/results/trials/:trial/end", s.trial)
	g.GET("/results/:nudge", s.resultOf)
	g.GET("/results/:nudge/tables.csv", s.resultOfFile)
	g.GET("/results/:nudge/tables.xlsx", s.resultOfFile)
	g.POST("/results/:nudge/forget", s.forget, edit)
	g.GET("/nudges/:nudge/try", s.tryPage)
	g.POST("/nudges/:nudge/try", s.tryStart, edit)
	g.GET("/shop", s.products)
	g.GET("/shop/catalogue.csv", s.exportCatalogue)
	g.GET("/shop/import", s.importPage)
	g.POST("/shop/import", s.upload, edit)
	g.GET("/shop/import/:id", s.importShow)
	g.POST("/shop/import/:id", s.importStart, edit)
	g.GET("/shop/regions", s.regions)
	g.GET("/shop/regions.json", s.exportConfig)
	g.POST("/shop/regions", s.importConfig, edit)
	g.POST("/shop/regions/order", s.orderRegions, edit)
	g.GET("/shop/regions/order", to("/shop/regions"))
	g.GET("/shop/regions/:region", s.regionPage)
	g.POST("/shop/regions/:region", s.saveRegion, edit)
	g.POST("/shop/regions/:region/delete", s.deleteRegion, edit)
	g.GET("/shop/regions/:region/delete", to("/shop/regions"))
	g.GET("/shop/orders", s.orders)
	g.GET("/shop/orders.csv", s.ordersCSV)
	g.GET("/shop/orders/:number", s.order)
	g.POST("/shop/orders/:number/returns", s.takeBack, edit)
	g.POST("/shop/orders/:number/erase", s.eraseShopper, edit)
	g.GET("/shop/orders/:number/erase", s.order)
	g.GET("/shop/sales", s.sales)
	g.POST("/shop/sales", s.keepSale, edit)
	g.GET("/shop/codes", s.pools)
	g.POST("/shop/codes", s.addCodes, edit)
	g.GET("/shop/codes/:pool/codes.csv", s.poolCSV)
	g.GET("/shop/look", s.look)
	g.GET("/shop/look/frame", s.lookFrame)
	g.POST("/shop/look", s.saveLook, edit)
	g.GET("/shop/settings", s.settings)
	g.POST("/shop/settings", s.saveSettings, edit)
	g.GET("/shop/connection", s.connection)
	g.POST("/shop/connection", s.saveOrigins, edit)
	g.POST("/shop/connection/keys", s.makeKey, s.mayOwn)
	g.POST("/shop/connection/keys/:key/replace", s.replaceKey, s.mayOwn)
	g.POST("/shop/connection/keys/:key/withdraw", s.withdrawKey, s.mayOwn)
	g.GET("/shop/connection/*", to("/shop/connection"))
	g.GET("/shop/people", s.people)
	g.POST("/shop/people", s.invite, s.mayOwn)
	g.POST("/shop/people/:person", s.setRole, s.mayOwn)
	g.POST("/shop/people/invites/:invite", s.withdrawInvite, s.mayOwn)
	g.GET("/shop/people/*", to("/shop/people"))
}

func secure(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		h := c.Response().Header()
		h.Set("Content-Security-Policy", "default-src 'self'; img-src 'self' data: https:; frame-ancestors 'self'; base-uri 'none'; form-action 'self'; object-src 'none'")
		h.Set("Referrer-Policy", "same-origin")
		h.Set("Cache-Control", "no-store")
		return next(c)
	}
}

// bounded refuses bodies that are larger than any form here needs, before
// anything reads them.
func (s *server) bounded(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		r := c.Request()
		if r.ContentLength > MostUpload {
			return s.oops(c, http.StatusRequestEntityTooLarge, fmt.Sprintf("This is %d MB; at most 32 MB can be brought in at once. Split the file by product.", r.ContentLength>>20))
		}
		most := int64(MostStrangersForm)
		if r.Method == http.MethodGet || r.Method == http.MethodHead {
			return next(c)
		}
		if _, ok := s.whoIs(c); ok {
			most = MostForm
			if slices.ContainsFunc([]string{"/shop/import", "/shop/regions", "/nudge-file", "/nudge-file/bring"}, func(end string) bool { return strings.HasSuffix(r.URL.Path, end) }) {
				most = MostUpload
				serving.LongTransfer(c)
			}
		}
		r.Body = http.MaxBytesReader(c.Response(), r.Body, most)
		return next(c)
	}
}

// The largest forms, in bytes, besides a file that is brought in; the second of who is
// not signed in. Of a file so much is kept in memory, the rest on disk.
const (
	MostForm          = 1 << 20
	MostStrangersForm = 64 << 10
)

// storable refuses text that the database cannot hold, and names the field: in the
// address, its query and the form.
func (s *server) storable(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		r := c.Request()
		if strict.Text(r.URL.Path) != "" {
			return s.oops(c, http.StatusNotFound, noSuchPage)
		}
		if r.Method == http.MethodPost {
			err := r.ParseForm()
			if strings.HasPrefix(r.Header.Get("Content-Type"), "multipart/form-data") {
				err = r.ParseMultipartForm(MostForm)
			}
			var large *http.MaxBytesError
			switch {
			case errors.As(err, &large):
				return s.oops(c, http.StatusRequestEntityTooLarge, "This is larger than any form here. Nothing was changed.")
			case err != nil:
				return s.oops(c, http.StatusBadRequest, "What was sent is no form, or larger than any form here. Load the page again and repeat what you did.")
			}
		}
		for _, values := range []url.Values{r.URL.Query(), r.PostForm} {
			for field, all := range values {
				for _, v := range all {
					if why := strict.Text(v); why != "" {
						return s.oops(c, http.StatusUnprocessableEntity, fmt.Sprintf("The field “%s” %s. Nothing was changed; type it again.", strings.ToValidUTF8(field, "?"), why))
					}
				}
			}
		}
		return next(c)
	}
}

// here is who asks, and about which shop.
type here struct {
	account store.Account
	shop    app.ShopRole
	many    bool // whether the person has several shops
	zone    *time.Location
	steps   app.FirstSteps
	now     time.Time
}

const hereKey = "merchant.here"

func at(c *echo.Context) *here {
	h, _ := c.Get(hereKey).(*here)
	if h == nil {
		h = &here{}
	}
	return h
}

// url is a path within the shop.
func (h *here) url(path string) string { return "/s/" + h.shop.ID + path }

func (s *server) signedIn(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		if c.Path() == "/*" {
			return s.oops(c, http.StatusNotFound, noSuchPage)
		}
		acc, ok := s.whoIs(c)
		if ok {
			c.Set(hereKey, &here{account: acc})
			return next(c)
		}
		r := c.Request()
		if isHTMX(c) || r.Header.Get("X-CSRF-Token") != "" {
			// A script asked: the page stays as it is, with what was typed, and says so.
			return c.String(http.StatusUnauthorized, "You are signed out.")
		}
		back := r.URL.RequestURI()
		if r.Method != http.MethodGet {
			back = "/"
			if u, err := url.Parse(r.Referer()); err == nil {
				back = u.RequestURI()
			}
		}
		return c.Redirect(http.StatusSeeOther, signInAddress(back))
	}
}

// inShop is the one place where a request is scoped to a shop and checked
// against the person's role in it.
func (s *server) inShop(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		h := at(c)
		shops, err := s.app.ShopsOf(c.Request().Context(), h.account.ID)
		if err != nil {
			return s.fail(c, err)
		}
		h.many = len(shops) > 1
		for _, sr := range shops {
			if sr.ID == c.Param("shop") {
				h.shop, h.now = sr, s.app.Now()
				if h.zone, err = time.LoadLocation(sr.TimeZone); err != nil {
					h.zone = time.UTC
				}
				if h.steps, err = s.app.FirstSteps(c.Request().Context(), sr.ID); err != nil {
					return s.fail(c, err)
				}
				return next(c)
			}
		}
		h.shop = app.ShopRole{}
		return s.oops(c, http.StatusNotFound, "There is no such shop, or you have no part in it.")
	}
}

func (s *server) mayEdit(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		if !at(c).shop.Role.CanEdit() {
			return s.oops(c, http.StatusForbidden, "You may look at this shop, but not change it. Ask an owner to make you an editor.")
		}
		return next(c)
	}
}

// fail answers an error that is not the person's doing, or one they must know of.
func (s *server) fail(c *echo.Context, err error) error {
	var said app.Problem
	var wait app.ErrTooManyAttempts
	switch {
	case errors.As(err, &wait):
		c.Response().Header().Set("Retry-After", strconv.Itoa(wait.Seconds()))
		return s.oops(c, http.StatusTooManyRequests, wait.Error())
	case errors.Is(err, app.ErrNotFound):
		return s.oops(c, http.StatusNotFound, "This is not here, or not here any more.")
	case errors.As(err, &said):
		return s.oops(c, http.StatusUnprocessableEntity, said.Say)
	case store.Unreachable(err):
		return s.oops(c, http.StatusServiceUnavailable, "The database does not answer. Nothing was changed; load the page again in a moment.")
	}
	s.app.Log.Error("a page failed", "path", c.Request().URL.Path, "error", err)
	return s.oops(c, http.StatusInternalServerError, "Agonal failed at this. Nothing was changed; try again in a moment.")
}

func (s *server) oops(c *echo.Context, status int, say string) error {
	return s.render(c, status, "message", page{Title: "Agonal", Data: say})
}
