-- +goose Up

-- How much of something a firm allows in a month: itself, a team, a rep, a line.
CREATE TABLE usage_limits (
  id uuid PRIMARY KEY,
  what text NOT NULL CHECK (what IN ('minutes', 'texts', 'recorded', 'storage')),
  scope text NOT NULL CHECK (scope IN ('firm', 'team', 'rep', 'line')),
  of_whom text NOT NULL DEFAULT '',       -- the id of a rep or a line, the name of a team
  amount bigint NOT NULL CHECK (amount >= 0),
  hard boolean NOT NULL DEFAULT false,    -- nothing more of it once it is reached
  UNIQUE (what, scope, of_whom)
);
