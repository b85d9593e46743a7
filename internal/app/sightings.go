package app

import (
	"context"
	"slices"
	"strings"
	"sync"
	"time"
	"unicode/utf8"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"agonal.dev/agonal/internal/store"
)

// sightings gathers who uses a shop's keys, and writes it down every few seconds,
// so that no request waits for that.
type sightings struct {
	mu      sync.Mutex
	seen    map[sightingKey]*store.Sighting
	refused map[store.RefusedCall]*store.RefusedCall // by what makes them one
	flushed time.Time
}

type sightingKey struct {
	shop, origin string
	outcome      store.SightingOutcome
}

const (
	sightingsEvery = 3 * time.Second
	mostSightings  = 2000 // between two writings; more are let go
	mostSeen       = 60   // rows kept for a shop
	mostSightText  = 200
)

// Saw notes a request to a shop's API: from which origin and page, and what
// became of it. use is what UseKey gave.
func (a *App) Saw(use KeyUse, origin, page string, outcome store.SightingOutcome) {
	origin, page = storable(origin), storable(page)
	var shops []string
	if use.Shop != nil {
		shops = append(shops, use.Shop.Shop.ID)
	} else {
		shops = a.ring.allowing(origin)
	}
	s := a.sightings
	s.mu.Lock()
	for _, shop := range shops {
		key := sightingKey{shop, origin, outcome}
		x := s.seen[key]
		if x == nil {
			if len(s.seen) >= mostSightings {
				continue
			}
			x = &store.Sighting{ShopID: shop, Origin: origin, Outcome: outcome}
			s.seen[key] = x
		}
		x.Times++
		x.At = a.Now().UTC()
		x.Hint = use.Hint
		if page != "" {
			x.Page = page
		}
	}
	s.mu.Unlock()
	a.flushSoon()
}

// Refused notes that a call of a shop was refused: an operation, the status of the
// answer, the field and why.
func (a *App) Refused(shop, operation string, status int, field, why string) {
	x := store.RefusedCall{ShopID: shop, Operation: storable(operation), Status: status, Field: storable(field), Why: storable(why)}
	s := a.sightings
	s.mu.Lock()
	if s.refused == nil {
		s.refused = map[store.RefusedCall]*store.RefusedCall{}
	}
	if have := s.refused[x]; have != nil {
		have.Times++
		have.At = a.Now().UTC()
	} else if len(s.refused) < mostSightings {
		key := x
		x.Times, x.At = 1, a.Now().UTC()
		s.refused[key] = &x
	}
	s.mu.Unlock()
	a.flushSoon()
}

// flushSoon writes down what was gathered, if it is time.
func (a *App) flushSoon() {
	s := a.sightings
	s.mu.Lock()
	due := len(s.seen)+len(s.refused) > 0 && time.Since(s.flushed) > sightingsEvery
	if due {
		s.flushed = time.Now()
	}
	s.mu.Unlock()
	if !due {
		return
	}
	go func() {
		ctx, cancel := context.WithTimeout(context.Background(), 3*time.Second)
		defer cancel()
		if err := a.flushSightings(ctx); err != nil {
			a.Log.Warn("writing down who uses keys", "error", err)
		}
	}()
}

// storable cuts what is only looked at to size, and to what can be stored.
func storable(s string) string {
	s = s[:min(len(s), mostSightText)]
	return strings.ToValidUTF8(strings.ReplaceAll(s, "\x00", ""), "")
}

func (a *App) flushSightings(ctx context.Context) error {
	s := a.sightings
	s.mu.Lock()
	rows := make([]store.Sighting, 0, len(s.seen))
	shops := map[string]bool{}
	for _, x := range s.seen {
		rows = append(rows, *x)
		shops[x.ShopID] = true
	}
	s.seen = map[sightingKey]*store.Sighting{}
	refused := make([]store.RefusedCall, 0, len(s.refused))
	for _, x := range s.refused {
		refused = append(refused, *x)
	}
	s.refused = nil
	s.mu.Unlock()
	if err := a.storeRefusals(ctx, refused); err != nil {
		return err
	}
	if len(rows) == 0 {
		return nil
	}
	db := a.Store.DB.WithContext(ctx)
	err := db.Clauses(clause.OnConflict{
		Columns: []clause.Column{{Name: "shop_id"}, {Name: "origin"}, {Name: "outcome"}},
		DoUpdates: clause.Assignments(map[string]any{
			"times": gorm.Expr("sightings.times + excluded.times"), "at": gorm.Expr("excluded.at"), "hint": gorm.Expr("excluded.hint"),
			"page": gorm.Expr("CASE WHEN excluded.page = '' THEN sightings.page ELSE excluded.page END"),
		}),
	}).CreateInBatches(&rows, 200).Error
	if err != nil {
		return err
	}
	for shop := range shops {
		err := db.Exec(`DELETE FROM sightings s WHERE shop_id = ? AND (origin, outcome) NOT IN
			(SELECT origin, outcome FROM sightings WHERE shop_id = ? ORDER BY at DESC LIMIT ?)`, shop, shop, mostSeen).Error
		if err != nil {
			return err
		}
	}
	return nil
}

// Sightings lists who used a shop's keys, the latest first.
func (a *App) Sightings(ctx context.Context, shop string) ([]store.Sighting, error) {
	if err := a.flushSightings(ctx); err != nil {
		return nil, err
	}
	var out []store.Sighting
	err := a.Store.DB.WithContext(ctx).Where("shop_id = ?", shop).Order("at DESC").Limit(mostSeen).Find(&out).Error
	return out, err
}

func (a *App) storeRefusals(ctx context.Context, rows []store.RefusedCall) error {
	if len(rows) == 0 {
		return nil
	}
	db := a.Store.DB.WithContext(ctx)
	err := db.Clauses(clause.OnConflict{
		Columns:   []clause.Column{{Name: "shop_id"}, {Name: "operation"}, {Name: "status"}, {Name: "field"}, {Name: "why"}},
		DoUpdates: clause.Assignments(map[string]any{"times": gorm.Expr("refusals.times + excluded.times"), "at": gorm.Expr("excluded.at")}),
	}).CreateInBatches(&rows, 200).Error
	if err != nil {
		return err
	}
	for _, shop := range shopsOf(rows) {
		err := db.Exec(`DELETE FROM refusals r WHERE shop_id = ? AND operation <> ? AND at <
			(SELECT at FROM refusals WHERE shop_id = ? AND operation <> ? ORDER BY at DESC OFFSET ? LIMIT 1)`, shop, store.GivenUp, shop, store.GivenUp, mostSeen).Error
		if err != nil {
			return err
		}
	}
	return nil
}

func shopsOf(rows []store.RefusedCall) []string {
	var out []string
	for _, x := range rows {
		if !slices.Contains(out, x.ShopID) {
			out = append(out, x.ShopID)
		}
	}
	return out
}

// GiveUp writes down an order that the shop's server sends no more. Errors: Problem.
func (a *App) GiveUp(ctx context.Context, shop, key, why string) error {
	if key == "" || utf8.RuneCountInString(key) > 200 {
		return Problem{"idempotency_key", "an idempotency key of 1 to 200 characters is needed"}
	}
	if why == "" {
		return Problem{"why", "why the order is sent no more is needed"}
	}
	return a.storeRefusals(ctx, []store.RefusedCall{{ShopID: shop, Operation: store.GivenUp, Field: key, Why: storable(why), Times: 1, At: a.Now().UTC()}})
}

// Refusals lists what a shop's calls were refused for, and orders that were given up, the
// latest first.
func (a *App) Refusals(ctx context.Context, shop string) ([]store.RefusedCall, error) {
	if err := a.flushSightings(ctx); err != nil {
		return nil, err
	}
	var out []store.RefusedCall
	err := a.Store.DB.WithContext(ctx).Where("shop_id = ?", shop).Order("at DESC").Limit(2 * mostSeen).Find(&out).Error
	return out, err
}
