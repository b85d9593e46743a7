package app

import (
	"context"
	"fmt"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/google/uuid"
	"golang.org/x/text/language"
	"gorm.io/gorm"

	"agonal.dev/agonal/internal/store"
)

// Limits of a shop.
const (
	MostShopName = 60
	MostShops    = 50 // of one person
)

// NewShop is what a shop begins with.
type NewShop struct {
	Name     string
	Town     string // may be empty
	TimeZone string // IANA
	Locale   string // BCP 47, of those who run it
}

// check tells what is wrong, by field.
func (n NewShop) check() error {
	switch _, err := time.LoadLocation(n.TimeZone); {
	case n.Name == "" || utf8.RuneCountInString(n.Name) > MostShopName:
		return Problem{"name", fmt.Sprintf("Give the shop a name of at most %d characters.", MostShopName)}
	case utf8.RuneCountInString(n.Town) > MostShopName:
		return Problem{"town", fmt.Sprintf("At most %d characters.", MostShopName)}
	case err != nil || n.TimeZone == "" || n.TimeZone == "Local":
		return Problem{"time_zone", fmt.Sprintf("%q is not a time zone such as Europe/Berlin.", n.TimeZone)}
	}
	if _, err := language.Parse(n.Locale); err != nil {
		return Problem{"locale", fmt.Sprintf("%q is not a language such as en or de.", n.Locale)}
	}
	return nil
}

// CreateShop makes a shop of one's own, with a first key for its pages. form tells
// a second press of the same button from a second shop: the same form gives the
// same shop.
func (a *App) CreateShop(ctx context.Context, owner store.Account, n NewShop, form string) (store.Shop, error) {
	n.Name, n.Town = strings.TrimSpace(n.Name), strings.TrimSpace(n.Town)
	if err := n.check(); err != nil {
		return store.Shop{}, err
	}
	now := a.Now().UTC()
	s := store.Shop{Name: n.Name, Town: n.Town, TimeZone: n.TimeZone, Locale: n.Locale, Origins: []string{}, CreatedAt: now}
	err := a.Store.DB.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		// One shop at a time for a person, so that a double click finds the first one.
		if err := tx.Exec("SELECT pg_advisory_xact_lock(hashtext(?))", owner.ID.String()).Error; err != nil {
			return err
		}
		var mine []store.Shop
		if err := tx.Where("id IN (SELECT shop_id FROM memberships WHERE account_id = ?)", owner.ID).Find(&mine).Error; err != nil {
			return err
		}
		if len(mine) >= MostShops {
			return Problem{"name", fmt.Sprintf("You have %d shops; more are not possible.", len(mine))}
		}
		for _, m := range mine {
			if form != "" && m.CreatedForm == form {
				s = m
				return nil
			}
		}
		s.CreatedForm = form
		var taken []string
		base := freeID(n.Name, nil)
		if err := tx.Model(&store.Shop{}).Where("id LIKE ?", base+"%").Pluck("id", &taken).Error; err != nil {
			return err
		}
		s.ID = freeID(n.Name, taken)
		if err := tx.Create(&s).Error; err != nil {
			return err
		}
		if err := tx.Create(&store.Membership{AccountID: owner.ID, ShopID: s.ID, Role: store.Owner}).Error; err != nil {
			return err
		}
		k, _ := newKey(s.ID, owner.Name, store.Publishable, "The shop’s pages", now)
		return tx.Create(&k).Error
	})
	return s, a.ringRead(ctx, err)
}

// FirstSteps is what a new shop still lacks before it is of use.
type FirstSteps struct {
	Region    bool // it delivers somewhere, with a shipping method
	Catalogue bool
	Seen      bool // the embed asked from one of its pages
	Nudge     bool // a nudge was published
}

// Done tells whether nothing is lacking.
func (f FirstSteps) Done() bool { return f.Region && f.Catalogue && f.Seen && f.Nudge }

// Count is how many steps are done.
func (f FirstSteps) Count() int {
	n := 0
	for _, b := range []bool{f.Region, f.Catalogue, f.Seen, f.Nudge} {
		if b {
			n++
		}
	}
	return n
}

// FirstSteps tells how far a shop is.
func (a *App) FirstSteps(ctx context.Context, shop string) (FirstSteps, error) {
	var f FirstSteps
	err := a.Store.DB.WithContext(ctx).Raw(`SELECT
		EXISTS (SELECT 1 FROM regions WHERE shop_id = @s AND jsonb_array_length(coalesce(nullif(definition->'methods', 'null'), '[]')) > 0) AS region,
		EXISTS (SELECT 1 FROM variants WHERE shop_id = @s) AS catalogue,
		EXISTS (SELECT 1 FROM sightings WHERE shop_id = @s AND outcome = 'well' AND origin <> '') AS seen,
		EXISTS (SELECT 1 FROM nudges WHERE shop_id = @s AND live_revision > 0) AS nudge`, map[string]any{"s": shop}).Scan(&f).Error
	return f, err
}

// AddMember gives a person a role in a shop.
func (a *App) AddMember(ctx context.Context, shop string, account uuid.UUID, role store.Role) error {
	return a.Store.DB.WithContext(ctx).Create(&store.Membership{AccountID: account, ShopID: shop, Role: role}).Error
}

// AddKey stores a key of one's own choice; demos and tests know theirs beforehand.
func (a *App) AddKey(ctx context.Context, shop, who string, kind store.KeyKind, name, full string) error {
	k := keyOf(shop, who, kind, name, full, a.Now().UTC())
	return a.ringRead(ctx, a.Store.DB.WithContext(ctx).Create(&k).Error)
}
