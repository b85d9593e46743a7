-- +goose Up
-- What a shop's calls were refused for lately, and orders that its server gave up.
CREATE TABLE refusals (
    shop_id   text        NOT NULL REFERENCES shops (id) ON DELETE CASCADE,
    operation text        NOT NULL,
    status    integer     NOT NULL,
    field     text        NOT NULL,
    why       text        NOT NULL,
    times     bigint      NOT NULL,
    at        timestamptz NOT NULL,
    PRIMARY KEY (shop_id, operation, status, field, why)
);
CREATE INDEX refusals_at ON refusals (shop_id, at DESC);

-- +goose Down
DROP TABLE refusals;
