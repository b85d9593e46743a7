package merchant

import (
	"errors"
	"fmt"
	"math"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/results"
	"agonal.dev/agonal/internal/app"
	"agonal.dev/agonal/internal/store"
)

// tryView is the page where a trial is begun.
type tryView struct {
	N            store.Nudge
	A, B         string // what is promised now, and in the draft
	Share, Worth string
	Err          map[string]string
	Plan         app.TrialPlan
	Says         []string // how long it takes
	Never        bool     // it can never tell
	Version      int
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
	v := &tryView{N: n, Share: share, Worth: worth, Err: map[string]string{}, Version: n.DraftVersion}
	live, err := s.liveDefinition(c, n)
	if err != nil {
		return nil, err
	}
	v.B = promised(h, &n.Draft, snap)
	if live == nil || n.State != store.StateLive || !n.Dirty {
		return v, nil
	}
	v.A = promised(h, live, snap)
	sh, worthRate := v.read("share", share, app.LeastShare, money.Whole-app.LeastShare, "Write a share from 5 to 95."), v.read("worth", worth, money.Whole/100, money.Whole, "Write a difference from 1 to 100.")
	if len(v.Err) > 0 {
		return v, nil
	}
	if v.Plan, err = s.app.PlanTrial(ctx, h.shop.ID, n.ID, worthRate, sh); err != nil {
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
	t, err := s.app.StartTrial(ctx, h.shop.ID, v.N.ID, h.account.Name, v.Version, v.Plan.Worth, v.Plan.Share)
	var blocked app.Blocked
	var wrong app.Problem
	conflict, moved := asConflict(err)
	switch {
	case err == nil:
		return s.done(c, h.url("/results/trials/"+t.ID), "The trial has begun: "+plainShare(t.Share)+" of visitors have the draft from now on.")
	case moved:
		s.tell(c, flash{Say: "Not begun: " + changedBy(h, conflict) + " Look at the draft as it is now, then try it.", Tone: "loss"})
	case asBlocked(err, &blocked):
		s.tell(c, flash{Say: "Not begun: " + blocked.Error(), Tone: "loss", Link: h.url("/nudges/" + v.N.ID + "#checks"), Go: "See what stops it"})
	case errors.As(err, &wrong):
		s.tell(c, flash{Say: "Not begun: " + wrong.Say, Tone: "loss"})
	default:
		return s.fail(c, err)
	}
	return goTo(c, h.url("/nudges/"+v.N.ID+"/try"))
}

func plainShare(r money.Rate) string { return r.String() + " %" }

// trialView is the page of a trial.
type trialView struct {
	T            app.TrialFound
	Name         string
	A, B         string
	Since, Until string
	Share        string
	Day, Days    int
	Chart        bandChart
	Heading      string
	Tone         string
	More         []string
	Arms         []trialArm
	State        string
	CanTake      bool
	Path         string
	Nudge        string
}

type trialArm struct{ Name, Visits, Orders, Conversion, Average, Given, Margin, PerHundred string }

// trialRow is a trial among the results.
type trialRow struct{ ID, Name, Since, State, Words, Tone string }

func (s *server) trial(c *echo.Context) error {
	ctx, h := c.Request().Context(), at(c)
	f, err := s.app.TrialResults(ctx, h.shop.ID, c.Param("trial"))
	if err != nil {
		return s.fail(c, err)
	}
	snap, err := s.app.Snapshots.Get(ctx, h.shop.ID)
	if err != nil {
		return s.fail(c, err)
	}
	v := &trialView{T: f, Nudge: f.NudgeID, Share: plainShare(f.Share), Path: h.url("/results/trials/" + f.ID)}
	n, err := s.app.Nudge(ctx, h.shop.ID, f.NudgeID)
	if err != nil {
		return s.fail(c, err)
	}
	v.Name = n.Draft.Name
	for number, into := range map[int]*string{f.RevisionA: &v.A, f.RevisionB: &v.B} {
		r, err := s.app.Revision(ctx, h.shop.ID, f.NudgeID, number)
		if err != nil {
			return s.fail(c, err)
		}
		*into = promised(h, &r.Definition, snap)
	}
	v.CanTake = n.State == store.StateLive && n.LiveRevision == f.RevisionA
	v.lay(h)
	return s.render(c, http.StatusOK, "trial", page{Title: v.Name + ", trial", Place: "results", Data: v})
}

// lay lays out what a trial tells.
func (v *trialView) lay(h *here) {
	f := &v.T
	q := asking{locale: h.shop.Locale}
	q.Currency = f.Currency
	began := f.StartedAt.In(h.zone)
	y, m, d := h.now.In(h.zone).Date()
	today := time.Date(y, m, d, 0, 0, 0, 0, time.UTC)
	first := time.Date(began.Year(), began.Month(), began.Day(), 0, 0, 0, 0, time.UTC)
	v.Since, v.Until = h.day(f.StartedAt), days(f.Until, f.Until, today)
	v.Day, v.Days = int(today.Sub(first).Hours()/24)+1, int(f.Until.Sub(first).Hours()/24)+1
	v.State = "Trial, running since " + v.Since
	if f.EndedAt != nil {
		v.State = "Trial, ended " + h.day(*f.EndedAt)
		e := f.EndedAt.In(h.zone)
		v.Day = int(time.Date(e.Year(), e.Month(), e.Day(), 0, 0, 0, 0, time.UTC).Sub(first).Hours()/24) + 1
	}
	v.Heading, v.Tone = verdict(&q, f)
	v.More = more(&q, f)
	v.Chart = bandOf(&q, f, first, v.Day, v.Days)
	arm := func(name string, x *results.Visits, given money.Minor) {
		share, half := x.Conversion()
		r := trialArm{Name: name, Visits: whole(x.Visits, h.shop.Locale), Orders: whole(x.Orders, h.shop.Locale), Conversion: fmt.Sprintf("%.2f %% ±%.2f", 100*share, 100*half), Average: "–", Given: q.money(given), Margin: q.money(x.Margin)}
		if avg, ok := x.AverageOrder(); ok {
			r.Average = q.money(avg)
		}
		r.PerHundred = q.money(x.PerHundred())
		v.Arms = append(v.Arms, r)
	}
	arm("A, revision "+fmt.Sprint(f.RevisionA), &f.A, f.GivenA)
	arm("B, revision "+fmt.Sprint(f.RevisionB), &f.B, f.GivenB)
}

// hundred writes a difference per visit as one per hundred visits.
func (q *asking) hundred(x float64) string {
	if x < 0 {
		return q.signed(money.Minor(100*x - 0.5))
	}
	return q.signed(money.Minor(100*x + 0.5))
}

// verdict says plainly what a trial tells.
func verdict(q *asking, f *app.TrialFound) (text, tone string) {
	l := f.Look
	between := func() string { return "between " + q.hundred(l.Low) + " and " + q.hundred(l.High) }
	switch {
	case f.Mismatch:
		return "Visits did not fall to A and B as they should, so nothing is said of the difference. Look whether a page of the shop shows one of them only.", "loss"
	case !l.Enough:
		return fmt.Sprintf("Too few orders to say anything: %d and %d, at least %d are needed on each side.", f.A.Orders, f.B.Orders, results.LeastOrders), ""
	case l.Low > 0:
		return "B brings " + strings.TrimPrefix(q.hundred(l.Mid), "+\u2060") + " more margin per hundred visits, " + between() + ".", "earned"
	case l.High < 0:
		return "B brings " + strings.TrimPrefix(q.hundred(l.Mid), "−") + " less margin per hundred visits, " + between() + ".", "loss"
	}
	return "No difference can be told yet: " + q.hundred(l.Mid) + " per hundred visits, " + between() + ".", ""
}

// more says what besides is to be known, and what to do.
func more(q *asking, f *app.TrialFound) []string {
	out := []string{"You may look as often as you like: the band holds at every look."}
	switch f.Outcome {
	case store.FoundB:
		out = append(out, "It stopped by itself, as it was sure. Publish B, and everybody has it.")
	case store.FoundA:
		out = append(out, "It stopped by itself, as it was sure. Everybody has A again; change the draft, or try something else.")
	case store.Undecided:
		out = append(out, "Its last day is over. If there is a difference, it is smaller than what was worth finding; take what is simpler.")
	case store.Broken:
		out = append(out, f.EndedBy+" stopped it. Everybody has A again.")
	case store.Changed:
		out = append(out, "The nudge was published anew, paused or ended meanwhile, and so the trial ended.")
	case store.Took:
		out = append(out, f.EndedBy+" published B. Everybody has it.")
	}
	if n := f.A.Unknown + f.B.Unknown; n > 0 {
		out = append(out, plural(n, "order has", "orders have")+" a cost that is not known, and no margin here.")
	}
	all := f.A.Visits + f.B.Visits
	if all > 0 && !f.Mismatch {
		out = append(out, fmt.Sprintf("Visits fell %.1f to %.1f: as they should.", 100*float64(f.A.Visits)/float64(all), 100*float64(f.B.Visits)/float64(all)))
	}
	return out
}

func (s *server) trialEnd(c *echo.Context) error {
	ctx, h := c.Request().Context(), at(c)
	how, say := store.Broken, "The trial is stopped. Everybody has A again."
	if c.FormValue("do") == "take" {
		how, say = store.Took, "B is published. Everybody has it from now on."
	}
	_, err := s.app.EndTrial(ctx, h.shop.ID, c.Param("trial"), h.account.Name, how)
	var wrong app.Problem
	switch {
	case errors.As(err, &wrong):
		s.tell(c, flash{Say: wrong.Say, Tone: "loss"})
		return goTo(c, h.url("/results/trials/"+c.Param("trial")))
	case err != nil:
		return s.fail(c, err)
	}
	return s.done(c, h.url("/results/trials/"+c.Param("trial")), say)
}

// trialRows lists a shop's trials for the page of results.
func (s *server) trialRows(c *echo.Context, names map[string]string) ([]trialRow, error) {
	ctx, h := c.Request().Context(), at(c)
	trials, err := s.app.Store.Trials(ctx, h.shop.ID)
	if err != nil {
		return nil, err
	}
	var out []trialRow
	for _, t := range trials[:min(len(trials), 20)] {
		f, err := s.app.TrialResults(ctx, h.shop.ID, t.ID)
		if err != nil {
			return nil, err
		}
		q := asking{locale: h.shop.Locale}
		q.Currency = t.Currency
		r := trialRow{ID: t.ID, Name: names[t.NudgeID], Since: h.day(t.StartedAt), State: "running"}
		if !t.Running() {
			r.State = "ended " + h.day(*t.EndedAt)
		}
		r.Words, r.Tone = verdict(&q, &f)
		out = append(out, r)
	}
	return out, nil
}

// bandChart is what could be said of the difference at the end of each day, as a band.
type bandChart struct {
	Wide, High    int
	Left, Today   float64
	Zero          float64
	Band, Line    string
	Levels        []bandLevel
	Ticks         []dayTick
	Base          int
	TodayText     string
	TodayX        float64
	Anchor        string
	Rows          []bandRow
	Known, Coming bool
	LastX, LastY  float64
}

type bandLevel struct {
	Y    float64
	Text string
}

type bandRow struct{ Day, Low, Mid, High string }

const (
	bandWide, bandHigh = 900, 320
	bandLeft, bandBase = 90, 290
)

// bandOf draws a trial.
func bandOf(q *asking, f *app.TrialFound, first time.Time, day, days int) bandChart {
	c := bandChart{Wide: bandWide, High: bandHigh, Left: bandLeft, Base: bandBase, Coming: f.Running()}
	each := float64(bandWide-bandLeft) / float64(max(1, days))
	var shown []app.TrialDay
	most := 1.0
	for _, d := range f.Days {
		if d.Look.Enough {
			shown = append(shown, d)
		}
	}
	for i, d := range shown {
		if i >= len(shown)/2 { // the first days are too wide to be drawn whole
			most = max(most, 1.2*max(d.Look.High, -d.Look.Low))
		}
	}
	y := func(x float64) float64 { return bandBase/2 - min(max(x/most, -1), 1)*(bandBase/2-8) }
	x := func(d time.Time) float64 { return bandLeft + each*(d.Sub(first).Hours()/24+1) }
	c.Zero = y(0)
	var top, bottom, line []string
	for _, d := range shown {
		top = append(top, fmt.Sprintf("%.1f %.1f", x(d.Day), y(d.Look.High)))
		bottom = append(bottom, fmt.Sprintf("%.1f %.1f", x(d.Day), y(d.Look.Low)))
		line = append(line, fmt.Sprintf("%.1f %.1f", x(d.Day), y(d.Look.Mid)))
		c.Rows = append(c.Rows, bandRow{d.Day.Format("Mon 2 Jan 2006"), q.hundred(d.Look.Low), q.hundred(d.Look.Mid), q.hundred(d.Look.High)})
	}
	if c.Known = len(shown) > 0; c.Known {
		slices.Reverse(bottom)
		last := shown[len(shown)-1]
		c.LastX, c.LastY = x(last.Day), y(last.Look.Mid)
		c.Band, c.Line = "M"+strings.Join(append(top, bottom...), "L")+"Z", "M"+strings.Join(line, "L")
		for _, share := range []float64{-0.8, -0.4, 0, 0.4, 0.8} {
			c.Levels = append(c.Levels, bandLevel{y(share * most), q.hundred(share * most)})
		}
	}
	for i := range days + 1 {
		t := dayTick{X: bandLeft + each*float64(i), Tall: 4}
		if i%7 == 0 {
			t.Tall = 9
		}
		c.Ticks = append(c.Ticks, t)
	}
	c.Today = bandLeft + each*float64(min(day, days))
	c.TodayText, c.TodayX, c.Anchor = fmt.Sprintf("day %d of %d", min(day, days), days), c.Today+8, "start"
	if c.Today > bandWide*0.8 {
		c.TodayX, c.Anchor = c.Today-8, "end"
	}
	return c
}
