package app

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"sync"
	"time"

	"gorm.io/gorm"

	"agonal.dev/agonal/core/codes"
	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/internal/store"
)

// usageAge is how old what is known of used-up limits may be while shoppers look
// around. An order always reads it anew.
const usageAge = time.Second

// firstUsage is how long a decision waits for it where nothing is known yet.
const firstUsage = 200 * time.Millisecond

// usageCache keeps how far a shop's limits are used up, by region.
type usageCache struct {
	mu     sync.Mutex
	byShop map[string]*usageEntry
}

type usageEntry struct {
	byRegion map[string]map[string]decide.Usage
	read     time.Time
	reading  bool
}

// entry is what is known of a shop; the cache is locked.
func (u *usageCache) entry(shop string) *usageEntry {
	e := u.byShop[shop]
	if e == nil {
		e = &usageEntry{}
		u.byShop[shop] = e
	}
	return e
}

// stale has what is known of a shop read anew with the next decision.
func (u *usageCache) stale(shop string) {
	u.mu.Lock()
	defer u.mu.Unlock()
	u.entry(shop).read = time.Time{}
}

// Usage tells how far the limits of a shop's nudges are used up, at most a little
// out of date, without waiting for the database once it has been asked. Shops
// whose nudges have no limits, and are not weighed by what they earn, have none.
func (a *App) Usage(ctx context.Context, snap *ShopSnapshot, region string) map[string]decide.Usage {
	if !snap.Limited && !snap.Snapshot.Shop.Settings.Weighs() {
		return nil
	}
	a.usage.mu.Lock()
	e := a.usage.entry(snap.Shop.ID)
	fresh, first := time.Since(e.read) < usageAge, e.byRegion == nil
	start := !fresh && !e.reading
	e.reading = e.reading || start
	known := e.byRegion
	a.usage.mu.Unlock()
	if !start {
		return known[region]
	}
	if first {
		soon, cancel := context.WithTimeout(ctx, firstUsage)
		defer cancel()
		return a.readUsage(soon, snap)[region]
	}
	go a.readUsage(context.WithoutCancel(ctx), snap)
	return known[region]
}

func (a *App) readUsage(ctx context.Context, snap *ShopSnapshot) map[string]map[string]decide.Usage {
	ctx, cancel := context.WithTimeout(ctx, 5*time.Second)
	defer cancel()
	all := map[string]map[string]decide.Usage{}
	bands, failed := a.bands(ctx, snap)
	for _, r := range snap.Regions() {
		u, err := store.Usage(a.Store.DB.WithContext(ctx), snap.Shop.ID, r.ID, "")
		if err == nil {
			err = a.withoutCodes(ctx, snap, u)
		}
		if err != nil {
			failed = err
			break
		}
		for id, b := range bands {
			of := u[id]
			of.Bands = b
			u[id] = of
		}
		all[r.ID] = u
	}
	a.usage.mu.Lock()
	defer a.usage.mu.Unlock()
	e := a.usage.entry(snap.Shop.ID)
	e.reading = false
	if failed != nil {
		a.Log.Warn("reading how far limits are used up", "shop", snap.Shop.ID, "error", failed)
		return e.byRegion
	}
	e.byRegion, e.read = all, time.Now()
	return all
}

// bands tell how the nudges of a shop were accepted, where they are weighed by it.
func (a *App) bands(ctx context.Context, snap *ShopSnapshot) (map[string]map[string]decide.Tally, error) {
	if !snap.Snapshot.Shop.Settings.Weighs() {
		return nil, nil
	}
	return a.Store.Bands(ctx, snap.Shop.ID)
}

// PoolCodes tells which entered codes are unused ones of a pool.
func (a *App) PoolCodes(ctx context.Context, snap *ShopSnapshot, entered []string) (map[string]string, error) {
	if !snap.Pooled || len(entered) == 0 {
		return nil, nil
	}
	return store.Pools(a.Store.DB.WithContext(ctx), snap.Shop.ID, entered)
}

// errTaken says that somebody else took the last use in the meantime.
var errTaken = errors.New("a limit was used up in the meantime")

// uses lists what an order takes of each nudge: what it gives off, and what its
// gifts are worth.
func uses(d *decide.Decision) map[string]money.Minor {
	out := map[string]money.Minor{}
	for _, g := range d.Rewards {
		out[g.Nudge] += g.Amount
	}
	for _, g := range d.Gifts {
		if len(g.Items) > 0 {
			out[g.Nudge] += g.Worth
		}
	}
	return out
}

// takeUses counts an order's uses, inside its transaction, which holds the shop's
// lock. It returns errTaken where a limit would be passed or a code is gone; an
// order that was charged already is counted all the same.
func takeUses(tx *gorm.DB, snap *ShopSnapshot, o *store.Order, codes []string, pools map[string]string, charged bool) error {
	taken := uses(&o.Decision)
	shopper := shopperKey(o.Customer)
	now, err := store.Usage(tx, o.ShopID, o.Region, shopper)
	if err != nil {
		return err
	}
	ids := make([]string, 0, len(taken))
	for id := range taken {
		ids = append(ids, id)
	}
	slices.Sort(ids)
	for _, id := range ids {
		if !charged && snap.UsedUp(id, o.Region, now[id], taken[id]) {
			return errTaken
		}
		if err := store.Use(tx, o.ShopID, id, o.Region, shopper, taken[id]); err != nil {
			return err
		}
	}
	for _, c := range codes {
		if _, pooled := pools[c]; !pooled || !slices.ContainsFunc(o.Decision.Codes, func(x decide.CodeOutcome) bool { return x.Code == c && x.State == "used" }) {
			continue
		}
		ok, err := store.TakeCode(tx, o.ShopID, c, o.Number)
		if err != nil {
			return err
		}
		if !ok && !charged {
			return errTaken
		}
	}
	return nil
}

// shopperKey is by what a shopper is known between orders.
func shopperKey(customer string) string { return strings.ToLower(strings.TrimSpace(customer)) }

// GenerateCodes makes single-use codes of a pool. Errors: Problem.
func (a *App) GenerateCodes(ctx context.Context, shop, pool, prefix string, signs, n int) ([]string, error) {
	if signs == 0 {
		signs = 8
	}
	made, err := codes.Generate(rand.Reader, prefix, signs, n)
	if err != nil {
		var field codes.Wrong
		if errors.As(err, &field) {
			return nil, Problem{field.Field, field.Why}
		}
		return nil, err
	}
	return made, a.addCodes(ctx, shop, pool, made)
}

// ImportCodes brings a file of single-use codes into a pool, all or none. Errors:
// Problem, naming the line.
func (a *App) ImportCodes(ctx context.Context, shop, pool string, file io.Reader) (int, error) {
	list, faults := codes.ReadCSV(file)
	if len(faults) > 0 {
		return 0, Problem{fmt.Sprintf("line %d", faults[0].Line), faults[0].Error()}
	}
	if len(list) == 0 {
		return 0, Problem{"file", "the file holds no code"}
	}
	return len(list), a.addCodes(ctx, shop, pool, list)
}

func (a *App) addCodes(ctx context.Context, shop, pool string, list []string) error {
	if pool == "" || len(pool) > 40 || strings.TrimSpace(pool) != pool {
		return Problem{"pool", "a pool has a name of 1 to 40 characters that neither begins nor ends with a space"}
	}
	taken, err := a.Store.AddCodes(ctx, shop, pool, list, a.Now().UTC())
	if errors.Is(err, gorm.ErrDuplicatedKey) {
		return Problem{"file", "some of these codes were added by somebody else at this moment; look at the pool and try again"}
	}
	if err == nil && len(taken) > 0 {
		return Problem{"file", fmt.Sprintf("the shop has %d of these codes already, such as %s; nothing was added", len(taken), taken[0])}
	}
	return err
}
