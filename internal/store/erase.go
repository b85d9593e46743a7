package store

import (
	"context"
	"fmt"

	"github.com/jackc/pgx/v5"
)

// Erased tells whom to erase: by the name that orders have, or by the browser's random number.
// One of the two is enough. Key is by what uses of limits are kept for the name.
type Erased struct{ Customer, Key, Visitor string }

// Erase takes a shopper out of a shop: orders lose the name, visits get ids of their own that
// lead back to nobody, and what was kept by the name goes. All that is counted and summed stays.
// It returns how many orders and visits were the shopper's.
func (s *Store) Erase(ctx context.Context, shop string, who Erased) (orders, visits int64, err error) {
	err = pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, "SET LOCAL statement_timeout = 0"); err != nil { // all visits are looked through
			return err
		}
		if _, err := tx.Exec(ctx, resultsLock, shop); err != nil {
			return err
		}
		// Whose visits are found by an order are found by their visitor, too, and the other way round.
		if _, err := tx.Exec(ctx, `CREATE TEMP TABLE erased ON COMMIT DROP AS
			WITH named AS (SELECT visit FROM orders WHERE shop_id = $1 AND visit <> '' AND $2 <> '' AND lower(btrim(customer)) = lower(btrim($2))),
			browsers AS (SELECT DISTINCT visitor FROM events WHERE shop_id = $1 AND visitor <> '' AND (visitor = $3 OR visit IN (SELECT visit FROM named)))
			SELECT visit, 'erased-' || gen_random_uuid() AS id FROM (
				SELECT visit FROM named UNION SELECT visit FROM events WHERE shop_id = $1 AND visitor IN (SELECT visitor FROM browsers)) v`, shop, who.Customer, who.Visitor); err != nil {
			return fmt.Errorf("finding visits: %w", err)
		}
		tag, err := tx.Exec(ctx, `UPDATE orders o SET customer = '' WHERE shop_id = $1 AND customer <> ''
			AND ($2 <> '' AND lower(btrim(customer)) = lower(btrim($2)) OR $3 <> '' AND visit IN (SELECT visit FROM erased))`, shop, who.Customer, who.Visitor)
		if err != nil {
			return fmt.Errorf("erasing names: %w", err)
		}
		orders = tag.RowsAffected()
		for _, sql := range []string{
			"UPDATE events e SET visit = x.id, visitor = '' FROM erased x WHERE e.shop_id = $1 AND e.visit = x.visit",
			"UPDATE orders o SET visit = x.id FROM erased x WHERE o.shop_id = $1 AND o.visit = x.visit",
			"UPDATE link_visits l SET visit = x.id FROM erased x WHERE l.shop_id = $1 AND l.visit = x.visit",
			"UPDATE shared_links l SET visit = x.id FROM erased x WHERE l.shop_id = $1 AND l.visit = x.visit",
			"UPDATE pool_codes p SET given_to = x.id FROM erased x WHERE p.shop_id = $1 AND p.given_to = x.visit",
		} {
			if _, err := tx.Exec(ctx, sql, shop); err != nil {
				return fmt.Errorf("erasing visits: %w", err)
			}
		}
		if _, err := tx.Exec(ctx, "DELETE FROM shopper_usage WHERE shop_id = $1 AND shopper = $2", shop, who.Key); err != nil {
			return err
		}
		return tx.QueryRow(ctx, "SELECT count(*) FROM erased").Scan(&visits)
	})
	return orders, visits, err
}
