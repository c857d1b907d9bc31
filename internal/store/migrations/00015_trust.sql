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

-- Whether a call was a conversation with a customer, as core/touch says; what came of it may change that.
ALTER TABLE calls ADD COLUMN spoke boolean NOT NULL DEFAULT false;
UPDATE calls c SET spoke = true WHERE c.direction <> 'internal' AND c.answered_at IS NOT NULL AND c.drop_result = ''
  AND (c.direction = 'inbound' OR NOT EXISTS (SELECT FROM slips s JOIN outcomes o ON o.id = s.outcome_id WHERE s.call_id = c.id AND NOT o.reached));
ALTER TABLE outcomes ADD COLUMN left_message boolean NOT NULL DEFAULT false; -- a voicemail was left

-- A missed call is that of a number with its extension; who came back to it may turn out to have reached nobody.
ALTER TABLE unreturned ADD COLUMN remote_ext text NOT NULL DEFAULT '', ADD COLUMN closed_by_call uuid REFERENCES calls (id);
UPDATE unreturned u SET remote_ext = c.remote_ext FROM calls c WHERE c.id = u.call_id;
CREATE INDEX unreturned_closed_by ON unreturned (closed_by_call) WHERE closed_by_call IS NOT NULL;

-- What a person of the firm wrote and sent; the rest is sent by a program. Which server is sending it, so that a restart knows what it left.
ALTER TABLE messages ADD COLUMN by_hand boolean NOT NULL DEFAULT false, ADD COLUMN server text NOT NULL DEFAULT '', ADD COLUMN epoch bigint NOT NULL DEFAULT 0;
UPDATE messages SET by_hand = true WHERE NOT incoming AND user_id IS NOT NULL AND forwards IS NULL AND member_id IS NULL;

-- A mail address of somebody's own, outside the firm's domains, counts once a code that was sent there was typed in.
ALTER TABLE users ADD COLUMN mail_proved text NOT NULL DEFAULT '';

-- When a matter came to its stage: a deal is earned on the day it was won.
ALTER TABLE records ADD COLUMN stage_at timestamptz;
UPDATE records r SET stage_at = coalesce((SELECT max(a.at) FROM audit a WHERE a.subject_kind = 'record' AND a.subject_id = r.id AND coalesce(a.after ->> 'Stage', a.after ->> 'stage') = r.stage), r.created_at)
  WHERE r.kind = 'deal';
-- +goose StatementBegin
CREATE FUNCTION note_stage() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  IF TG_OP = 'INSERT' THEN
    NEW.stage_at := coalesce(NEW.stage_at, NEW.created_at);
  ELSIF NEW.stage IS DISTINCT FROM OLD.stage AND NEW.stage_at IS NOT DISTINCT FROM OLD.stage_at THEN
    NEW.stage_at := now(); -- whoever takes a change back says which day it was
  END IF;
  RETURN NEW;
END $$;
-- +goose StatementEnd
CREATE TRIGGER records_stage BEFORE INSERT OR UPDATE OF stage ON records FOR EACH ROW WHEN (NEW.kind = 'deal') EXECUTE FUNCTION note_stage();

-- Promises that a rep has passed over in a round: it does not stop at the same one again.
ALTER TABLE round_reps ADD COLUMN passed uuid[] NOT NULL DEFAULT '{}';
