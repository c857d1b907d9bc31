-- +goose Up
CREATE EXTENSION IF NOT EXISTS btree_gin;

-- A text as it is compared: lower case, without accents. Immutable, since the dictionary is named and ships with PostgreSQL.
-- +goose StatementBegin
CREATE FUNCTION fold(text) RETURNS text LANGUAGE sql IMMUTABLE PARALLEL SAFE STRICT
  AS $$ SELECT lower(unaccent('unaccent'::regdictionary, $1)) $$;
-- +goose StatementEnd

-- One row holds all of a record's own fields; what comes in any number (telephone numbers, lines of a quote, lists) has its table.
ALTER TABLE records DROP CONSTRAINT records_kind_check;
ALTER TABLE records
  ADD CHECK (kind IN ('contact', 'lead', 'company', 'deal', 'case', 'product', 'quote', 'order', 'visit')),
  ADD COLUMN given text NOT NULL DEFAULT '',
  ADD COLUMN family text NOT NULL DEFAULT '',
  ADD COLUMN job text NOT NULL DEFAULT '',
  ADD COLUMN email text NOT NULL DEFAULT '',
  ADD COLUMN web text NOT NULL DEFAULT '',
  ADD COLUMN social text NOT NULL DEFAULT '',
  ADD COLUMN address text NOT NULL DEFAULT '',
  ADD COLUMN place text NOT NULL DEFAULT '',
  ADD COLUMN person_id uuid REFERENCES records (id),
  ADD COLUMN deal_id uuid REFERENCES records (id),
  ADD COLUMN quote_id uuid REFERENCES records (id),
  ADD COLUMN reference text NOT NULL DEFAULT '',
  ADD COLUMN amount_minor bigint,
  ADD COLUMN currency text NOT NULL DEFAULT '',
  ADD COLUMN due_on date,
  ADD COLUMN starts_at timestamptz,
  ADD COLUMN ends_at timestamptz,
  ADD COLUMN delivery text NOT NULL DEFAULT '',
  ADD COLUMN invoice text NOT NULL DEFAULT '',
  ADD COLUMN tags text[] NOT NULL DEFAULT '{}',
  ADD COLUMN number_order text[] NOT NULL DEFAULT '{}',
  ADD COLUMN merged_into uuid REFERENCES records (id);

UPDATE records r SET given = p.given, family = p.family, job = p.job, email = p.email FROM people p WHERE p.record_id = r.id;
UPDATE records r SET web = c.web, address = c.address, place = c.place FROM companies c WHERE c.record_id = r.id;
DROP TABLE people;
DROP TABLE companies;

ALTER TABLE records ADD COLUMN search text NOT NULL GENERATED ALWAYS AS (fold(name || ' ' || email || ' ' || reference)) STORED;
DROP INDEX records_name_trgm;
DROP INDEX records_list;
DROP INDEX records_company;
CREATE INDEX records_search ON records USING gin (search gin_trgm_ops) WHERE deleted_at IS NULL;
CREATE INDEX records_list ON records (kind, lower(name), id) WHERE deleted_at IS NULL;
CREATE INDEX records_people ON records (lower(name), id) WHERE deleted_at IS NULL AND kind IN ('contact', 'lead');
CREATE INDEX records_company ON records (company_id, kind) WHERE company_id IS NOT NULL;
CREATE INDEX records_person ON records (person_id) WHERE person_id IS NOT NULL;
CREATE INDEX records_deal ON records (deal_id) WHERE deal_id IS NOT NULL;
CREATE INDEX records_quote ON records (quote_id) WHERE quote_id IS NOT NULL;
CREATE INDEX records_email ON records (lower(email)) WHERE email <> '' AND deleted_at IS NULL;
CREATE INDEX records_owner ON records (owner_id, kind) WHERE deleted_at IS NULL;
CREATE INDEX records_stage ON records (kind, stage) WHERE deleted_at IS NULL;
CREATE INDEX records_source ON records (kind, source) WHERE deleted_at IS NULL;
CREATE INDEX records_tags ON records USING gin (tags) WHERE tags <> '{}';
CREATE INDEX records_merged ON records (merged_into) WHERE merged_into IS NOT NULL;

ALTER TABLE custom_fields ADD COLUMN choices text[] NOT NULL DEFAULT '{}', ADD COLUMN active boolean NOT NULL DEFAULT true;
ALTER TABLE phone_numbers ADD COLUMN version int NOT NULL DEFAULT 1;
-- Numbers are found by how they begin or end; any part of one was never asked for, and its index made every import slow.
DROP INDEX phone_numbers_e164_trgm;
CREATE INDEX phone_numbers_begins ON phone_numbers (e164 text_pattern_ops) WHERE e164 IS NOT NULL;

-- Lines of a quote or an order. Quantities in thousandths, discount and tax in hundredths of a percent.
CREATE TABLE record_items (
  record_id uuid NOT NULL REFERENCES records (id),
  position int NOT NULL,
  product_id uuid REFERENCES records (id),
  label text NOT NULL,
  quantity_milli bigint NOT NULL,
  unit_minor bigint NOT NULL,
  discount_bp int NOT NULL DEFAULT 0,
  tax_bp int NOT NULL DEFAULT 0,
  PRIMARY KEY (record_id, position)
);

-- Hand-made lists, and views: saved filters.
CREATE TABLE lists (
  id uuid PRIMARY KEY,
  name text NOT NULL,
  group_name text NOT NULL DEFAULT '',
  type text NOT NULL CHECK (type IN ('hand', 'view')),
  record_kind text NOT NULL,
  query jsonb NOT NULL DEFAULT '{}',
  owner_id uuid NOT NULL REFERENCES users (id),
  shared boolean NOT NULL DEFAULT true,
  created_at timestamptz NOT NULL,
  version int NOT NULL DEFAULT 1
);
CREATE TABLE list_members (
  list_id uuid NOT NULL REFERENCES lists (id) ON DELETE CASCADE,
  record_id uuid NOT NULL REFERENCES records (id),
  at timestamptz NOT NULL,
  PRIMARY KEY (list_id, record_id)
);
CREATE INDEX list_members_record ON list_members (record_id);

-- A bulk action with what was there before, so that it can be undone.
CREATE TABLE bulk_changes (
  id uuid PRIMARY KEY,
  user_id uuid NOT NULL REFERENCES users (id),
  at timestamptz NOT NULL,
  action text NOT NULL,
  value text NOT NULL DEFAULT '',
  count int NOT NULL DEFAULT 0,
  undone_at timestamptz
);
CREATE TABLE bulk_change_rows (
  bulk_id uuid NOT NULL REFERENCES bulk_changes (id) ON DELETE CASCADE,
  record_id uuid NOT NULL REFERENCES records (id),
  before jsonb NOT NULL,
  PRIMARY KEY (bulk_id, record_id)
);

CREATE TABLE duplicate_pairs (
  id uuid PRIMARY KEY,
  a_id uuid NOT NULL REFERENCES records (id),
  b_id uuid NOT NULL REFERENCES records (id),
  score int NOT NULL,
  reasons text[] NOT NULL,
  state text NOT NULL DEFAULT 'open' CHECK (state IN ('open', 'different', 'merged')),
  found_at timestamptz NOT NULL,
  UNIQUE (a_id, b_id),
  CHECK (a_id < b_id)
);
CREATE INDEX duplicate_pairs_open ON duplicate_pairs (score DESC, id) WHERE state = 'open';
CREATE INDEX duplicate_pairs_b ON duplicate_pairs (b_id);

-- A merge with everything that was moved, so that it can be undone.
CREATE TABLE merges (
  id uuid PRIMARY KEY,
  kept_id uuid NOT NULL REFERENCES records (id),
  lost_id uuid NOT NULL REFERENCES records (id),
  user_id uuid NOT NULL REFERENCES users (id),
  at timestamptz NOT NULL,
  moved jsonb NOT NULL,
  undone_at timestamptz
);
CREATE INDEX merges_kept ON merges (kept_id);

-- Numbers that must not be called, whether anybody in the book has them or not.
CREATE TABLE do_not_call_numbers (
  e164 text PRIMARY KEY,
  reason text NOT NULL DEFAULT '',
  added_by uuid REFERENCES users (id),
  at timestamptz NOT NULL
);

-- Imports: what was asked, and how far it is. The file lies beside the server.
CREATE TABLE imports (
  id uuid PRIMARY KEY,
  user_id uuid NOT NULL REFERENCES users (id),
  record_kind text NOT NULL,
  format text NOT NULL CHECK (format IN ('csv', 'vcard', 'jsonl')),
  file_name text NOT NULL,
  state text NOT NULL CHECK (state IN ('waiting', 'ready', 'checking', 'checked', 'loading', 'done', 'cancelled', 'failed')),
  problem text NOT NULL DEFAULT '',
  file_bytes bigint NOT NULL DEFAULT 0,
  plan jsonb NOT NULL DEFAULT '{}',
  bytes_read bigint NOT NULL DEFAULT 0,
  rows_read bigint NOT NULL DEFAULT 0,
  rows_good bigint NOT NULL DEFAULT 0,
  rows_rejected bigint NOT NULL DEFAULT 0,
  rows_made bigint NOT NULL DEFAULT 0,
  rows_updated bigint NOT NULL DEFAULT 0,
  rows_skipped bigint NOT NULL DEFAULT 0,
  loaded_to bigint NOT NULL DEFAULT 0,
  mends uuid REFERENCES imports (id),
  server text NOT NULL DEFAULT '',
  created_at timestamptz NOT NULL,
  changed_at timestamptz NOT NULL
);
CREATE INDEX imports_at ON imports (created_at DESC);
CREATE TABLE import_rows (
  import_id uuid NOT NULL REFERENCES imports (id) ON DELETE CASCADE,
  row_no bigint NOT NULL,
  data bytea NOT NULL, -- JSON that only this program reads: PostgreSQL need not take it apart
  PRIMARY KEY (import_id, row_no)
);
CREATE TABLE import_rejects (
  import_id uuid NOT NULL REFERENCES imports (id) ON DELETE CASCADE,
  row_no bigint NOT NULL,
  line bigint NOT NULL,
  field text NOT NULL,
  reason text NOT NULL,
  cells text[] NOT NULL,
  PRIMARY KEY (import_id, row_no)
);

CREATE TABLE exports (
  id uuid PRIMARY KEY,
  user_id uuid NOT NULL REFERENCES users (id),
  format text NOT NULL,
  query jsonb NOT NULL,
  created_at timestamptz NOT NULL
);

-- The secret of a subscribable calendar, hashed.
ALTER TABLE users ADD COLUMN calendar_hash bytea;
CREATE UNIQUE INDEX users_calendar ON users (calendar_hash) WHERE calendar_hash IS NOT NULL;

-- Whose number a call to a number without an outcome is, by record.
CREATE INDEX slips_without_outcome ON slips (call_id) WHERE outcome_id IS NULL;

-- How often each value of these is there, as filters compare them (rows.go): without, a list of a large book is sorted as a
-- whole where reading it in its order would soon have a page full.
CREATE STATISTICS records_stage_values ON (NULLIF(stage, '')) FROM records;
CREATE STATISTICS records_source_values ON (lower(NULLIF(source, ''))) FROM records;
CREATE STATISTICS records_job_values ON (lower(NULLIF(job, ''))) FROM records;
CREATE STATISTICS records_delivery_values ON (NULLIF(delivery, '')) FROM records;
