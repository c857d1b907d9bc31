-- +goose Up

-- What somebody may do. Rights that are not written down here are those that the role came with (core/rights).
CREATE TABLE roles (
  key text PRIMARY KEY,
  name text NOT NULL,
  rights jsonb,                            -- right by right, how far it goes
  position int NOT NULL DEFAULT 0,
  version int NOT NULL DEFAULT 1
);
CREATE UNIQUE INDEX roles_name ON roles (lower(name));
INSERT INTO roles (key, name, position) VALUES ('rep', 'Rep', 1), ('supervisor', 'Supervisor', 2), ('admin', 'Admin', 3);

ALTER TABLE users DROP CONSTRAINT users_role_check,
  ADD CONSTRAINT users_role_fkey FOREIGN KEY (role) REFERENCES roles (key),
  ADD COLUMN more_teams text[] NOT NULL DEFAULT '{}',     -- besides the one that decides which outcomes they are offered
  ADD COLUMN skills jsonb NOT NULL DEFAULT '{}',          -- what they know, each from 1 (some) to 3 (well)
  ADD COLUMN languages text[] NOT NULL DEFAULT '{}';      -- by their codes (BCP 47), the best first
ALTER TABLE users ADD COLUMN teams text[] GENERATED ALWAYS AS
  (CASE WHEN team = '' THEN more_teams ELSE array_prepend(team, more_teams) END) STORED;
