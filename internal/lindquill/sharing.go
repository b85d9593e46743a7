package lindquill

import (
	"crypto/rand"
	"errors"
	"net/http"
	"unicode/utf8"

	"github.com/labstack/echo/v5"

	"agonal.dev/agonal/core/decide"
)

// viaCookie holds the token of the shared link by which a shopper came.
const viaCookie = "lq_via"

// mostPost is the longest text that is posted, in characters.
const mostPost = 500

// shareView is the stand-in for a place where people show things to each other.
type shareView struct {
	Nudge, Token, Text, Link, Error string
	Posted                          bool
}

func (s *shop) shareTo(c *echo.Context) error {
	return s.sharing(c, shareView{Nudge: c.QueryParam("nudge"), Token: c.QueryParam("token"), Text: c.QueryParam("text")})
}

// post takes what was written; nothing leaves the shop.
func (s *shop) post(c *echo.Context) error {
	v := shareView{Nudge: c.FormValue("nudge"), Token: c.FormValue("token"), Text: c.FormValue("text")}
	switch {
	case !utf8.ValidString(v.Text) || utf8.RuneCountInString(v.Text) > mostPost:
		v.Error = of(c).say("Write at most 500 characters.")
	default:
		v.Posted = true
	}
	return s.sharing(c, v)
}

func (s *shop) sharing(c *echo.Context, v shareView) error {
	for _, x := range []string{v.Nudge, v.Token} {
		if !readable(x) || len(x) > 100 || x == "" {
			return s.missing(c)
		}
	}
	v.Link = c.Scheme() + "://" + c.Request().Host + "/c/" + v.Token
	return s.show(c, http.StatusOK, "share", of(c).say("Show it to somebody"), "", decide.Page{}, v)
}

// linked opens a cart that somebody shared: it is put in where the shopper's own is empty.
func (s *shop) linked(c *echo.Context) error {
	v, token := of(c), c.Param("token")
	if !readable(token) || len(token) > 40 {
		return s.missing(c)
	}
	visit := v.state.ID
	if visit == "" && via(c) != token {
		visit = "link-" + rand.Text() // the embed begins one on the page that follows
	}
	lines, err := s.client.linked(c.Request().Context(), token, visit)
	switch {
	case errors.As(err, new(refusal)):
		return s.missing(c)
	case err != nil:
		tell(c, slip{Say: v.say("The shared cart cannot be opened just now; try the link again in a moment.")})
		return c.Redirect(http.StatusSeeOther, "/cart")
	}
	writeCookie(c, viaCookie, token)
	if len(v.cart.Lines) > 0 {
		tell(c, slip{Say: v.say("Somebody shared a cart with you. Your own was kept; empty it and open the link again to see theirs.")})
		return c.Redirect(http.StatusSeeOther, "/cart")
	}
	writeCookie(c, "lq_cart", printCart(lines))
	tell(c, slip{Say: v.say("Somebody shared this cart with you. It is yours now; change what you like.")})
	return c.Redirect(http.StatusSeeOther, "/cart")
}

// via is the token of the shared link by which a shopper came; empty: none.
func via(c *echo.Context) string {
	if token := readCookie(c, viaCookie); readable(token) && len(token) <= 40 {
		return token
	}
	return ""
}
