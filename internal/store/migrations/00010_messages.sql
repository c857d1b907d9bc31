-- +goose Up

-- Whether the network lets a line send text messages.
ALTER TABLE lines ADD COLUMN texting text NOT NULL DEFAULT 'none' CHECK (texting IN ('none', 'asked', 'approved', 'refused'));
ALTER TABLE users ADD COLUMN mail_address text NOT NULL DEFAULT '', ADD COLUMN forward_texts boolean NOT NULL DEFAULT false;

CREATE TABLE templates (
  id uuid PRIMARY KEY,
  name text NOT NULL,
  channel text NOT NULL CHECK (channel IN ('text', 'mail')),
  subject text NOT NULL DEFAULT '',
  body text NOT NULL,
  position int NOT NULL,
  active boolean NOT NULL DEFAULT true
);

-- Text messages and mails, sent and received.
CREATE TABLE messages (
  id uuid PRIMARY KEY,
  channel text NOT NULL CHECK (channel IN ('text', 'mail')),
  incoming boolean NOT NULL,
  record_id uuid REFERENCES records (id),         -- with whom; NULL: nobody knows yet
  address text NOT NULL,                          -- theirs: a number in its normal form, or a mail address in lower case
  line_id uuid REFERENCES lines (id),             -- ours, of a text message
  user_id uuid REFERENCES users (id),             -- who wrote it, or whom it is for
  slip_id uuid REFERENCES slips (id),
  subject text NOT NULL DEFAULT '',
  body text NOT NULL,
  state text NOT NULL CHECK (state IN ('waiting', 'sending', 'sent', 'failed', 'cancelled', 'received')),
  at timestamptz NOT NULL,
  send_at timestamptz,
  sent_at timestamptz,
  tries int NOT NULL DEFAULT 0,
  problem text NOT NULL DEFAULT '',
  reference text UNIQUE,                          -- of one received: the network's name for it; of a mail: its Message-ID
  in_reply_to text NOT NULL DEFAULT '',
  forwards uuid REFERENCES messages (id),         -- it tells a rep's own telephone of that one
  read_at timestamptz,
  read_by uuid REFERENCES users (id)
);
CREATE INDEX messages_record ON messages (record_id, at) WHERE record_id IS NOT NULL;
CREATE INDEX messages_address ON messages (address, at);
CREATE INDEX messages_due ON messages (send_at) WHERE state IN ('waiting', 'sending');
CREATE INDEX messages_unread ON messages (at) WHERE incoming AND read_at IS NULL;

-- Numbers that want no messages.
CREATE TABLE text_opt_outs (
  e164 text PRIMARY KEY,
  word text NOT NULL,
  at timestamptz NOT NULL
);

ALTER TABLE history DROP CONSTRAINT history_kind_check, ADD CHECK (kind IN ('call', 'follow_up', 'change', 'message'));
