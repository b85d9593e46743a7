package merchant

import (
	"errors"
	"fmt"
	"net/http"

	"github.com/google/uuid"
	"github.com/labstack/echo/v5"

	"agonal.dev/agonal/internal/app"
	"agonal.dev/agonal/internal/store"
)

// roleView is a role with what it may do.
type roleView struct{ Value, Name, Means string }

var roles = []roleView{
	{"owner", "Owner", "may do everything, also with people and keys"},
	{"editor", "Editor", "may change and publish nudges, goods, regions and settings"},
	{"viewer", "Viewer", "may look at everything and change nothing"},
}

type peopleView struct {
	Members []memberRow
	Invites []inviteRow
	Roles   []roleView
	Err     map[string]string
	Email   string
	Role    string
	Link    string // of an invite that was just made, shown this once
	Sent    string // where it was sent
	Owner   bool
}

type memberRow struct {
	app.Member
	Self    bool
	Confirm string // what is asked before the person is taken out
}

type inviteRow struct {
	store.Invite
	When, Until string
}

func (s *server) people(c *echo.Context) error {
	v := &peopleView{}
	if o := s.onceOf(c, "invite"); o != nil {
		v.Link, v.Sent = o.Value, o.Name
	}
	return s.showPeople(c, http.StatusOK, v)
}

func (s *server) showPeople(c *echo.Context, status int, v *peopleView) error {
	ctx, h := c.Request().Context(), at(c)
	members, err := s.app.Members(ctx, h.shop.ID)
	if err != nil {
		return s.fail(c, err)
	}
	invites, err := s.app.Invites(ctx, h.shop.ID)
	if err != nil {
		return s.fail(c, err)
	}
	for _, m := range members {
		row := memberRow{m, m.ID == h.account.ID, "Take " + m.Name + " out of this shop? A new invite brings them back."}
		if row.Self {
			row.Confirm = "Leave this shop? You will need a new invite to come back."
		}
		v.Members = append(v.Members, row)
	}
	for _, i := range invites {
		v.Invites = append(v.Invites, inviteRow{i, h.day(i.CreatedAt), h.day(i.ExpiresAt)})
	}
	v.Roles, v.Owner = roles, h.shop.Role == store.Owner
	if v.Role == "" {
		v.Role = "editor"
	}
	if v.Err == nil {
		v.Err = map[string]string{}
	}
	return s.render(c, status, "people", page{Title: "People", Place: "shop", Section: "people", Data: v})
}

func (s *server) invite(c *echo.Context) error {
	h := at(c)
	base := s.base(c)
	link := func(token string) string { return base + "/invite/" + token }
	role := c.FormValue("role")
	inv, token, err := s.app.Invite(c.Request().Context(), h.shop.Shop, h.account.Name, c.FormValue("email"), store.Role(role), link)
	var said app.Problem
	if errors.As(err, &said) {
		return s.showPeople(c, http.StatusUnprocessableEntity, &peopleView{Err: map[string]string{said.Field: said.Say}, Email: c.FormValue("email"), Role: role})
	}
	if err != nil {
		return s.fail(c, err)
	}
	s.showOnce(c, once{"invite", inv.Email, link(token)})
	return goTo(c, h.url("/shop/people"))
}

func (s *server) withdrawInvite(c *echo.Context) error {
	id, err := uuid.Parse(c.Param("invite"))
	if err != nil {
		return s.fail(c, app.ErrNotFound)
	}
	if err := s.app.WithdrawInvite(c.Request().Context(), at(c).shop.ID, id); err != nil {
		return s.fail(c, err)
	}
	return s.done(c, at(c).url("/shop/people"), "The invite is withdrawn; its link opens nothing any more.")
}

// setRole changes what a person may do, or takes the person out.
func (s *server) setRole(c *echo.Context) error {
	h := at(c)
	id, err := uuid.Parse(c.Param("person"))
	if err != nil {
		return s.fail(c, app.ErrNotFound)
	}
	role := store.Role(c.FormValue("role"))
	if c.FormValue("do") == "remove" {
		role = ""
	}
	err = s.app.SetRole(c.Request().Context(), h.shop.ID, id, store.Role(c.FormValue("was")), role)
	var said app.Problem
	if errors.As(err, &said) {
		s.tell(c, flash{Say: said.Say, Tone: "loss"})
		return goTo(c, h.url("/shop/people"))
	}
	if err != nil {
		return s.fail(c, err)
	}
	acc, err := s.app.Account(c.Request().Context(), id)
	if err != nil {
		return s.fail(c, err)
	}
	switch {
	case role == "" && id == h.account.ID:
		return s.done(c, "/shops", "You have left "+h.shop.Name+".")
	case role == "":
		return s.done(c, h.url("/shop/people"), acc.Name+" has no part in the shop any more.")
	}
	return s.done(c, h.url("/shop/people"), fmt.Sprintf("%s is %s now.", acc.Name, role))
}

type inviteView struct {
	Token, Shop, Role, Means, By string
	Name                         string // of the person signed in; empty: nobody is
	Gone                         bool
}

// invitePage shows what a link offers.
func (s *server) invitePage(c *echo.Context) error {
	ctx := c.Request().Context()
	v := inviteView{Token: c.Param("token")}
	inv, shop, err := s.app.InviteBy(ctx, v.Token)
	switch {
	case errors.Is(err, app.ErrNotFound):
		v.Gone = true
		return s.render(c, http.StatusNotFound, "invite", page{Title: "Invite", Data: v})
	case err != nil:
		return s.fail(c, err)
	}
	v.Shop, v.Role, v.By = shop.Name, string(inv.Role), inv.CreatedBy
	for _, r := range roles {
		if r.Value == v.Role {
			v.Means = r.Means
		}
	}
	if acc, ok := s.whoIs(c); ok {
		v.Name = acc.Name
	}
	return s.render(c, http.StatusOK, "invite", page{Title: "Invite", Data: v})
}

func (s *server) takeInvite(c *echo.Context) error {
	token := c.Param("token")
	acc, ok := s.whoIs(c)
	if !ok {
		return goTo(c, "/invite/"+token)
	}
	shop, err := s.app.TakeInvite(c.Request().Context(), token, acc.ID)
	if errors.Is(err, app.ErrNotFound) {
		return goTo(c, "/invite/"+token)
	}
	if err != nil {
		return s.fail(c, err)
	}
	return s.done(c, "/s/"+shop+"/nudges", "Welcome. This is the shop you were invited to.")
}

// mails shows what the stand-in for e-mail was given.
func (s *server) mails(c *echo.Context) error {
	ms, err := s.app.Mails(c.Request().Context())
	if err != nil {
		return s.fail(c, err)
	}
	return s.render(c, http.StatusOK, "mail", page{Title: "E-mail, simulated", Data: ms})
}
