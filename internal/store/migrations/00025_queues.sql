-- +goose Up

-- Routes: what a caller hears and what becomes of the call (core/route). The draft is what is being written; each
-- version that went live is kept, so that one can go back to it.
CREATE TABLE routes (
  id uuid PRIMARY KEY,
  name text NOT NULL,
  draft jsonb NOT NULL,                                -- route.Route
  live int,                                            -- which version is; NULL: none yet
  version int NOT NULL DEFAULT 1                       -- of the draft and the name
);
CREATE UNIQUE INDEX routes_name ON routes (lower(name));
CREATE TABLE route_versions (
  route_id uuid NOT NULL REFERENCES routes (id),
  no int NOT NULL,
  doc jsonb NOT NULL,
  at timestamptz NOT NULL,
  user_id uuid NOT NULL REFERENCES users (id),
  PRIMARY KEY (route_id, no)
);
-- Callers that somebody has played, with what has to come of it: they are played again before a version goes live.
CREATE TABLE route_trials (
  id uuid PRIMARY KEY,
  route_id uuid NOT NULL REFERENCES routes (id),
  name text NOT NULL,
  played jsonb NOT NULL,                               -- queues.played
  expects jsonb NOT NULL                               -- ids of the steps, in order
);
ALTER TABLE lines ADD COLUMN route_id uuid REFERENCES routes (id);

-- Queues: who waits for whom.
CREATE TABLE queues (
  id uuid PRIMARY KEY,
  name text NOT NULL,
  active boolean NOT NULL DEFAULT true,
  settings jsonb NOT NULL,                             -- queues.rules
  closed boolean NOT NULL DEFAULT false,               -- by somebody who leads, until they open it
  today text NOT NULL DEFAULT '',                      -- is said to everybody who waits, on that day
  today_on date NOT NULL DEFAULT '1970-01-01',
  version int NOT NULL DEFAULT 1
);
CREATE UNIQUE INDEX queues_name ON queues (lower(name));
CREATE TABLE queue_members (
  queue_id uuid NOT NULL REFERENCES queues (id),
  user_id uuid NOT NULL REFERENCES users (id),
  position int NOT NULL,
  PRIMARY KEY (queue_id, user_id)
);
CREATE INDEX queue_members_user ON queue_members (user_id);

-- Everybody who waited in a queue, or waits to be called back, and what somebody wrote: one row for each time.
CREATE TABLE queue_waits (
  id uuid PRIMARY KEY,
  queue_id uuid NOT NULL REFERENCES queues (id),
  kind text NOT NULL CHECK (kind IN ('call', 'callback', 'message')),
  call_id uuid REFERENCES calls (id),                  -- in which they waited, or asked to be called back
  message_id uuid REFERENCES messages (id),            -- of written work
  line_id uuid REFERENCES lines (id),
  record_id uuid REFERENCES records (id) ON DELETE SET NULL,
  e164 text NOT NULL DEFAULT '',
  ext text NOT NULL DEFAULT '',
  priority int NOT NULL DEFAULT 0,
  since timestamptz NOT NULL,                          -- their place
  ahead int NOT NULL DEFAULT 0,                        -- how many had their turn before, at the beginning
  said_ms bigint,                                      -- the wait that was said at the beginning
  due_at timestamptz,                                  -- of a callback: not before
  tries int NOT NULL DEFAULT 0,
  taken_by uuid REFERENCES users (id),                 -- of a callback: who is calling them; of written work: whose it is
  taken_at timestamptz,
  left_at timestamptz,
  how text NOT NULL DEFAULT '' CHECK (how IN ('', 'answered', 'abandoned', 'callback', 'voicemail', 'overflow', 'moved', 'removed',
    'called', 'unreached', 'pressed')),
  why text NOT NULL DEFAULT '',
  answered_by uuid REFERENCES users (id)
);
CREATE INDEX queue_waits_open ON queue_waits (queue_id, since) WHERE left_at IS NULL;
CREATE INDEX queue_waits_day ON queue_waits (queue_id, since);
CREATE INDEX queue_waits_call ON queue_waits (call_id);
CREATE UNIQUE INDEX queue_waits_one_callback ON queue_waits (queue_id, e164, ext) WHERE kind = 'callback' AND left_at IS NULL;

CREATE UNIQUE INDEX queue_waits_message ON queue_waits (message_id) WHERE message_id IS NOT NULL;

-- In which queue a call waited last: its members owe it.
ALTER TABLE calls ADD COLUMN queue_id uuid REFERENCES queues (id);
ALTER TABLE unreturned ADD COLUMN queue_id uuid REFERENCES queues (id);

-- Whether somebody owes a call back: it is for them, for the queue of which they are a member, or for the line that rings
-- them; a line that names nobody rings everybody.
-- +goose StatementBegin
CREATE FUNCTION owes_call(u unreturned, me uuid) RETURNS boolean LANGUAGE sql STABLE AS $$
  SELECT CASE
    WHEN u.user_id IS NOT NULL THEN u.user_id = me
    WHEN u.queue_id IS NOT NULL THEN EXISTS (SELECT FROM queue_members m WHERE m.queue_id = u.queue_id AND m.user_id = me)
    ELSE EXISTS (SELECT FROM line_reps l WHERE l.line_id = u.line_id AND l.user_id = me)
      OR NOT EXISTS (SELECT FROM line_reps l WHERE l.line_id = u.line_id)
  END
$$;
-- +goose StatementEnd
