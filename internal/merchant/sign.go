package merchant

import (
	"errors"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"github.com/google/uuid"
	"github.com/labstack/echo/v5"

	"agonal.dev/agonal/internal/app"
	"agonal.dev/agonal/internal/store"
)

type signView struct {
	Email, Name, Next string
	Err               map[string]string
	Again             bool // a session has ended
}

// home leads to the shop one looked at last.
func (s *server) home(c *echo.Context) error {
	acc, ok := s.whoIs(c)
	if !ok {
		return c.Redirect(http.StatusSeeOther, "/sign-in")
	}
	ctx := c.Request().Context()
	shops, err := s.app.ShopsOf(ctx, acc.ID)
	if err != nil {
		return s.fail(c, err)
	}
	if len(shops) == 0 {
		return c.Redirect(http.StatusSeeOther, "/shops")
	}
	to := shops[0].ID
	for _, sh := range shops {
		if sh.ID == s.sessions.GetString(ctx, "shop") {
			to = sh.ID
		}
	}
	return c.Redirect(http.StatusSeeOther, "/s/"+to+"/nudges")
}

// ownPath is a path of this application that one may be led to.
func ownPath(next string) string {
	u, err := url.Parse(next)
	if err != nil || u.Host != "" || u.Scheme != "" || !strings.HasPrefix(next, "/") || strings.HasPrefix(next, "//") || strings.ContainsAny(next, "\\\t\r\n") {
		return ""
	}
	return next
}

// signInAddress leads to the sign-in and from there back to a page.
func signInAddress(next string) string {
	if next = ownPath(next); next == "" || next == "/" {
		return "/sign-in"
	}
	return "/sign-in?next=" + url.QueryEscape(next)
}

func (s *server) signInPage(c *echo.Context) error {
	next := ownPath(c.QueryParam("next"))
	if _, ok := s.whoIs(c); ok && next != "" {
		return c.Redirect(http.StatusSeeOther, next)
	}
	return s.render(c, http.StatusOK, "sign-in", page{Title: "Sign in", Data: signView{Next: next, Again: next != "" && !strings.HasPrefix(next, "/invite/"), Err: map[string]string{}}})
}

func (s *server) signIn(c *echo.Context) error {
	ctx := c.Request().Context()
	v := signView{Email: c.FormValue("email"), Next: ownPath(c.FormValue("next")), Err: map[string]string{}}
	acc, err := s.app.SignIn(ctx, v.Email, c.FormValue("password"), c.RealIP())
	var wait app.ErrTooManyAttempts
	var wrong app.Problem
	switch {
	case errors.As(err, &wait):
		v.Err["password"] = wait.Error()
		c.Response().Header().Set("Retry-After", strconv.Itoa(wait.Seconds()))
		return s.render(c, http.StatusTooManyRequests, "sign-in", page{Title: "Sign in", Data: v})
	case errors.As(err, &wrong):
		v.Err["password"] = wrong.Say
		return s.render(c, http.StatusUnprocessableEntity, "sign-in", page{Title: "Sign in", Data: v})
	case err != nil:
		return s.fail(c, err)
	}
	return s.begin(c, acc, v.Next)
}

// begin begins a session and leads to a page.
func (s *server) begin(c *echo.Context, acc store.Account, next string) error {
	ctx := c.Request().Context()
	if err := s.sessions.RenewToken(ctx); err != nil {
		return s.fail(c, err)
	}
	s.sessions.Put(ctx, "account", acc.ID.String())
	s.sessions.Put(ctx, "round", acc.SessionRound)
	return goTo(c, orElse(next, "/"))
}

// whoIs is the person whose session this is; false where it has ended.
func (s *server) whoIs(c *echo.Context) (store.Account, bool) {
	ctx := c.Request().Context()
	id, err := uuid.Parse(s.sessions.GetString(ctx, "account"))
	if err != nil {
		return store.Account{}, false
	}
	acc, err := s.app.Account(ctx, id)
	return acc, err == nil && acc.SessionRound == s.sessions.GetInt(ctx, "round")
}

func (s *server) signOut(c *echo.Context) error {
	if err := s.sessions.Destroy(c.Request().Context()); err != nil {
		return s.fail(c, err)
	}
	return goTo(c, "/sign-in")
}

func (s *server) joinPage(c *echo.Context) error {
	return s.render(c, http.StatusOK, "join", page{Title: "Create an account", Data: signView{Next: ownPath(c.QueryParam("next")), Err: map[string]string{}}})
}

// join makes an account and begins a session.
func (s *server) join(c *echo.Context) error {
	v := signView{Email: c.FormValue("email"), Name: c.FormValue("name"), Next: ownPath(c.FormValue("next")), Err: map[string]string{}}
	acc, err := s.app.CreateAccount(c.Request().Context(), v.Email, v.Name, c.FormValue("password"))
	var wrong app.Problem
	if errors.As(err, &wrong) {
		v.Err[wrong.Field] = wrong.Say
		return s.render(c, http.StatusUnprocessableEntity, "join", page{Title: "Create an account", Data: v})
	}
	if err != nil {
		return s.fail(c, err)
	}
	return s.begin(c, acc, orElse(v.Next, "/shops"))
}

type accountView struct {
	Account store.Account
	Name    string
	Err     map[string]string
}

func (s *server) account(c *echo.Context) error {
	return s.showAccount(c, http.StatusOK, accountView{Name: at(c).account.Name, Err: map[string]string{}})
}

func (s *server) showAccount(c *echo.Context, status int, v accountView) error {
	v.Account = at(c).account
	return s.render(c, status, "account", page{Title: "Your account", Data: v})
}

// saveAccount changes one's own name or password, or ends one's other sessions.
func (s *server) saveAccount(c *echo.Context) error {
	ctx, acc := c.Request().Context(), at(c).account
	v := accountView{Name: acc.Name, Err: map[string]string{}}
	var err error
	say := "Your name is saved."
	switch c.FormValue("do") {
	case "name":
		v.Name = c.FormValue("name")
		err = s.app.RenameAccount(ctx, acc.ID, v.Name)
	case "password":
		acc, err = s.app.ChangePassword(ctx, acc.ID, c.FormValue("old"), c.FormValue("password"))
		say = "Your password is changed. Other windows and machines are signed out."
	case "sessions":
		acc, err = s.app.EndSessions(ctx, acc.ID)
		say = "Every other window and machine is signed out."
	default:
		return s.oops(c, http.StatusUnprocessableEntity, "There is no such change.")
	}
	var wrong app.Problem
	if errors.As(err, &wrong) {
		v.Err[wrong.Field] = wrong.Say
		return s.showAccount(c, http.StatusUnprocessableEntity, v)
	}
	if err != nil {
		return s.fail(c, err)
	}
	if c.FormValue("do") != "name" {
		if err := s.sessions.RenewToken(ctx); err != nil {
			return s.fail(c, err)
		}
		s.sessions.Put(ctx, "round", acc.SessionRound)
	}
	return s.done(c, "/account", say)
}
