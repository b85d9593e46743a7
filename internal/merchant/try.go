package merchant

import (
	"errors"
	"fmt"
	"math"
	"net/http"
	"net/url"
	"strings"

	"github.com/labstack/echo/v5"

	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/internal/app"
	"agonal.dev/agonal/internal/store"
)

// tryView is the page where a trial is begun.
type tryView struct {
	N            store.Nudge
	A, B         string // what is promised now, and in the draft
	Share, Worth string
	Part         string // of all visitors
	Apart        bool
	Err          map[string]string
	Plan         app.TrialPlan
	Says         []string // how long it takes
	Never        bool     // it can never tell
	Version      int
	None         bool // against doing without it
	CanNone      bool // whether that can be compared
}

func (s *server) tryPage(c *echo.Context) error {
	v, err := s.tryView(c, formValue(c, "share", "50"), formValue(c, "worth", "20"))
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

func (s *server) tryView(c *echo.Context, share, worth string) (*tryView, error) {
	ctx, h := c.Request().Context(), at(c)
	n, err := s.app.Nudge(ctx, h.shop.ID, c.Param("nudge"))
	if err != nil {
		return nil, err
	}
	snap, err := s.app.Snapshots.Get(ctx, h.shop.ID)
	if err != nil {
		return nil, err
	}
	v := &tryView{N: n, Share: share, Worth: worth, Part: formValue(c, "part", "100"), Apart: c.FormValue("apart") != "", Err: map[string]string{}, Version: n.DraftVersion, None: c.FormValue("against") == "none"}
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
	asked := app.TrialAsked{
		Share: v.read("share", share, app.LeastShare, money.Whole-app.LeastShare, "Write a share from 5 to 95."),
		Worth: v.read("worth", worth, money.Whole/100, money.Whole, "Write a difference from 1 to 100."),
		Part:  v.read("part", v.Part, app.LeastShare, money.Whole, "Write a share from 5 to 100."), Apart: v.Apart,
	}
	if len(v.Err) > 0 {
		return v, nil
	}
	if v.Plan, err = s.app.PlanTrial(ctx, h.shop.ID, n.ID, asked); err != nil {
		return nil, err
	}
	v.say(h)
	return v, nil
}

// promised says what a definition promises.
func promised(h *here, d *nudge.Definition, snap *app.ShopSnapshot) string {
	return d.Say(nudge.Voice{Region: d.FirstRegion(snap.Regions()), Locale: h.shop.Locale, Label: snap.Catalog().Label})
}

func (v *tryView) read(field, typed string, least, most money.Rate, wrong string) money.Rate {
	r, err := money.ParsePercent(strings.ReplaceAll(strings.TrimSpace(strings.TrimSuffix(typed, "%")), ",", "."))
	if err != nil || r < least || r > most {
		v.Err[field] = wrong
	}
	return r
}

// say tells how long it takes, from the shop's own figures.
func (v *tryView) say(h *here) {
	p := &v.Plan
	if p.PerDay == 0 {
		v.Never = true
		v.Says = []string{"Nobody could see it in the last four weeks, so it cannot be told how long this takes. It ends after 120 days, or when it is sure."}
		return
	}
	amount := func(x float64) string {
		return money.Format(money.Amount{Minor: money.Minor(math.Round(x)), Currency: p.Currency}, h.shop.Locale)
	}
	v.Says = []string{
		fmt.Sprintf("In the last four weeks %s visits a day could see it, and 100 of them left %s of margin.", whole(int64(p.PerDay+0.5), h.shop.Locale), amount(100*p.Margin)),
		fmt.Sprintf("A difference worth finding is %s per 100 visits.", amount(100*p.Margin*float64(p.Worth)/float64(money.Whole))),
	}
	if p.Days > 0 {
		v.Says = append(v.Says, fmt.Sprintf("That is found in four of five trials within %s, with %s visits; often sooner, as it ends by itself when it is sure.", plural(int64(p.Days), "day", "days"), whole(p.Visits, h.shop.Locale)))
		return
	}
	v.Never = true
	need := "more visits than can be counted"
	if p.Visits > 0 {
		need = whole(p.Visits, h.shop.Locale) + " visits"
	}
	v.Says = append(v.Says, "At this pace it would take longer than 120 days: "+need+". Look for a larger difference, or try something bolder.")
}

func (s *server) tryStart(c *echo.Context) error {
	ctx, h := c.Request().Context(), at(c)
	v, err := s.tryView(c, formValue(c, "share", "50"), formValue(c, "worth", "20"))
	if err != nil {
		return s.fail(c, err)
	}
	if len(v.Err) > 0 || v.A == "" {
		return s.showTry(c, http.StatusOK, v)
	}
	v.Version = atoi(c.FormValue("version"))
	start := func() (store.Trial, error) {
		if v.None {
			return s.app.StartWithout(ctx, h.shop.ID, v.N.ID, h.account.Name, v.Plan.TrialAsked)
		}
		return s.app.StartTrial(ctx, h.shop.ID, v.N.ID, h.account.Name, v.Version, v.Plan.TrialAsked)
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
	q := url.Values{"share": {v.Share}, "worth": {v.Worth}, "part": {v.Part}} // what was typed stays
	if v.None {
		q.Set("against", "none")
	}
	if v.Apart {
		q.Set("apart", "yes")
	}
	return goTo(c, h.url("/nudges/"+v.N.ID+"/try")+"?"+q.Encode())
}
