-- +goose Up

-- Who is called back may have said what it is about, and a name that nobody of the firm knows yet.
ALTER TABLE queue_waits ADD COLUMN word text NOT NULL DEFAULT '', ADD COLUMN called text NOT NULL DEFAULT '';

-- Forms that a firm shows on its own pages: whoever fills one in is called back, or has written.
CREATE TABLE web_forms (
  id uuid PRIMARY KEY,
  queue_id uuid NOT NULL REFERENCES queues (id),
  line_id uuid REFERENCES lines (id),                  -- shown when they are called
  name text NOT NULL,                                  -- for the firm
  title text NOT NULL,
  hello text NOT NULL,
  calls boolean NOT NULL,                              -- one can ask to be called
  messages boolean NOT NULL,                           -- one can write
  makes_case boolean NOT NULL,                         -- a message of somebody who is known becomes a case of theirs
  sites text[] NOT NULL,                               -- origins of the pages that may show it
  salt bytea NOT NULL,                                 -- in the mark of its address: a new one makes older addresses void
  active boolean NOT NULL DEFAULT true,
  version int NOT NULL DEFAULT 1
);
CREATE UNIQUE INDEX web_forms_name ON web_forms (lower(name));

-- What a customer writes instead of speaking it.
ALTER TABLE survey_answers ADD COLUMN words text NOT NULL DEFAULT '';

-- Calls after which the customer was asked by text, and how far that has come.
CREATE TABLE survey_texts (
  call_id uuid PRIMARY KEY REFERENCES calls (id),
  e164 text NOT NULL,
  at timestamptz NOT NULL,
  scored_at timestamptz,
  done boolean NOT NULL DEFAULT false
);
CREATE INDEX survey_texts_open ON survey_texts (e164, at) WHERE NOT done;
