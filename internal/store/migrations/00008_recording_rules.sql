-- +goose Up

-- Whether calls are recorded: of a line, for calls made and for calls that come in; of a rep, in place of that.
ALTER TABLE lines DROP CONSTRAINT lines_recording_check,
  ADD CHECK (recording IN ('on', 'announce', 'ask', 'off')),
  ADD COLUMN recording_in text NOT NULL DEFAULT 'on' CHECK (recording_in IN ('on', 'announce', 'ask', 'off')),
  ADD COLUMN greeting_sound uuid;
UPDATE lines SET recording_in = recording;
ALTER TABLE users ADD COLUMN recording text NOT NULL DEFAULT '' CHECK (recording IN ('', 'on', 'announce', 'ask', 'off'));

ALTER TABLE recordings
  ADD COLUMN why text NOT NULL DEFAULT '',       -- what was decided, where it was not simply the line's rule
  ADD COLUMN stored text NOT NULL DEFAULT '',    -- its name in the store of recordings; empty: still the file on its server's disk
  ADD COLUMN stored_bytes bigint NOT NULL DEFAULT 0,
  ADD COLUMN expires_at timestamptz,             -- said beforehand, see core/recording
  ADD COLUMN held_at timestamptz,                -- not to be deleted, whatever its age
  ADD COLUMN held_by uuid REFERENCES users (id),
  ADD COLUMN held_why text NOT NULL DEFAULT '',
  ADD COLUMN heard_at timestamptz,               -- of a message: when somebody heard it first
  ADD COLUMN heard_by uuid REFERENCES users (id);
CREATE INDEX recordings_expires ON recordings (expires_at) WHERE state = 'kept' AND expires_at IS NOT NULL;
CREATE INDEX recordings_to_store ON recordings (server, began_at) WHERE state = 'kept' AND stored = '';

-- Sounds that people recorded or brought: greetings, messages to leave. G.711 µ-law at 8 kHz, one channel.
CREATE TABLE sounds (
    id uuid PRIMARY KEY,
    user_id uuid NOT NULL REFERENCES users (id),
    name text NOT NULL,
    codes bytea NOT NULL,
    created_at timestamptz NOT NULL
);
ALTER TABLE lines ADD FOREIGN KEY (greeting_sound) REFERENCES sounds (id);
ALTER TABLE users ADD COLUMN greeting_sound uuid REFERENCES sounds (id), ADD COLUMN whisper boolean NOT NULL DEFAULT false,
  ADD COLUMN program boolean NOT NULL DEFAULT false; -- calls are made by the computer's own calling program
-- Of a call made so: its times are not known until its rep says them.
ALTER TABLE calls ADD COLUMN unconfirmed boolean NOT NULL DEFAULT false;
ALTER TABLE prepared_messages
  ADD COLUMN sound uuid REFERENCES sounds (id),
  ADD COLUMN weekdays int[] NOT NULL DEFAULT '{}',   -- chosen on these (ISO: Monday is 1); empty: on all
  ADD COLUMN list_id uuid REFERENCES lists (id),     -- chosen for those who are on it; NULL: for all
  ADD COLUMN outcome_id uuid REFERENCES outcomes (id); -- chosen where the person's last call ended so; NULL: whatever it was

-- A rep's own telephone: called only after a code that was spoken to it was typed in.
CREATE TABLE telephones (
    user_id uuid PRIMARY KEY REFERENCES users (id),
    e164 text NOT NULL,
    verified_at timestamptz,
    code_hash bytea NOT NULL DEFAULT '',
    code_until timestamptz,
    tries int NOT NULL DEFAULT 0,
    speaks boolean NOT NULL DEFAULT false,    -- the rep's calls go by it, instead of the browser
    rings boolean NOT NULL DEFAULT false,     -- it rings too when a call comes in
    press_one boolean NOT NULL DEFAULT true   -- answering it counts only with a 1
);

-- Bad lines, as a rep reported them, with what was measured.
CREATE TABLE line_reports (
    id uuid PRIMARY KEY,
    call_id uuid NOT NULL REFERENCES calls (id),
    user_id uuid NOT NULL REFERENCES users (id),
    at timestamptz NOT NULL,
    trouble text NOT NULL CHECK (trouble IN ('noise', 'echo', 'cut_outs', 'volume', 'one_way')),
    figures jsonb NOT NULL
);
CREATE INDEX line_reports_call ON line_reports (call_id);

-- What was said, by phrase.
CREATE TABLE transcripts (
    recording_id uuid PRIMARY KEY REFERENCES recordings (id) ON DELETE CASCADE,
    source text NOT NULL,
    phrases jsonb NOT NULL
);

-- When somebody agreed that recorded messages are left for them.
ALTER TABLE records ADD COLUMN message_consent_at timestamptz;
