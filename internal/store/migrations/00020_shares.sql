-- +goose Up
-- The share of visitors, in millionths, from whom what a visit could see was kept when it came; of
-- the visit itself, the share who see nothing. Only visits of one share are alike but for chance.
-- Of what came before it is not known, and 0.
ALTER TABLE events ADD COLUMN share int NOT NULL DEFAULT 0;
ALTER TABLE result_cells ADD COLUMN share int NOT NULL DEFAULT 0;
ALTER TABLE result_cells DROP CONSTRAINT result_cells_pkey;
ALTER TABLE result_cells ADD PRIMARY KEY (shop_id, day, kind, nudge_id, revision, rung, placement, region, language, device, arm, share);

-- +goose Down
CREATE TEMP TABLE joined ON COMMIT DROP AS SELECT shop_id, day, kind, nudge_id, revision, rung, placement, region, language, device, arm,
    sum(n)::bigint AS n, sum(ordering)::bigint AS ordering, sum(orders)::bigint AS orders, sum(goods)::bigint AS goods, sum(given)::bigint AS given, sum(margin)::bigint AS margin,
    sum(margin_sq) AS margin_sq, sum(unknown)::bigint AS unknown, sum(goods_sq) AS goods_sq, sum(goods_orders) AS goods_orders, sum(orders_sq)::bigint AS orders_sq
    FROM result_cells GROUP BY 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11;
DELETE FROM result_cells;
ALTER TABLE result_cells DROP CONSTRAINT result_cells_pkey;
ALTER TABLE result_cells DROP COLUMN share;
ALTER TABLE result_cells ADD PRIMARY KEY (shop_id, day, kind, nudge_id, revision, rung, placement, region, language, device, arm);
INSERT INTO result_cells (shop_id, day, kind, nudge_id, revision, rung, placement, region, language, device, arm, n, ordering, orders, goods, given, margin, margin_sq, unknown, goods_sq, goods_orders, orders_sq)
    SELECT * FROM joined;
ALTER TABLE events DROP COLUMN share;
