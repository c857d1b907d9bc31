-- +goose Up

-- How a line is answered: whom it rings, how, and for how long.
ALTER TABLE lines
  ADD COLUMN ring_mode text NOT NULL DEFAULT 'all' CHECK (ring_mode IN ('all', 'longest_idle', 'in_order')),
  ADD COLUMN ring_seconds int NOT NULL DEFAULT 25 CHECK (ring_seconds BETWEEN 5 AND 120),
  ADD COLUMN limit_seconds int NOT NULL DEFAULT 60 CHECK (limit_seconds BETWEEN 5 AND 600);
CREATE TABLE line_reps (
  line_id uuid NOT NULL REFERENCES lines (id),
  user_id uuid NOT NULL REFERENCES users (id),
  position int NOT NULL,
  PRIMARY KEY (line_id, user_id)
);

-- The number of a call that came in may be withheld, or be no number; what the network said stands in remote_typed.
ALTER TABLE calls ADD COLUMN withheld boolean NOT NULL DEFAULT false, ADD COLUMN missed_why text NOT NULL DEFAULT '';
CREATE INDEX calls_started ON calls (started_at DESC, id DESC);

-- Calls that nobody answered and nobody has come back to.
CREATE TABLE unreturned (
  call_id uuid PRIMARY KEY REFERENCES calls (id),
  line_id uuid REFERENCES lines (id),
  remote_e164 text NOT NULL,
  since timestamptz NOT NULL,
  tries int NOT NULL DEFAULT 0,
  taken_by uuid REFERENCES users (id),
  taken_at timestamptz,
  closed_at timestamptz,
  closed_by uuid REFERENCES users (id),
  closed_how text NOT NULL DEFAULT '',
  reason text NOT NULL DEFAULT '',
  version int NOT NULL DEFAULT 1
);
CREATE INDEX unreturned_open ON unreturned (since) WHERE closed_at IS NULL;
CREATE INDEX unreturned_number ON unreturned (remote_e164) WHERE closed_at IS NULL;
