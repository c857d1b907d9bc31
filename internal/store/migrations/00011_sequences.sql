-- +goose Up

-- Steps over days, and who is in them.
CREATE TABLE sequences (
  id uuid PRIMARY KEY,
  name text NOT NULL,
  steps jsonb NOT NULL,
  active boolean NOT NULL DEFAULT true,
  position int NOT NULL DEFAULT 0
);
CREATE TABLE sequence_members (
  id uuid PRIMARY KEY,
  sequence_id uuid NOT NULL REFERENCES sequences (id),
  record_id uuid NOT NULL REFERENCES records (id),
  owner_id uuid NOT NULL REFERENCES users (id),
  step int NOT NULL DEFAULT 0,         -- the next one
  next_at timestamptz,                 -- NULL while a call waits in the lane
  state text NOT NULL CHECK (state IN ('active', 'ended')),
  why text NOT NULL DEFAULT '',
  enrolled_at timestamptz NOT NULL,
  ended_at timestamptz
);
CREATE UNIQUE INDEX sequence_members_once ON sequence_members (sequence_id, record_id) WHERE state = 'active';
CREATE INDEX sequence_members_record ON sequence_members (record_id);
CREATE INDEX sequence_members_due ON sequence_members (next_at) WHERE state = 'active';
ALTER TABLE follow_ups ADD COLUMN member_id uuid REFERENCES sequence_members (id);
ALTER TABLE messages ADD COLUMN member_id uuid REFERENCES sequence_members (id);
CREATE INDEX follow_ups_member ON follow_ups (member_id) WHERE member_id IS NOT NULL;
CREATE INDEX messages_member ON messages (member_id) WHERE member_id IS NOT NULL;
