-- +goose Up

-- Who gave a follow-up to its owner: until it is changed again they can take that back.
ALTER TABLE follow_ups ADD COLUMN given_by uuid REFERENCES users (id);
