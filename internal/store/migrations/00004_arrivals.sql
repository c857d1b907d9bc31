-- +goose Up

-- When a line is open, what follows when nobody answers, and what is said.
ALTER TABLE lines
  ADD COLUMN hours jsonb NOT NULL DEFAULT '{"spans":[],"off":[]}',
  ADD COLUMN unanswered text NOT NULL DEFAULT 'voicemail' CHECK (unanswered IN ('voicemail', 'announcement', 'end')),
  ADD COLUMN closed text NOT NULL DEFAULT 'announcement' CHECK (closed IN ('voicemail', 'announcement')),
  ADD COLUMN greeting text NOT NULL DEFAULT '',
  ADD COLUMN closed_text text NOT NULL DEFAULT '',
  ADD COLUMN version int NOT NULL DEFAULT 1;

-- The admin's words for what somebody is doing, and what each means.
CREATE TABLE availability_states (
  id uuid PRIMARY KEY,
  label text NOT NULL,
  takes_calls boolean NOT NULL,
  counts_as_work boolean NOT NULL,
  position int NOT NULL,
  active boolean NOT NULL DEFAULT true
);
INSERT INTO availability_states (id, label, takes_calls, counts_as_work, position) VALUES
  ('00000000-0000-7000-8000-000000000001', 'Available', true, true, 0),
  ('00000000-0000-7000-8000-000000000002', 'Away', false, false, 1);
ALTER TABLE rep_state ADD COLUMN state_id uuid NOT NULL DEFAULT '00000000-0000-7000-8000-000000000001' REFERENCES availability_states (id);
UPDATE rep_state SET state_id = '00000000-0000-7000-8000-000000000002' WHERE availability = 'away';
ALTER TABLE rep_state DROP COLUMN availability;
CREATE TABLE availability_changes (
  user_id uuid NOT NULL REFERENCES users (id),
  at timestamptz NOT NULL,
  state_id uuid NOT NULL REFERENCES availability_states (id),
  PRIMARY KEY (user_id, at)
);
INSERT INTO availability_changes (user_id, at, state_id) SELECT user_id, since, state_id FROM rep_state;

-- How a rep wants records to open when a call comes in, and what callers hear when they do not answer.
ALTER TABLE users
  ADD COLUMN opens text NOT NULL DEFAULT 'answer' CHECK (opens IN ('ring', 'answer', 'click', 'address')),
  ADD COLUMN address_template text NOT NULL DEFAULT '',
  ADD COLUMN greeting text NOT NULL DEFAULT '';

ALTER TABLE calls
  ADD COLUMN message_ms bigint NOT NULL DEFAULT 0, -- of voicemail: from the beep to the end
  ADD COLUMN box_user_id uuid REFERENCES users (id), -- of voicemail: whose it is; null is the line's
  ADD COLUMN colleague_id uuid REFERENCES users (id), -- of an internal call
  ADD COLUMN by_hand boolean NOT NULL DEFAULT false; -- made elsewhere and written down afterwards

-- A missed call or a message to one rep is owed by that rep; the others by the line's team.
ALTER TABLE unreturned ADD COLUMN user_id uuid REFERENCES users (id);

-- Whom a rep has chosen among several who share a number: the newest choice stands.
CREATE TABLE number_choices (
  e164 text NOT NULL,
  ext text NOT NULL DEFAULT '',
  record_id uuid NOT NULL REFERENCES records (id),
  user_id uuid REFERENCES users (id),
  at timestamptz NOT NULL,
  PRIMARY KEY (e164, ext)
);
CREATE INDEX number_choices_record ON number_choices (record_id);

-- A line from one colleague to another, in the other's lane until it is done.
CREATE TABLE colleague_notes (
  id uuid PRIMARY KEY,
  from_id uuid NOT NULL REFERENCES users (id),
  to_id uuid NOT NULL REFERENCES users (id),
  text text NOT NULL,
  at timestamptz NOT NULL,
  done_at timestamptz
);
CREATE INDEX colleague_notes_open ON colleague_notes (to_id, at) WHERE done_at IS NULL;

-- Calls that nobody is on.
CREATE INDEX calls_missed ON calls (started_at DESC, id DESC) WHERE direction = 'inbound' AND answered_at IS NULL;
