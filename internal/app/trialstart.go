package app

import (
	"context"
	"fmt"
	"math"
	"reflect"
	"slices"
	"time"

	"gorm.io/gorm"

	"agonal.dev/agonal/core/audience"
	"agonal.dev/agonal/core/checks"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/results"
	"agonal.dev/agonal/core/trial"
	"agonal.dev/agonal/internal/store"
)

// Bounds of a trial.
const (
	LongestTrial = 120              // days
	LeastShare   = money.Whole / 20 // of visitors who have B, or have A
	// judgedFrom is how many days of the past a plan is made from.
	judgedFrom = 28
	// CappedAt is the share of visits with orders, by their margin, above which a visit counts as
	// just so much, so that no single large order decides; leastCapped is how many there must be.
	CappedAt    = 0.99
	leastCapped = 100
)

// TrialPlan is how long a trial takes, by what the shop's last weeks tell.
type TrialPlan struct {
	TrialAsked
	By       string // of two sets, the nudge whose visits it is made from; empty: all visits
	Currency money.Currency
	PerDay   float64 // visits that could see the nudge
	Margin   float64 // of a visit, in minor units
	Visits   int64   // both arms together; 0: more than can be foreseen
	Days     int     // 0: it can never tell
	Cap      *money.Minor
}

// TrialAsked is how a trial is to be.
type TrialAsked struct {
	Worth money.Rate // the difference worth finding, of the margin per visit
	Share money.Rate // of visitors in it who have B
	Part  money.Rate // of all visitors who are in it; 0: all of them
	Apart bool       // no visitor is in another trial that is kept apart
	Who   TrialWho   // which visits are in it
}

// TrialWho are the visits that are in a trial. What tells them does not change from page to page
// of a visit, or seldom; the zero value is all of them.
type TrialWho struct {
	Regions  []string // ids; empty: all
	Device   audience.Device
	Shoppers Shoppers
}

// Shoppers are those who have ordered before, or have not.
type Shoppers string

// The shoppers.
const (
	NewShoppers   Shoppers = "new"
	KnownShoppers Shoppers = "known"
)

// Condition is what a decision asks for; nil: nothing.
func (w *TrialWho) Condition() *audience.Condition {
	var all []audience.Condition
	if len(w.Regions) > 0 {
		all = append(all, audience.Condition{Regions: w.Regions})
	}
	if w.Device != "" {
		all = append(all, audience.Condition{Devices: []audience.Device{w.Device}})
	}
	zero, one := int64(0), int64(1)
	switch w.Shoppers {
	case NewShoppers:
		all = append(all, audience.Condition{Orders: &audience.Count{Exactly: &zero}})
	case KnownShoppers:
		all = append(all, audience.Condition{Orders: &audience.Count{Least: &one}})
	}
	if len(all) == 0 {
		return nil
	}
	return &audience.Condition{All: all}
}

// narrow asks for the counts of those visits only, as far as they are told apart.
func (q *TrialAsked) narrow(of store.CountQuery) store.CountQuery {
	if len(q.Who.Regions) > 0 {
		of.Regions = slices.DeleteFunc(slices.Clone(of.Regions), func(r string) bool { return !slices.Contains(q.Who.Regions, r) })
		if len(of.Regions) == 0 {
			of.Regions = []string{""} // nothing
		}
	}
	if q.Who.Device != "" {
		of.Devices = []string{string(q.Who.Device)}
	}
	return of
}

// currency is what the trial is judged in: that of the first region it is held in.
func (q *TrialAsked) currency(snap *ShopSnapshot, usual money.Currency) money.Currency {
	for _, r := range snap.Regions() {
		if slices.Contains(q.Who.Regions, r.ID) {
			return r.Currency
		}
	}
	return usual
}

// part is the share of visitors who are in it.
func (q *TrialAsked) part() money.Rate {
	if q.Part == 0 {
		return money.Whole
	}
	return q.Part
}

// check tells what no trial can be. Errors: Problem.
func (q *TrialAsked) check() error {
	switch {
	case q.Share < LeastShare || q.Share > money.Whole-LeastShare:
		return Problem{"share", "Write a share from 5 to 95 percent."}
	case q.Worth < money.Whole/100 || q.Worth > money.Whole:
		return Problem{"worth", "Write a difference from 1 to 100 percent."}
	case q.part() < LeastShare || q.part() > money.Whole:
		return Problem{"part", "Write a share of visitors from 5 to 100 percent."}
	case q.Who.Device != "" && !slices.Contains(audience.Devices, q.Who.Device):
		return Problem{"device", "Choose one of these devices."}
	case q.Who.Shoppers != "" && q.Who.Shoppers != NewShoppers && q.Who.Shoppers != KnownShoppers:
		return Problem{"shoppers", "Choose which shoppers."}
	}
	return nil
}

// PlanTrial tells how long a trial of a live nudge takes until a difference worth finding is
// found in four of five cases.
func (a *App) PlanTrial(ctx context.Context, shop, id string, asked TrialAsked) (TrialPlan, error) {
	snap, err := a.Snapshots.Get(ctx, shop)
	if err != nil {
		return TrialPlan{}, err
	}
	p := TrialPlan{TrialAsked: asked}
	i := -1
	for k := range snap.Nudges {
		if snap.Nudges[k].ID == id {
			i = k
		}
	}
	if i < 0 {
		return p, errNotLive
	}
	p.Currency = asked.currency(snap, snap.Nudges[i].Definition.FirstRegion(snap.Regions()).Currency)
	when := a.lately(snap, p.Currency)
	query, err := a.query(ctx, shop, &when)
	if err != nil {
		return p, err
	}
	query = asked.narrow(query)
	query.Nudge, query.Kinds = id, []results.Kind{results.Could}
	counts, err := a.Store.Counts(ctx, shop, query)
	if err != nil {
		return p, err
	}
	var v results.Visits
	if f := results.OfNudges(counts, judgedFrom)[id]; f != nil {
		v = f.With
	}
	past, err := a.behind(ctx, shop, id, &when)
	if err != nil {
		return p, err
	}
	past.Regions = query.Regions
	return p, a.foresee(ctx, &p, v, past)
}

// lately is the past that a plan is made from.
func (a *App) lately(snap *ShopSnapshot, currency money.Currency) Asked {
	now := a.Now().In(snap.Zone)
	to := time.Date(now.Year(), now.Month(), now.Day(), 0, 0, 0, 0, time.UTC)
	return Asked{From: to.AddDate(0, 0, -judgedFrom), To: to.AddDate(0, 0, -1), Currency: currency}
}

// foresee tells how long a trial takes, by the visits of the past that could be in it.
func (a *App) foresee(ctx context.Context, p *TrialPlan, v results.Visits, past store.Behind) error {
	if most, enough, err := a.Store.LargeMargin(ctx, past, CappedAt, leastCapped); err != nil {
		return err
	} else if enough {
		p.Cap = &most
	}
	above, err := a.above(ctx, past, p.Cap)
	if err != nil {
		return err
	}
	for i := range above {
		above[i].cap(&v, *p.Cap)
	}
	p.PerDay = float64(v.Visits) / judgedFrom * float64(p.part()) / float64(money.Whole)
	mean, variance := v.PerVisit()
	p.Margin = mean
	p.Visits = trial.Plan(variance*float64(v.Visits), mean*float64(p.Worth)/float64(money.Whole), float64(p.Share)/float64(money.Whole))
	if p.Visits > 0 && p.PerDay > 0 {
		if d := math.Ceil(float64(p.Visits) / p.PerDay); d <= LongestTrial {
			p.Days = max(1, int(d))
		}
	}
	return nil
}

// trial is a trial as planned that begins now, for the visitors of its part from there on.
func (p *TrialPlan) trial(shop, who string, from money.Rate, now time.Time) store.Trial {
	days := p.Days
	if days == 0 {
		days = LongestTrial
	}
	y, m, d := now.Date()
	return store.Trial{
		ShopID: shop, Share: p.Share, Worth: p.Worth, PartFrom: from, PartTo: from + p.part(), Apart: p.Apart, Who: p.Who.Condition(), Planned: p.Visits,
		Until: time.Date(y, m, d, 0, 0, 0, 0, time.UTC).AddDate(0, 0, days), Currency: p.Currency, Cap: p.Cap, StartedAt: now, StartedBy: who,
	}
}

// StartTrial tries a live nudge's draft against what is in force: a share of visitors has it
// from now on. Errors: Problem, Blocked, Conflict.
func (a *App) StartTrial(ctx context.Context, shop, id, who string, version int, asked TrialAsked) (store.Trial, error) {
	return a.startTrial(ctx, shop, id, who, asked, func(tx *gorm.DB, n *store.Nudge, now time.Time) (int, error) {
		switch {
		case n.DraftVersion != version:
			return 0, Conflict{By: n.ChangedBy, At: n.ChangedAt, Have: version, Now: n.DraftVersion}
		case n.State != store.StateLive:
			return 0, errNotLive
		case !n.Dirty:
			return 0, Problem{"draft", "There is nothing to try: the draft is what is live. Change it first."}
		}
		live, err := revision(tx, shop, id, n.LiveRevision)
		if err != nil {
			return 0, err
		}
		if what := apart(&live.Definition, &n.Draft); what != "" {
			return 0, Problem{"draft", "A trial compares two that differ in what is promised, said or shown. This draft " + what + "; change that back, or publish it."}
		}
		found, err := a.Check(ctx, shop, id, n.Draft)
		if err != nil {
			return 0, err
		}
		if checks.Stops(found) {
			return 0, Blocked{found}
		}
		b, err := newRevision(tx, n, who, now)
		return b.Number, err
	})
}

// StartWithout tries a live nudge against doing without it: a share of visitors does from now
// on. Errors: Problem.
func (a *App) StartWithout(ctx context.Context, shop, id, who string, asked TrialAsked) (store.Trial, error) {
	return a.startTrial(ctx, shop, id, who, asked, func(tx *gorm.DB, n *store.Nudge, _ time.Time) (int, error) {
		if n.State != store.StateLive {
			return 0, errNotLive
		}
		live, err := revision(tx, shop, id, n.LiveRevision)
		if err != nil {
			return 0, err
		}
		if live.Definition.ByCode() {
			return 0, Problem{"code", "Its code was promised to people elsewhere, so it is kept from nobody."}
		}
		return 0, nil
	})
}

var errNotLive = Problem{"state", "A nudge is tried while it is live; publish it first."}

// startTrial begins a trial against the revision that other tells; 0: doing without.
func (a *App) startTrial(ctx context.Context, shop, id, who string, asked TrialAsked, other func(*gorm.DB, *store.Nudge, time.Time) (int, error)) (store.Trial, error) {
	var t store.Trial
	if err := asked.check(); err != nil {
		return t, err
	}
	plan, err := a.PlanTrial(ctx, shop, id, asked)
	if err != nil {
		return t, err
	}
	if err := a.toldVisitors(ctx, shop); err != nil {
		return t, err
	}
	_, err = a.locked(ctx, shop, id, func(tx *gorm.DB, n *store.Nudge) error {
		now := a.Now().UTC()
		b, err := other(tx, n, now)
		if err != nil {
			return err
		}
		var running []store.Trial
		if err := tx.Where("shop_id = ? AND ended_at IS NULL", shop).Find(&running).Error; err != nil {
			return err
		}
		if slices.ContainsFunc(running, func(t store.Trial) bool { return slices.Contains(t.Nudges(), id) }) {
			return Problem{"state", "It is being tried already; stop that trial first."}
		}
		var earlier int64
		name := fmt.Sprintf("%s-%d", id, b)
		if b == 0 {
			if err := tx.Model(&store.Trial{}).Where("shop_id = ? AND nudge_id = ? AND revision_b = 0", shop, id).Count(&earlier).Error; err != nil {
				return err
			}
			name = fmt.Sprintf("%s-without-%d", id, earlier+1)
		}
		from, err := room(tx, shop, &asked)
		if err != nil {
			return err
		}
		t = plan.trial(shop, who, from, now)
		t.ID, t.NudgeID, t.RevisionA, t.RevisionB = name, id, n.LiveRevision, b
		if err := tx.Create(&t).Error; err != nil {
			return err
		}
		return announce(tx, shop)
	})
	return t, a.refreshed(ctx, shop, err)
}

// room finds where the visitors of a trial lie, so that none of them is in another one that is
// kept apart, where that is asked for. Errors: Problem.
func room(tx *gorm.DB, shop string, asked *TrialAsked) (money.Rate, error) {
	if !asked.Apart {
		return 0, nil
	}
	if err := tx.Exec("SELECT pg_advisory_xact_lock(hashtextextended('apart:' || ?, 0))", shop).Error; err != nil { // two that begin at once
		return 0, err
	}
	var others []store.Trial
	if err := tx.Where("shop_id = ? AND apart AND ended_at IS NULL", shop).Find(&others).Error; err != nil {
		return 0, err
	}
	taken := make([]trial.Part, len(others))
	for i := range others {
		taken[i] = others[i].Among()
	}
	from, free, ok := trial.Free(taken, asked.part())
	if !ok {
		return 0, Problem{"part", fmt.Sprintf("Trials that are kept apart have the other visitors; %s %% are free together. Take fewer, or stop one of those trials.", free)}
	}
	return from, nil
}

// lastOf is how many orders are looked at for whether they tell who visited.
const lastOf = 100

// toldVisitors looks whether the shop's server tells who visits: where it does not, a shopper
// could be shown one of two promises and pay by the other.
func (a *App) toldVisitors(ctx context.Context, shop string) error {
	var n struct{ All, Told int64 }
	err := a.Store.DB.WithContext(ctx).Raw(`SELECT count(*) AS all, count(*) FILTER (WHERE with_visitor) AS told
		FROM (SELECT with_visitor FROM orders WHERE shop_id = ? ORDER BY number DESC LIMIT ?) o`, shop, lastOf).Scan(&n).Error
	if err != nil {
		return err
	}
	if 10*n.Told < 9*n.All {
		return Problem{"visitor", fmt.Sprintf("Of the last %d orders %d did not tell who visited, so shoppers could be shown one of the two and pay by the other. Let the shop's server put the cookie agonal_visitor into visit.visitor of what it asks and orders.", n.All, n.All-n.Told)}
	}
	return nil
}

// apart says what two definitions differ in that a trial cannot compare; empty: nothing.
func apart(a, b *nudge.Definition) string {
	switch {
	case !reflect.DeepEqual(a.Ladder.Scope, b.Ladder.Scope):
		return "counts other goods"
	case !reflect.DeepEqual(a.Audience, b.Audience):
		return "is meant for others"
	case !reflect.DeepEqual(a.Schedule, b.Schedule):
		return "has another schedule"
	case !reflect.DeepEqual(a.Limits, b.Limits):
		return "has other limits"
	}
	return ""
}
