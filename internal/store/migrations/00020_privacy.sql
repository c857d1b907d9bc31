-- +goose Up

-- Who must not be erased, and whose things are not deleted in their time.
CREATE TABLE legal_holds (
  record_id uuid PRIMARY KEY REFERENCES records (id),
  reason text NOT NULL,
  held_by uuid NOT NULL REFERENCES users (id),
  held_at timestamptz NOT NULL
);

-- Persons who were erased: that it was done and how much it was, nothing of them.
CREATE TABLE erasures (
  id uuid PRIMARY KEY,
  record_id uuid NOT NULL REFERENCES records (id),
  reason text NOT NULL,
  asked_by uuid NOT NULL REFERENCES users (id),
  asked_at timestamptz NOT NULL,
  server text NOT NULL,
  state text NOT NULL DEFAULT 'running' CHECK (state IN ('running', 'done', 'failed')),
  done_at timestamptz,
  problem text NOT NULL DEFAULT '',
  report jsonb NOT NULL DEFAULT '{}'
);
CREATE INDEX erasures_asked ON erasures (asked_at DESC);

-- To what somebody has agreed, with when and how; the newest of each counts, an earlier one stays.
CREATE TABLE consents (
  id uuid PRIMARY KEY,
  record_id uuid NOT NULL REFERENCES records (id),
  what text NOT NULL CHECK (what IN ('calls', 'texts', 'mails', 'recordings')),
  given boolean NOT NULL,
  at timestamptz NOT NULL,
  how text NOT NULL,
  noted_by uuid NOT NULL REFERENCES users (id)
);
CREATE INDEX consents_record ON consents (record_id, what, at DESC);
