package merchant

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"net/http"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/results"
	"agonal.dev/agonal/core/trial"
	"agonal.dev/agonal/internal/app"
	"agonal.dev/agonal/internal/store"
)

// ofVisitors says how many visitors have B.
func ofVisitors(t *store.Trial) string {
	if t.Part() < money.Whole {
		return plainShare(t.Part()) + " of visitors are in it, and " + plainShare(t.Share) + " of those"
	}
	return plainShare(t.Share) + " of visitors"
}

func plainShare(r money.Rate) string { return r.String() + " %" }

// trialView is the page of a trial.
type trialView struct {
	T            app.TrialFound
	Name         string
	Promise      string // of A
	Differs      []diffLine
	Since, Until string
	Share, Have  string
	Take         string // what taking B does
	Judged       string
	Day, Days    int
	Chart        bandChart
	Heading      string
	Tone         string
	More         []string
	Arms         []trialArm
	// B against A, as far as it can be told.
	Conversion, OrderValue, Returned, PerHundred, Speed trialDifference
	Sets                                                []setSide // of which one is compared with the other
	Only                                                string    // which visits are in it; empty: all
	State                                               string
	Along                                               takeAlongView
	CanTake                                             bool
	Path                                                string
	Nudge                                               string
}

// setSide are the nudges that one arm has and the other does not.
type setSide struct {
	Arm    string
	Nudges []setNudge
}

type setNudge struct{ ID, Name, Promise string }

type trialArm struct{ Name, Visits, Orders, Conversion, Average, Back, Speed, Given, Margin, PerHundred string }

// trialDifference is how B differs from A in one figure, and between what that may lie.
type trialDifference struct{ Mid, Between, Tone string }

// trialRow is a trial among the results.
type trialRow struct {
	ID, Name, Since, State, Words, Tone string
	ended                               *time.Time
}

func (s *server) trial(c *echo.Context) error {
	v, err := s.trialView(c)
	if err != nil {
		return s.fail(c, err)
	}
	return s.render(c, http.StatusOK, "trial", page{Title: v.Name + ", trial", Place: "results", Data: v})
}

func (s *server) trialView(c *echo.Context) (*trialView, error) {
	ctx, h := c.Request().Context(), at(c)
	f, err := s.app.TrialResults(ctx, h.shop.ID, c.Param("trial"))
	if err != nil {
		return nil, err
	}
	snap, err := s.app.Snapshots.Get(ctx, h.shop.ID)
	if err != nil {
		return nil, err
	}
	v := &trialView{T: f, Nudge: f.NudgeID, Share: ofVisitors(&f.Trial), Only: onlyVisits(&f.Trial, h, snap), Path: h.url("/results/trials/" + f.ID)}
	moved, _, err := s.app.TrialMoved(ctx, &f.Trial)
	if err != nil {
		return nil, err
	}
	v.CanTake = !moved && f.Outcome != store.Took && f.Outcome != store.TookA
	if f.Sets() {
		err = s.ofSets(c, v, snap)
	} else {
		err = s.ofRevisions(c, v, snap)
	}
	if err != nil {
		return nil, err
	}
	v.Along = takeAlongView{Tables: v.Path + "/tables", Pictures: []pictureView{{"The band", v.Path + "/picture", f.ID}}}
	v.lay(h)
	return v, nil
}

// ofRevisions says which two of a nudge are compared.
func (s *server) ofRevisions(c *echo.Context, v *trialView, snap *app.ShopSnapshot) error {
	ctx, h, f := c.Request().Context(), at(c), &v.T
	n, err := s.app.Nudge(ctx, h.shop.ID, f.NudgeID)
	if err != nil {
		return err
	}
	v.Name = n.Draft.Name
	var a, b nudge.Definition
	for number, into := range map[int]*nudge.Definition{f.RevisionA: &a, f.RevisionB: &b} {
		if number == 0 {
			continue
		}
		r, err := s.app.Revision(ctx, h.shop.ID, f.NudgeID, number)
		if err != nil {
			return err
		}
		*into = r.Definition
	}
	if v.Promise = promised(h, &a, snap); !f.Without() {
		v.Differs = compareDefinitions(a, b, teller{snap.Regions(), snap.Catalog().Label, h})
	}
	return nil
}

// ofSets says which nudges are compared with which.
func (s *server) ofSets(c *echo.Context, v *trialView, snap *app.ShopSnapshot) error {
	ctx, h, f := c.Request().Context(), at(c), &v.T
	v.Name, v.Sets = f.Name, []setSide{{Arm: "A"}, {Arm: "B"}}
	for _, m := range f.Members {
		r, err := s.app.Revision(ctx, h.shop.ID, m.Nudge, m.Revision)
		if err != nil {
			return err
		}
		side := &v.Sets[0]
		if m.OnlyB {
			side = &v.Sets[1]
		}
		side.Nudges = append(side.Nudges, setNudge{m.Nudge, r.Definition.Name, promised(h, &r.Definition, snap)})
	}
	return nil
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
	v.Judged = "Judged by margin per visit"
	if f.Apart {
		v.Judged = "Its visitors are in no other trial that is kept apart. " + v.Judged
	}
	if f.Cap != nil {
		v.Judged += ", of which a visit counts at most " + q.money(*f.Cap) + ": so much 99 of 100 visits with orders left in the four weeks before"
	}
	v.Heading, v.Tone = verdict(&q, f)
	v.More = more(&q, f)
	v.Chart = bandOf(&q, f, first, v.Day, v.Days)
	arm := func(name string, x *results.Visits, given money.Minor, back int64, took *results.Timing) {
		share, half := x.Conversion()
		r := trialArm{Name: name, Visits: whole(x.Visits, h.shop.Locale), Orders: whole(x.Orders, h.shop.Locale), Conversion: fmt.Sprintf("%.2f %% ±%.2f", 100*share, 100*half), Average: "–", Speed: "–", Back: whole(back, h.shop.Locale), Given: q.money(given), Margin: q.money(x.Margin)}
		if avg, ok := x.AverageOrder(); ok {
			r.Average = q.money(avg)
		}
		if ms, _ := took.Mean(); ms > 0 {
			r.Speed = seconds(ms)
		}
		r.PerHundred = q.money(x.PerHundred())
		v.Arms = append(v.Arms, r)
	}
	names := armNames(&f.Trial)
	arm(names[0], &f.A, f.GivenA, f.BackA, &f.SpeedA)
	arm(names[1], &f.B, f.GivenB, f.BackB, &f.SpeedB)
	v.Have, v.Take = " have B, each keeps what they have", "publish B"
	switch {
	case f.Sets():
		v.Take = "keep B alone"
	case f.Without():
		v.Have, v.Take = " do without it, each keeps what they have", "pause it"
	}
	points := func(x float64) string { return strings.ReplaceAll(fmt.Sprintf("%+.2f", 100*x), "-", "−") }
	cents := func(x float64) string { return q.hundred(x / 100) }
	v.PerHundred, v.OrderValue = difference(f.Look, 1, "", q.hundred), difference(f.OrderValue, 1, "", cents)
	v.Conversion, v.Returned = difference(f.Conversion, 1, " points", points), difference(f.Returned, -1, " points", points)
	v.Speed = difference(f.Speed, -1, "", func(ms float64) string { return strings.ReplaceAll(fmt.Sprintf("%+.2f s", ms/1000), "-", "−") })
}

// seconds writes milliseconds.
func seconds(ms float64) string { return fmt.Sprintf("%.2f s", ms/1000) }

// armNames says what each arm has.
func armNames(t *store.Trial) [2]string {
	switch {
	case t.Sets():
		return [2]string{"A", "B"}
	case t.Without():
		return [2]string{"A, revision " + fmt.Sprint(t.RevisionA), "B, without it"}
	}
	return [2]string{"A, revision " + fmt.Sprint(t.RevisionA), "B, revision " + fmt.Sprint(t.RevisionB)}
}

// difference says how B differs from A; good is the sign of what is better.
func difference(l trial.Look, good float64, unit string, say func(float64) string) trialDifference {
	if !l.Enough {
		return trialDifference{Mid: "–", Between: "too few yet"}
	}
	d := trialDifference{Mid: say(l.Mid) + unit, Between: say(l.Low) + " to " + say(l.High) + unit}
	switch {
	case l.Sure() && l.Mid*good > 0:
		d.Tone = "earned"
	case l.Sure():
		d.Tone = "loss"
	}
	return d
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
	case l.Low > 0 && f.Without():
		return "It costs more than it brings: without it a hundred visits leave " + unsigned(q.hundred(l.Mid)) + " more margin, " + between() + ".", "loss"
	case l.High < 0 && f.Without():
		return "It earns: without it a hundred visits leave " + unsigned(q.hundred(l.Mid)) + " less margin, " + between() + ".", "earned"
	case l.Low > 0:
		return "B brings " + unsigned(q.hundred(l.Mid)) + " more margin per hundred visits, " + between() + ".", "earned"
	case l.High < 0:
		return "B brings " + unsigned(q.hundred(l.Mid)) + " less margin per hundred visits, " + between() + ".", "loss"
	}
	return "No difference can be told yet: " + q.hundred(l.Mid) + " per hundred visits, " + between() + ".", ""
}

// more says what besides is to be known, and what to do.
func more(q *asking, f *app.TrialFound) []string {
	out := []string{"You may look as often as you like: the band holds at every look."}
	if said := ended(&f.Trial); said != "" {
		out = append(out, said)
	}
	if n := f.A.Unknown + f.B.Unknown; n > 0 {
		out = append(out, plural(n, "order has", "orders have")+" a cost that is not known, and no margin here.")
	}
	if f.Capped > 0 {
		out = append(out, plural(f.Capped, "visit", "visits")+" left more than a visit counts for.")
	}
	if f.Left > 0 {
		out = append(out, plural(f.Left, "visit is", "visits are")+" left out, as "+map[bool]string{true: "it", false: "they"}[f.Left == 1]+" had seen the other before, or did not tell who visits.")
	}
	if toA, toB := trial.Fell(f.A.Visits, f.B.Visits); toA+toB > 0 && !f.Mismatch {
		out = append(out, fmt.Sprintf("Visits fell %.1f to %.1f: as they should.", 100*toA, 100*toB))
	}
	return out
}

// ended says how a trial ended, and what to do; empty: it goes on.
func ended(t *store.Trial) string {
	who, found := t.EndedBy, "It stopped by itself, as it was sure. "
	switch t.Outcome {
	case store.Undecided:
		return "Its last day is over. If there is a difference, it is smaller than what was worth finding; take what is simpler."
	case store.Changed:
		if t.Sets() {
			return "One of the nudges was published anew, paused or ended meanwhile, and so the trial ended."
		}
		return "The nudge was published anew, paused or ended meanwhile, and so the trial ended."
	}
	ends := map[store.Outcome]string{
		store.FoundB: found + "Publish B, and everybody has it.",
		store.FoundA: found + "Everybody has A again; change the draft, or try something else.",
		store.Harmed: "It stopped by itself, as more of B's orders come back. Everybody has A again.",
		store.Slowed: "It stopped by itself, as B's pages take a tenth of a second longer, or more, to be seen. Everybody has A again.",
		store.Took:   who + " published B. Everybody has it.",
		store.Broken: who + " stopped it. Everybody has A again.",
	}
	switch {
	case t.Sets():
		ends = map[store.Outcome]string{
			store.FoundB: found + "Keep B alone, and everybody has that set.",
			store.FoundA: found + "Keep A alone, and everybody has that set.",
			store.Harmed: "It stopped by itself, as more of B's orders come back. Everybody has what was there before.",
			store.Slowed: "It stopped by itself, as B's pages take a tenth of a second longer, or more, to be seen. Everybody has what was there before.",
			store.Took:   who + " kept B alone. Everybody has it.",
			store.TookA:  who + " kept A alone. Everybody has it.",
			store.Broken: who + " stopped it. Everybody has what was there before.",
		}
	case t.Without():
		ends = map[store.Outcome]string{
			store.FoundB: found + "Everybody has the nudge again: pause it, or change it.",
			store.FoundA: found + "Everybody has the nudge again; leave it as it is.",
			store.Harmed: "It stopped by itself, as more orders come back without it. Everybody has the nudge again.",
			store.Slowed: "It stopped by itself, as pages without it take a tenth of a second longer, or more, to be seen. Everybody has the nudge again.",
			store.Took:   who + " paused the nudge.",
			store.Broken: who + " stopped it. Everybody has the nudge again.",
		}
	}
	return ends[t.Outcome]
}

func (s *server) trialEnd(c *echo.Context) error {
	ctx, h := c.Request().Context(), at(c)
	how := store.Broken
	switch c.FormValue("do") {
	case "take":
		how = store.Took
	case "keep":
		how = store.TookA
	}
	t, err := s.app.EndTrial(ctx, h.shop.ID, c.Param("trial"), h.account.Name, how)
	var wrong app.Problem
	switch {
	case errors.As(err, &wrong):
		s.tell(c, flash{Say: wrong.Say, Tone: "loss"})
		return goTo(c, h.url("/results/trials/"+c.Param("trial")))
	case err != nil:
		return s.fail(c, err)
	}
	say := "The trial is stopped. Everybody has A again."
	switch {
	case t.Sets() && how == store.Took:
		say = "The set B is in force from now on, and the nudges of A have ended."
	case t.Sets() && how == store.TookA:
		say = "The set A is in force from now on, and the nudges of B have ended."
	case t.Sets():
		say = "The trial is stopped. Everybody has what was there before."
	case how == store.Took && t.Without():
		say = "The nudge is paused from now on."
	case how == store.Took:
		say = "B is published. Everybody has it from now on."
	case t.Without():
		say = "The trial is stopped. Everybody has the nudge again."
	}
	return s.done(c, h.url("/results/trials/"+c.Param("trial")), say)
}

// trialRows lists a shop's trials for the page of results.
func (s *server) trialRows(ctx context.Context, h *here, names map[string]string) ([]trialRow, error) {
	trials, err := s.app.Store.Trials(ctx, h.shop.ID)
	if err != nil {
		return nil, err
	}
	var out []trialRow
	for _, t := range trials[:min(len(trials), 20)] {
		f, err := s.app.TrialVerdict(ctx, h.shop.ID, t.ID)
		if err != nil {
			return nil, err
		}
		q := asking{locale: h.shop.Locale}
		q.Currency = t.Currency
		r := trialRow{ID: t.ID, Name: cmp.Or(t.Name, names[t.NudgeID]), Since: h.day(t.StartedAt), State: "running", ended: t.EndedAt}
		if !t.Running() {
			r.State = "ended " + h.day(*t.EndedAt)
		}
		r.Words, r.Tone = verdict(&q, &f)
		out = append(out, r)
	}
	return out, nil
}
