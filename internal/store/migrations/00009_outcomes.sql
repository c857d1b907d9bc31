-- +goose Up

-- What an outcome asks for and does, and where it is offered. Empty lists: everywhere.
ALTER TABLE outcomes
  ADD COLUMN needs_follow_up boolean NOT NULL DEFAULT false,
  ADD COLUMN directions text[] NOT NULL DEFAULT '{}',
  ADD COLUMN teams text[] NOT NULL DEFAULT '{}',
  ADD COLUMN call_type_ids uuid[] NOT NULL DEFAULT '{}',
  ADD COLUMN effects jsonb NOT NULL DEFAULT '[]';

ALTER TABLE follow_ups DROP CONSTRAINT follow_ups_kind_check,
  ADD CHECK (kind IN ('call', 'mail', 'meeting', 'task')),
  ADD COLUMN number_id uuid REFERENCES phone_numbers (id) ON DELETE SET NULL, -- that is to be called
  ADD COLUMN due_zone text NOT NULL DEFAULT '';                               -- where the time was meant; '': where the owner is

-- One filing of a slip, with what it did, and what was there before, so that it can be undone.
CREATE TABLE filings (
  id uuid PRIMARY KEY,
  slip_id uuid NOT NULL REFERENCES slips (id),
  user_id uuid NOT NULL REFERENCES users (id),
  outcome_id uuid REFERENCES outcomes (id),
  at timestamptz NOT NULL,
  asked boolean NOT NULL, -- whose number it is was still asked about
  undone_at timestamptz
);
CREATE INDEX filings_slip ON filings (slip_id, at DESC);
CREATE TABLE filing_effects (
  filing_id uuid NOT NULL REFERENCES filings (id),
  position int NOT NULL,
  item jsonb NOT NULL,                  -- as it was shown
  ref_id uuid,                          -- what it made
  change_id uuid,                       -- its entry in the audit trail and the history
  before jsonb NOT NULL DEFAULT '{}',
  state text NOT NULL CHECK (state IN ('done', 'undone', 'stays')),
  why text NOT NULL DEFAULT '',         -- it stays
  PRIMARY KEY (filing_id, position)
);
