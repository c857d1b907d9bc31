-- name: Staff :many
-- Everybody who is or was of the firm.
SELECT u.id, u.login, u.name, u.role, u.team, u.more_teams, u.skills, u.languages, u.zone, u.extension, u.line_id, u.mail_address, u.active, u.version, u.leaving_since, u.off_at, u.seen_at,
  (u.password_hash = '' AND NOT EXISTS (SELECT FROM provided_identities i WHERE i.user_id = u.id))::boolean AS invited,
  (u.totp_at IS NOT NULL OR EXISTS (SELECT FROM passkeys p WHERE p.user_id = u.id))::boolean AS second_factor
FROM users u WHERE sqlc.narg('id')::uuid IS NULL OR u.id = sqlc.narg('id')::uuid
ORDER BY u.active DESC, u.name, u.id;

-- name: InsertMember :exec
INSERT INTO users (id, login, name, role, team, more_teams, skills, languages, password_hash, zone, line_id, extension, mail_address)
VALUES (@id, @login, @name, @role, @team, @more_teams, @skills, @languages, '', @zone, sqlc.narg('line_id'), @extension, @mail_address);

-- name: LockMember :one
SELECT u.id, u.login, u.name, u.role, u.team, u.more_teams, u.skills, u.languages, u.zone, u.extension, u.line_id, u.mail_address, u.active, u.version, u.password_hash, u.leaving_since, u.leaving_to
FROM users u WHERE u.id = @id FOR UPDATE;

-- name: LockAdmins :many
-- Those who may set the firm up, locked so that two of them cannot leave it without one at the same moment.
SELECT id FROM users WHERE role = 'admin' AND active AND leaving_since IS NULL ORDER BY id FOR UPDATE;

-- name: UpdateMember :exec
UPDATE users SET login = @login, name = @name, role = @role, team = @team, more_teams = @more_teams, skills = @skills, languages = @languages, zone = @zone, extension = @extension, line_id = sqlc.narg('line_id'),
  mail_address = @mail_address, version = version + 1
WHERE id = @id;

-- name: SwitchOff :exec
UPDATE users SET active = false, off_at = @at, sessions_from = @at, leaving_since = NULL, leaving_to = NULL, version = version + 1 WHERE id = @id;

-- name: LeaveAfterCall :exec
UPDATE users SET leaving_since = @at, leaving_to = sqlc.narg('receiver'), version = version + 1 WHERE id = @id;

-- name: SwitchOn :exec
UPDATE users SET active = true, off_at = NULL, leaving_since = NULL, leaving_to = NULL, version = version + 1 WHERE id = @id;

-- name: InCall :one
SELECT EXISTS (SELECT FROM slips s JOIN calls c ON c.id = s.call_id WHERE s.user_id = @user_id AND s.state = 'open' AND c.ended_at IS NULL)::boolean;

-- name: Leaving :many
-- Who was switched off during a call that is over now.
SELECT u.id FROM users u WHERE u.leaving_since IS NOT NULL
  AND NOT EXISTS (SELECT FROM slips s JOIN calls c ON c.id = s.call_id WHERE s.user_id = u.id AND s.state = 'open' AND c.ended_at IS NULL);

-- name: Belongings :one
-- What somebody would leave behind.
SELECT
  (SELECT count(*) FROM slips s WHERE (s.user_id = @user_id AND s.handed_to IS NULL OR s.handed_to = @user_id) AND s.state = 'open')::int AS slips,
  (SELECT count(*) FROM follow_ups f JOIN records r ON r.id = f.record_id WHERE f.owner_id = @user_id AND f.state = 'open' AND r.deleted_at IS NULL)::int AS follow_ups,
  (SELECT count(*) FROM records r WHERE r.owner_id = @user_id AND r.deleted_at IS NULL)::int AS records,
  (SELECT count(*) FROM round_reps g JOIN rounds o ON o.id = g.round_id WHERE g.user_id = @user_id AND g.state <> 'left' AND o.ended_at IS NULL)::int AS rounds,
  (SELECT count(*) FROM colleague_notes n WHERE n.to_id = @user_id AND n.done_at IS NULL)::int AS notes;

-- name: HandSlips :exec
UPDATE slips SET handed_to = @receiver, version = version + 1
WHERE (user_id = @user_id AND handed_to IS NULL OR handed_to = @user_id) AND state = 'open';

-- name: HandFollowUps :exec
UPDATE follow_ups SET owner_id = @receiver, version = version + 1 WHERE owner_id = @user_id AND state = 'open';

-- name: HandRecords :execrows
UPDATE records SET owner_id = @receiver, version = version + 1 WHERE owner_id = @user_id AND deleted_at IS NULL;

-- name: HandNotes :exec
UPDATE colleague_notes SET to_id = @receiver WHERE to_id = @user_id AND done_at IS NULL;

-- name: FreeTaken :exec
-- Whom somebody had taken on to call back, anybody may call back again.
UPDATE unreturned SET taken_by = NULL, taken_at = NULL, version = version + 1 WHERE taken_by = @user_id AND closed_at IS NULL;

-- name: RoundsOfRep :many
SELECT g.round_id FROM round_reps g JOIN rounds o ON o.id = g.round_id WHERE g.user_id = @user_id AND g.state <> 'left' AND o.ended_at IS NULL;

-- name: InsertSignInLink :exec
-- One at a time is good: an earlier one is used up.
WITH former AS (UPDATE sign_in_links SET used_at = @at WHERE user_id = @user_id AND used_at IS NULL)
INSERT INTO sign_in_links (hash, user_id, why, made_by, made_at, expires_at) VALUES (@hash, @user_id, @why, sqlc.narg('made_by'), @at, @expires_at);

-- name: SignInLink :one
SELECT k.user_id, k.why, k.expires_at, k.used_at, u.login, u.name, u.active FROM sign_in_links k JOIN users u ON u.id = k.user_id WHERE k.hash = @hash;

-- name: UseSignInLink :execrows
UPDATE sign_in_links SET used_at = @at WHERE hash = @hash AND used_at IS NULL AND expires_at > @at;

-- name: SetOwnPassword :exec
-- Every session that began before is over, and no link is good any more.
WITH links AS (UPDATE sign_in_links SET used_at = @at WHERE user_id = @id AND used_at IS NULL)
UPDATE users SET password_hash = @password_hash, password_set_at = @at, sessions_from = @at WHERE id = @id;

-- name: PasswordHash :one
SELECT password_hash FROM users WHERE id = @id AND active;

-- name: Seen :exec
UPDATE users SET seen_at = @at WHERE id = @id;

-- name: DemoPeople :many
-- Whom the demo's password still lets in.
SELECT login, name, role, team FROM users WHERE active AND password_set_at IS NULL AND password_hash <> ''
ORDER BY CASE role WHEN 'rep' THEN 1 WHEN 'supervisor' THEN 2 ELSE 3 END, name;

-- name: NobodyYet :one
SELECT (NOT EXISTS (SELECT FROM users))::boolean;

-- name: LockUsers :exec
-- Two who want to be the first admin at the same moment come one after the other.
LOCK TABLE users IN SHARE ROW EXCLUSIVE MODE;

-- name: SetUpSoFar :one
-- What of a new firm's set-up is done.
SELECT EXISTS (SELECT FROM lines WHERE active)::boolean AS lines,
  (EXISTS (SELECT FROM lines WHERE active AND hours -> 'spans' <> '[]') OR EXISTS (SELECT FROM settings WHERE key = 'holidays'))::boolean AS hours,
  ((SELECT count(*) FROM (SELECT FROM users LIMIT 2) u) > 1)::boolean AS colleagues,
  EXISTS (SELECT FROM records)::boolean AS book,
  EXISTS (SELECT FROM settings WHERE key = 'recording')::boolean AS recording,
  EXISTS (SELECT FROM slips WHERE state = 'filed')::boolean AS call;

-- name: InsertOutcome :exec
INSERT INTO outcomes (id, label, position, reached, left_message) VALUES (@id, @label, @position, @reached, @left_message);

-- name: SecondFactor :one
SELECT totp_secret, totp_at, totp_step, recovery FROM users WHERE id = @id AND active;

-- name: LockSecondFactor :one
SELECT totp_secret, totp_at, totp_step, recovery FROM users WHERE id = @id AND active FOR UPDATE;

-- name: BeginSecondFactor :exec
UPDATE users SET totp_secret = @secret, totp_at = NULL, totp_step = 0, recovery = '{}' WHERE id = @id;

-- name: ConfirmSecondFactor :exec
UPDATE users SET totp_at = @at, totp_step = @step, recovery = @recovery WHERE id = @id;

-- name: UseSecondFactor :exec
UPDATE users SET totp_step = @step, recovery = @recovery WHERE id = @id;

-- name: EndSecondFactor :exec
UPDATE users SET totp_secret = '', totp_at = NULL, totp_step = 0, recovery = '{}' WHERE id = @id;

-- name: Trail :many
-- What was done, newest first, as far as asked for; each begins behind the one that was shown last.
SELECT a.id, a.at, a.actor_id, coalesce(u.name, '')::text AS actor, a.subject_kind, a.subject_id, a.action, a.before, a.after,
  coalesce(r.name, m.name, l.label, '')::text AS subject, r.id AS record_id, coalesce(c.id, s.call_id, '00000000-0000-0000-0000-000000000000')::uuid AS call_id
FROM audit a LEFT JOIN users u ON u.id = a.actor_id
LEFT JOIN records r ON a.subject_kind = 'record' AND r.id = a.subject_id
LEFT JOIN users m ON a.subject_kind IN ('member', 'session') AND m.id = a.subject_id
LEFT JOIN lines l ON a.subject_kind = 'line' AND l.id = a.subject_id
LEFT JOIN calls c ON a.subject_kind = 'call' AND c.id = a.subject_id
LEFT JOIN slips s ON a.subject_kind = 'slip' AND s.id = a.subject_id
WHERE (sqlc.narg('who')::uuid IS NULL OR a.actor_id = sqlc.narg('who')::uuid)
  AND (@kind::text = '' OR a.subject_kind = @kind::text)
  AND (sqlc.narg('since')::timestamptz IS NULL OR a.at >= sqlc.narg('since')::timestamptz)
  AND (sqlc.narg('until')::timestamptz IS NULL OR a.at < sqlc.narg('until')::timestamptz)
  AND (@q::text = '' OR coalesce(r.name, m.name, l.label, '') ILIKE @q::text OR a.action ILIKE @q::text)
  AND (sqlc.narg('last_at')::timestamptz IS NULL OR (a.at, a.id) < (sqlc.narg('last_at')::timestamptz, sqlc.narg('last_id')::uuid))
ORDER BY a.at DESC, a.id DESC LIMIT @many;

-- name: Roles :many
-- What somebody of the firm may be, and how many are.
SELECT o.key, o.name, o.rights, o.version, (SELECT count(*) FROM users u WHERE u.role = o.key AND u.active)::int AS members
FROM roles o ORDER BY o.position, lower(o.name);

-- name: LockRole :one
SELECT key, name, rights, version FROM roles WHERE key = @key FOR UPDATE;

-- name: InsertRole :exec
INSERT INTO roles (key, name, rights, position) VALUES (@key, @name, @rights, 10);

-- name: UpdateRole :exec
UPDATE roles SET name = @name, rights = sqlc.narg('rights'), version = version + 1 WHERE key = @key;

-- name: DeleteRole :exec
DELETE FROM roles WHERE key = @key;

-- name: RoleUsed :one
SELECT EXISTS (SELECT FROM users WHERE role = @key)::boolean;

-- name: RoleOf :one
SELECT key, name, rights FROM roles WHERE key = @key;

-- name: TeamsOfAll :many
-- In which teams everybody is who is or was of the firm.
SELECT id, teams FROM users WHERE teams <> '{}';
