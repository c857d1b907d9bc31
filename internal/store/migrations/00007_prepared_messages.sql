-- +goose Up

-- Messages that a rep leaves after the beep with one key. What is spoken is made of the text.
CREATE TABLE prepared_messages (
    id uuid PRIMARY KEY,
    name text NOT NULL,
    text text NOT NULL,
    position int NOT NULL,
    active boolean NOT NULL DEFAULT true
);
