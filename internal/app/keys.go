package app

import (
	"context"
	"crypto/rand"
	"encoding/base32"
	"errors"
	"fmt"
	"strings"
	"sync"
	"time"
	"unicode/utf8"

	"github.com/google/uuid"
	"gorm.io/gorm"

	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/internal/shoppertoken"
	"agonal.dev/agonal/internal/store"
)

// Limits of keys.
const (
	MostKeyName = 60
	MostKeys    = 20 // of a shop that hold
)

// Overlaps are how long a replaced key may go on holding beside the new one.
var Overlaps = []time.Duration{0, time.Hour, 24 * time.Hour, 7 * 24 * time.Hour}

// Keys lists a shop's keys: those that hold first, then those that ended lately.
func (a *App) Keys(ctx context.Context, shop string) ([]store.APIKey, error) {
	var ks []store.APIKey
	err := a.Store.DB.WithContext(ctx).Where("shop_id = ? AND (ends_at IS NULL OR ends_at > ?)", shop, a.Now().AddDate(0, -1, 0)).
		Order("ends_at IS NOT NULL, kind, created_at").Limit(100).Find(&ks).Error
	return ks, err
}

// MakeKey makes a key and returns it in full; a secret one is never shown again.
func (a *App) MakeKey(ctx context.Context, shop, who string, kind store.KeyKind, name string) (store.APIKey, string, error) {
	name = strings.TrimSpace(name)
	if name == "" || utf8.RuneCountInString(name) > MostKeyName {
		return store.APIKey{}, "", Problem{"name", fmt.Sprintf("Give the key a name of at most %d characters, such as the page or server that uses it.", MostKeyName)}
	}
	if kind != store.Publishable && kind != store.Secret {
		return store.APIKey{}, "", Problem{"kind", "Choose whether the key is publishable or secret."}
	}
	k, full := newKey(shop, who, kind, name, a.Now().UTC())
	err := a.Store.DB.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		if err := lockShop(tx, shop); err != nil {
			return err
		}
		var n int64
		if err := tx.Model(&store.APIKey{}).Where("shop_id = ? AND (ends_at IS NULL OR ends_at > ?)", shop, k.CreatedAt).Count(&n).Error; err != nil {
			return err
		}
		if n >= MostKeys {
			return Problem{"name", fmt.Sprintf("A shop has at most %d keys. Withdraw one that nobody uses first.", MostKeys)}
		}
		if err := tx.Create(&k).Error; err != nil {
			return err
		}
		return announce(tx, shop)
	})
	return k, full, a.ringRead(ctx, err)
}

// newKey draws a key of 160 bits.
func newKey(shop, who string, kind store.KeyKind, name string, now time.Time) (store.APIKey, string) {
	full := kind.Prefix() + strings.ToLower(token())
	return keyOf(shop, who, kind, name, full, now), full
}

// keyOf is the row of a key.
func keyOf(shop, who string, kind store.KeyKind, name, full string, now time.Time) store.APIKey {
	k := store.APIKey{ID: uuid.New(), ShopID: shop, Kind: kind, Name: name, Fingerprint: HashKey(full), Hint: full[len(full)-4:], CreatedAt: now, CreatedBy: who}
	if kind == store.Publishable {
		k.Key = full
	}
	return k
}

// token draws 160 bits as 32 letters and digits.
func token() string {
	b := make([]byte, 20)
	_, _ = rand.Read(b) // never fails, see crypto/rand
	return base32.StdEncoding.WithPadding(base32.NoPadding).EncodeToString(b)
}

// ReplaceKey makes a key of the same kind and name, and lets the old one hold
// for the overlap only. A key that ends already is not replaced again.
func (a *App) ReplaceKey(ctx context.Context, shop, who string, id uuid.UUID, overlap time.Duration) (store.APIKey, string, error) {
	now := a.Now().UTC()
	var k store.APIKey
	var full string
	err := a.Store.DB.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		old, err := lockedKey(tx, shop, id)
		if err != nil {
			return err
		}
		if old.EndsAt != nil {
			return Problem{"key", "This key was replaced or withdrawn already; nothing was changed."}
		}
		k, full = newKey(shop, who, old.Kind, old.Name, now)
		until := now.Add(overlap)
		if err := tx.Model(&old).Update("ends_at", until).Error; err != nil {
			return err
		}
		if err := tx.Create(&k).Error; err != nil {
			return err
		}
		return announce(tx, shop)
	})
	return k, full, a.ringRead(ctx, err)
}

// WithdrawKey ends a key at once.
func (a *App) WithdrawKey(ctx context.Context, shop string, id uuid.UUID) (store.APIKey, error) {
	var k store.APIKey
	err := a.Store.DB.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		var err error
		if k, err = lockedKey(tx, shop, id); err != nil {
			return err
		}
		now := a.Now().UTC()
		if k.EndsAt != nil && !k.EndsAt.After(now) {
			return nil
		}
		k.EndsAt = &now
		if err := tx.Model(&k).Update("ends_at", now).Error; err != nil {
			return err
		}
		return announce(tx, shop)
	})
	return k, a.ringRead(ctx, err)
}

func lockedKey(tx *gorm.DB, shop string, id uuid.UUID) (store.APIKey, error) {
	var k store.APIKey
	if err := lockShop(tx, shop); err != nil {
		return k, err
	}
	err := tx.Where("shop_id = ? AND id = ?", shop, id).Take(&k).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return k, ErrNotFound
	}
	return k, err
}

// ringRead makes this instance know its own change at once.
func (a *App) ringRead(ctx context.Context, err error) error {
	if err != nil {
		return err
	}
	return a.ring.read(ctx)
}

// keyring knows every shop's keys by their fingerprints, and which shops allow an
// origin, so that a request with an unknown key costs no look-up.
type keyring struct {
	store   *store.Store
	mu      sync.RWMutex
	keys    map[string]ringKey
	origins map[string][]string // shops by the origins they allow
	at      time.Time           // when it was read
	reading bool
}

type ringKey struct {
	shop   string
	secret bool
	hint   string
	ends   *time.Time
}

// ringAge is how old the ring may be when a key is not on it, before it is read
// again in the background. Changes are announced besides.
const ringAge = 5 * time.Second

// ringMemory is how long ended keys are remembered, to tell them from unknown ones.
const ringMemory = 30 * 24 * time.Hour

func (k *keyring) read(ctx context.Context) error {
	var rows []store.APIKey
	if err := k.store.DB.WithContext(ctx).Where("ends_at IS NULL OR ends_at > ?", time.Now().Add(-ringMemory)).Find(&rows).Error; err != nil {
		return err
	}
	var shops []store.Shop
	if err := k.store.DB.WithContext(ctx).Select("id", "origins").Find(&shops).Error; err != nil {
		return err
	}
	keys := make(map[string]ringKey, len(rows))
	for _, r := range rows {
		keys[r.Fingerprint] = ringKey{r.ShopID, r.Kind == store.Secret, r.Hint, r.EndsAt}
	}
	origins := map[string][]string{}
	for _, s := range shops {
		for _, o := range s.Origins {
			origins[o] = append(origins[o], s.ID)
		}
	}
	k.mu.Lock()
	k.keys, k.origins, k.at = keys, origins, time.Now()
	k.mu.Unlock()
	return nil
}

// find looks a key up. A ring that was never read is read first.
func (k *keyring) find(ctx context.Context, fingerprint string) (ringKey, bool, error) {
	k.mu.RLock()
	r, ok := k.keys[fingerprint]
	never, old := k.keys == nil, time.Since(k.at) > ringAge
	k.mu.RUnlock()
	switch {
	case ok:
		return r, true, nil
	case never:
		if err := k.read(ctx); err != nil {
			return ringKey{}, false, err
		}
		k.mu.RLock()
		defer k.mu.RUnlock()
		r, ok = k.keys[fingerprint]
		return r, ok, nil
	case old:
		k.readSoon()
	}
	return ringKey{}, false, nil
}

// readSoon reads the ring in the background, one reading at a time.
func (k *keyring) readSoon() {
	k.mu.Lock()
	defer k.mu.Unlock()
	if k.reading {
		return
	}
	k.reading = true
	go func() {
		ctx, cancel := context.WithTimeout(context.Background(), 3*time.Second)
		defer cancel()
		err := k.read(ctx)
		k.mu.Lock()
		defer k.mu.Unlock()
		k.reading = false
		if err != nil {
			k.at = time.Now() // not before ringAge has passed again
		}
	}()
}

// allowing lists the shops that allow an origin.
func (k *keyring) allowing(origin string) []string {
	k.mu.RLock()
	defer k.mu.RUnlock()
	return k.origins[origin]
}

// KeyUse is a request's key, looked up.
type KeyUse struct {
	Shop    *ShopSnapshot
	Secret  bool
	Outcome store.SightingOutcome // SeenWell, SeenEnded or SeenUnknown
	Hint    string
}

// UseKey finds the shop of a key. An unknown or ended one gives no shop and the
// outcome.
func (a *App) UseKey(ctx context.Context, full string) (KeyUse, error) {
	r, ok, err := a.ring.find(ctx, HashKey(full))
	if err != nil {
		return KeyUse{}, err
	}
	if !ok {
		return KeyUse{Outcome: store.SeenUnknown, Hint: hintOf(full)}, nil
	}
	use := KeyUse{Secret: r.secret, Hint: r.hint, Outcome: store.SeenWell}
	if use.Shop, err = a.Snapshots.Get(ctx, r.shop); err != nil {
		return KeyUse{}, err
	}
	if r.ends != nil && !a.Now().Before(*r.ends) {
		use.Outcome = store.SeenEnded
	}
	return use, nil
}

func hintOf(full string) string { return full[max(0, len(full)-4):] }

// Shopper reads what a shop's server says of a shopper, from a token that a secret key of the
// shop has signed. Errors: Problem.
func (a *App) Shopper(shop, token string) (decide.Shopper, error) {
	s, err := shoppertoken.Read(token, a.ring.secrets(shop, a.Now()), a.Now())
	if err != nil {
		return s, Problem{"shopper", err.Error()}
	}
	return s, nil
}

// secrets lists the fingerprints of a shop's secret keys that hold.
func (k *keyring) secrets(shop string, now time.Time) (out []string) {
	k.mu.RLock()
	defer k.mu.RUnlock()
	for fingerprint, r := range k.keys {
		if r.shop == shop && r.secret && (r.ends == nil || now.Before(*r.ends)) {
			out = append(out, fingerprint)
		}
	}
	return out
}
