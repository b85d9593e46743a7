-- +goose Up
-- In which gap band a nudge was shown, and whether it was accepted.
ALTER TABLE events ADD COLUMN band text NOT NULL DEFAULT '';

-- How often a nudge was shown for the first time in a visit with a gap of a band, and how
-- often it was accepted then; and how often of those before the merchant began anew.
CREATE TABLE nudge_bands (
    shop_id text NOT NULL,
    nudge_id text NOT NULL,
    band text NOT NULL,
    shows bigint NOT NULL DEFAULT 0,
    accepted bigint NOT NULL DEFAULT 0,
    shows_before bigint NOT NULL DEFAULT 0,
    accepted_before bigint NOT NULL DEFAULT 0,
    shows_earlier bigint NOT NULL DEFAULT 0, -- what was before it the last time but one
    accepted_earlier bigint NOT NULL DEFAULT 0,
    PRIMARY KEY (shop_id, nudge_id, band)
);

-- +goose StatementBegin
CREATE OR REPLACE FUNCTION results_go_with_shop() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    DELETE FROM events WHERE shop_id = OLD.id;
    DELETE FROM result_cells WHERE shop_id = OLD.id;
    DELETE FROM nudge_bands WHERE shop_id = OLD.id;
    RETURN OLD;
END $$;
-- +goose StatementEnd

-- +goose Down
-- +goose StatementBegin
CREATE OR REPLACE FUNCTION results_go_with_shop() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    DELETE FROM events WHERE shop_id = OLD.id;
    DELETE FROM result_cells WHERE shop_id = OLD.id;
    RETURN OLD;
END $$;
-- +goose StatementEnd
DROP TABLE nudge_bands;
DELETE FROM events WHERE kind IN ('shown_at', 'accepted');
ALTER TABLE events DROP COLUMN band;
