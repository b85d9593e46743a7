-- +goose Up
-- Goods that come back: what of each line, what was paid back, and by which way.
CREATE TABLE order_returns (
    shop_id      text NOT NULL,
    order_number bigint NOT NULL,
    number       integer NOT NULL,
    lines        jsonb NOT NULL,
    way          text NOT NULL,
    refund       bigint NOT NULL,
    restocked    boolean NOT NULL,
    given_back   jsonb NOT NULL DEFAULT '[]',
    at           timestamptz NOT NULL,
    by           text NOT NULL,
    PRIMARY KEY (shop_id, order_number, number),
    FOREIGN KEY (shop_id, order_number) REFERENCES orders (shop_id, number) ON DELETE CASCADE
);

-- +goose Down
DROP TABLE order_returns;
