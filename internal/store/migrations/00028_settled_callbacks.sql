-- +goose Up

-- A conversation settles what is owed to its number, callbacks too: they are found by it.
CREATE INDEX queue_waits_back ON queue_waits (e164) WHERE kind = 'callback' AND left_at IS NULL;
