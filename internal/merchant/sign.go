package merchant

import (
	"errors"
	"net/http"

	"github.com/google/uuid"
	"github.com/labstack/echo/v5"

	"agonal.dev/agonal/internal/app"
)

type signView struct{ Email, Error string }

func (s *server) home(c *echo.Context) error {
	id, err := uuid.Parse(s.sessions.GetString(c.Request().Context(), "account"))
	if err != nil {
		return c.Redirect(http.StatusSeeOther, "/sign-in")
	}
	shops, err := s.app.ShopsOf(c.Request().Context(), id)
	if err != nil {
		return s.fail(c, err)
	}
	if len(shops) == 0 {
		return c.Redirect(http.StatusSeeOther, "/shops")
	}
	to := shops[0].ID
	for _, sh := range shops {
		if sh.ID == s.sessions.GetString(c.Request().Context(), "shop") {
			to = sh.ID
		}
	}
	return c.Redirect(http.StatusSeeOther, "/s/"+to+"/nudges")
}

func (s *server) signInPage(c *echo.Context) error {
	return s.render(c, http.StatusOK, "sign-in", page{Title: "Sign in", Data: signView{}})
}

func (s *server) signIn(c *echo.Context) error {
	ctx := c.Request().Context()
	email := c.FormValue("email")
	acc, err := s.app.SignIn(ctx, email, c.FormValue("password"), c.RealIP())
	var wait app.ErrTooManyAttempts
	var wrong app.Problem
	switch {
	case errors.As(err, &wait):
		return s.render(c, http.StatusTooManyRequests, "sign-in", page{Title: "Sign in", Data: signView{email, wait.Error()}})
	case errors.As(err, &wrong):
		return s.render(c, http.StatusUnprocessableEntity, "sign-in", page{Title: "Sign in", Data: signView{email, wrong.Say}})
	case err != nil:
		return s.fail(c, err)
	}
	if err := s.sessions.RenewToken(ctx); err != nil {
		return s.fail(c, err)
	}
	s.sessions.Put(ctx, "account", acc.ID.String())
	return c.Redirect(http.StatusSeeOther, "/")
}

func (s *server) signOut(c *echo.Context) error {
	if err := s.sessions.Destroy(c.Request().Context()); err != nil {
		return s.fail(c, err)
	}
	return c.Redirect(http.StatusSeeOther, "/sign-in")
}

func (s *server) shops(c *echo.Context) error {
	shops, err := s.app.ShopsOf(c.Request().Context(), at(c).account.ID)
	if err != nil {
		return s.fail(c, err)
	}
	return s.render(c, http.StatusOK, "shops", page{Title: "Your shops", Data: shops})
}
