package app

import (
	"context"
	"errors"
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
)

// TrialPlan is how long a trial takes, by what the shop's last weeks tell.
type TrialPlan struct {
	Worth    money.Rate // the difference worth finding, of the margin per visit
	Share    money.Rate // of visitors who have B
	Currency money.Currency
	PerDay   float64 // visits that could see the nudge
	Margin   float64 // of a visit, in minor units
	Visits   int64   // both arms together; 0: more than can be foreseen
	Days     int     // 0: it can never tell
}

// PlanTrial tells how long a trial of a live nudge takes until a difference worth finding is
// found in four of five cases.
func (a *App) PlanTrial(ctx context.Context, shop, id string, worth, share money.Rate) (TrialPlan, error) {
	snap, err := a.Snapshots.Get(ctx, shop)
	if err != nil {
		return TrialPlan{}, err
	}
	p := TrialPlan{Worth: worth, Share: share}
	i := -1
	for k := range snap.Nudges {
		if snap.Nudges[k].ID == id {
			i = k
		}
	}
	if i < 0 {
		return p, Problem{"state", "A nudge is tried while it is live; publish it first."}
	}
	p.Currency = snap.Nudges[i].Definition.FirstRegion(snap.Regions()).Currency
	now := a.Now().In(snap.Zone)
	to := time.Date(now.Year(), now.Month(), now.Day(), 0, 0, 0, 0, time.UTC)
	query, err := a.query(ctx, shop, &Asked{From: to.AddDate(0, 0, -judgedFrom), To: to.AddDate(0, 0, -1), Currency: p.Currency})
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
	p.PerDay = float64(v.Visits) / judgedFrom
	mean, variance := v.PerVisit()
	p.Margin = mean
	p.Visits = trial.Plan(variance*float64(v.Visits), mean*float64(worth)/float64(money.Whole), float64(share)/float64(money.Whole))
	if p.Visits > 0 && p.PerDay > 0 {
		if d := math.Ceil(float64(p.Visits) / p.PerDay); d <= LongestTrial {
			p.Days = max(1, int(d))
		}
	}
	return p, nil
}

// StartTrial tries a live nudge's draft against what is in force: a share of visitors has it
// from now on. Errors: Problem, Blocked, Conflict.
func (a *App) StartTrial(ctx context.Context, shop, id, who string, version int, worth, share money.Rate) (store.Trial, error) {
	var t store.Trial
	switch {
	case share < LeastShare || share > money.Whole-LeastShare:
		return t, Problem{"share", "Write a share from 5 to 95 percent."}
	case worth < money.Whole/100 || worth > money.Whole:
		return t, Problem{"worth", "Write a difference from 1 to 100 percent."}
	}
	plan, err := a.PlanTrial(ctx, shop, id, worth, share)
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
		switch {
		case n.DraftVersion != version:
			return Conflict{By: n.ChangedBy, At: n.ChangedAt, Have: version, Now: n.DraftVersion}
		case n.State != store.StateLive:
			return Problem{"state", "A nudge is tried while it is live; publish it first."}
		case !n.Dirty:
			return Problem{"draft", "There is nothing to try: the draft is what is live. Change it first."}
		}
		live, err := revision(tx, shop, id, n.LiveRevision)
		if err != nil {
			return err
		}
		if what := apart(&live.Definition, &n.Draft); what != "" {
			return Problem{"draft", "A trial compares two that differ in what is promised, said or shown. This draft " + what + "; change that back, or publish it."}
		}
		found, err := a.Check(ctx, shop, id, n.Draft)
		if err != nil {
			return err
		}
		if checks.Stops(found) {
			return Blocked{found}
		}
		var last, running int64
		if err := tx.Model(&store.Trial{}).Where("shop_id = ? AND nudge_id = ? AND ended_at IS NULL", shop, id).Count(&running).Error; err != nil {
			return err
		}
		if running > 0 {
			return Problem{"state", "It is being tried already; stop that trial first."}
		}
		if err := tx.Model(&store.Revision{}).Where("shop_id = ? AND nudge_id = ?", shop, id).Select("coalesce(max(number), 0)").Scan(&last).Error; err != nil {
			return err
		}
		now := a.Now().UTC()
		b := store.Revision{ShopID: shop, NudgeID: id, Number: int(last) + 1, Definition: n.Draft, PublishedAt: now, PublishedBy: who}
		if err := tx.Create(&b).Error; err != nil {
			return err
		}
		y, m, d := now.Date()
		t = store.Trial{
			ShopID: shop, ID: fmt.Sprintf("%s-%d", id, b.Number), NudgeID: id, RevisionA: n.LiveRevision, RevisionB: b.Number, Share: share, Worth: worth, Planned: plan.Visits,
			Until: time.Date(y, m, d, 0, 0, 0, 0, time.UTC).AddDate(0, 0, days), Currency: plan.Currency, StartedAt: now, StartedBy: who,
		}
		if err := tx.Create(&t).Error; err != nil {
			return err
		}
		return announce(tx, shop)
	})
	return t, a.refreshed(ctx, shop, err)
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

// TrialFound is what a trial tells so far.
type TrialFound struct {
	store.Trial
	A, B     results.Visits
	Look     trial.Look
	Mismatch bool
	Days     []TrialDay
	GivenA   money.Minor
	GivenB   money.Minor
}

// TrialDay is what could be said at the end of a day.
type TrialDay struct {
	Day  time.Time
	Look trial.Look
}

// TrialResults are what a trial tells so far. Errors: ErrNotFound.
func (a *App) TrialResults(ctx context.Context, shop, id string) (TrialFound, error) {
	var f TrialFound
	err := a.Store.DB.WithContext(ctx).Where("shop_id = ? AND id = ?", shop, id).Take(&f.Trial).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return f, ErrNotFound
	}
	if err != nil {
		return f, err
	}
	return f, a.judge(ctx, &f)
}

// judge looks at a trial's visits, day by day.
func (a *App) judge(ctx context.Context, f *TrialFound) error {
	snap, err := a.Snapshots.Get(ctx, f.ShopID)
	if err != nil {
		return err
	}
	from := f.StartedAt.In(snap.Zone)
	first := time.Date(from.Year(), from.Month(), from.Day(), 0, 0, 0, 0, time.UTC)
	asked := Asked{From: first, To: f.Until.AddDate(0, 0, store.LatestEvent), Currency: f.Currency}
	query, err := a.query(ctx, f.ShopID, &asked)
	if err != nil {
		return err
	}
	query.Nudge, query.Kinds, query.By = f.NudgeID, []results.Kind{results.Could, results.Used}, []store.By{store.ByDay, store.ByRevision}
	counts, err := a.Store.Counts(ctx, f.ShopID, query)
	if err != nil {
		return err
	}
	byDay := map[time.Time][]int{}
	for i, c := range counts {
		byDay[c.Day] = append(byDay[c.Day], i)
	}
	for day := first; !day.After(asked.To); day = day.AddDate(0, 0, 1) {
		if len(byDay[day]) == 0 {
			continue
		}
		for _, i := range byDay[day] {
			f.count(&counts[i])
		}
		f.Days = append(f.Days, TrialDay{day, trial.At(&f.A, &f.B, f.Planned)})
	}
	f.Look = trial.At(&f.A, &f.B, f.Planned)
	f.Mismatch = trial.Mismatch(f.A.Visits, f.B.Visits, float64(f.Share)/float64(money.Whole))
	return nil
}

func (f *TrialFound) count(c *results.Count) {
	switch {
	case c.Kind == results.Used && c.Revision == f.RevisionA:
		f.GivenA += c.Given
	case c.Kind == results.Used && c.Revision == f.RevisionB:
		f.GivenB += c.Given
	case c.Arm == trial.Arm(f.ID, false):
		f.A.Add(&c.Visits)
	case c.Arm == trial.Arm(f.ID, true):
		f.B.Add(&c.Visits)
	}
}

// EndTrial stops a trial; where took is set, B is published. Stopping what has ended changes
// nothing. Errors: ErrNotFound, Problem.
func (a *App) EndTrial(ctx context.Context, shop, id, who string, how store.Outcome) (store.Trial, error) {
	var t store.Trial
	if err := a.Store.DB.WithContext(ctx).Where("shop_id = ? AND id = ?", shop, id).Take(&t).Error; err != nil {
		if errors.Is(err, gorm.ErrRecordNotFound) {
			return t, ErrNotFound
		}
		return t, err
	}
	_, err := a.locked(ctx, shop, t.NudgeID, func(tx *gorm.DB, n *store.Nudge) error {
		if how == store.Took {
			if n.LiveRevision != t.RevisionA || n.State != store.StateLive {
				if n.LiveRevision == t.RevisionB {
					return nil // it is in force already
				}
				return Problem{"state", "The nudge was changed meanwhile, so what was tried is not published over it. Look at the nudge."}
			}
			b, err := revision(tx, shop, t.NudgeID, t.RevisionB)
			if err != nil {
				return err
			}
			n.LiveRevision = t.RevisionB
			n.Dirty = !reflect.DeepEqual(n.Draft, b.Definition)
		}
		if t.EndedAt == nil {
			if err := end(tx, &t, who, how, a.Now().UTC()); err != nil {
				return err
			}
		} else if how == store.Took {
			t.Outcome, t.EndedBy = store.Took, who
			if err := tx.Save(&t).Error; err != nil {
				return err
			}
		}
		return announce(tx, shop)
	})
	return t, a.refreshed(ctx, shop, err)
}

func end(tx *gorm.DB, t *store.Trial, who string, how store.Outcome, at time.Time) error {
	t.EndedAt, t.EndedBy, t.Outcome = &at, who, how
	return tx.Save(t).Error
}

// MindTrials ends the trials that are sure, whose last day is over, or whose nudge was
// changed meanwhile.
func (a *App) MindTrials(ctx context.Context) error {
	var running []store.Trial
	if err := a.Store.DB.WithContext(ctx).Where("ended_at IS NULL").Find(&running).Error; err != nil {
		return err
	}
	for _, t := range running {
		f, err := a.TrialResults(ctx, t.ShopID, t.ID)
		if err != nil {
			return err
		}
		n, err := a.Nudge(ctx, t.ShopID, t.NudgeID)
		if err != nil && !errors.Is(err, ErrNotFound) {
			return err
		}
		how := store.Outcome("")
		switch {
		case err != nil, n.State != store.StateLive, n.LiveRevision != t.RevisionA:
			how = store.Changed
		case f.Look.Sure() && !f.Mismatch && f.Look.Low > 0:
			how = store.FoundB
		case f.Look.Sure() && !f.Mismatch:
			how = store.FoundA
		case a.Now().UTC().After(t.Until.AddDate(0, 0, 1)):
			how = store.Undecided
		}
		if how == "" {
			continue
		}
		if errors.Is(err, ErrNotFound) {
			at := a.Now().UTC()
			t.EndedAt, t.Outcome = &at, how
			if err := a.Store.DB.WithContext(ctx).Save(&t).Error; err != nil {
				return err
			}
			continue
		}
		if _, err := a.EndTrial(ctx, t.ShopID, t.ID, "", how); err != nil {
			return err
		}
	}
	return nil
}
