-- +goose Up

-- Calls of more than two: why a leg was added, and what the time of each was spent with (core/call, Times).
ALTER TABLE calls ADD COLUMN joined_into uuid REFERENCES calls (id);  -- it went on as a part of that one
ALTER TABLE legs
  ADD COLUMN role text NOT NULL DEFAULT '',
  ADD COLUMN talk_ms bigint NOT NULL DEFAULT 0,
  ADD COLUMN hold_ms bigint NOT NULL DEFAULT 0,
  ADD COLUMN consult_ms bigint NOT NULL DEFAULT 0,
  ADD COLUMN conference_ms bigint NOT NULL DEFAULT 0;
