-- +goose Up
-- What a draft was copied from, as it was then.
ALTER TABLE nudges ADD COLUMN copy_of jsonb;

-- +goose Down
ALTER TABLE nudges DROP COLUMN copy_of;
