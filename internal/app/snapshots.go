package app

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"sync"
	"time"

	"github.com/jackc/pgx/v5/pgxpool"
	"gorm.io/gorm"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/snapshot"
	"agonal.dev/agonal/internal/store"
)

// ShopSnapshot is a shop as decisions see it, with what the API needs to know of it.
type ShopSnapshot struct {
	Shop store.Shop
	*snapshot.Snapshot
	// Limited tells whether a nudge has uses, a budget or codes that may be used up, Pooled
	// whether one needs a code of a pool.
	Limited, Pooled bool
	limits          map[string]nudge.Limits
	sets            map[string]setArm // by the arms of trials that compare sets
}

// setArm is an arm of a trial that compares sets, whether or not a nudge is held.
type setArm struct{ trial, arm string }

// UsedUp tells whether one more use of a nudge, of so much money, would pass a
// limit.
func (s *ShopSnapshot) UsedUp(id, region string, u decide.Usage, spent money.Minor) bool {
	l := s.limits[id]
	budget, bounded := l.Budget[region]
	return l.Uses > 0 && u.Uses >= l.Uses || l.PerShopper > 0 && u.ByShopper >= l.PerShopper || bounded && u.Spent+spent > budget.Minor
}

// Begin is when a day begins in the shop's time zone.
func (s *ShopSnapshot) Begin(d time.Time) time.Time {
	return time.Date(d.Year(), d.Month(), d.Day(), 0, 0, 0, 0, s.Zone)
}

// longestGrace bounds how far back retired revisions are kept at hand.
const longestGrace = 24 * time.Hour

// Snapshots keeps a compiled snapshot of every shop that was asked for, and
// makes it anew when the shop changes. While the database is away the last
// snapshot stays in use.
type Snapshots struct {
	store  *store.Store
	now    func() time.Time
	log    *slog.Logger
	mu     sync.RWMutex
	byShop map[string]*ShopSnapshot
	ring   *keyring
	load   sync.Mutex
}

func newSnapshots(s *store.Store, now func() time.Time, ring *keyring, log *slog.Logger) *Snapshots {
	return &Snapshots{store: s, now: now, ring: ring, log: log, byShop: map[string]*ShopSnapshot{}}
}

// Get returns a shop's snapshot, or ErrNotFound.
func (s *Snapshots) Get(ctx context.Context, shop string) (*ShopSnapshot, error) {
	s.mu.RLock()
	snap := s.byShop[shop]
	s.mu.RUnlock()
	if snap != nil {
		return snap, nil
	}
	return s.Refresh(ctx, shop)
}

// Refresh compiles a shop's snapshot anew from the database.
func (s *Snapshots) Refresh(ctx context.Context, shop string) (*ShopSnapshot, error) {
	s.load.Lock()
	defer s.load.Unlock()
	snap, err := s.compile(ctx, shop)
	if err != nil {
		return nil, err
	}
	s.mu.Lock()
	s.byShop[shop] = snap
	s.mu.Unlock()
	return snap, nil
}

func (s *Snapshots) compile(ctx context.Context, shop string) (*ShopSnapshot, error) {
	var row store.Shop
	err := s.store.DB.WithContext(ctx).Where("id = ?", shop).Take(&row).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return nil, ErrNotFound
	}
	if err != nil {
		return nil, fmt.Errorf("reading shop %s: %w", shop, err)
	}
	products, err := s.store.Products(ctx, shop)
	if err != nil {
		return nil, err
	}
	regions, err := s.store.Regions(ctx, shop)
	if err != nil {
		return nil, err
	}
	cat, err := catalog.New(products)
	if err != nil {
		return nil, fmt.Errorf("the catalogue of %s: %w", shop, err)
	}
	live, err := s.store.Live(ctx, shop)
	if err != nil {
		return nil, err
	}
	retired, err := s.store.Retired(ctx, shop, s.now().Add(-longestGrace))
	if err != nil {
		return nil, err
	}
	trials, err := s.store.RunningTrials(ctx, shop, live)
	if err != nil {
		return nil, err
	}
	settings := row.Settings
	settings.TimeZone = row.TimeZone // weekdays and hours are the shop's
	snap, err := snapshot.Compile(snapshot.Shop{Settings: settings, Catalog: cat, Regions: regions, Nudges: live, Retired: retired, Trials: trials})
	if err != nil {
		return nil, fmt.Errorf("compiling %s: %w", shop, err)
	}
	out := &ShopSnapshot{Shop: row, Snapshot: snap, limits: map[string]nudge.Limits{}, sets: map[string]setArm{}}
	for i := range snap.Nudges {
		t := snap.Nudges[i].Trial
		if t == nil || !t.Set {
			continue
		}
		for _, b := range []bool{false, true} {
			of := setArm{t.ID, t.Arm(b, false)}
			out.sets[of.arm], out.sets[t.Arm(b, true)] = of, of
		}
	}
	for _, n := range live {
		l := n.Definition.Limits
		out.limits[n.ID] = l
		out.Limited = out.Limited || l.Uses > 0 || l.PerShopper > 0 || len(l.Budget) > 0 || n.Definition.Audience.EarnedBy != ""
		out.Pooled = out.Pooled || n.Definition.Audience.Pool != ""
	}
	return out, nil
}

// changed reads the keys anew, and refreshes a shop if it is in use.
func (s *Snapshots) changed(ctx context.Context, shop string) {
	if err := s.ring.read(ctx); err != nil && ctx.Err() == nil {
		s.log.Error("reading the keys", "error", err)
	}
	s.mu.RLock()
	_, used := s.byShop[shop]
	s.mu.RUnlock()
	if !used {
		return
	}
	if _, err := s.Refresh(ctx, shop); err != nil && ctx.Err() == nil {
		s.log.Error("refreshing a shop", "shop", shop, "error", err)
	}
}

// Listen follows announcements of changes until the context ends. After the
// database was away, it refreshes every shop in use.
func (s *Snapshots) Listen(ctx context.Context) {
	for ctx.Err() == nil {
		if err := s.listen(ctx, s.store.Pool); err != nil && ctx.Err() == nil {
			s.log.Warn("listening for changes broke off; trying again", "error", err)
			select {
			case <-ctx.Done():
			case <-time.After(time.Second):
			}
		}
	}
}

func (s *Snapshots) listen(ctx context.Context, pool *pgxpool.Pool) error {
	conn, err := pool.Acquire(ctx)
	if err != nil {
		return err
	}
	defer conn.Release()
	if _, err := conn.Exec(ctx, "LISTEN "+store.Channel); err != nil {
		return err
	}
	s.mu.RLock()
	shops := make([]string, 0, len(s.byShop))
	for id := range s.byShop {
		shops = append(shops, id)
	}
	s.mu.RUnlock()
	for _, id := range shops {
		s.changed(ctx, id)
	}
	for {
		n, err := conn.Conn().WaitForNotification(ctx)
		if err != nil {
			return err
		}
		s.changed(ctx, n.Payload)
	}
}
