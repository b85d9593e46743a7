-- +goose Up
-- Which visitors are in a trial, in millionths: of its own, or of those of all trials that are kept apart.
ALTER TABLE trials ADD COLUMN part_from int NOT NULL DEFAULT 0,
    ADD COLUMN part_to int NOT NULL DEFAULT 1000000,
    ADD COLUMN apart boolean NOT NULL DEFAULT false;

-- +goose Down
ALTER TABLE trials DROP COLUMN apart, DROP COLUMN part_to, DROP COLUMN part_from;
