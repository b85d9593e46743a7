package merchant

import (
	"errors"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"github.com/labstack/echo/v5"

	"agonal.dev/agonal/internal/app"
	"agonal.dev/agonal/internal/store"
)

// setsView is the page where one set of nudges is compared with another.
type setsView struct {
	trialForm
	Name  string
	Rows  []setRow
	Says  []string // how long it takes
	Never bool
	Ready bool // it may be begun
	// Begins says which nudges the start puts in force.
	Begins string
	Usual  map[bool]string // who has a nudge of no set, by whether it is live
	asked  app.SetsAsked
}

// setRow is a nudge, and in which arm it is.
type setRow struct {
	ID, Name, Promise, State string
	Live                     bool
	In                       string // "": as it is, "a" or "b"
	Why                      string // it cannot be tried
}

func (s *server) sets(c *echo.Context) error {
	v, err := s.setsView(c)
	if err != nil {
		return s.fail(c, err)
	}
	return s.showSets(c, http.StatusOK, v)
}

func (s *server) showSets(c *echo.Context, status int, v *setsView) error {
	if len(v.Err) > 0 {
		status = http.StatusUnprocessableEntity
	}
	return s.render(c, status, "sets", page{Title: "One set against another", Place: "results", Data: v})
}

func (s *server) setsView(c *echo.Context) (*setsView, error) {
	ctx, h := c.Request().Context(), at(c)
	snap, err := s.app.Snapshots.Get(ctx, h.shop.ID)
	if err != nil {
		return nil, err
	}
	ns, err := s.app.Nudges(ctx, h.shop.ID)
	if err != nil {
		return nil, err
	}
	typed := values(c)
	v := &setsView{trialForm: trialFormOf(c, snap), Name: strings.TrimSpace(typed.Get("name")), Usual: map[bool]string{true: "everybody", false: "nobody"}}
	for i := range ns {
		n := &ns[i]
		if n.State == store.StateEnded && n.PutAway {
			continue
		}
		d := &n.Draft // what the start would put in force
		at := snap.Find(n.ID)
		if len(at) > 0 {
			d = &snap.Nudges[at[0]].Definition
		}
		r := setRow{ID: n.ID, Name: d.Name, Promise: promised(h, d, snap), State: app.Phase(*n, d, h.now), Live: n.State == store.StateLive, In: typed.Get("set." + n.ID)}
		switch {
		case d.ByCode():
			r.Why, r.In = "It needs a code, which is kept from nobody.", ""
		case len(at) > 0 && snap.Nudges[at[0]].Trial != nil:
			r.Why, r.In = "It is being tried.", ""
		}
		v.Rows = append(v.Rows, r)
		switch r.In {
		case "a":
			v.asked.A = append(v.asked.A, r.ID)
		case "b":
			v.asked.B = append(v.asked.B, r.ID)
		}
	}
	slices.SortStableFunc(v.Rows, func(a, b setRow) int { // what shoppers meet today comes first
		switch {
		case a.Live == b.Live:
			return 0
		case a.Live:
			return -1
		}
		return 1
	})
	v.asked.Name, v.asked.TrialAsked = v.Name, v.Asked
	if !typed.Has("share") || len(v.Err) > 0 { // nothing is asked yet
		return v, nil
	}
	plan, err := s.app.PlanSets(ctx, h.shop.ID, v.asked)
	var wrong app.Problem
	if errors.As(err, &wrong) {
		v.Err[wrong.Field] = wrong.Say
		return v, nil
	}
	if err != nil {
		return nil, err
	}
	seen := "anything of the shop"
	if i := slices.IndexFunc(v.Rows, func(r setRow) bool { return r.ID == plan.By }); i >= 0 {
		seen = v.Rows[i].Name
	}
	v.Says, v.Never = planned(h, &plan, seen)
	v.Ready = true
	var begins []string
	for _, r := range v.Rows {
		if r.In != "" && !r.Live {
			begins = append(begins, r.Name)
		}
	}
	if len(begins) > 0 {
		v.Begins = "The start puts " + strings.Join(begins, " and ") + " in force, for visitors of the trial only."
	}
	return v, nil
}

// Typed is what was typed, to be asked for again.
func (v *setsView) Typed() url.Values {
	q := v.trialForm.Typed()
	q.Set("name", v.Name)
	for _, r := range v.Rows {
		if r.In != "" {
			q.Set("set."+r.ID, r.In)
		}
	}
	return q
}

func (s *server) setsStart(c *echo.Context) error {
	ctx, h := c.Request().Context(), at(c)
	v, err := s.setsView(c)
	if err != nil {
		return s.fail(c, err)
	}
	if !v.Ready {
		return s.showSets(c, http.StatusOK, v)
	}
	t, err := s.app.StartSets(ctx, h.shop.ID, h.account.Name, v.asked)
	var wrong app.Problem
	switch {
	case errors.As(err, &wrong):
		s.tell(c, flash{Say: "Not begun: " + wrong.Say, Tone: "loss"})
		return goTo(c, h.url("/results/sets")+"?"+v.Typed().Encode())
	case err != nil:
		return s.fail(c, err)
	}
	return s.done(c, h.url("/results/trials/"+t.ID), "The trial has begun: "+ofVisitors(&t)+" have the set B from now on, the others the set A.")
}
