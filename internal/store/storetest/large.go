package storetest

import (
	"context"

	"gorm.io/gorm"

	"agonal.dev/agonal/internal/store"
)

// Large is how much a shop is made to hold besides what it holds: that many orders,
// each with a reward, products with two variants, live nudges, drafts, events and codes.
type Large struct{ Orders, Products, Nudges, Drafts, Events, Codes int }

// Enlarge copies what a shop has already, with names of its own, in one transaction.
func (l Large) Enlarge(ctx context.Context, s *store.Store, shop string) error {
	db := s.DB.WithContext(ctx)
	err := db.Transaction(func(tx *gorm.DB) error {
		if err := tx.Exec("SET LOCAL statement_timeout = 0").Error; err != nil {
			return err
		}
		for _, step := range []struct {
			sql  string
			many int
		}{
			{`INSERT INTO orders SELECT shop_id, 1000000 + n, 'large-' || n, request_hash, visit, region, country, currency, goods, off, fee, list_fee, tax, to_pay, method, customer, as_quoted, decision, placed_at - n * interval '1 minute'
				FROM generate_series(1, @many) n, LATERAL (SELECT * FROM orders WHERE shop_id = @shop AND number < 1000000 ORDER BY number LIMIT 1) o`, l.Orders},
			{`INSERT INTO order_rewards (shop_id, order_number, nudge_id, revision, rung, class, currency, amount)
				SELECT o.shop_id, o.number, r.nudge_id, r.revision, r.rung, r.class, o.currency, r.amount
				FROM orders o, LATERAL (SELECT * FROM order_rewards WHERE shop_id = @shop AND order_number < 1000000 ORDER BY order_number LIMIT 1) r
				WHERE o.shop_id = @shop AND o.number > 1000000 AND @many > 0`, l.Orders},
			{`INSERT INTO products SELECT p.shop_id, 'large-' || n, 1000 + n, p.title || ' ' || n, p.description, p.picture, p.collections, p.tags, false, false
				FROM generate_series(1, @many) n, LATERAL (SELECT * FROM products WHERE shop_id = @shop AND position < 1000 AND NOT gift_card AND NOT never_off ORDER BY (position + n) % 7, position LIMIT 1) p`, l.Products},
			{`INSERT INTO variants (shop_id, sku, product_id, position, options, prices, stock, weight, tax_class)
				SELECT p.shop_id, 'LARGE-' || (p.position - 1000) || '-' || k, p.id, k, jsonb_build_array(jsonb_build_object('name', 'size', 'value', k::text)), v.prices, v.stock, v.weight, v.tax_class
				FROM products p, generate_series(1, 2) k, LATERAL (SELECT * FROM variants WHERE shop_id = @shop ORDER BY sku LIMIT 1) v
				WHERE p.shop_id = @shop AND p.position > 1000 AND @many > 0`, l.Products},
			{`INSERT INTO nudges SELECT shop_id, 'large-' || n, 1000 + n, 'live', m.draft, 1, false, 1, created_at, changed_at, changed_by, state_since
				FROM generate_series(1, @many) n, LATERAL (SELECT * FROM nudges WHERE shop_id = @shop AND state = 'live' AND priority < 1000 ORDER BY (priority + n) % 5, id LIMIT 1) m`, l.Nudges},
			{`INSERT INTO revisions SELECT shop_id, id, 1, draft, changed_at, changed_by FROM nudges WHERE shop_id = @shop AND priority > 1000 AND priority <= 1000 + @many`, l.Nudges},
			{`INSERT INTO nudges SELECT shop_id, 'large-draft-' || n, 100000 + n, 'draft', m.draft, 1, true, 0, created_at, changed_at, changed_by, state_since
				FROM generate_series(1, @many) n, LATERAL (SELECT * FROM nudges WHERE shop_id = @shop AND priority < 1000 ORDER BY (priority + n) % 5, id LIMIT 1) m`, l.Drafts},
			{`INSERT INTO events (shop_id, visit, id, day, at, kind, nudge_id, revision) SELECT @shop, 'large-' || n, 'shown:' || nudge_id || ':0', day, at, 'shown', nudge_id, revision
				FROM generate_series(1, @many) n, LATERAL (SELECT * FROM events WHERE shop_id = @shop AND visit NOT LIKE 'large-%' LIMIT 1) e`, l.Events},
			{`INSERT INTO pool_codes SELECT @shop, 'LARGE' || n, 'large', NULL, now() FROM generate_series(1, @many) n`, l.Codes},
		} {
			if step.many == 0 {
				continue
			}
			if err := tx.Exec(step.sql, map[string]any{"many": step.many, "shop": shop}).Error; err != nil {
				return err
			}
		}
		return nil
	})
	if err != nil {
		return err
	}
	return db.Exec("ANALYZE events, orders, order_rewards, nudges, products, variants").Error // as the server does by itself after a minute
}
