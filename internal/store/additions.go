package store

import (
	"time"

	"gorm.io/gorm"

	"agonal.dev/agonal/core/money"
)

// OrderAddition is what was added to an order after it was placed: an offer of a nudge, once.
type OrderAddition struct {
	ShopID         string `gorm:"primaryKey"`
	IdempotencyKey string `gorm:"primaryKey"`
	RequestHash    string
	OrderNumber    int64
	NudgeID        string
	Revision       int
	SKU            string
	Instead        string // the SKU whose place it has taken; empty: none
	Quantity       int64
	More           money.Minor // what was charged for it; below 0, what was paid back
	AsQuoted       bool        // taken over as the shop charged it, while Agonal could not be reached
	At             time.Time
}

// Amount is what was charged or paid back for it, without its sign.
func (a OrderAddition) Amount() money.Minor { return max(a.More, -a.More) }

// Additions lists what was added to an order, the first first.
func Additions(tx *gorm.DB, shop string, order int64) (out []OrderAddition, err error) {
	return out, tx.Where("shop_id = ? AND order_number = ?", shop, order).Order("at, idempotency_key").Find(&out).Error
}

// Spend changes what an order has spent of a nudge's budget in a region.
func Spend(tx *gorm.DB, shop, id, region string, more money.Minor) error {
	return tx.Model(&NudgeUsage{}).Where("shop_id = ? AND nudge_id = ? AND region = ?", shop, id, region).
		Update("spent", gorm.Expr("greatest(spent + ?, 0)", more)).Error
}
