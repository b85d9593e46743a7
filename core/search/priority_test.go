package search_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/pricing"
	"agonal.dev/agonal/core/search"
)

// Goods for 105.00 are delivered free by the table, from 100.00 on, so that free
// shipping from 50.00 gives nothing at its turn. 10 % off leave 94.50 and bring the fee
// of 5.90 back; it is covered.
func TestAFeeThatALaterDiscountBringsBackIsStillCovered(t *testing.T) {
	all := pricing.Scope{true}
	p := &pricing.Problem{
		Mode: pricing.ByPriority, TaxShown: true, Nudges: make([]pricing.Nudge, 2),
		Lines:   []pricing.Line{{Unit: 10500, Quantity: 1, Amount: 10500}},
		Ships:   []pricing.Shipping{{Key: pricing.Key{Priority: 1, Nudge: "free"}, Goal: pricing.Goal{Scope: all, Basis: pricing.AfterOrder, Threshold: 5000}, By: []pricing.ShippingReward{{Form: pricing.Free}}}},
		Orders:  []pricing.Order{{Key: pricing.Key{Priority: 2, Nudge: "tenth"}, Nudge: 1, Goal: pricing.Goal{Scope: all}, Lines: all, Percent: 100_000}},
		Methods: []pricing.Fees{catalog.Method{Bands: []catalog.Band{{Fee: 590}, {From: 10000, Fee: 0}}}},
	}
	assert.Equal(t, money.Minor(9450), search.Solve(p).ToPay)
	p.Ships[0].Goal.Threshold = 9500
	assert.Equal(t, money.Minor(10040), search.Solve(p).ToPay, "it guarded nothing, and 94.50 are too few for it now")
}

// Goods at 14.00, 9.00 and 9.00; first 5.00 off orders from 30.00 that look at the value
// after unit rewards, then two for 20.00: 14.00 and 9.00 would save 3.00 and leave 29.00,
// which is too little, and 9.00 and 9.00 save nothing: 32.00 − 5.00. At two for 17.00 the
// former save 6.00 and leave 26.00, the latter 1.00 and leave 31.00: 31.00 − 5.00.
func TestByPriorityTheNextBestTakingIsTakenWhereTheBestIsNotAllowed(t *testing.T) {
	all := pricing.Scope{true, true}
	p := &pricing.Problem{
		Mode: pricing.ByPriority, TaxShown: true, Nudges: make([]pricing.Nudge, 2),
		Lines:  []pricing.Line{{Unit: 1400, Quantity: 1, Amount: 1400}, {Unit: 900, Quantity: 2, Amount: 1800, Product: 1, Variant: 1}},
		Orders: []pricing.Order{{Key: pricing.Key{Priority: 1, Nudge: "five"}, Goal: pricing.Goal{Scope: all, Basis: pricing.AfterUnit, Threshold: 3000}, Lines: all, Amount: 500}},
		Units: []pricing.Unit{{
			Key: pricing.Key{Priority: 2, Nudge: "two"}, Nudge: 1, Goal: pricing.Goal{Scope: all, Measure: pricing.Units, Threshold: 2}, On: all, Form: pricing.SetPrice, Size: 2, Amount: 2000,
		}},
	}
	assert.Equal(t, money.Minor(2700), search.Solve(p).ToPay)
	p.Units[0].Amount = 1700
	assert.Equal(t, money.Minor(2600), search.Solve(p).ToPay)
}
