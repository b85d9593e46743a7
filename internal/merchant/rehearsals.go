package merchant

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"slices"

	"github.com/google/uuid"
	"github.com/labstack/echo/v5"

	"agonal.dev/agonal/core/rehearse"
	"agonal.dev/agonal/internal/app"
	"agonal.dev/agonal/internal/store"
)

// savedView is the visits that a shop keeps, each decided as it would be now.
type savedView struct {
	Differ     int
	Visits     []keptVisit
	With       string // a draft that all of them are tried with
	WithName   string
	Version    int // of that draft
	Revision   int // as which it would be published
	CanPublish bool
}

// keptVisit is one of them, with how it differs from what is expected.
type keptVisit struct {
	store.Rehearsal
	URL  string
	On   string // the day since when it is expected
	Diff []differenceView
	now  rehearse.Expected
}

type differenceView struct{ About, Nudge, Was, Is string }

// aspects are what differences are about, in words.
var aspects = map[rehearse.Aspect]string{
	rehearse.Decided: "Decided", rehearse.OfCart: "Left out", rehearse.ToPay: "To pay", rehearse.Before: "Goods before nudges", rehearse.Goods: "Goods after nudges", rehearse.Shipping: "Shipping",
	rehearse.Gives: "Given", rehearse.OfCode: "Code", rehearse.Says: "Said",
}

// expectedNow is what a made-up visit comes to now.
func (v *rehearsalView) expectedNow() rehearse.Expected {
	if !v.Decided {
		return rehearse.Expected{Refused: orElse(v.Error, "there is no region to deliver to")}
	}
	e := rehearse.Of(&v.D)
	e.Without = v.Refused
	return e
}

// saved decides every visit that is kept anew; with names a draft that takes the place of
// what is live, or none.
func (s *server) saved(ctx context.Context, h *here, shop *app.ShopSnapshot, ns []store.Nudge, with string) (savedView, error) {
	var out savedView
	kept, err := s.app.Rehearsals(ctx, h.shop.ID)
	if err != nil {
		return out, err
	}
	names := map[string]string{}
	for _, n := range ns {
		if names[n.ID] = n.Draft.Name; n.ID == with {
			out.With, out.WithName, out.Version, out.Revision = n.ID, n.Draft.Name, n.DraftVersion, n.LiveRevision+1
			out.CanPublish = n.Dirty || n.State != store.StateLive
		}
	}
	for _, r := range kept {
		q, err := url.ParseQuery(r.Visit)
		if err != nil {
			return out, err
		}
		k := keptVisit{Rehearsal: r, URL: h.url("/rehearsal?" + r.Visit), On: h.day(r.At)}
		if out.With != "" && !slices.Contains(q["draft"], out.With) {
			q.Add("draft", out.With)
		}
		k.now = s.madeUp(h, shop, ns, q).expectedNow()
		for _, d := range r.Expected.Differences(&k.now, h.shop.Locale) {
			k.Diff = append(k.Diff, differenceView{aspects[d.About], orElse(names[d.Nudge], d.Nudge), orElse(d.Was, "nothing"), orElse(d.Is, "nothing")})
		}
		if len(k.Diff) > 0 {
			out.Differ++
		}
		out.Visits = append(out.Visits, k)
	}
	return out, nil
}

// toRehearse reads what is rehearsed: the shop as it is in force, and all nudges with their
// drafts.
func (s *server) toRehearse(c *echo.Context) (*app.ShopSnapshot, []store.Nudge, error) {
	ctx, id := c.Request().Context(), at(c).shop.ID
	shop, err := s.app.Snapshots.Get(ctx, id)
	if err != nil {
		return nil, nil, err
	}
	ns, err := s.app.Nudges(ctx, id)
	return shop, ns, err
}

// keptVisits reads what saved needs and decides them.
func (s *server) keptVisits(c *echo.Context, with string) (savedView, error) {
	shop, ns, err := s.toRehearse(c)
	if err != nil {
		return savedView{}, err
	}
	return s.saved(c.Request().Context(), at(c), shop, ns, with)
}

// savedPage lists the visits that are kept, with what differs.
func (s *server) savedPage(c *echo.Context) error {
	v, err := s.keptVisits(c, c.QueryParam("with"))
	if err != nil {
		return s.fail(c, err)
	}
	return s.render(c, http.StatusOK, "rehearsals", page{Title: "Kept visits", Place: "rehearsal", Data: v})
}

// keep keeps a visit with what is decided of it now.
func (s *server) keep(c *echo.Context) error {
	ctx, h := c.Request().Context(), at(c)
	q, err := url.ParseQuery(c.FormValue("visit"))
	if err != nil {
		return s.done(c, h.url("/rehearsal"), "This visit could not be read; nothing was kept.")
	}
	shop, ns, err := s.toRehearse(c)
	if err != nil {
		return s.fail(c, err)
	}
	v := s.madeUp(h, shop, ns, q)
	r, err := s.app.KeepRehearsal(ctx, h.shop.ID, h.account.Name, c.FormValue("name"), q.Encode(), v.expectedNow())
	var said app.Problem
	switch {
	case errors.As(err, &said):
		if v.Kept, err = s.app.Rehearsals(ctx, h.shop.ID); err != nil {
			return s.fail(c, err)
		}
		v.NameErr, v.Name = said.Say, c.FormValue("name")
		return s.render(c, http.StatusUnprocessableEntity, "rehearsal", page{Title: "Rehearsal", Place: "rehearsal", Data: v})
	case err != nil:
		return s.fail(c, err)
	}
	return s.done(c, h.url("/rehearsal?"+r.Visit), fmt.Sprintf("“%s” is kept. It is tried again before anything is published.", r.Name))
}

// accept makes what is decided now what is expected, of one visit or of all.
func (s *server) accept(c *echo.Context) error {
	h := at(c)
	v, err := s.keptVisits(c, "")
	if err != nil {
		return s.fail(c, err)
	}
	back := h.url("/rehearsal/kept")
	which, n := c.FormValue("visit"), 0
	for _, k := range v.Visits {
		if len(k.Diff) == 0 || which != "" && k.ID.String() != which {
			continue
		}
		var said app.Problem
		switch err := s.app.ExpectOf(c.Request().Context(), h.shop.ID, h.account.Name, k.Rehearsal, k.now); {
		case errors.As(err, &said):
			return s.done(c, back, said.Say)
		case err != nil:
			return s.fail(c, err)
		}
		n++
	}
	return s.done(c, back, fmt.Sprintf("%d %s now as decided.", n, map[bool]string{true: "visit is expected", false: "visits are expected"}[n == 1]))
}

// dropVisit forgets a visit.
func (s *server) dropVisit(c *echo.Context) error {
	id, err := uuid.Parse(c.Param("visit"))
	if err == nil {
		err = s.app.DropRehearsal(c.Request().Context(), at(c).shop.ID, id)
	} else {
		err = nil // there is none of this name
	}
	if err != nil {
		return s.fail(c, err)
	}
	return s.done(c, at(c).url("/rehearsal/kept"), "It is kept no more.")
}
