-- +goose Up

-- When the last call ended that somebody was in: since then they are free, or in the state that they chose.
ALTER TABLE rep_state ADD COLUMN last_ended_at timestamptz;

-- Somebody's own calls, newest first.
CREATE INDEX slips_user ON slips (user_id, created_at DESC);
