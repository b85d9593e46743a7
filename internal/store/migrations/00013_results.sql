-- +goose Up
-- What visits saw and did, each once by its id within its visit, kept by month. Neither these
-- nor the cells refer to their shop's row by a key: who places an order holds that row, and
-- must not wait for who stores events. They go with the shop by a trigger.
ALTER TABLE events RENAME TO events_of_before;
DROP INDEX events_at;
CREATE TABLE events (
    shop_id text NOT NULL,
    visit text NOT NULL,
    id text NOT NULL,
    day date NOT NULL, -- in the shop's time zone
    at timestamptz NOT NULL,
    kind text NOT NULL,
    nudge_id text NOT NULL DEFAULT '', -- none: of the visit itself
    revision int NOT NULL DEFAULT 0,
    rung int NOT NULL DEFAULT 0,
    placement text NOT NULL DEFAULT '',
    region text NOT NULL DEFAULT '',
    language text NOT NULL DEFAULT '',
    device text NOT NULL DEFAULT '',
    arm text NOT NULL DEFAULT '',
    visitor text NOT NULL DEFAULT '',
    PRIMARY KEY (shop_id, visit, id, day)
) PARTITION BY RANGE (day);

-- +goose StatementBegin
-- Makes the month's part of the events, where it is not there yet.
CREATE FUNCTION events_month(day date) RETURNS void LANGUAGE plpgsql AS $$
BEGIN
    EXECUTE format('CREATE TABLE IF NOT EXISTS events_%s PARTITION OF events FOR VALUES FROM (%L) TO (%L)',
        to_char(day, 'YYYY_MM'), date_trunc('month', day)::date, (date_trunc('month', day) + interval '1 month')::date);
END $$;
-- +goose StatementEnd
SELECT events_month(d) FROM (SELECT DISTINCT date_trunc('month', at)::date AS d FROM events_of_before) m;
INSERT INTO events (shop_id, visit, id, day, at, kind, nudge_id, revision, rung)
    SELECT e.shop_id, visit, kind || ':' || nudge_id || ':' || rung, (at AT TIME ZONE s.time_zone)::date, at, kind, nudge_id, revision, rung
    FROM events_of_before e JOIN shops s ON s.id = e.shop_id;
DROP TABLE events_of_before;

-- What an order left, without tax, once everything is paid; null: a cost is not known.
ALTER TABLE orders ADD COLUMN margin bigint;
ALTER TABLE orders ADD COLUMN arm text NOT NULL DEFAULT '';
ALTER TABLE orders ADD COLUMN language text NOT NULL DEFAULT '';
ALTER TABLE orders ADD COLUMN device text NOT NULL DEFAULT '';
-- Whether it told who visited, so that it was priced as the visitor is treated.
ALTER TABLE orders ADD COLUMN with_visitor boolean NOT NULL DEFAULT false;
CREATE INDEX orders_visit ON orders (shop_id, visit) WHERE visit <> '';
-- What it cost the shop: of a gift, its unit cost; else the amount.
ALTER TABLE order_rewards ADD COLUMN cost bigint;

-- Counts and sums by day and by all that Results are looked at by. Money is in minor units
-- of the region's currency. Of kinds that stand for visits, the sums are of the orders that
-- came of those visits.
CREATE TABLE result_cells (
    shop_id text NOT NULL,
    day date NOT NULL,
    kind text NOT NULL,
    nudge_id text NOT NULL,
    revision int NOT NULL,
    rung int NOT NULL,
    placement text NOT NULL,
    region text NOT NULL,
    language text NOT NULL,
    device text NOT NULL,
    arm text NOT NULL,
    n bigint NOT NULL DEFAULT 0,
    ordering bigint NOT NULL DEFAULT 0, -- visits with an order
    orders bigint NOT NULL DEFAULT 0,
    goods bigint NOT NULL DEFAULT 0,
    given bigint NOT NULL DEFAULT 0,
    margin bigint NOT NULL DEFAULT 0,
    margin_sq numeric NOT NULL DEFAULT 0, -- sum over visits of their margin's square
    unknown bigint NOT NULL DEFAULT 0, -- orders whose margin is not known
    PRIMARY KEY (shop_id, day, kind, nudge_id, revision, rung, placement, region, language, device, arm)
);
CREATE INDEX result_cells_nudge ON result_cells (shop_id, nudge_id, day);

-- +goose StatementBegin
CREATE FUNCTION results_go_with_shop() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    DELETE FROM events WHERE shop_id = OLD.id;
    DELETE FROM result_cells WHERE shop_id = OLD.id;
    RETURN OLD;
END $$;
-- +goose StatementEnd
CREATE TRIGGER results_go_with_shop AFTER DELETE ON shops FOR EACH ROW EXECUTE FUNCTION results_go_with_shop();

-- +goose Down
DROP TRIGGER results_go_with_shop ON shops;
DROP FUNCTION results_go_with_shop;
DROP TABLE result_cells;
ALTER TABLE order_rewards DROP COLUMN cost;
DROP INDEX orders_visit;
ALTER TABLE orders DROP COLUMN with_visitor, DROP COLUMN device, DROP COLUMN language, DROP COLUMN arm, DROP COLUMN margin;
DROP TABLE events;
DROP FUNCTION events_month;
CREATE TABLE events (
    shop_id text NOT NULL REFERENCES shops (id) ON DELETE CASCADE,
    kind text NOT NULL CHECK (kind IN ('shown', 'reached')),
    visit text NOT NULL,
    nudge_id text NOT NULL,
    revision int NOT NULL,
    rung int NOT NULL,
    at timestamptz NOT NULL,
    PRIMARY KEY (shop_id, nudge_id, kind, visit, rung)
);
CREATE INDEX events_at ON events (shop_id, at);
