package storefront

import (
	"errors"
	"net/http"

	"github.com/labstack/echo/v5"

	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/internal/app"
)

var (
	noNudge = problem{Status: http.StatusNotFound, Title: "There is no such nudge", Detail: "No nudge with this id is live.", Errors: []decide.FieldError{{Field: "nudge", Why: "no nudge with this id is live"}}}
	noLink  = problem{Status: http.StatusNotFound, Title: "There is no such link", Detail: "Nobody shared a cart by this link.", Errors: []decide.FieldError{{Field: "token", Why: "nobody shared a cart by this link"}}}
	noCodes = problem{Status: http.StatusConflict, Title: "No code is left", Detail: "Every code of the pool is given away; make more of them."}
)

type codeReply struct {
	Code string `json:"code"`
}

// earn gives a visit the code that what it did earns.
func (s *server) earn(c *echo.Context) error {
	k := callOf(c)
	var req app.EarnRequest
	if ok, err := decode(c, &req); !ok {
		return err
	}
	code, err := s.app.EarnCode(k.ctx, k.shop, req)
	switch {
	case errors.Is(err, app.ErrNoCodes):
		return reply(c, noCodes)
	case err != nil:
		return fail(c, err, noNudge)
	}
	return c.JSON(http.StatusOK, codeReply{code})
}

type linkReply struct {
	Token string `json:"token"`
}

// share makes a link to a cart.
func (s *server) share(c *echo.Context) error {
	k := callOf(c)
	var req app.ShareRequest
	if ok, err := decode(c, &req); !ok {
		return err
	}
	token, err := s.app.ShareCart(k.ctx, k.shop, req)
	if err != nil {
		return fail(c, err, noNudge)
	}
	return c.JSON(http.StatusOK, linkReply{token})
}

type linkedReply struct {
	Lines []decide.CartLine `json:"lines"`
}

// openLink is the cart of a shared link, for a visit that came by it.
func (s *server) openLink(c *echo.Context) error {
	k := callOf(c)
	var req struct {
		Token string `json:"token"`
		Visit string `json:"visit"`
	}
	if ok, err := decode(c, &req); !ok {
		return err
	}
	lines, err := s.app.OpenLink(k.ctx, k.shop.Shop.ID, req.Token, req.Visit)
	if err != nil {
		return fail(c, err, noLink)
	}
	return c.JSON(http.StatusOK, linkedReply{lines})
}
