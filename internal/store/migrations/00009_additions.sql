-- +goose Up
-- What was added to an order after it was placed.
CREATE TABLE order_additions (
    shop_id         text NOT NULL,
    idempotency_key text NOT NULL,
    request_hash    text NOT NULL,
    order_number    bigint NOT NULL,
    nudge_id        text NOT NULL,
    revision        integer NOT NULL,
    sku             text NOT NULL,
    instead         text NOT NULL,
    quantity        bigint NOT NULL,
    more            bigint NOT NULL,
    as_quoted       boolean NOT NULL,
    at              timestamptz NOT NULL,
    PRIMARY KEY (shop_id, idempotency_key),
    UNIQUE (shop_id, order_number, nudge_id),
    FOREIGN KEY (shop_id, order_number) REFERENCES orders (shop_id, number) ON DELETE CASCADE
);

-- +goose Down
DROP TABLE order_additions;
