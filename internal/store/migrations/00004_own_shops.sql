-- +goose Up
-- Keys have names, come in pairs while one takes over from another, and end.
-- A publishable key is kept as it is, since every page of the shop shows it; of
-- a secret key only the fingerprint and its last signs.
CREATE TABLE api_keys (
    id          uuid PRIMARY KEY,
    shop_id     text NOT NULL REFERENCES shops (id) ON DELETE CASCADE,
    kind        text NOT NULL CHECK (kind IN ('publishable', 'secret')),
    name        text NOT NULL,
    key         text NOT NULL DEFAULT '',
    fingerprint text NOT NULL UNIQUE,
    hint        text NOT NULL,
    created_at  timestamptz NOT NULL,
    created_by  text NOT NULL,
    ends_at     timestamptz
);
CREATE INDEX api_keys_shop ON api_keys (shop_id, created_at);
INSERT INTO api_keys (id, shop_id, kind, name, key, fingerprint, hint, created_at, created_by)
    SELECT gen_random_uuid(), id, 'publishable', 'First key', publishable_key, encode(sha256(publishable_key::bytea), 'hex'), right(publishable_key, 4), created_at, '' FROM shops;
INSERT INTO api_keys (id, shop_id, kind, name, fingerprint, hint, created_at, created_by)
    SELECT gen_random_uuid(), id, 'secret', 'First key', secret_key_hash, '', created_at, '' FROM shops;
ALTER TABLE shops DROP COLUMN publishable_key, DROP COLUMN secret_key_hash, ADD COLUMN created_form text NOT NULL DEFAULT '';

-- Where a shop's key was used last, and why it was refused: one row for each
-- origin and outcome.
CREATE TABLE sightings (
    shop_id text NOT NULL REFERENCES shops (id) ON DELETE CASCADE,
    origin  text NOT NULL,
    outcome text NOT NULL,
    page    text NOT NULL DEFAULT '',
    hint    text NOT NULL DEFAULT '',
    times   bigint NOT NULL,
    at      timestamptz NOT NULL,
    PRIMARY KEY (shop_id, origin, outcome)
);

CREATE TABLE invites (
    id          uuid PRIMARY KEY,
    shop_id     text NOT NULL REFERENCES shops (id) ON DELETE CASCADE,
    role        text NOT NULL CHECK (role IN ('owner', 'editor', 'viewer')),
    email       text NOT NULL DEFAULT '',
    fingerprint text NOT NULL UNIQUE,
    created_at  timestamptz NOT NULL,
    created_by  text NOT NULL,
    expires_at  timestamptz NOT NULL
);
CREATE INDEX invites_shop ON invites (shop_id);
-- What the stand-in for e-mail was given.
CREATE TABLE mails (
    id         bigserial PRIMARY KEY,
    to_address text NOT NULL,
    subject    text NOT NULL,
    body       text NOT NULL,
    at         timestamptz NOT NULL
);
-- Sessions that began under an earlier number are over.
ALTER TABLE accounts ADD COLUMN session_round int NOT NULL DEFAULT 0;

-- A deleted nudge, or a draft that was thrown away, can be taken back for a while.
ALTER TABLE nudges ADD COLUMN deleted_at timestamptz, ADD COLUMN put_away boolean NOT NULL DEFAULT false, ADD COLUMN thrown_draft jsonb;

ALTER TABLE imports DROP CONSTRAINT imports_state_check;
ALTER TABLE imports ADD CONSTRAINT imports_state_check CHECK (state IN ('previewed', 'running', 'done', 'failed', 'cancelled'));

-- +goose Down
ALTER TABLE imports DROP CONSTRAINT imports_state_check;
DELETE FROM imports WHERE state = 'cancelled';
ALTER TABLE imports ADD CONSTRAINT imports_state_check CHECK (state IN ('previewed', 'running', 'done', 'failed'));
ALTER TABLE nudges DROP COLUMN deleted_at, DROP COLUMN put_away, DROP COLUMN thrown_draft;
ALTER TABLE accounts DROP COLUMN session_round;
DROP TABLE mails, invites, sightings;
ALTER TABLE shops DROP COLUMN created_form, ADD COLUMN publishable_key text, ADD COLUMN secret_key_hash text;
UPDATE shops SET publishable_key = (SELECT key FROM api_keys k WHERE k.shop_id = shops.id AND kind = 'publishable' ORDER BY created_at LIMIT 1),
    secret_key_hash = (SELECT fingerprint FROM api_keys k WHERE k.shop_id = shops.id AND kind = 'secret' ORDER BY created_at LIMIT 1);
ALTER TABLE shops ALTER COLUMN publishable_key SET NOT NULL, ALTER COLUMN secret_key_hash SET NOT NULL, ADD UNIQUE (publishable_key), ADD UNIQUE (secret_key_hash);
DROP TABLE api_keys;
