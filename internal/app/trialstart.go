package app

import (
	"context"
	"fmt"
	"math"
	"reflect"
	"time"

	"gorm.io/gorm"

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
	p.Currency = snap.Nudges[i].Definition.FirstRegion(snap.Regions()).Currency
	now := a.Now().In(snap.Zone)
	to := time.Date(now.Year(), now.Month(), now.Day(), 0, 0, 0, 0, time.UTC)
	when := Asked{From: to.AddDate(0, 0, -judgedFrom), To: to.AddDate(0, 0, -1), Currency: p.Currency}
	query, err := a.query(ctx, shop, &when)
	if err != nil {
		return p, err
	}
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
	if most, enough, err := a.Store.LargeMargin(ctx, past, CappedAt, leastCapped); err != nil {
		return p, err
	} else if enough {
		p.Cap = &most
	}
	above, err := a.above(ctx, past, p.Cap)
	if err != nil {
		return p, err
	}
	for i := range above {
		above[i].cap(&v, *p.Cap)
	}
	p.PerDay = float64(v.Visits) / judgedFrom * float64(asked.part()) / float64(money.Whole)
	mean, variance := v.PerVisit()
	p.Margin = mean
	p.Visits = trial.Plan(variance*float64(v.Visits), mean*float64(asked.Worth)/float64(money.Whole), float64(asked.Share)/float64(money.Whole))
	if p.Visits > 0 && p.PerDay > 0 {
		if d := math.Ceil(float64(p.Visits) / p.PerDay); d <= LongestTrial {
			p.Days = max(1, int(d))
		}
	}
	return p, nil
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
		var last int64
		if err := tx.Model(&store.Revision{}).Where("shop_id = ? AND nudge_id = ?", shop, id).Select("coalesce(max(number), 0)").Scan(&last).Error; err != nil {
			return 0, err
		}
		b := store.Revision{ShopID: shop, NudgeID: id, Number: int(last) + 1, Definition: n.Draft, PublishedAt: now, PublishedBy: who}
		return b.Number, tx.Create(&b).Error
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
	days := plan.Days
	if days == 0 {
		days = LongestTrial
	}
	_, err = a.locked(ctx, shop, id, func(tx *gorm.DB, n *store.Nudge) error {
		now := a.Now().UTC()
		b, err := other(tx, n, now)
		if err != nil {
			return err
		}
		var running, earlier int64
		if err := tx.Model(&store.Trial{}).Where("shop_id = ? AND nudge_id = ? AND ended_at IS NULL", shop, id).Count(&running).Error; err != nil {
			return err
		}
		if running > 0 {
			return Problem{"state", "It is being tried already; stop that trial first."}
		}
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
		y, m, d := now.Date()
		t = store.Trial{
			ShopID: shop, ID: name, NudgeID: id, RevisionA: n.LiveRevision, RevisionB: b, Share: asked.Share, Worth: asked.Worth, PartFrom: from, PartTo: from + asked.part(), Apart: asked.Apart, Planned: plan.Visits,
			Until: time.Date(y, m, d, 0, 0, 0, 0, time.UTC).AddDate(0, 0, days), Currency: plan.Currency, Cap: plan.Cap, StartedAt: now, StartedBy: who,
		}
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
