-- +goose Up
-- What one shipment costs when a variant is bought by a purchase plan.
ALTER TABLE variants ADD COLUMN plans jsonb NOT NULL DEFAULT '{}';

-- +goose Down
ALTER TABLE variants DROP COLUMN plans;
