-- +goose Up
-- What the limits of nudges have been used up to: one row per nudge and region
-- (the region '' counts uses of all).
CREATE TABLE nudge_usage (
    shop_id  text NOT NULL REFERENCES shops (id) ON DELETE CASCADE,
    nudge_id text NOT NULL,
    region   text NOT NULL,
    uses     bigint NOT NULL DEFAULT 0,
    spent    bigint NOT NULL DEFAULT 0,
    PRIMARY KEY (shop_id, nudge_id, region)
);

-- Uses by known shoppers.
CREATE TABLE shopper_usage (
    shop_id  text NOT NULL REFERENCES shops (id) ON DELETE CASCADE,
    nudge_id text NOT NULL,
    shopper  text NOT NULL,
    uses     bigint NOT NULL DEFAULT 0,
    PRIMARY KEY (shop_id, nudge_id, shopper)
);

-- Single-use codes. A code belongs to one pool of a shop and is used by one order.
CREATE TABLE pool_codes (
    shop_id      text NOT NULL REFERENCES shops (id) ON DELETE CASCADE,
    code         text NOT NULL,
    pool         text NOT NULL,
    order_number bigint,
    added_at     timestamptz NOT NULL,
    PRIMARY KEY (shop_id, code)
);
CREATE INDEX pool_codes_by_pool ON pool_codes (shop_id, pool, code);

-- +goose Down
DROP TABLE pool_codes;
DROP TABLE shopper_usage;
DROP TABLE nudge_usage;
