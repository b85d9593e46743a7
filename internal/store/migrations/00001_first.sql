-- +goose Up
CREATE TABLE accounts (
    id uuid PRIMARY KEY,
    email text NOT NULL UNIQUE CHECK (email = lower(email)),
    name text NOT NULL,
    password_hash text NOT NULL,
    created_at timestamptz NOT NULL
);
CREATE TABLE shops (
    id text PRIMARY KEY,
    name text NOT NULL,
    town text NOT NULL DEFAULT '',
    time_zone text NOT NULL,
    locale text NOT NULL,
    settings jsonb NOT NULL DEFAULT '{}',
    origins jsonb NOT NULL DEFAULT '[]',
    publishable_key text NOT NULL UNIQUE,
    secret_key_hash text NOT NULL UNIQUE,
    created_at timestamptz NOT NULL
);
CREATE TABLE memberships (
    account_id uuid NOT NULL REFERENCES accounts (id) ON DELETE CASCADE,
    shop_id text NOT NULL REFERENCES shops (id) ON DELETE CASCADE,
    role text NOT NULL CHECK (role IN ('owner', 'editor', 'viewer')),
    PRIMARY KEY (account_id, shop_id)
);
CREATE TABLE sessions (
    token text PRIMARY KEY,
    data bytea NOT NULL,
    expiry timestamptz NOT NULL
);
CREATE INDEX sessions_expiry ON sessions (expiry);

CREATE TABLE products (
    shop_id text NOT NULL REFERENCES shops (id) ON DELETE CASCADE,
    id text NOT NULL,
    position bigint NOT NULL,
    title text NOT NULL,
    description text NOT NULL DEFAULT '',
    picture text NOT NULL DEFAULT '',
    collections jsonb NOT NULL DEFAULT '[]',
    tags jsonb NOT NULL DEFAULT '[]',
    gift_card boolean NOT NULL DEFAULT false,
    never_off boolean NOT NULL DEFAULT false,
    PRIMARY KEY (shop_id, id)
);
CREATE TABLE variants (
    shop_id text NOT NULL,
    sku text NOT NULL,
    product_id text NOT NULL,
    position bigint NOT NULL,
    options jsonb NOT NULL DEFAULT '[]',
    prices jsonb NOT NULL DEFAULT '{}',
    stock bigint CHECK (stock >= 0),
    weight bigint NOT NULL DEFAULT 0,
    tax_class text NOT NULL DEFAULT '',
    PRIMARY KEY (shop_id, sku),
    FOREIGN KEY (shop_id, product_id) REFERENCES products (shop_id, id) ON DELETE CASCADE
);
CREATE INDEX variants_product ON variants (shop_id, product_id, position);
CREATE TABLE regions (
    shop_id text NOT NULL REFERENCES shops (id) ON DELETE CASCADE,
    id text NOT NULL,
    position int NOT NULL,
    definition jsonb NOT NULL,
    PRIMARY KEY (shop_id, id)
);

CREATE TABLE nudges (
    shop_id text NOT NULL REFERENCES shops (id) ON DELETE CASCADE,
    id text NOT NULL,
    priority int NOT NULL,
    state text NOT NULL CHECK (state IN ('draft', 'live', 'paused', 'ended')),
    draft jsonb NOT NULL,
    draft_version int NOT NULL DEFAULT 1,
    dirty boolean NOT NULL DEFAULT true,
    live_revision int NOT NULL DEFAULT 0,
    created_at timestamptz NOT NULL,
    changed_at timestamptz NOT NULL,
    changed_by text NOT NULL DEFAULT '',
    state_since timestamptz NOT NULL,
    PRIMARY KEY (shop_id, id)
);
CREATE TABLE revisions (
    shop_id text NOT NULL,
    nudge_id text NOT NULL,
    number int NOT NULL,
    definition jsonb NOT NULL,
    published_at timestamptz NOT NULL,
    published_by text NOT NULL,
    PRIMARY KEY (shop_id, nudge_id, number),
    FOREIGN KEY (shop_id, nudge_id) REFERENCES nudges (shop_id, id) ON DELETE CASCADE
);

CREATE TABLE orders (
    shop_id text NOT NULL REFERENCES shops (id) ON DELETE CASCADE,
    number bigint NOT NULL,
    idempotency_key text NOT NULL,
    request_hash text NOT NULL,
    visit text NOT NULL DEFAULT '',
    region text NOT NULL,
    country text NOT NULL,
    currency text NOT NULL,
    goods bigint NOT NULL,
    off bigint NOT NULL,
    fee bigint NOT NULL,
    list_fee bigint NOT NULL,
    tax bigint NOT NULL,
    to_pay bigint NOT NULL,
    method text NOT NULL DEFAULT '',
    customer text NOT NULL DEFAULT '',
    as_quoted boolean NOT NULL DEFAULT false,
    decision jsonb NOT NULL,
    placed_at timestamptz NOT NULL,
    PRIMARY KEY (shop_id, number),
    UNIQUE (shop_id, idempotency_key)
);
CREATE TABLE order_rewards (
    shop_id text NOT NULL,
    order_number bigint NOT NULL,
    nudge_id text NOT NULL,
    revision int NOT NULL,
    rung int NOT NULL,
    currency text NOT NULL,
    amount bigint NOT NULL,
    PRIMARY KEY (shop_id, order_number, nudge_id, rung),
    FOREIGN KEY (shop_id, order_number) REFERENCES orders (shop_id, number) ON DELETE CASCADE
);
CREATE INDEX order_rewards_nudge ON order_rewards (shop_id, nudge_id);
-- What a visit saw and reached; once per visit, nudge, kind and rung.
CREATE TABLE events (
    shop_id text NOT NULL REFERENCES shops (id) ON DELETE CASCADE,
    kind text NOT NULL CHECK (kind IN ('shown', 'reached')),
    visit text NOT NULL,
    nudge_id text NOT NULL,
    revision int NOT NULL,
    rung int NOT NULL,
    at timestamptz NOT NULL,
    PRIMARY KEY (shop_id, nudge_id, kind, visit, rung)
);

CREATE TABLE imports (
    shop_id text NOT NULL REFERENCES shops (id) ON DELETE CASCADE,
    id uuid NOT NULL,
    state text NOT NULL CHECK (state IN ('previewed', 'running', 'done', 'failed')),
    file_name text NOT NULL,
    file bytea NOT NULL,
    summary jsonb NOT NULL,
    done int NOT NULL DEFAULT 0,
    total int NOT NULL DEFAULT 0,
    error text NOT NULL DEFAULT '',
    created_at timestamptz NOT NULL,
    created_by text NOT NULL,
    PRIMARY KEY (shop_id, id)
);

-- +goose Down
DROP TABLE imports, events, order_rewards, orders, revisions, nudges, regions, variants, products, sessions, memberships, shops, accounts;
