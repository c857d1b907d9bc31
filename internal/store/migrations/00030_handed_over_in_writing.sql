-- +goose Up

-- What was written from a call. One that came in and has a slip was not written by the customer: a rep has handed the
-- call over with it, in writing.
CREATE INDEX messages_slip ON messages (slip_id) WHERE slip_id IS NOT NULL;
