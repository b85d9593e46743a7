-- +goose Up
-- Where a person asked for a report each Monday: the address of the application; empty: they did not.
ALTER TABLE memberships ADD COLUMN weekly text NOT NULL DEFAULT '';
-- The weeks, by their Monday, of which a report was sent.
CREATE TABLE reports (
    shop_id text NOT NULL,
    account_id uuid NOT NULL,
    week date NOT NULL,
    PRIMARY KEY (shop_id, account_id, week),
    FOREIGN KEY (account_id, shop_id) REFERENCES memberships (account_id, shop_id) ON DELETE CASCADE
);

-- +goose Down
DROP TABLE reports;
ALTER TABLE memberships DROP COLUMN weekly;
