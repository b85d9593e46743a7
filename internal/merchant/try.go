package merchant

import (
	"errors"
	"net/http"
	"net/url"
	"strings"

	"github.com/labstack/echo/v5"

	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/internal/app"
	"agonal.dev/agonal/internal/store"
)

// tryView is the page where a trial is begun.
type tryView struct {
	trialForm
	N       store.Nudge
	A, B    string   // what is promised now, and in the draft
	Says    []string // how long it takes
	Never   bool     // it can never tell
	Version int
	None    bool // against doing without it
	CanNone bool // whether that can be compared
}

func (s *server) tryPage(c *echo.Context) error {
	v, err := s.tryView(c)
	if err != nil {
		return s.fail(c, err)
	}
	return s.showTry(c, http.StatusOK, v)
}

func (s *server) showTry(c *echo.Context, status int, v *tryView) error {
	if len(v.Err) > 0 {
		status = http.StatusUnprocessableEntity
	}
	return s.render(c, status, "try", page{Title: "Try " + v.N.Draft.Name, Place: "results", Data: v})
}

// formValue is what was asked for, or the usual.
func formValue(c *echo.Context, name, usual string) string {
	if x := strings.TrimSpace(c.FormValue(name)); x != "" {
		return x
	}
	return usual
}

func (s *server) tryView(c *echo.Context) (*tryView, error) {
	ctx, h := c.Request().Context(), at(c)
	n, err := s.app.Nudge(ctx, h.shop.ID, c.Param("nudge"))
	if err != nil {
		return nil, err
	}
	snap, err := s.app.Snapshots.Get(ctx, h.shop.ID)
	if err != nil {
		return nil, err
	}
	v := &tryView{trialForm: trialFormOf(c, snap), N: n, Version: n.DraftVersion, None: c.FormValue("against") == "none"}
	live, err := s.liveDefinition(c, n)
	if err != nil {
		return nil, err
	}
	if live == nil || n.State != store.StateLive {
		return v, nil
	}
	v.CanNone = !live.ByCode()
	if v.None && !v.CanNone || !v.None && !n.Dirty {
		return v, nil
	}
	v.A, v.B = promised(h, live, snap), "None of it: these visitors neither see it nor are given anything by it."
	if !v.None {
		v.B = promised(h, &n.Draft, snap)
	}
	if len(v.Err) > 0 {
		return v, nil
	}
	plan, err := s.app.PlanTrial(ctx, h.shop.ID, n.ID, v.Asked)
	if err != nil {
		return nil, err
	}
	v.Says, v.Never = planned(h, &plan, "it")
	return v, nil
}

// promised says what a definition promises.
func promised(h *here, d *nudge.Definition, snap *app.ShopSnapshot) string {
	return d.Say(nudge.Voice{Region: d.FirstRegion(snap.Regions()), Locale: h.shop.Locale, Label: snap.Catalog().Label})
}

// Typed is what was typed, to be asked for again.
func (v *tryView) Typed() url.Values {
	q := v.trialForm.Typed()
	if v.None {
		q.Set("against", "none")
	}
	return q
}

func (s *server) tryStart(c *echo.Context) error {
	ctx, h := c.Request().Context(), at(c)
	v, err := s.tryView(c)
	if err != nil {
		return s.fail(c, err)
	}
	if len(v.Err) > 0 || v.A == "" {
		return s.showTry(c, http.StatusOK, v)
	}
	v.Version = atoi(c.FormValue("version"))
	start := func() (store.Trial, error) {
		if v.None {
			return s.app.StartWithout(ctx, h.shop.ID, v.N.ID, h.account.Name, v.Asked)
		}
		return s.app.StartTrial(ctx, h.shop.ID, v.N.ID, h.account.Name, v.Version, v.Asked)
	}
	t, err := start()
	var blocked app.Blocked
	var wrong app.Problem
	conflict, moved := asConflict(err)
	switch {
	case err == nil:
		have := " have the draft from now on."
		if v.None {
			have = " do without it from now on."
		}
		return s.done(c, h.url("/results/trials/"+t.ID), "The trial has begun: "+ofVisitors(&t)+have)
	case moved:
		s.tell(c, flash{Say: "Not begun: " + changedBy(h, conflict) + " Look at the draft as it is now, then try it.", Tone: "loss"})
	case asBlocked(err, &blocked):
		s.tell(c, flash{Say: "Not begun: " + blocked.Error(), Tone: "loss", Link: h.url("/nudges/" + v.N.ID + "#checks"), Go: "See what stops it"})
	case errors.As(err, &wrong):
		s.tell(c, flash{Say: "Not begun: " + wrong.Say, Tone: "loss"})
	default:
		return s.fail(c, err)
	}
	return goTo(c, h.url("/nudges/"+v.N.ID+"/try")+"?"+v.Typed().Encode()) // what was typed stays
}
