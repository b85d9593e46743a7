package store

import (
	"context"
	"fmt"
	"time"

	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/results"
)

// PlanOrder is an order of which something is bought by a plan, and a nudge that gave something on
// it or whose set it is.
type PlanOrder struct {
	ShopID      string `gorm:"primaryKey"`
	OrderNumber int64  `gorm:"primaryKey"`
	NudgeID     string `gorm:"primaryKey"`
}

// PlanEvent is what became of an order's plan later, once by its id.
type PlanEvent struct {
	ShopID      string `gorm:"primaryKey"`
	OrderNumber int64  `gorm:"primaryKey"`
	ID          string `gorm:"primaryKey"`
	Kind        results.PlanKind
	At          time.Time
	Paid        money.Minor
}

// Plans counts what came of a nudge's plans within a period. Plans are few beside orders: those
// are looked up one by one, whatever the planner believes.
func (s *Store) Plans(ctx context.Context, q Behind) (p results.Plans, err error) {
	err = s.DB.WithContext(ctx).Raw(`WITH mine AS (SELECT o.number, o.placed_at FROM plan_orders p CROSS JOIN LATERAL (
				SELECT number, placed_at, region FROM orders WHERE shop_id = @shop AND number = p.order_number OFFSET 0) o
			WHERE p.shop_id = @shop AND p.nudge_id = @nudge AND o.region IN @regions AND o.placed_at < @to),
		later AS (SELECT e.kind, count(*) AS n, sum(e.paid) AS paid FROM mine m CROSS JOIN LATERAL (
				SELECT kind, paid, at FROM plan_events WHERE shop_id = @shop AND order_number = m.number OFFSET 0) e
			WHERE e.at >= @from AND e.at < @to GROUP BY e.kind)
		SELECT (SELECT count(*) FROM mine WHERE placed_at >= @from) AS begun,
			coalesce((SELECT n FROM later WHERE kind = 'parcel'), 0) AS parcels, coalesce((SELECT sum(paid) FROM later), 0)::bigint AS paid,
			coalesce((SELECT n FROM later WHERE kind = 'renewed'), 0) AS renewed, coalesce((SELECT n FROM later WHERE kind = 'ended'), 0) AS ended,
			(SELECT count(*) FROM mine WHERE NOT EXISTS (SELECT FROM plan_events e WHERE e.shop_id = @shop AND e.order_number = mine.number AND e.kind = 'ended' AND e.at < @to)) AS going_on`,
		q.args()).Scan(&p).Error
	if err != nil {
		return p, fmt.Errorf("counting plans: %w", err)
	}
	return p, nil
}
