package app

import (
	"context"
	"slices"
	"time"

	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/results"
	"agonal.dev/agonal/internal/store"
)

// Asked is what Results are asked for: a period, both days included, in one currency, of all
// regions that pay in it or some of them.
type Asked struct {
	From, To time.Time
	Currency money.Currency
	Regions  []string // of those that pay in Currency; empty: all of them
	Device   string
	Language string
}

// Days is how many days that are.
func (q *Asked) Days() int { return int(q.To.Sub(q.From).Hours()/24+0.5) + 1 }

// Found are a shop's results.
type Found struct {
	Asked
	Total, Before results.Total // of the period, and of the same weekdays right before it
	Days          []results.Day
	DaysBefore    []results.Day // the same weekdays right before, one for each of Days
	Nudges        map[string]*results.Figures
	Published     []store.Revision // within the period, the first first, without their definitions
}

func (a *App) query(ctx context.Context, shop string, q *Asked) (store.CountQuery, error) {
	snap, err := a.Snapshots.Get(ctx, shop)
	if err != nil {
		return store.CountQuery{}, err
	}
	out := store.CountQuery{From: q.From, To: q.To}
	for _, r := range snap.Regions() {
		if r.Currency == q.Currency && (len(q.Regions) == 0 || slices.Contains(q.Regions, r.ID)) {
			out.Regions = append(out.Regions, r.ID)
		}
	}
	if len(out.Regions) == 0 {
		out.Regions = []string{""} // nothing
	}
	if q.Device != "" {
		out.Devices = []string{q.Device}
	}
	if q.Language != "" {
		out.Languages = []string{q.Language}
	}
	return out, nil
}

// Results are a shop's figures of a period.
func (a *App) Results(ctx context.Context, shop string, q Asked) (Found, error) {
	f := Found{Asked: q}
	query, err := a.query(ctx, shop, &q)
	if err != nil {
		return f, err
	}
	byShare := query
	byShare.By = []store.By{store.ByShare}
	counts, err := a.Store.Counts(ctx, shop, byShare)
	if err != nil {
		return f, err
	}
	f.Total, f.Nudges = results.OfShop(counts, q.Days()), results.OfNudges(counts, q.Days())
	byDay := query
	byDay.By, byDay.Kinds = []store.By{store.ByDay}, []results.Kind{results.Order, results.OrderWith}
	if counts, err = a.Store.Counts(ctx, shop, byDay); err != nil {
		return f, err
	}
	f.Days = results.OfDays(counts, q.From, q.To)
	before := query
	before.From, before.To = results.WeeksBefore(q.From, q.To)
	before.Kinds, before.By = []results.Kind{results.Order, results.OrderWith, results.Visit}, []store.By{store.ByDay}
	if counts, err = a.Store.Counts(ctx, shop, before); err != nil {
		return f, err
	}
	f.Before = results.OfShop(counts, q.Days())
	f.DaysBefore = results.OfDays(counts, before.From, before.To)
	f.Published, err = a.published(ctx, shop, &q)
	return f, err
}

// published lists revisions that were published within a period, without their definitions.
func (a *App) published(ctx context.Context, shop string, q *Asked) ([]store.Revision, error) {
	snap, err := a.Snapshots.Get(ctx, shop)
	if err != nil {
		return nil, err
	}
	db := a.Store.DB.WithContext(ctx).Omit("Definition").Where("shop_id = ? AND published_at >= ? AND published_at < ?", shop, snap.Begin(q.From), snap.Begin(q.To.AddDate(0, 0, 1)))
	var out []store.Revision
	return out, db.Order("published_at, nudge_id, number").Find(&out).Error
}

// FoundOfNudge are the results of one nudge, and what they are made of.
type FoundOfNudge struct {
	Asked
	results.Figures
	By        map[store.By][]results.Count
	Days      []results.Day    // orders in which it gave something, and all others
	Published []store.Revision // of it, within the period, without their definitions
	Orders    []store.Order    // the last in which it gave something, without their decisions
}

const lastOrders = 50

// NudgeResults are the results of one nudge.
func (a *App) NudgeResults(ctx context.Context, shop, id string, q Asked) (FoundOfNudge, error) {
	f := FoundOfNudge{Asked: q, By: map[store.By][]results.Count{}}
	query, err := a.query(ctx, shop, &q)
	if err != nil {
		return f, err
	}
	query.Nudge, query.By = id, []store.By{store.ByShare}
	counts, err := a.Store.Counts(ctx, shop, query)
	if err != nil {
		return f, err
	}
	if all := results.OfNudges(counts, q.Days()); all[id] != nil {
		f.Figures = *all[id]
	}
	for _, by := range []store.By{store.ByPlacement, store.ByLanguage, store.ByDevice, store.ByRegion, store.ByRevision} {
		query.By = []store.By{by}
		if f.By[by], err = a.Store.Counts(ctx, shop, query); err != nil {
			return f, err
		}
	}
	if f.Days, err = a.daysOf(ctx, shop, query); err != nil {
		return f, err
	}
	if f.Published, err = a.published(ctx, shop, &q); err != nil {
		return f, err
	}
	f.Published = slices.DeleteFunc(f.Published, func(r store.Revision) bool { return r.NudgeID != id })
	err = a.Store.DB.WithContext(ctx).Omit("Decision").Preload("Rewards").
		Where("shop_id = ? AND region IN ? AND number IN (SELECT order_number FROM order_rewards WHERE shop_id = ? AND nudge_id = ?)", shop, query.Regions, shop, id).
		Order("number DESC").Limit(lastOrders).Find(&f.Orders).Error
	return f, err
}

// daysOf are the orders of each day, and those in which the nudge that is asked for gave something.
func (a *App) daysOf(ctx context.Context, shop string, query store.CountQuery) ([]results.Day, error) {
	query.By, query.Kinds = []store.By{store.ByDay}, []results.Kind{results.Used}
	used, err := a.Store.Counts(ctx, shop, query)
	if err != nil {
		return nil, err
	}
	query.Nudge, query.Kinds = "", []results.Kind{results.Order}
	all, err := a.Store.Counts(ctx, shop, query)
	return results.OfDays(append(all, used...), query.From, query.To), err
}

// mostBehind is how many orders are taken along at most.
const mostBehind = 100_000

// behind are the orders of a period.
func (a *App) behind(ctx context.Context, shop, id string, q *Asked) (store.Behind, error) {
	query, err := a.query(ctx, shop, q)
	if err != nil {
		return store.Behind{}, err
	}
	snap, err := a.Snapshots.Get(ctx, shop)
	if err != nil {
		return store.Behind{}, err
	}
	return store.Behind{Shop: shop, Nudge: id, From: snap.Begin(q.From), To: snap.Begin(q.To.AddDate(0, 0, 1)), Regions: query.Regions}, nil
}

// OrdersBehind are the orders of a period in which a nudge gave something, the last first,
// without their decisions.
func (a *App) OrdersBehind(ctx context.Context, shop, id string, q Asked) (out []store.Order, err error) {
	of, err := a.behind(ctx, shop, id, &q)
	if err != nil {
		return nil, err
	}
	db := a.Store.DB.WithContext(ctx).Omit("Decision").Preload("Rewards").
		Where("shop_id = ? AND placed_at >= ? AND placed_at < ? AND region IN ?", shop, of.From, of.To, of.Regions).
		Where("EXISTS (SELECT FROM order_rewards r WHERE r.shop_id = orders.shop_id AND r.order_number = orders.number AND r.nudge_id = ?)", id)
	if q.Device != "" {
		db = db.Where("device = ?", q.Device)
	}
	if q.Language != "" {
		db = db.Where("language = ?", q.Language)
	}
	return out, db.Order("number DESC").Limit(mostBehind).Find(&out).Error
}

// GivenMost tells what a nudge gave most within a period.
func (a *App) GivenMost(ctx context.Context, shop, id string, d *nudge.Definition, q Asked) ([]store.GivenOften, error) {
	of, err := a.behind(ctx, shop, id, &q)
	if err != nil {
		return nil, err
	}
	return a.Store.GivenMost(ctx, of, d.Audience.Code, d.Audience.Pool)
}
