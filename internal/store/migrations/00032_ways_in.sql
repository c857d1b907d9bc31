-- +goose Up
-- A passkey by which somebody gets in (W3C Web Authentication): what the library keeps of it, its public key among it.
CREATE TABLE passkeys (
  id bytea PRIMARY KEY, -- the credential's
  user_id uuid NOT NULL REFERENCES users (id),
  name text NOT NULL,
  credential jsonb NOT NULL,
  added_at timestamptz NOT NULL,
  used_at timestamptz
);
CREATE INDEX passkeys_user ON passkeys (user_id);

-- A way in of which the first step is done: a question was asked that is answered once.
CREATE TABLE sign_in_steps (
  hash bytea PRIMARY KEY, -- of what the browser holds
  what text NOT NULL,
  data jsonb NOT NULL,
  ends_at timestamptz NOT NULL
);
CREATE INDEX sign_in_steps_end ON sign_in_steps (ends_at);

-- Who says who somebody is (OpenID Connect), where the firm has such a provider.
CREATE TABLE identity_provider (
  one boolean PRIMARY KEY DEFAULT true CHECK (one),
  label text NOT NULL,
  issuer text NOT NULL,
  client_id text NOT NULL,
  client_secret text NOT NULL, -- sealed
  scopes text[] NOT NULL DEFAULT '{}', -- besides openid, profile and email
  rules jsonb NOT NULL DEFAULT '[]',
  version integer NOT NULL DEFAULT 1
);

-- Who somebody is to a provider.
CREATE TABLE provided_identities (
  issuer text NOT NULL,
  subject text NOT NULL,
  user_id uuid NOT NULL REFERENCES users (id),
  added_at timestamptz NOT NULL,
  used_at timestamptz,
  PRIMARY KEY (issuer, subject)
);
CREATE INDEX provided_identities_user ON provided_identities (user_id);

-- Times for a promised call from which somebody chooses by answering a text message.
CREATE TABLE time_offers (
  id uuid PRIMARY KEY,
  follow_up_id uuid NOT NULL REFERENCES follow_ups (id) ON DELETE CASCADE,
  message_id uuid NOT NULL, -- in which they were offered
  e164 text NOT NULL,
  line_id uuid NOT NULL,
  times timestamptz[] NOT NULL,
  zone text NOT NULL, -- in which they were written
  at timestamptz NOT NULL,
  ends_at timestamptz NOT NULL, -- from then on an answer is a message like any other
  chosen timestamptz,
  answered_at timestamptz
);
CREATE INDEX time_offers_e164 ON time_offers (e164, at) WHERE answered_at IS NULL;
CREATE INDEX time_offers_follow_up ON time_offers (follow_up_id, at);

-- Of which limits it was told in a month that four fifths or all are used.
CREATE TABLE limits_told (
  since timestamptz NOT NULL, -- the beginning of the month
  what text NOT NULL,
  scope text NOT NULL,
  who text NOT NULL,
  level text NOT NULL,
  PRIMARY KEY (since, what, scope, who, level)
);

-- +goose Down
DROP TABLE limits_told;
DROP TABLE time_offers;
DROP TABLE provided_identities;
DROP TABLE identity_provider;
DROP TABLE sign_in_steps;
DROP TABLE passkeys;
