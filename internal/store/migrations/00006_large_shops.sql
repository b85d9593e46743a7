-- +goose Up
-- What is counted since a moment is found without reading what is older.
CREATE INDEX orders_placed ON orders (shop_id, placed_at);
CREATE INDEX events_at ON events (shop_id, at);

-- +goose Down
DROP INDEX events_at;
DROP INDEX orders_placed;
