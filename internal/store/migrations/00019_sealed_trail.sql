-- +goose Up

-- The trail is sealed entry by entry (core/chain), a moment after it is written, so that no act waits for it.
ALTER TABLE audit
  ADD COLUMN n bigint UNIQUE,                    -- its place in the chain
  ADD COLUMN hash bytea,
  ADD COLUMN before_hash bytea,                  -- of the texts, which may be erased while the chain still holds
  ADD COLUMN after_hash bytea,
  ADD COLUMN erased_at timestamptz;
CREATE INDEX audit_unsealed ON audit (at, id) WHERE n IS NULL;

-- Where the chain begins, once what was older has been deleted in its time.
CREATE TABLE audit_beginning (n bigint NOT NULL, hash bytea NOT NULL, at timestamptz NOT NULL);

-- Nothing but sealing, erasing a person and deleting in its time touches an entry.
-- +goose StatementBegin
CREATE FUNCTION keep_audit() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  IF TG_OP = 'TRUNCATE' OR coalesce(current_setting('trundo.trail', true), '') = '' THEN
    RAISE EXCEPTION 'the trail of what was done is not changed';
  END IF;
  IF TG_OP = 'UPDATE' AND current_setting('trundo.trail') = 'erase' AND
    (NEW.id, NEW.at, NEW.actor_id, NEW.subject_kind, NEW.subject_id, NEW.action, NEW.n, NEW.hash) IS DISTINCT FROM
    (OLD.id, OLD.at, OLD.actor_id, OLD.subject_kind, OLD.subject_id, OLD.action, OLD.n, OLD.hash) THEN
    RAISE EXCEPTION 'of an entry only its texts are erased';
  END IF;
  RETURN coalesce(NEW, OLD);
END $$;
-- +goose StatementEnd
CREATE TRIGGER keep_audit BEFORE UPDATE OR DELETE ON audit FOR EACH ROW EXECUTE FUNCTION keep_audit();
CREATE TRIGGER keep_all_audit BEFORE TRUNCATE ON audit FOR EACH STATEMENT EXECUTE FUNCTION keep_audit();
