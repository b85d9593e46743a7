package store

import (
	"context"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"agonal.dev/agonal/core/codes"
	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/money"
)

// NudgeUsage is what a nudge's limits have been used up to: uses and money in one
// region, or with the region "" uses in all.
type NudgeUsage struct {
	ShopID  string `gorm:"primaryKey"`
	NudgeID string `gorm:"primaryKey"`
	Region  string `gorm:"primaryKey"`
	Uses    int64
	Spent   money.Minor
}

// TableName is the table's name.
func (NudgeUsage) TableName() string { return "nudge_usage" }

// ShopperUsage is how often a known shopper used a nudge.
type ShopperUsage struct {
	ShopID  string `gorm:"primaryKey"`
	NudgeID string `gorm:"primaryKey"`
	Shopper string `gorm:"primaryKey"`
	Uses    int64
}

// TableName is the table's name.
func (ShopperUsage) TableName() string { return "shopper_usage" }

// PoolCode is a single-use code.
type PoolCode struct {
	ShopID      string `gorm:"primaryKey"`
	Code        string `gorm:"primaryKey"`
	Pool        string
	OrderNumber *int64
	AddedAt     time.Time
	// The nudge by which, and the visit to which, it was given; null: to none.
	GivenBy *string
	GivenTo *string
	GivenAt *time.Time
}

// Usage reads how far limits are used up, in a region and by a shopper ("" for one
// who is not known).
func Usage(tx *gorm.DB, shop, region, shopper string) (map[string]decide.Usage, error) {
	var rows []NudgeUsage
	if err := tx.Where("shop_id = ? AND region IN ('', ?)", shop, region).Find(&rows).Error; err != nil {
		return nil, err
	}
	out := map[string]decide.Usage{}
	for _, r := range rows {
		u := out[r.NudgeID]
		if r.Region == "" {
			u.Uses = r.Uses
		} else {
			u.Spent = r.Spent
		}
		out[r.NudgeID] = u
	}
	if shopper == "" {
		return out, nil
	}
	var by []ShopperUsage
	if err := tx.Where("shop_id = ? AND shopper = ?", shop, shopper).Find(&by).Error; err != nil {
		return nil, err
	}
	for _, r := range by {
		u := out[r.NudgeID]
		u.ByShopper = r.Uses
		out[r.NudgeID] = u
	}
	return out, nil
}

// Use counts one use of a nudge by an order.
func Use(tx *gorm.DB, shop, id, region, shopper string, spent money.Minor) error {
	for _, row := range []NudgeUsage{{shop, id, "", 1, 0}, {shop, id, region, 1, spent}} {
		err := tx.Clauses(clause.OnConflict{
			Columns:   []clause.Column{{Name: "shop_id"}, {Name: "nudge_id"}, {Name: "region"}},
			DoUpdates: clause.Assignments(map[string]any{"uses": gorm.Expr("nudge_usage.uses + 1"), "spent": gorm.Expr("nudge_usage.spent + ?", row.Spent)}),
		}).Create(&row).Error
		if err != nil {
			return err
		}
	}
	if shopper == "" {
		return nil
	}
	return tx.Clauses(clause.OnConflict{
		Columns:   []clause.Column{{Name: "shop_id"}, {Name: "nudge_id"}, {Name: "shopper"}},
		DoUpdates: clause.Assignments(map[string]any{"uses": gorm.Expr("shopper_usage.uses + 1")}),
	}).Create(&ShopperUsage{shop, id, shopper, 1}).Error
}

// Pools tells, for entered codes that are unused ones of a pool, which pool that is.
func Pools(tx *gorm.DB, shop string, entered []string) (map[string]string, error) {
	if len(entered) == 0 {
		return nil, nil
	}
	by := map[string]string{} // normal form to what was entered
	var normal []string
	for _, c := range entered {
		by[codes.Normal(c)] = c
		normal = append(normal, codes.Normal(c))
	}
	var rows []PoolCode
	if err := tx.Where("shop_id = ? AND code IN ? AND order_number IS NULL", shop, normal).Find(&rows).Error; err != nil {
		return nil, err
	}
	out := map[string]string{}
	for _, r := range rows {
		out[by[r.Code]] = r.Pool
	}
	return out, nil
}

// TakeCode gives a code of a pool to an order; false where another has it.
func TakeCode(tx *gorm.DB, shop, code string, order int64) (bool, error) {
	r := tx.Model(&PoolCode{}).Where("shop_id = ? AND code = ? AND order_number IS NULL", shop, codes.Normal(code)).Update("order_number", order)
	return r.RowsAffected == 1, r.Error
}

// AddCodes puts codes into a pool, all or none; it returns those the shop has
// already, in whichever pool.
func (s *Store) AddCodes(ctx context.Context, shop, pool string, list []string, now time.Time) (taken []string, err error) {
	err = s.DB.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		for start := 0; start < len(list); start += 5000 {
			chunk := list[start:min(start+5000, len(list))]
			var have []string
			if err := tx.Model(&PoolCode{}).Where("shop_id = ? AND code IN ?", shop, chunk).Pluck("code", &have).Error; err != nil {
				return err
			}
			taken = append(taken, have...)
		}
		if len(taken) > 0 {
			return nil
		}
		rows := make([]PoolCode, len(list))
		for i, c := range list {
			rows[i] = PoolCode{ShopID: shop, Code: c, Pool: pool, AddedAt: now}
		}
		return tx.CreateInBatches(rows, 2000).Error
	})
	return taken, err
}

// Codes lists a pool's codes, sorted.
func (s *Store) Codes(ctx context.Context, shop, pool string) ([]codes.Row, error) {
	var rows []PoolCode
	err := s.DB.WithContext(ctx).Where("shop_id = ? AND pool = ?", shop, pool).Order("code").Find(&rows).Error
	out := make([]codes.Row, len(rows))
	for i, r := range rows {
		out[i].Code = r.Code
		if r.OrderNumber != nil {
			out[i].Order = *r.OrderNumber
		}
	}
	return out, err
}

// PoolCount is how many codes a pool has, how many of them orders have taken, and how many
// shoppers have earned and not used yet.
type PoolCount struct {
	Pool                 string
	Codes, Used, Waiting int64
}

// Left is how many may still be given to somebody.
func (p PoolCount) Left() int64 { return p.Codes - p.Used - p.Waiting }

// PoolCounts counts the codes of a shop's pools, by name.
func (s *Store) PoolCounts(ctx context.Context, shop string) ([]PoolCount, error) {
	var out []PoolCount
	err := s.DB.WithContext(ctx).Model(&PoolCode{}).Where("shop_id = ?", shop).
		Select("pool, count(*) AS codes, count(order_number) AS used, count(given_to) FILTER (WHERE order_number IS NULL) AS waiting").Group("pool").Order("pool").Scan(&out).Error
	return out, err
}
