-- +goose Up

-- A number that people stop answering can rest: it is not shown for a while, unless somebody chooses it.
ALTER TABLE lines ADD COLUMN rests_until timestamptz;
