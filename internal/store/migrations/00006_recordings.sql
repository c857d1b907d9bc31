-- +goose Up

-- What was heard in a call, or left as a message after it. The sound is a file; what is known of it stands here.
CREATE TABLE recordings (
    id uuid PRIMARY KEY,
    call_id uuid NOT NULL REFERENCES calls (id),
    kind text NOT NULL CHECK (kind IN ('call', 'message')),
    state text NOT NULL CHECK (state IN ('going', 'kept', 'deleted')),
    server text NOT NULL,                    -- on whose disk the file is
    file text NOT NULL,                      -- its name there
    began_at timestamptz NOT NULL,
    total_ms int NOT NULL DEFAULT 0,
    ours_ms int NOT NULL DEFAULT 0,
    theirs_ms int NOT NULL DEFAULT 0,
    overlap_ms int NOT NULL DEFAULT 0,
    silence_ms int NOT NULL DEFAULT 0,
    longest_ours_ms int NOT NULL DEFAULT 0,
    longest_theirs_ms int NOT NULL DEFAULT 0,
    interrupted_them int NOT NULL DEFAULT 0,
    interrupted_us int NOT NULL DEFAULT 0,
    first_answer_ms int NOT NULL DEFAULT 0,
    gain_ours real NOT NULL DEFAULT 0,       -- dB, so that both sides are even
    gain_theirs real NOT NULL DEFAULT 0,
    trace_ours bytea NOT NULL DEFAULT '',    -- the voice trace, heights of 0 to 100, five a second
    trace_theirs bytea NOT NULL DEFAULT '',
    gaps jsonb NOT NULL DEFAULT '[]',
    trouble text NOT NULL DEFAULT '',        -- why a part is missing, in words
    deleted_at timestamptz,
    deleted_by uuid REFERENCES users (id),
    deleted_why text NOT NULL DEFAULT ''
);
CREATE INDEX recordings_call ON recordings (call_id, began_at DESC);
CREATE UNIQUE INDEX recordings_file ON recordings (file);
CREATE INDEX recordings_going ON recordings (server) WHERE state = 'going';

CREATE TABLE recording_remarks (
    id uuid PRIMARY KEY,
    recording_id uuid NOT NULL REFERENCES recordings (id),
    at_ms int NOT NULL CHECK (at_ms >= 0),
    text text NOT NULL,
    user_id uuid NOT NULL REFERENCES users (id),
    created_at timestamptz NOT NULL
);
CREATE INDEX recording_remarks_recording ON recording_remarks (recording_id, at_ms);

-- Whether calls over a line are recorded: announce says so to both sides first.
ALTER TABLE lines ADD COLUMN recording text NOT NULL DEFAULT 'on' CHECK (recording IN ('on', 'announce', 'off'));
