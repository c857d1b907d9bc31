-- +goose Up

-- Who may read a call's notes: everybody, the rep's team, or the rep alone.
ALTER TABLE slips ADD COLUMN visible text NOT NULL DEFAULT 'all' CHECK (visible IN ('all', 'team', 'me'));

CREATE TABLE scripts (
  id uuid PRIMARY KEY,
  name text NOT NULL,
  body text NOT NULL,
  call_type_ids uuid[] NOT NULL DEFAULT '{}', -- for which call types; none: for all
  directions text[] NOT NULL DEFAULT '{}',
  position int NOT NULL DEFAULT 0,
  active boolean NOT NULL DEFAULT true
);
-- What was answered in a call.
CREATE TABLE call_answers (
  call_id uuid NOT NULL REFERENCES calls (id),
  key text NOT NULL,
  script_id uuid NOT NULL REFERENCES scripts (id),
  question text NOT NULL,
  answer text NOT NULL,
  user_id uuid NOT NULL REFERENCES users (id),
  at timestamptz NOT NULL,
  PRIMARY KEY (call_id, key)
);
