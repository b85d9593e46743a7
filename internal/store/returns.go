package store

import (
	"maps"
	"slices"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"agonal.dev/agonal/core/codes"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
)

// OrderReturn is goods of an order that came back.
type OrderReturn struct {
	ShopID      string        `gorm:"primaryKey"`
	OrderNumber int64         `gorm:"primaryKey;autoIncrement:false"`
	Number      int           `gorm:"primaryKey;autoIncrement:false"` // the first is 1
	Lines       []int64       `gorm:"serializer:json"`                // pieces of each line of the order
	Way         nudge.Returns // how rewards were treated that what stays does not earn
	Refund      money.Minor
	Restocked   bool     // the goods are for sale again
	GivenBack   []string `gorm:"serializer:json"` // nudges whose use was given back
	At          time.Time
	By          string
}

// Lack is a SKU of which there is not enough.
type Lack struct {
	SKU  string
	Left int64
}

// TakeStock takes goods out of a shop's stock, all or none. It returns what there is not
// enough of; with gone, what was charged already is taken as far as it is there. low tells
// that one of them is nearly or wholly sold out now.
func TakeStock(tx *gorm.DB, shop string, want map[string]int64, gone bool) (lacks []Lack, low bool, err error) {
	const nearly = 10
	skus := slices.Sorted(maps.Keys(want))
	var rows []Variant
	if err := tx.Select("sku", "stock").Clauses(clause.Locking{Strength: "UPDATE"}).Where("shop_id = ? AND sku IN ? AND stock IS NOT NULL", shop, skus).Order("sku").Find(&rows).Error; err != nil {
		return nil, false, err
	}
	for _, r := range rows {
		if *r.Stock < want[r.SKU] && !gone {
			lacks = append(lacks, Lack{r.SKU, *r.Stock})
		}
	}
	if len(lacks) > 0 {
		return lacks, false, nil
	}
	for _, r := range rows {
		left := max(*r.Stock-want[r.SKU], 0)
		low = low || left < nearly
		if err := tx.Model(&Variant{}).Where("shop_id = ? AND sku = ?", shop, r.SKU).Update("stock", left).Error; err != nil {
			return nil, false, err
		}
	}
	return nil, low, nil
}

// PutStock puts goods back.
func PutStock(tx *gorm.DB, shop string, goods map[string]int64) error {
	for _, sku := range slices.Sorted(maps.Keys(goods)) {
		if err := tx.Model(&Variant{}).Where("shop_id = ? AND sku = ? AND stock IS NOT NULL", shop, sku).Update("stock", gorm.Expr("stock + ?", goods[sku])).Error; err != nil {
			return err
		}
	}
	return nil
}

// GiveBack takes back one use of a nudge by an order, and what it spent.
func GiveBack(tx *gorm.DB, shop, id, region, shopper string, spent money.Minor) error {
	for in, less := range map[string]money.Minor{"": 0, region: spent} {
		err := tx.Model(&NudgeUsage{}).Where("shop_id = ? AND nudge_id = ? AND region = ?", shop, id, in).
			Updates(map[string]any{"uses": gorm.Expr("greatest(uses - 1, 0)"), "spent": gorm.Expr("greatest(spent - ?, 0)", less)}).Error
		if err != nil {
			return err
		}
	}
	if shopper == "" {
		return nil
	}
	return tx.Model(&ShopperUsage{}).Where("shop_id = ? AND nudge_id = ? AND shopper = ?", shop, id, shopper).Update("uses", gorm.Expr("greatest(uses - 1, 0)")).Error
}

// FreeCodes makes the single-use codes of an order good again.
func FreeCodes(tx *gorm.DB, shop string, order int64, list []string) error {
	normal := make([]string, len(list))
	for i, c := range list {
		normal[i] = codes.Normal(c)
	}
	return tx.Model(&PoolCode{}).Where("shop_id = ? AND order_number = ? AND code IN ?", shop, order, normal).Update("order_number", nil).Error
}
