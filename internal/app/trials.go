package app

import (
	"context"
	"errors"
	"fmt"
	"math/big"
	"reflect"
	"time"

	"gorm.io/gorm"

	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/results"
	"agonal.dev/agonal/core/trial"
	"agonal.dev/agonal/internal/store"
)

// above are the visits that count as no more than most; none where all counts.
func (a *App) above(ctx context.Context, q store.Behind, most *money.Minor) ([]aboveCap, error) {
	if most == nil {
		return nil, nil
	}
	rows, err := a.Store.AboveCap(ctx, q, *most)
	if err != nil {
		return nil, fmt.Errorf("looking for large orders: %w", err)
	}
	out := make([]aboveCap, len(rows))
	for i, r := range rows {
		out[i] = aboveCap{Above: r, squares: new(big.Int)}
		if _, ok := out[i].squares.SetString(r.Squares, 10); !ok {
			return nil, fmt.Errorf("looking for large orders: %q is no whole number", r.Squares)
		}
	}
	return out, nil
}

// aboveCap are visits whose margin is counted up to a cap.
type aboveCap struct {
	store.Above
	squares *big.Int
}

func (c *aboveCap) cap(v *results.Visits, most money.Minor) {
	v.Cap(most, c.Visits, c.Margin, c.squares)
}

// TrialFound is what a trial tells so far.
type TrialFound struct {
	store.Trial
	A, B     results.Visits // margins up to the cap
	Capped   int64          // visits that left more than that
	Look     trial.Look     // at the margin per visit, by which it is judged
	Mismatch bool
	Days     []TrialDay
	GivenA   money.Minor // away, with the orders of each arm
	GivenB   money.Minor
	// Conversion, OrderValue and Returned are looked at besides; of Returned the orders of which
	// something came back are BackA and BackB.
	Conversion, OrderValue, Returned trial.Look
	BackA, BackB                     int64
	// Speed is looked at in milliseconds until a page's largest part is to be seen.
	Speed          trial.Look
	SpeedA, SpeedB results.Timing
	// Left are visits since the second day that were treated otherwise than their visitor should
	// be, as they had seen the other, or did not say who visits.
	Left int64
}

// Harm tells whether more of B's orders come back than of A's.
func (f *TrialFound) Harm() bool { return f.Returned.Enough && f.Returned.Low > 0 }

// Slow tells whether B's pages take noticeably longer than A's.
func (f *TrialFound) Slow() bool { return f.Speed.Enough && f.Speed.Low > trial.Slower }

// TrialDay is what could be said at the end of a day.
type TrialDay struct {
	Day  time.Time
	Look trial.Look
}

// TrialResults are what a trial tells so far. Errors: ErrNotFound.
func (a *App) TrialResults(ctx context.Context, shop, id string) (TrialFound, error) {
	f, of, err := a.trialFound(ctx, shop, id)
	if err != nil {
		return f, err
	}
	given, err := a.Store.GivenByArm(ctx, of)
	if err != nil {
		return f, fmt.Errorf("summing up what a trial gave: %w", err)
	}
	f.GivenA, f.GivenB = given[f.ArmA()], given[f.ArmB()]
	return f, nil
}

// TrialVerdict is [App.TrialResults] without what was given away.
func (a *App) TrialVerdict(ctx context.Context, shop, id string) (TrialFound, error) {
	f, _, err := a.trialFound(ctx, shop, id)
	return f, err
}

func (a *App) trialFound(ctx context.Context, shop, id string) (TrialFound, store.Behind, error) {
	var f TrialFound
	err := a.Store.DB.WithContext(ctx).Where("shop_id = ? AND id = ?", shop, id).Take(&f.Trial).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return f, store.Behind{}, ErrNotFound
	}
	if err != nil {
		return f, store.Behind{}, err
	}
	of, err := a.judge(ctx, &f)
	return f, of, err
}

// judge looks at a trial's visits, day by day.
func (a *App) judge(ctx context.Context, f *TrialFound) (of store.Behind, err error) {
	snap, err := a.Snapshots.Get(ctx, f.ShopID)
	if err != nil {
		return of, err
	}
	from := f.StartedAt.In(snap.Zone)
	first := time.Date(from.Year(), from.Month(), from.Day(), 0, 0, 0, 0, time.UTC)
	asked := Asked{From: first, To: f.Until.AddDate(0, 0, store.LatestEvent), Currency: f.Currency}
	query, err := a.query(ctx, f.ShopID, &asked)
	if err != nil {
		return of, err
	}
	kind, under := f.Counted()
	query.Nudge, query.Kinds, query.By = under, []results.Kind{kind, results.Loaded}, []store.By{store.ByDay}
	counts, err := a.Store.Counts(ctx, f.ShopID, query)
	if err != nil {
		return of, err
	}
	of = store.Behind{Shop: f.ShopID, Nudge: under, Kind: kind, Givers: f.Nudges(), From: snap.Begin(first), To: asked.To.AddDate(0, 0, 1), Regions: query.Regions, Arms: []string{f.ArmA(), f.ArmB()}}
	above, err := a.above(ctx, of, f.Cap)
	if err != nil {
		return of, err
	}
	back, err := a.Store.OrdersBack(ctx, of)
	if err != nil {
		return of, fmt.Errorf("looking for returns: %w", err)
	}
	f.BackA, f.BackB = back[of.Arms[0]], back[of.Arms[1]]
	byDay := map[time.Time][]int{}
	for i, c := range counts {
		if c.Kind == results.Loaded {
			f.timed(&counts[i])
			continue
		}
		byDay[c.Day] = append(byDay[c.Day], i)
	}
	f.Speed = trial.Speed(&f.SpeedA, &f.SpeedB, f.Planned)
	for day := first; !day.After(asked.To); day = day.AddDate(0, 0, 1) {
		if len(byDay[day]) == 0 {
			continue
		}
		for _, i := range byDay[day] {
			f.count(&counts[i], first)
		}
		for i := range above {
			if c := &above[i]; c.Day.Equal(day) {
				f.Capped += c.Visits
				c.cap(f.of(c.Arm), *f.Cap)
			}
		}
		f.Days = append(f.Days, TrialDay{day, trial.At(&f.A, &f.B, f.Planned)})
	}
	f.Look = trial.At(&f.A, &f.B, f.Planned)
	f.Conversion, f.OrderValue = trial.Conversion(&f.A, &f.B, f.Planned), trial.OrderValue(&f.A, &f.B, f.Planned)
	f.Returned = trial.Returned(&f.A, &f.B, f.BackA, f.BackB, f.Planned)
	f.Mismatch = trial.Mismatch(f.A.Visits, f.B.Visits, float64(f.Share)/float64(money.Whole))
	return of, nil
}

// of are the visits of an arm; nil: of none.
func (f *TrialFound) of(arm string) *results.Visits {
	switch arm {
	case f.ArmA():
		return &f.A
	case f.ArmB():
		return &f.B
	}
	return nil
}

func (f *TrialFound) timed(c *results.Count) {
	switch c.Arm {
	case f.ArmA():
		f.SpeedA.Add(c)
	case f.ArmB():
		f.SpeedB.Add(c)
	}
}

func (f *TrialFound) count(c *results.Count, first time.Time) {
	v := f.of(c.Arm)
	switch {
	case v != nil:
		v.Add(&c.Visits)
	case f.Part() < money.Whole || f.Who != nil: // most are in no arm
	case c.Arm != results.ArmNone && c.Arm != results.ArmHeld && c.Day.After(first) && (f.EndedAt == nil || c.Day.Before(f.EndedAt.AddDate(0, 0, -1))):
		f.Left += c.Visits.Visits
	}
}

// TrialMoved tells whether what a trial compares is not as it was when it began, or is not
// there at all.
func (a *App) TrialMoved(ctx context.Context, t *store.Trial) (moved, gone bool, err error) {
	if t.Sets() {
		var ns []store.Nudge
		err := a.Store.DB.WithContext(ctx).Where("shop_id = ? AND id IN ? AND deleted_at IS NULL", t.ShopID, t.Nudges()).Find(&ns).Error
		return setsMoved(t, ns), false, err
	}
	n, err := a.Nudge(ctx, t.ShopID, t.NudgeID)
	if errors.Is(err, ErrNotFound) {
		return true, true, nil
	}
	return n.State != store.StateLive || n.LiveRevision != t.RevisionA, false, err
}

// EndTrial stops a trial; where B is taken it is published, or where B is doing without, the
// nudge is paused. Stopping what has ended changes nothing. Errors: ErrNotFound, Problem.
func (a *App) EndTrial(ctx context.Context, shop, id, who string, how store.Outcome) (store.Trial, error) {
	var t store.Trial
	if err := a.Store.DB.WithContext(ctx).Where("shop_id = ? AND id = ?", shop, id).Take(&t).Error; err != nil {
		if errors.Is(err, gorm.ErrRecordNotFound) {
			return t, ErrNotFound
		}
		return t, err
	}
	if t.Sets() {
		return t, a.endSets(ctx, &t, who, how)
	}
	_, err := a.locked(ctx, shop, t.NudgeID, func(tx *gorm.DB, n *store.Nudge) error {
		if how == store.Took {
			if n.LiveRevision != t.RevisionA || n.State != store.StateLive {
				if n.LiveRevision == t.RevisionB || t.Without() && n.State == store.StatePaused {
					return nil // it is in force already
				}
				return Problem{"state", "The nudge was changed meanwhile, so what was tried is not published over it. Look at the nudge."}
			}
			if err := take(tx, &t, n, who, a.Now().UTC()); err != nil {
				return err
			}
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

// take puts B in force: the revision that was tried, or a pause.
func take(tx *gorm.DB, t *store.Trial, n *store.Nudge, who string, now time.Time) error {
	if t.Without() {
		n.State, n.StateSince, n.ChangedBy = store.StatePaused, now, who
		return nil
	}
	b, err := revision(tx, t.ShopID, t.NudgeID, t.RevisionB)
	if err != nil {
		return err
	}
	n.LiveRevision = t.RevisionB
	n.Dirty = !reflect.DeepEqual(n.Draft, b.Definition)
	return nil
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
		f, err := a.TrialVerdict(ctx, t.ShopID, t.ID)
		if err != nil {
			return err
		}
		changed, gone, err := a.TrialMoved(ctx, &t)
		if err != nil {
			return err
		}
		how := store.Outcome("")
		switch {
		case changed:
			how = store.Changed
		case f.Harm() && !f.Mismatch:
			how = store.Harmed
		case f.Slow() && !f.Mismatch:
			how = store.Slowed
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
		if gone {
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
