-- +goose Up

-- When the last call ended that somebody was in: since then they are free, or in the state that they chose.
ALTER TABLE rep_state ADD COLUMN last_ended_at timestamptz;

-- Somebody's own calls, newest first.
CREATE INDEX slips_user ON slips (user_id, created_at DESC);

-- About which deal or case somebody of a round is called.
CREATE TABLE round_matters (
  round_id uuid NOT NULL REFERENCES rounds (id) ON DELETE CASCADE,
  record_id uuid NOT NULL REFERENCES records (id),
  matter_id uuid NOT NULL REFERENCES records (id),
  PRIMARY KEY (round_id, record_id)
);

-- What follows an order: deliveries and invoices; and whose order it is.
ALTER TABLE records DROP CONSTRAINT records_kind_check;
ALTER TABLE records
  ADD CHECK (kind IN ('contact', 'lead', 'company', 'deal', 'case', 'product', 'quote', 'order', 'delivery', 'invoice', 'visit')),
  ADD COLUMN order_id uuid REFERENCES records (id),
  ADD COLUMN way text NOT NULL DEFAULT '';
CREATE INDEX records_order ON records (order_id) WHERE order_id IS NOT NULL;
UPDATE records SET way = 'of a customer' WHERE kind = 'order';

-- Files that go with a mail. One that was brought and not sent is forgotten after a day.
CREATE TABLE message_files (
  id uuid PRIMARY KEY,
  user_id uuid NOT NULL REFERENCES users (id),
  message_id uuid REFERENCES messages (id),
  position int NOT NULL DEFAULT 0,
  name text NOT NULL,
  type text NOT NULL,
  content bytea NOT NULL,
  at timestamptz NOT NULL
);
CREATE INDEX message_files_message ON message_files (message_id) WHERE message_id IS NOT NULL;
CREATE INDEX message_files_unsent ON message_files (user_id, at) WHERE message_id IS NULL;

CREATE INDEX calls_colleague ON calls (colleague_id) WHERE colleague_id IS NOT NULL;
CREATE INDEX calls_inbound ON calls (line_id, started_at) WHERE direction = 'inbound';
CREATE INDEX records_of_source ON records (source, kind, created_at) INCLUDE (stage, stage_at, currency, amount_minor)
  WHERE source <> '' AND kind IN ('contact', 'lead', 'deal') AND deleted_at IS NULL;
CREATE INDEX calls_no_number ON calls (started_at) WHERE remote_e164 = '';
