-- +goose Up

-- A dump is restored with an empty search path: every name that a function uses says where it is.
CREATE OR REPLACE FUNCTION fold(text) RETURNS text LANGUAGE sql IMMUTABLE STRICT PARALLEL SAFE
  AS $$ SELECT lower(public.unaccent('public.unaccent'::regdictionary, $1)) $$;

-- Sessions that began earlier are over: somebody has signed out everywhere, or has another password.
ALTER TABLE users ADD COLUMN sessions_from timestamptz NOT NULL DEFAULT 'epoch';

-- A change of many records goes on behind the request that asked for it, part by part.
ALTER TABLE bulk_changes
  ADD COLUMN state text NOT NULL DEFAULT 'done' CHECK (state IN ('running', 'done', 'cancelled', 'failed')),
  ADD COLUMN selected int NOT NULL DEFAULT 0,  -- how many were picked
  ADD COLUMN looked_at int NOT NULL DEFAULT 0, -- how many of them are dealt with
  ADD COLUMN kinds text[] NOT NULL DEFAULT '{}',
  ADD COLUMN what text NOT NULL DEFAULT '',    -- the value in words
  ADD COLUMN change_id uuid,                   -- its entry in the trail
  ADD COLUMN server text NOT NULL DEFAULT '';  -- which works on it
CREATE INDEX bulk_changes_running ON bulk_changes (server) WHERE state = 'running';
ALTER TABLE bulk_change_rows ADD COLUMN done boolean NOT NULL DEFAULT true;
CREATE TABLE bulk_pending (
  bulk_id uuid NOT NULL REFERENCES bulk_changes (id) ON DELETE CASCADE,
  record_id uuid NOT NULL,
  PRIMARY KEY (bulk_id, record_id)
);
