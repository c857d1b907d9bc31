-- +goose Up

-- What a rep and whom they asked said to each other while the customer waited, where the firm keeps that.
ALTER TABLE recordings DROP CONSTRAINT recordings_kind_check,
    ADD CONSTRAINT recordings_kind_check CHECK (kind IN ('call', 'message', 'consultation'));
