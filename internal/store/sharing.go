package store

import (
	"context"
	"errors"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"agonal.dev/agonal/core/decide"
)

// SharedLink is a link to a cart that a visit has shared for a nudge.
type SharedLink struct {
	ShopID  string `gorm:"primaryKey"`
	Token   string `gorm:"primaryKey"`
	NudgeID string
	Visit   string
	Lines   []decide.CartLine `gorm:"serializer:json"`
	At      time.Time
}

// LinkVisit is a visit that came by a shared link.
type LinkVisit struct {
	ShopID string `gorm:"primaryKey"`
	Token  string `gorm:"primaryKey"`
	Visit  string `gorm:"primaryKey"`
	At     time.Time
}

// ShareCount is how often carts were shared for a nudge, and what came by the links.
type ShareCount struct {
	NudgeID string
	Links   int64
	Visits  int64 // of others
	Orders  int64
	Codes   int64 // that acts have earned
}

// GiveCode gives a visit a code of a pool for a nudge, once: asked again it is the same. It
// is empty where none is left.
func (s *Store) GiveCode(ctx context.Context, shop, pool, nudge, visit string, now time.Time) (code string, err error) {
	return code, s.DB.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		// Who asks twice at one moment waits for the first answer.
		if err := tx.Exec("SELECT pg_advisory_xact_lock(hashtextextended(?, 0))", shop+"\x1f"+nudge+"\x1f"+visit).Error; err != nil {
			return err
		}
		var row PoolCode
		err := tx.Where("shop_id = ? AND given_by = ? AND given_to = ?", shop, nudge, visit).Take(&row).Error
		if code = row.Code; !errors.Is(err, gorm.ErrRecordNotFound) {
			return err
		}
		return tx.Raw(`UPDATE pool_codes SET given_by = ?, given_to = ?, given_at = ?
			WHERE shop_id = ? AND code = (SELECT code FROM pool_codes WHERE shop_id = ? AND pool = ? AND order_number IS NULL AND given_to IS NULL
				ORDER BY code LIMIT 1 FOR UPDATE SKIP LOCKED)
			RETURNING code`, nudge, visit, now, shop, shop, pool).Scan(&code).Error
	})
}

// EmptyPools tells which of some pools have no code left to be earned.
func EmptyPools(tx *gorm.DB, shop string, pools []string) (map[string]bool, error) {
	out := map[string]bool{}
	if len(pools) == 0 {
		return out, nil
	}
	var full []string
	err := tx.Model(&PoolCode{}).Where("shop_id = ? AND pool IN ? AND order_number IS NULL AND given_to IS NULL", shop, pools).Distinct().Pluck("pool", &full).Error
	for _, p := range pools {
		out[p] = true
	}
	for _, p := range full {
		out[p] = false
	}
	return out, err
}

// ShareCart keeps the cart that a visit shares for a nudge, and returns the link's token: the
// same one however often it is shared.
func (s *Store) ShareCart(ctx context.Context, link SharedLink) (token string, err error) {
	err = s.DB.WithContext(ctx).Clauses(clause.OnConflict{
		Columns:   []clause.Column{{Name: "shop_id"}, {Name: "nudge_id"}, {Name: "visit"}},
		DoUpdates: clause.AssignmentColumns([]string{"lines"}),
	}, clause.Returning{Columns: []clause.Column{{Name: "token"}}}).Create(&link).Error
	return link.Token, err
}

// OpenLink reads the cart of a shared link, and counts a visit that came by it, once, where
// it is not the one that shared it. Errors: gorm.ErrRecordNotFound.
func (s *Store) OpenLink(ctx context.Context, shop, token, visit string, now time.Time) (link SharedLink, err error) {
	db := s.DB.WithContext(ctx)
	if err = db.Where("shop_id = ? AND token = ?", shop, token).Take(&link).Error; err != nil || visit == "" || visit == link.Visit {
		return link, err
	}
	return link, db.Clauses(clause.OnConflict{DoNothing: true}).Create(&LinkVisit{ShopID: shop, Token: token, Visit: visit, At: now}).Error
}

// Shares counts what was shared for a nudge, and what came of it.
func (s *Store) Shares(ctx context.Context, shop, nudge string) (n ShareCount, err error) {
	n.NudgeID = nudge
	return n, s.DB.WithContext(ctx).Raw(`SELECT
		(SELECT count(*) FROM shared_links WHERE shop_id = @shop AND nudge_id = @nudge) AS links,
		(SELECT count(*) FROM link_visits v JOIN shared_links l USING (shop_id, token) WHERE l.shop_id = @shop AND l.nudge_id = @nudge) AS visits,
		(SELECT count(*) FROM orders o JOIN shared_links l ON l.shop_id = o.shop_id AND l.token = o.shared_link WHERE l.shop_id = @shop AND l.nudge_id = @nudge AND o.visit <> l.visit) AS orders,
		(SELECT count(*) FROM pool_codes WHERE shop_id = @shop AND given_by = @nudge AND given_to IS NOT NULL) AS codes`,
		map[string]any{"shop": shop, "nudge": nudge}).Scan(&n).Error
}
