-- +goose Up

-- A set of people that reps work through, one call at a time.
CREATE TABLE rounds (
  id uuid PRIMARY KEY,
  name text NOT NULL,
  list_id uuid REFERENCES lists (id) ON DELETE SET NULL, -- it was made from
  started_by uuid NOT NULL REFERENCES users (id),
  started_at timestamptz NOT NULL,
  settings jsonb NOT NULL,
  source jsonb NOT NULL DEFAULT '{}',   -- what is still to be prepared of it; '{}': nothing
  total int NOT NULL,                   -- people on it, as far as they are prepared
  ranked_at timestamptz,                -- when the best hour was last looked at
  ended_at timestamptz,
  version int NOT NULL DEFAULT 1
);
CREATE INDEX rounds_open ON rounds (started_at DESC) WHERE ended_at IS NULL;
CREATE INDEX rounds_list ON rounds (list_id) WHERE ended_at IS NULL;

-- Who works on it.
CREATE TABLE round_reps (
  round_id uuid NOT NULL REFERENCES rounds (id),
  user_id uuid NOT NULL REFERENCES users (id),
  state text NOT NULL CHECK (state IN ('going', 'paused', 'left')),
  why text NOT NULL DEFAULT '',         -- of a pause that the rep did not make
  stop_after boolean NOT NULL DEFAULT false,
  takes_calls boolean NOT NULL DEFAULT true, -- calls that come in ring between two of the round
  since timestamptz NOT NULL,
  PRIMARY KEY (round_id, user_id)
);
-- A rep works on one round at a time.
CREATE UNIQUE INDEX round_reps_going ON round_reps (user_id) WHERE state = 'going';

CREATE TABLE round_people (
  round_id uuid NOT NULL REFERENCES rounds (id),
  position int NOT NULL,
  record_id uuid NOT NULL REFERENCES records (id),
  -- waiting: free · later: free from ready_at on · taken: a rep looks at it · calling: there is an attempt that is not filed · done
  state text NOT NULL CHECK (state IN ('waiting', 'later', 'taken', 'calling', 'done')),
  rank double precision NOT NULL,
  ready_at timestamptz,
  user_id uuid REFERENCES users (id),   -- who holds it, or for whom it is kept
  lease_until timestamptz,              -- of one that is taken
  dial_at timestamptz,                  -- when it is called by itself
  call_id uuid REFERENCES calls (id),   -- the last attempt
  number_id uuid,                       -- to be tried next
  tried uuid[] NOT NULL DEFAULT '{}',   -- numbers tried since they were last put off
  attempts int NOT NULL DEFAULT 0,
  bead text NOT NULL DEFAULT 'waiting',
  why text NOT NULL DEFAULT '',
  outcome_id uuid REFERENCES outcomes (id),
  settled_at timestamptz,
  PRIMARY KEY (round_id, position),
  UNIQUE (round_id, record_id)
);
CREATE INDEX round_people_next ON round_people (round_id, rank, position) WHERE state = 'waiting';
CREATE INDEX round_people_later ON round_people (ready_at) WHERE state = 'later';
CREATE INDEX round_people_taken ON round_people (lease_until) WHERE state = 'taken';
CREATE INDEX round_people_held ON round_people (user_id) WHERE state IN ('taken', 'calling');
CREATE INDEX round_people_settled ON round_people (round_id, settled_at) WHERE settled_at IS NOT NULL;
CREATE INDEX round_people_record ON round_people (record_id);

-- The attempts of a round.
CREATE TABLE round_calls (
  call_id uuid PRIMARY KEY REFERENCES calls (id),
  round_id uuid NOT NULL,
  position int NOT NULL,
  user_id uuid NOT NULL REFERENCES users (id),
  number_id uuid,
  at timestamptz NOT NULL,
  hour int NOT NULL,                    -- of the day, at the person's place
  settled_at timestamptz,
  bead text NOT NULL DEFAULT '',
  before jsonb NOT NULL DEFAULT '{}',   -- how the person stood before it was settled, so that that can be undone
  FOREIGN KEY (round_id, position) REFERENCES round_people (round_id, position)
);
CREATE INDEX round_calls_person ON round_calls (round_id, position, at);
CREATE INDEX round_calls_user ON round_calls (user_id, at);

-- Whom a rep holds: nobody is called by two at a time, whatever lists they are on.
CREATE TABLE held_people (
  record_id uuid PRIMARY KEY REFERENCES records (id),
  round_id uuid NOT NULL,
  user_id uuid NOT NULL,
  until timestamptz NOT NULL
);
CREATE INDEX held_people_user ON held_people (user_id);

-- What a start page begins with: a rep's last choice, or the team's.
CREATE TABLE round_defaults (
  whose text PRIMARY KEY,               -- user:<id> or team:<name>
  settings jsonb NOT NULL
);

-- The line that calls from a list show; how often each was shown today.
ALTER TABLE lists ADD COLUMN line_id uuid REFERENCES lines (id);
CREATE INDEX calls_line ON calls (line_id, started_at) WHERE direction = 'outbound';

-- What became of a message that was left by itself: left, cut_off, no_beep.
ALTER TABLE calls ADD COLUMN drop_result text NOT NULL DEFAULT '';
