package storetest

import (
	"context"
	"fmt"

	"agonal.dev/agonal/internal/store"
)

// Busy is how much came to a shop over eight weeks: visits, each with six events of three of its
// nudges, and orders that came of them, one each.
type Busy struct{ Visits, Orders int }

// Come lets it come to the nudges large-1 to large-40 ([Large]), told apart by region, language,
// device and arm as real visits are, and counts it.
func (b Busy) Come(ctx context.Context, s *store.Store, shop string) error {
	const visits = `FROM generate_series(1, $2::int) v CROSS JOIN LATERAL (SELECT v::bigint * 7919 % 100 AS r, v::bigint * 104729 % 97 AS l, v::bigint * 1299709 % 89 AS a) x
		CROSS JOIN LATERAL (SELECT CASE WHEN r < 60 THEN 'home' WHEN r < 85 THEN 'eu' WHEN r < 93 THEN 'uk' ELSE 'jp' END AS region) y
		CROSS JOIN LATERAL (SELECT CASE region WHEN 'uk' THEN 'en' WHEN 'jp' THEN 'ja' WHEN 'home' THEN CASE WHEN l < 90 THEN 'de' ELSE 'en' END ELSE CASE WHEN l < 40 THEN 'pl' WHEN l < 70 THEN 'en' ELSE 'de' END END AS language,
			(ARRAY['phone', 'phone', 'desktop', 'tablet'])[1 + v % 4] AS device, CASE WHEN a < 10 THEN 'none' ELSE '' END AS arm, now()::date - v % 56 AS day) z`
	conn, err := s.Pool.Acquire(ctx)
	if err != nil {
		return err
	}
	defer conn.Release()
	for _, step := range []struct {
		sql  string
		many []any
	}{
		{"SET statement_timeout = 0", nil},
		{"SELECT events_month(now()::date - n * 28) FROM generate_series(0, 2) n", nil},
		{`INSERT INTO events (shop_id, visit, id, day, at, kind, nudge_id, revision, placement, region, language, device, arm, visitor)
			SELECT $1, 'busy-' || v, kind || ':' || nudge, day, day + interval '9 hours', kind, nudge, CASE WHEN nudge = '' THEN 0 ELSE 1 END, CASE WHEN kind = 'shown' THEN (ARRAY['top_bar', 'cart_drawer'])[1 + v % 2] ELSE '' END,
				region, language, device, CASE WHEN arm = '' AND kind = 'could' AND (v + k) % 10 = 0 THEN 'held' ELSE arm END, 'visitor-' || v ` + visits + `
			CROSS JOIN LATERAL (VALUES (0, 'visit', ''), (1, 'could', 'large-' || 1 + v % 40), (2, 'could', 'large-' || 1 + v / 40 % 40), (3, 'shown', 'large-' || 1 + v % 40), (4, 'shown', 'large-' || 1 + v / 40 % 40), (5, 'reached', 'large-' || 1 + v % 40)) e (k, kind, nudge)
			ON CONFLICT DO NOTHING`, []any{shop, b.Visits}},
		{`INSERT INTO orders (shop_id, number, idempotency_key, request_hash, visit, region, country, currency, goods, off, fee, list_fee, tax, to_pay, method, customer, decision, placed_at, margin, arm, language, device, with_visitor)
			SELECT $1, 2000000 + v, 'busy-' || v, '', 'busy-' || v, region, 'DE', CASE region WHEN 'uk' THEN 'GBP' WHEN 'jp' THEN 'JPY' ELSE 'EUR' END, 3000 + v::bigint * 31 % 9000, 0, 0, 590, 500, 3500 + v::bigint * 31 % 9000, 'standard', '', '{}',
				day + interval '10 hours', 900 + v::bigint * 17 % 4000, arm, language, device, true ` + visits, []any{shop, b.Orders}},
		{`INSERT INTO order_rewards (shop_id, order_number, nudge_id, revision, rung, class, currency, amount)
			SELECT $1, 2000000 + v, 'large-' || 1 + v % 40, 1, 0, 'shipping', 'EUR', 590 FROM generate_series(1, $2::int) v WHERE v % 2 = 0`, []any{shop, b.Orders}},
		{"ANALYZE events, orders, order_rewards", nil},
	} {
		if _, err := conn.Exec(ctx, step.sql, step.many...); err != nil {
			return fmt.Errorf("%.60s: %w", step.sql, err)
		}
	}
	if _, err := s.Recount(ctx, shop); err != nil {
		return err
	}
	_, err = conn.Exec(ctx, "VACUUM (ANALYZE) result_cells")
	return err
}
