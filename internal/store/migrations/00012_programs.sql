-- +goose Up

-- Other programs that are told what happens, and what they were told.
CREATE TABLE webhooks (
  id uuid PRIMARY KEY,
  name text NOT NULL,
  url text NOT NULL,
  secret text NOT NULL,
  events text[] NOT NULL,
  active boolean NOT NULL DEFAULT true,
  stopped text NOT NULL DEFAULT '', -- why it is told nothing any more
  position int NOT NULL DEFAULT 0
);
CREATE TABLE webhook_deliveries (
  id uuid PRIMARY KEY,
  webhook_id uuid NOT NULL REFERENCES webhooks (id),
  event text NOT NULL,
  payload jsonb NOT NULL,
  state text NOT NULL CHECK (state IN ('waiting', 'sending', 'done', 'failed')),
  tries int NOT NULL DEFAULT 0,
  next_at timestamptz,
  status int NOT NULL DEFAULT 0,
  problem text NOT NULL DEFAULT '',
  at timestamptz NOT NULL,
  done_at timestamptz
);
CREATE INDEX webhook_deliveries_due ON webhook_deliveries (next_at) WHERE state IN ('waiting', 'sending');
CREATE INDEX webhook_deliveries_log ON webhook_deliveries (at DESC, id DESC);

-- Keys by which programs act as somebody.
CREATE TABLE api_tokens (
  id uuid PRIMARY KEY,
  user_id uuid NOT NULL REFERENCES users (id),
  name text NOT NULL,
  hash bytea NOT NULL UNIQUE,
  scopes text[] NOT NULL,
  created_at timestamptz NOT NULL,
  expires_at timestamptz,
  used_at timestamptz,
  revoked_at timestamptz
);
CREATE INDEX api_tokens_user ON api_tokens (user_id);
