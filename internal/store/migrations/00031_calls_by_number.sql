-- +goose Up

-- Calls of a number in the order of lists, and numbers by a part of them.
DROP INDEX calls_remote;
CREATE INDEX calls_remote ON calls (remote_e164, started_at DESC, id DESC);
CREATE INDEX calls_remote_part ON calls USING gin (remote_e164 gin_trgm_ops) WHERE remote_e164 <> '';
