-- +goose Up
-- Orders of which something is bought by a plan, with each nudge that gave something on it or whose
-- set it is; and what became of those plans later, as their shop tells it.
CREATE TABLE plan_orders (
    shop_id text NOT NULL,
    order_number bigint NOT NULL,
    nudge_id text NOT NULL,
    PRIMARY KEY (shop_id, order_number, nudge_id),
    FOREIGN KEY (shop_id, order_number) REFERENCES orders (shop_id, number) ON DELETE CASCADE
);
CREATE INDEX plan_orders_nudge ON plan_orders (shop_id, nudge_id);
CREATE TABLE plan_events (
    shop_id text NOT NULL,
    order_number bigint NOT NULL,
    id text NOT NULL,
    kind text NOT NULL,
    at timestamptz NOT NULL,
    paid bigint NOT NULL, -- minor units of the order's currency
    PRIMARY KEY (shop_id, order_number, id),
    FOREIGN KEY (shop_id, order_number) REFERENCES orders (shop_id, number) ON DELETE CASCADE
);
INSERT INTO plan_orders SELECT DISTINCT o.shop_id, o.number, n.id FROM orders o
    CROSS JOIN LATERAL jsonb_array_elements(CASE jsonb_typeof(o.decision -> 'lines') WHEN 'array' THEN o.decision -> 'lines' ELSE '[]' END) l
    CROSS JOIN LATERAL (SELECT l -> 'build' ->> 'nudge' AS id UNION SELECT p ->> 'nudge' FROM jsonb_array_elements(coalesce(l -> 'parts', '[]')) p) n
    WHERE coalesce(l ->> 'plan', '') <> '' AND coalesce(n.id, '') <> '';

-- +goose Down
DROP TABLE plan_events;
DROP TABLE plan_orders;
