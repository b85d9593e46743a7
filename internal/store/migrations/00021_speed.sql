-- +goose Up
-- How long pages took until their largest part was to be seen, in milliseconds: of events of that
-- kind each, in cells the sum and the sum of squares.
ALTER TABLE events ADD COLUMN ms int NOT NULL DEFAULT 0;
ALTER TABLE result_cells ADD COLUMN ms bigint NOT NULL DEFAULT 0, ADD COLUMN ms_sq numeric NOT NULL DEFAULT 0;

-- +goose Down
DELETE FROM events WHERE kind = 'loaded';
DELETE FROM result_cells WHERE kind = 'loaded';
ALTER TABLE result_cells DROP COLUMN ms, DROP COLUMN ms_sq;
ALTER TABLE events DROP COLUMN ms;
