-- +goose Up
-- A rung may give rewards of several classes, gifts among them: each is counted.
ALTER TABLE order_rewards ADD COLUMN class text NOT NULL DEFAULT '';
ALTER TABLE order_rewards DROP CONSTRAINT order_rewards_pkey;
ALTER TABLE order_rewards ADD PRIMARY KEY (shop_id, order_number, nudge_id, rung, class);

-- +goose Down
DELETE FROM order_rewards a USING order_rewards b WHERE a.shop_id = b.shop_id AND a.order_number = b.order_number
    AND a.nudge_id = b.nudge_id AND a.rung = b.rung AND a.class > b.class;
ALTER TABLE order_rewards DROP CONSTRAINT order_rewards_pkey;
ALTER TABLE order_rewards ADD PRIMARY KEY (shop_id, order_number, nudge_id, rung);
ALTER TABLE order_rewards DROP COLUMN class;
