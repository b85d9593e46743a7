package app

import (
	"context"
	"strings"
	"sync"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"agonal.dev/agonal/internal/store"
)

// sightings gathers who uses a shop's keys, and writes it down every few seconds,
// so that no request waits for that.
type sightings struct {
	mu      sync.Mutex
	seen    map[sightingKey]*store.Sighting
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
	due := len(s.seen) > 0 && time.Since(s.flushed) > sightingsEvery
	if due {
		s.flushed = time.Now()
	}
	s.mu.Unlock()
	if due {
		go func() {
			ctx, cancel := context.WithTimeout(context.Background(), 3*time.Second)
			defer cancel()
			if err := a.flushSightings(ctx); err != nil {
				a.Log.Warn("writing down who uses keys", "error", err)
			}
		}()
	}
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
	s.mu.Unlock()
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
