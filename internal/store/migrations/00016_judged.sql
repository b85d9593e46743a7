-- +goose Up
-- What the value of orders is judged by: sums over visits of their goods' square, of their goods
-- times their orders, and of their orders' square.
ALTER TABLE result_cells ADD COLUMN goods_sq numeric NOT NULL DEFAULT 0,
    ADD COLUMN goods_orders numeric NOT NULL DEFAULT 0,
    ADD COLUMN orders_sq bigint NOT NULL DEFAULT 0;
UPDATE result_cells c SET goods_sq = q.goods_sq, goods_orders = q.goods_orders, orders_sq = q.orders_sq FROM (
    SELECT e.shop_id, e.day, e.kind, e.nudge_id, e.revision, e.rung, e.placement, v.region, e.language, e.device, e.arm,
        sum(v.goods::numeric * v.goods) AS goods_sq, sum(v.goods::numeric * v.orders) AS goods_orders, sum(v.orders * v.orders) AS orders_sq
    FROM events e CROSS JOIN LATERAL (
        SELECT o.region, count(*) AS orders, sum(o.goods) AS goods FROM orders o
        WHERE o.shop_id = e.shop_id AND o.visit = e.visit AND o.visit <> '' AND (e.kind <> 'shown' OR o.placed_at >= e.at AND EXISTS (
            SELECT FROM order_rewards x WHERE x.shop_id = o.shop_id AND x.order_number = o.number AND x.nudge_id = e.nudge_id))
        GROUP BY o.region) v
    WHERE e.kind IN ('visit', 'could', 'shown') AND EXISTS (SELECT FROM orders o WHERE o.shop_id = e.shop_id AND o.visit = e.visit AND o.visit <> '')
    GROUP BY 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11) q
WHERE (c.shop_id, c.day, c.kind, c.nudge_id, c.revision, c.rung, c.placement, c.region, c.language, c.device, c.arm)
    = (q.shop_id, q.day, q.kind, q.nudge_id, q.revision, q.rung, q.placement, q.region, q.language, q.device, q.arm);

-- The margin above which a visit's orders count as just so much in a trial; null: all of it counts.
ALTER TABLE trials ADD COLUMN cap bigint;

-- +goose Down
ALTER TABLE trials DROP COLUMN cap;
ALTER TABLE result_cells DROP COLUMN goods_sq, DROP COLUMN goods_orders, DROP COLUMN orders_sq;
