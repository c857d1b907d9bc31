-- +goose Up

-- Who is away, and who stands in. Days are those of whoever is away.
CREATE TABLE absences (
  id uuid PRIMARY KEY,
  user_id uuid NOT NULL REFERENCES users (id),
  from_on date NOT NULL,
  until_on date NOT NULL,
  from_noon boolean NOT NULL DEFAULT false,
  until_noon boolean NOT NULL DEFAULT false,
  begins_at timestamptz NOT NULL,          -- what that is in their zone
  ends_at timestamptz NOT NULL,
  deputy_id uuid REFERENCES users (id),
  made_by uuid NOT NULL REFERENCES users (id),
  CHECK (begins_at < ends_at)
);
CREATE INDEX absences_user ON absences (user_id, begins_at);
CREATE INDEX absences_end ON absences (ends_at);
