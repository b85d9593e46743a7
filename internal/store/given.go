package store

import (
	"context"
	"fmt"

	"github.com/jackc/pgx/v5"
)

// GivenOften is something that a nudge gave, or a code that it was given for.
type GivenOften struct {
	SKU    string // of a gift, or of goods that it offered; empty: a code
	Code   string
	Orders int64
}

// GivenFrom is of how many orders at most it is told what a nudge gave most.
const GivenFrom = 1000

// GivenMost tells what a nudge gave most: gifts, goods that it offered, and the codes that were
// entered for it, of the last [GivenFrom] orders of a period. A nudge has a code, a pool of
// codes, or neither.
func (s *Store) GivenMost(ctx context.Context, q Behind, code, pool string) ([]GivenOften, error) {
	const most = 10
	rows, err := s.Pool.Query(ctx, `WITH behind AS (SELECT number, decision FROM orders o
			WHERE shop_id = $1 AND region = ANY($2) AND placed_at >= $3 AND placed_at < $4
				AND EXISTS (SELECT FROM order_rewards r WHERE r.shop_id = o.shop_id AND r.order_number = o.number AND r.nudge_id = $5)
			ORDER BY number DESC LIMIT $6)
		SELECT sku, code, count(DISTINCT number) FROM (
			SELECT number, i->>'sku' AS sku, '' AS code FROM behind, jsonb_path_query(decision, '$.gifts[*] ? (@.nudge == $id).items[*]', jsonb_build_object('id', $5::text)) i
			UNION ALL SELECT number, l->>'sku', '' FROM behind, jsonb_path_query(decision, '$.lines[*] ? (@.origin.nudge == $id)', jsonb_build_object('id', $5::text)) l
			UNION ALL SELECT number, '', upper(c->>'code') FROM behind, jsonb_path_query(decision, '$.codes[*] ? (@.state == "used")') c
				WHERE $7 <> '' AND upper(c->>'code') = upper($7)
			UNION ALL SELECT number, '', p.code FROM behind JOIN pool_codes p ON p.shop_id = $1 AND p.order_number = number AND p.pool = $8
		) x GROUP BY 1, 2 ORDER BY 3 DESC, 1, 2 LIMIT $9`, q.Shop, q.Regions, q.From, q.To, q.Nudge, GivenFrom, code, pool, most)
	if err != nil {
		return nil, fmt.Errorf("looking for what was given most: %w", err)
	}
	return pgx.CollectRows(rows, pgx.RowToStructByPos[GivenOften])
}
