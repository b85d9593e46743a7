-- +goose Up
-- A trial of one set of nudges against another: what it is called, and the nudges of both. Such a
-- trial has no nudge and no revisions of its own. And which visits are in a trial, by conditions.
ALTER TABLE trials ADD COLUMN name text NOT NULL DEFAULT '',
    ADD COLUMN members jsonb,
    ADD COLUMN who jsonb;
DROP INDEX trials_running;
CREATE UNIQUE INDEX trials_running ON trials (shop_id, nudge_id) WHERE ended_at IS NULL AND nudge_id <> '';

-- +goose Down
DELETE FROM events WHERE kind = 'in_trial';
DELETE FROM result_cells WHERE kind = 'in_trial';
DELETE FROM trials WHERE nudge_id = '';
DROP INDEX trials_running;
CREATE UNIQUE INDEX trials_running ON trials (shop_id, nudge_id) WHERE ended_at IS NULL;
ALTER TABLE trials DROP COLUMN who, DROP COLUMN members, DROP COLUMN name;
