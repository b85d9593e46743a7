package merchant

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"agonal.dev/agonal/core/audience"
	"agonal.dev/agonal/core/checks"
	"agonal.dev/agonal/core/codes"
	"agonal.dev/agonal/internal/app"
	"agonal.dev/agonal/internal/serving"
	"agonal.dev/agonal/internal/store"
)

// mostCodesFile bounds a file of codes, in bytes.
const mostCodesFile = 16 << 20

// poolsView lists the pools of single-use codes, with a form that makes more of them.
type poolsView struct {
	Pools                       []poolRow
	Pool, Prefix, Signs, Number string // as typed
	Err                         map[string]string
}

type poolRow struct {
	store.PoolCount
	Nudges string // that ask for its codes
}

func (s *server) poolsOf(c *echo.Context) (*poolsView, error) {
	ctx, h := c.Request().Context(), at(c)
	counts, err := s.app.Store.PoolCounts(ctx, h.shop.ID)
	if err != nil {
		return nil, err
	}
	ns, err := s.app.Nudges(ctx, h.shop.ID)
	if err != nil {
		return nil, err
	}
	v := &poolsView{Pool: c.QueryParam("pool"), Signs: "8", Number: "100", Err: map[string]string{}}
	asked := map[string][]string{}
	for _, n := range ns {
		if p := n.Draft.Audience.Pool; p != "" {
			asked[p] = append(asked[p], n.Draft.Name)
		}
	}
	for _, n := range counts {
		v.Pools = append(v.Pools, poolRow{n, list(asked[n.Pool])})
		delete(asked, n.Pool)
	}
	for name, nudges := range asked { // no code of it is there yet
		v.Pools = append(v.Pools, poolRow{store.PoolCount{Pool: name}, list(nudges)})
	}
	return v, nil
}

func (s *server) pools(c *echo.Context) error {
	v, err := s.poolsOf(c)
	if err != nil {
		return s.fail(c, err)
	}
	return s.showPools(c, http.StatusOK, v)
}

func (s *server) showPools(c *echo.Context, status int, v *poolsView) error {
	return s.render(c, status, "pools", page{Title: "Codes", Place: "shop", Section: "codes", Data: v})
}

// addCodes makes codes of a pool, or brings a file of them in.
func (s *server) addCodes(c *echo.Context) error {
	ctx, h := c.Request().Context(), at(c)
	pool := strings.TrimSpace(c.FormValue("pool"))
	var n int
	var err error
	if file, missing := c.FormFile("file"); c.FormValue("do") == "import" {
		if missing != nil {
			err = app.Problem{Field: "file", Say: "choose a file first"}
		} else if f, bad := file.Open(); bad != nil {
			return s.fail(c, bad)
		} else {
			defer func() { _ = f.Close() }()
			n, err = s.app.ImportCodes(ctx, h.shop.ID, pool, http.MaxBytesReader(c.Response(), f, mostCodesFile))
		}
	} else {
		var made []string
		made, err = s.app.GenerateCodes(ctx, h.shop.ID, pool, strings.ToUpper(strings.TrimSpace(c.FormValue("prefix"))), atoi(c.FormValue("signs")), atoi(c.FormValue("number")))
		n = len(made)
	}
	var wrong app.Problem
	switch {
	case errors.As(err, &wrong):
		v, err := s.poolsOf(c)
		if err != nil {
			return s.fail(c, err)
		}
		v.Pool, v.Prefix, v.Signs, v.Number = c.FormValue("pool"), c.FormValue("prefix"), orElse(c.FormValue("signs"), v.Signs), orElse(c.FormValue("number"), v.Number)
		field := map[string]string{"count": "number"}[wrong.Field]
		v.Err[orElse(field, fieldOf(wrong.Field))] = upperFirst(strings.TrimSuffix(wrong.Say, ".")) + "."
		return s.showPools(c, http.StatusUnprocessableEntity, v)
	case err != nil:
		return s.fail(c, err)
	}
	one := "1 code is"
	if n != 1 {
		one = strconv.Itoa(n) + " codes are"
	}
	return s.done(c, h.url("/shop/codes")+"?pool="+url.QueryEscape(pool), one+" in the pool “"+pool+"” now.")
}

// poolLeft says in the code's panel how many codes of its pool are left.
func (s *server) poolLeft(c *echo.Context, v *benchView) error {
	pool := v.D.Audience.Pool
	if pool == "" {
		return nil
	}
	counts, err := s.app.Store.PoolCounts(c.Request().Context(), at(c).shop.ID)
	if err != nil {
		return err
	}
	left, earned := int64(0), v.D.Audience.EarnedBy != ""
	p := v.Panels["code"]
	p.Link, p.Go, p.Note = "/shop/codes?pool="+url.QueryEscape(pool), "Make, import or export codes", "The pool has no code yet."
	for _, n := range counts {
		if n.Pool == pool {
			left = n.Left()
			p.Note = fmt.Sprintf("%d of %d codes of the pool are left.", left, n.Codes)
		}
	}
	if left == 0 && earned {
		v.findings([]checks.Finding{{Severity: checks.Doubt, Field: "audience.pool", Say: fmt.Sprintf("The pool “%s” has no code left, so nobody is asked; make some.", pool)}})
	}
	if !earned {
		return nil
	}
	say, err := s.earned(c.Request().Context(), at(c).shop.ID, v.N.ID, v.D.Audience.EarnedBy)
	if err != nil {
		return err
	}
	v.Rows = append(v.Rows, rowView{"So far", []partView{{"code", "So far: " + say, say}}})
	return nil
}

// earned says what came of a nudge whose code an act earns.
func (s *server) earned(ctx context.Context, shop, id string, by audience.Act) (string, error) {
	shares, err := s.app.Store.Shares(ctx, shop, id)
	say := plural(shares.Codes, "code given", "codes given")
	if by == audience.LinkShared {
		say = plural(shares.Links, "cart shared", "carts shared") + "; by the links " + plural(shares.Visits, "visit", "visits") + " and " + plural(shares.Orders, "order", "orders") + "; " + say
	}
	return say, err
}

// plural says how many of something there are.
func plural(n int64, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return strconv.FormatInt(n, 10) + " " + many
}

// fieldOf is the field of the page that a problem is told at.
func fieldOf(field string) string {
	if strings.HasPrefix(field, "line ") {
		return "file"
	}
	return field
}

// poolCSV is a pool to take along, with what became of each code.
func (s *server) poolCSV(c *echo.Context) error {
	name, err := url.PathUnescape(c.Param("pool"))
	if err != nil {
		return s.oops(c, http.StatusNotFound, "There is no such pool.")
	}
	rows, err := s.app.Store.Codes(c.Request().Context(), at(c).shop.ID, name)
	if err != nil {
		return s.fail(c, err)
	}
	serving.LongTransfer(c)
	h := c.Response().Header()
	h.Set("Content-Type", "text/csv; charset=utf-8")
	h.Set("Content-Disposition", `attachment; filename="codes.csv"`)
	return codes.WriteCSV(c.Response(), rows)
}
