-- +goose Up
-- Made-up visits that a merchant keeps, with what is expected of them.
CREATE TABLE rehearsals (
    shop_id  text NOT NULL REFERENCES shops (id) ON DELETE CASCADE,
    id       uuid NOT NULL,
    name     text NOT NULL,
    visit    text NOT NULL,
    expected jsonb NOT NULL,
    by       text NOT NULL,
    at       timestamptz NOT NULL,
    PRIMARY KEY (shop_id, id),
    UNIQUE (shop_id, name)
);

-- +goose Down
DROP TABLE rehearsals;
