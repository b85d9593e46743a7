-- +goose Up
-- A trial of a live nudge against another revision of it; one at a time for each nudge.
CREATE TABLE trials (
    shop_id text NOT NULL REFERENCES shops (id) ON DELETE CASCADE,
    id text NOT NULL,
    nudge_id text NOT NULL,
    revision_a int NOT NULL,
    revision_b int NOT NULL,
    share int NOT NULL, -- of visitors who have B, in millionths
    worth int NOT NULL, -- the difference worth finding, in millionths of the margin per visit
    planned bigint NOT NULL, -- visits of both arms together; 0: more than can be foreseen
    until date NOT NULL, -- the last day
    currency text NOT NULL,
    started_at timestamptz NOT NULL,
    started_by text NOT NULL,
    ended_at timestamptz,
    ended_by text NOT NULL DEFAULT '',
    outcome text NOT NULL DEFAULT '', -- how it ended
    PRIMARY KEY (shop_id, id)
);
CREATE UNIQUE INDEX trials_running ON trials (shop_id, nudge_id) WHERE ended_at IS NULL;

-- +goose Down
DROP TABLE trials;
