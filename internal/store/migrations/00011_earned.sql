-- +goose Up
-- Codes of pools that an act of a visit has earned, and links to carts that were shared.
ALTER TABLE pool_codes ADD COLUMN given_by text, ADD COLUMN given_to text, ADD COLUMN given_at timestamptz;
CREATE UNIQUE INDEX pool_codes_given ON pool_codes (shop_id, given_by, given_to) WHERE given_to IS NOT NULL;
CREATE TABLE shared_links (
    shop_id  text NOT NULL REFERENCES shops (id) ON DELETE CASCADE,
    token    text NOT NULL,
    nudge_id text NOT NULL,
    visit    text NOT NULL,
    lines    jsonb NOT NULL,
    at       timestamptz NOT NULL,
    PRIMARY KEY (shop_id, token),
    UNIQUE (shop_id, nudge_id, visit)
);
CREATE TABLE link_visits (
    shop_id text NOT NULL,
    token   text NOT NULL,
    visit   text NOT NULL,
    at      timestamptz NOT NULL,
    PRIMARY KEY (shop_id, token, visit),
    FOREIGN KEY (shop_id, token) REFERENCES shared_links (shop_id, token) ON DELETE CASCADE
);
ALTER TABLE orders ADD COLUMN shared_link text NOT NULL DEFAULT '';
CREATE INDEX orders_by_link ON orders (shop_id, shared_link) WHERE shared_link <> '';

-- +goose Down
ALTER TABLE orders DROP COLUMN shared_link;
DROP TABLE link_visits;
DROP TABLE shared_links;
ALTER TABLE pool_codes DROP COLUMN given_by, DROP COLUMN given_to, DROP COLUMN given_at;
