-- name: Passkeys :many
SELECT id, name, credential, added_at, used_at FROM passkeys WHERE user_id = @user_id ORDER BY added_at;

-- name: InsertPasskey :execrows
INSERT INTO passkeys (id, user_id, name, credential, added_at) VALUES (@id, @user_id, @name, @credential, @at)
ON CONFLICT DO NOTHING;

-- name: UsePasskey :exec
UPDATE passkeys SET credential = @credential, used_at = @at WHERE id = @id;

-- name: DeletePasskey :one
DELETE FROM passkeys WHERE id = @id AND user_id = @user_id RETURNING name;

-- name: DeletePasskeysOf :many
DELETE FROM passkeys WHERE user_id = @user_id RETURNING name;

-- name: InsertSignInStep :exec
INSERT INTO sign_in_steps (hash, what, data, ends_at) VALUES (@hash, @what, @data, @ends_at);

-- name: TakeSignInStep :one
-- A question is answered once.
DELETE FROM sign_in_steps WHERE hash = @hash AND what = @what AND ends_at > @now::timestamptz RETURNING data;

-- name: DeleteSignInSteps :exec
DELETE FROM sign_in_steps WHERE ends_at <= @now::timestamptz;

-- name: IdentityProvider :one
SELECT label, issuer, client_id, client_secret, scopes, rules, version FROM identity_provider;

-- name: SaveIdentityProvider :execrows
INSERT INTO identity_provider (label, issuer, client_id, client_secret, scopes, rules)
VALUES (@label, @issuer, @client_id, @client_secret, @scopes, @rules)
ON CONFLICT (one) DO UPDATE SET label = @label, issuer = @issuer, client_id = @client_id, client_secret = @client_secret,
  scopes = @scopes, rules = @rules, version = identity_provider.version + 1
WHERE identity_provider.version = @version;

-- name: DeleteIdentityProvider :execrows
DELETE FROM identity_provider WHERE version = @version;

-- name: ProvidedIdentity :one
SELECT user_id FROM provided_identities WHERE issuer = @issuer AND subject = @subject;

-- name: InsertProvidedIdentity :exec
INSERT INTO provided_identities (issuer, subject, user_id, added_at) VALUES (@issuer, @subject, @user_id, @at);

-- name: UseProvidedIdentity :exec
UPDATE provided_identities SET used_at = @at WHERE issuer = @issuer AND subject = @subject;

-- name: MembersByMail :many
-- Whose mail address it is.
SELECT id FROM users WHERE lower(mail_address) = lower(@mail) AND active AND leaving_since IS NULL ORDER BY id LIMIT 2;

-- name: SignedInFrom :one
-- Whether somebody has signed in since a time from a place, and from anywhere before.
SELECT coalesce(bool_or(after ->> 'from' = @place::text AND at >= @since::timestamptz), false)::boolean AS here,
  (count(*) > 0)::boolean AS anywhere
FROM audit WHERE subject_kind = 'session' AND subject_id = @who AND action = 'signed in';

-- name: FailedSignIns :one
SELECT count(*) FROM audit WHERE subject_kind = 'session' AND subject_id = @who AND action = 'sign-in failed'
AND at >= @since::timestamptz;

-- name: MailOf :one
SELECT name, mail_address FROM users WHERE id = @id AND active;

-- name: MailAddresses :many
-- Who of the firm can be told something by mail.
SELECT u.id, u.name, u.mail_address FROM users u WHERE u.active AND u.leaving_since IS NULL AND u.mail_address <> '' ORDER BY u.id;
