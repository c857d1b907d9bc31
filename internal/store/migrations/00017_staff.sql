-- +goose Up

-- People of the firm come, change and go. Who leaves during a call leaves at its end.
ALTER TABLE users
  ADD COLUMN version int NOT NULL DEFAULT 1,
  ADD COLUMN leaving_since timestamptz,                    -- switched off during a call, and let go at its end
  ADD COLUMN leaving_to uuid REFERENCES users (id),        -- who gets what that call leaves behind
  ADD COLUMN password_set_at timestamptz,                  -- by themselves; before, it is what the set-up gave them
  ADD COLUMN totp_secret text NOT NULL DEFAULT '',         -- of their second factor, sealed; counts once totp_at is set
  ADD COLUMN totp_at timestamptz,                          -- since when it is asked for
  ADD COLUMN totp_step bigint NOT NULL DEFAULT 0,          -- of the last code that let them in: each is good once
  ADD COLUMN recovery bytea[] NOT NULL DEFAULT '{}',       -- hashes of the codes that let them in without their telephone
  ADD COLUMN off_at timestamptz,                           -- when they were switched off
  ADD COLUMN seen_at timestamptz;                          -- when they last signed in
-- Of two with the same extension the one who was there first keeps it.
UPDATE users u SET extension = '' WHERE extension <> '' AND active
  AND EXISTS (SELECT FROM users v WHERE v.extension = u.extension AND v.active AND (v.created_at, v.id) < (u.created_at, u.id));
CREATE UNIQUE INDEX users_extension ON users (extension) WHERE extension <> '' AND active;

-- Ways in by a link: an invitation, or a new password for one that was forgotten. Only the hash of what it carries is kept.
CREATE TABLE sign_in_links (
  hash bytea PRIMARY KEY,
  user_id uuid NOT NULL REFERENCES users (id),
  why text NOT NULL CHECK (why IN ('invited', 'reset')),
  made_by uuid REFERENCES users (id),
  made_at timestamptz NOT NULL,
  expires_at timestamptz NOT NULL,
  used_at timestamptz
);
CREATE INDEX sign_in_links_user ON sign_in_links (user_id) WHERE used_at IS NULL;

-- Who finishes a slip in place of a rep who has left.
ALTER TABLE slips ADD COLUMN handed_to uuid REFERENCES users (id);
CREATE INDEX slips_handed ON slips (handed_to) WHERE handed_to IS NOT NULL AND state = 'open';

-- The trail as a whole, newest first, and what one person did.
CREATE INDEX audit_newest ON audit (at DESC, id DESC);
CREATE INDEX audit_actor ON audit (actor_id, at DESC, id DESC);
