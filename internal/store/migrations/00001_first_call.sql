-- +goose Up
CREATE EXTENSION IF NOT EXISTS pg_trgm;
CREATE EXTENSION IF NOT EXISTS unaccent;

CREATE TABLE settings (
  key text PRIMARY KEY,
  value jsonb NOT NULL,
  version int NOT NULL DEFAULT 1
);

CREATE TABLE lines (
  id uuid PRIMARY KEY,
  e164 text NOT NULL UNIQUE,
  label text NOT NULL,
  source text NOT NULL DEFAULT '',
  region text NOT NULL,
  zone text NOT NULL,
  position int NOT NULL DEFAULT 0,
  main boolean NOT NULL DEFAULT false,
  active boolean NOT NULL DEFAULT true
);

CREATE TABLE users (
  id uuid PRIMARY KEY,
  login text NOT NULL UNIQUE,
  name text NOT NULL,
  role text NOT NULL CHECK (role IN ('rep', 'supervisor', 'admin')),
  team text NOT NULL DEFAULT '',
  password_hash text NOT NULL,
  zone text NOT NULL,
  number_style text NOT NULL DEFAULT 'national' CHECK (number_style IN ('national', 'international')),
  line_id uuid REFERENCES lines (id),
  extension text NOT NULL DEFAULT '',
  active boolean NOT NULL DEFAULT true,
  created_at timestamptz NOT NULL DEFAULT now()
);

-- Sign-in sessions, in the form that the session library asks for.
CREATE TABLE sessions (
  token text PRIMARY KEY,
  data bytea NOT NULL,
  expiry timestamptz NOT NULL
);
CREATE INDEX sessions_expiry ON sessions (expiry);

CREATE TABLE servers (
  name text PRIMARY KEY,
  epoch bigint NOT NULL,
  started_at timestamptz NOT NULL,
  heartbeat_at timestamptz NOT NULL
);

-- Every kind of record has a row here, so that numbers, links and history have real foreign keys.
CREATE TABLE records (
  id uuid PRIMARY KEY,
  kind text NOT NULL CHECK (kind IN ('contact', 'lead', 'company')),
  name text NOT NULL,
  company_id uuid REFERENCES records (id),
  owner_id uuid REFERENCES users (id),
  source text NOT NULL DEFAULT '',
  stage text NOT NULL DEFAULT '',
  zone text NOT NULL DEFAULT '',
  note text NOT NULL DEFAULT '',
  custom jsonb NOT NULL DEFAULT '{}',
  dnc_at timestamptz,
  dnc_reason text NOT NULL DEFAULT '',
  created_at timestamptz NOT NULL DEFAULT now(),
  deleted_at timestamptz,
  version int NOT NULL DEFAULT 1
);
CREATE INDEX records_name_trgm ON records USING gin (lower(name) gin_trgm_ops) WHERE deleted_at IS NULL;
CREATE INDEX records_list ON records (lower(name), id) WHERE deleted_at IS NULL;
CREATE INDEX records_company ON records (company_id) WHERE company_id IS NOT NULL;

CREATE TABLE people (
  record_id uuid PRIMARY KEY REFERENCES records (id),
  given text NOT NULL DEFAULT '',
  family text NOT NULL DEFAULT '',
  job text NOT NULL DEFAULT '',
  email text NOT NULL DEFAULT ''
);

CREATE TABLE companies (
  record_id uuid PRIMARY KEY REFERENCES records (id),
  web text NOT NULL DEFAULT '',
  address text NOT NULL DEFAULT '',
  place text NOT NULL DEFAULT ''
);

CREATE TABLE custom_fields (
  id uuid PRIMARY KEY,
  record_kind text NOT NULL,
  key text NOT NULL,
  label text NOT NULL,
  type text NOT NULL CHECK (type IN ('text', 'number', 'date', 'choice', 'yes_no', 'phone')),
  position int NOT NULL DEFAULT 0,
  UNIQUE (record_kind, key)
);

-- Every number of every record and custom field.
CREATE TABLE phone_numbers (
  id uuid PRIMARY KEY,
  record_id uuid NOT NULL REFERENCES records (id),
  field_id uuid REFERENCES custom_fields (id),
  label text NOT NULL,
  position int NOT NULL DEFAULT 0,
  typed text NOT NULL,
  e164 text,
  ext text NOT NULL DEFAULT '',
  digits_reversed text NOT NULL DEFAULT '',
  valid boolean NOT NULL DEFAULT false,
  region text NOT NULL DEFAULT '',
  zones text[] NOT NULL DEFAULT '{}',
  dnc_at timestamptz,
  dnc_reason text NOT NULL DEFAULT ''
);
CREATE INDEX phone_numbers_record ON phone_numbers (record_id, position);
CREATE INDEX phone_numbers_e164 ON phone_numbers (e164, ext);
CREATE INDEX phone_numbers_e164_trgm ON phone_numbers USING gin (e164 gin_trgm_ops);
CREATE INDEX phone_numbers_digits ON phone_numbers (digits_reversed text_pattern_ops);

CREATE TABLE call_types (
  id uuid PRIMARY KEY,
  label text NOT NULL,
  position int NOT NULL,
  active boolean NOT NULL DEFAULT true
);

CREATE TABLE outcomes (
  id uuid PRIMARY KEY,
  label text NOT NULL,
  position int NOT NULL,
  reached boolean NOT NULL,
  needs_notes boolean NOT NULL DEFAULT false,
  active boolean NOT NULL DEFAULT true
);

CREATE TABLE calls (
  id uuid PRIMARY KEY,
  direction text NOT NULL CHECK (direction IN ('outbound', 'inbound', 'internal')),
  line_id uuid REFERENCES lines (id),
  remote_e164 text NOT NULL,
  remote_ext text NOT NULL DEFAULT '',
  remote_typed text NOT NULL,
  remote_label text NOT NULL DEFAULT '',
  caller_id text NOT NULL,
  caller_id_reason text NOT NULL DEFAULT '',
  device text NOT NULL,
  placed_by uuid REFERENCES users (id),
  owner_server text NOT NULL,
  owner_epoch bigint NOT NULL,
  state text NOT NULL,
  last_seq int NOT NULL DEFAULT 0,
  started_at timestamptz NOT NULL,
  rang_at timestamptz,
  answered_at timestamptz,
  ended_at timestamptz,
  end_reason text NOT NULL DEFAULT '',
  dial_ms bigint NOT NULL DEFAULT 0,
  ring_ms bigint NOT NULL DEFAULT 0,
  talk_ms bigint NOT NULL DEFAULT 0
);
CREATE INDEX calls_remote ON calls (remote_e164, started_at DESC);
CREATE INDEX calls_placed_by ON calls (placed_by, started_at DESC);
CREATE INDEX calls_owner ON calls (owner_server) WHERE ended_at IS NULL;

-- The row that is locked to decide what concerns a rep rather than a call.
CREATE TABLE rep_state (
  user_id uuid PRIMARY KEY REFERENCES users (id),
  availability text NOT NULL DEFAULT 'available',
  since timestamptz NOT NULL DEFAULT now(),
  foreground_call_id uuid REFERENCES calls (id),
  version int NOT NULL DEFAULT 1
);

CREATE TABLE legs (
  call_id uuid NOT NULL REFERENCES calls (id),
  leg_no int NOT NULL,
  party text NOT NULL,
  user_id uuid REFERENCES users (id),
  device text NOT NULL DEFAULT '',
  address text NOT NULL DEFAULT '',
  state text NOT NULL,
  started_at timestamptz NOT NULL,
  rang_at timestamptz,
  answered_at timestamptz,
  ended_at timestamptz,
  end_reason text NOT NULL DEFAULT '',
  PRIMARY KEY (call_id, leg_no)
);

CREATE TABLE leg_spans (
  call_id uuid NOT NULL,
  leg_no int NOT NULL,
  bridge_no int NOT NULL,
  mode text NOT NULL DEFAULT 'talk',
  from_at timestamptz NOT NULL,
  to_at timestamptz,
  PRIMARY KEY (call_id, leg_no, from_at),
  FOREIGN KEY (call_id, leg_no) REFERENCES legs (call_id, leg_no)
);

CREATE TABLE call_facts (
  call_id uuid NOT NULL REFERENCES calls (id),
  seq int NOT NULL,
  at timestamptz NOT NULL,
  kind text NOT NULL,
  schema int NOT NULL,
  data jsonb NOT NULL,
  PRIMARY KEY (call_id, seq)
);

CREATE TABLE slips (
  id uuid PRIMARY KEY,
  call_id uuid NOT NULL REFERENCES calls (id),
  user_id uuid NOT NULL REFERENCES users (id),
  state text NOT NULL DEFAULT 'open' CHECK (state IN ('open', 'filed')),
  subject text NOT NULL DEFAULT '',
  call_type_id uuid REFERENCES call_types (id),
  outcome_id uuid REFERENCES outcomes (id),
  -- The attach question: a typed number that is not surely on a record.
  asks_who boolean NOT NULL DEFAULT false,
  open_record_id uuid REFERENCES records (id),
  created_at timestamptz NOT NULL,
  filed_at timestamptz,
  version int NOT NULL DEFAULT 1,
  UNIQUE (call_id, user_id)
);
CREATE INDEX slips_open ON slips (user_id, created_at) WHERE state = 'open';

CREATE TABLE slip_notes (
  slip_id uuid PRIMARY KEY REFERENCES slips (id),
  body text NOT NULL,
  version int NOT NULL,
  writer text NOT NULL DEFAULT '',
  saved_at timestamptz NOT NULL
);

CREATE TABLE call_links (
  call_id uuid NOT NULL REFERENCES calls (id),
  record_id uuid NOT NULL REFERENCES records (id),
  slip_id uuid REFERENCES slips (id),
  role text NOT NULL,
  reason text NOT NULL,
  linked_by uuid REFERENCES users (id),
  at timestamptz NOT NULL,
  PRIMARY KEY (call_id, record_id)
);

CREATE TABLE follow_ups (
  id uuid PRIMARY KEY,
  record_id uuid NOT NULL REFERENCES records (id),
  owner_id uuid NOT NULL REFERENCES users (id),
  slip_id uuid REFERENCES slips (id),
  kind text NOT NULL DEFAULT 'call' CHECK (kind IN ('call', 'task')),
  text text NOT NULL,
  promised boolean NOT NULL DEFAULT false,
  due_at timestamptz,
  day_only boolean NOT NULL DEFAULT false,
  state text NOT NULL DEFAULT 'open' CHECK (state IN ('open', 'done', 'cancelled')),
  created_by uuid REFERENCES users (id),
  created_at timestamptz NOT NULL,
  done_at timestamptz,
  version int NOT NULL DEFAULT 1
);
CREATE INDEX follow_ups_owner ON follow_ups (owner_id, due_at) WHERE state = 'open';
CREATE INDEX follow_ups_record ON follow_ups (record_id) WHERE state = 'open';

-- Projection: what happened to a record, in one index.
CREATE TABLE history (
  record_id uuid NOT NULL REFERENCES records (id),
  at timestamptz NOT NULL,
  kind text NOT NULL CHECK (kind IN ('call', 'follow_up', 'change')),
  ref_id uuid NOT NULL,
  PRIMARY KEY (record_id, at, kind, ref_id)
);
CREATE INDEX history_ref ON history (ref_id);

CREATE TABLE commands (
  user_id uuid NOT NULL REFERENCES users (id),
  key text NOT NULL,
  action text NOT NULL,
  request_hash bytea NOT NULL,
  response jsonb NOT NULL,
  at timestamptz NOT NULL,
  PRIMARY KEY (user_id, key)
);
CREATE INDEX commands_at ON commands (at);

CREATE TABLE audit (
  id uuid PRIMARY KEY,
  at timestamptz NOT NULL,
  actor_id uuid REFERENCES users (id),
  subject_kind text NOT NULL,
  subject_id uuid NOT NULL,
  action text NOT NULL,
  before jsonb NOT NULL DEFAULT '{}',
  after jsonb NOT NULL DEFAULT '{}'
);
CREATE INDEX audit_subject ON audit (subject_id, at);
