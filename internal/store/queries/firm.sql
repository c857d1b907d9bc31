-- name: UserByLogin :one
SELECT id, login, name, role, team, password_hash, zone, number_style, line_id, extension, recording FROM users WHERE login = @login AND active;

-- name: User :one
SELECT users.id, login, users.name, role, team, teams, zone, number_style, line_id, extension, recording, whisper, program, sessions_from,
  o.name AS role_name, o.rights, opens, address_template, (totp_at IS NOT NULL)::boolean AS second_factor,
  EXISTS (SELECT FROM telephones t WHERE t.user_id = users.id AND t.speaks AND t.verified_at IS NOT NULL)::boolean AS by_telephone
FROM users JOIN roles o ON o.key = users.role WHERE users.id = @id AND active;

-- name: Users :many
-- Everybody of the firm, or only some, with what core/presence asks for.
SELECT u.id, u.login, u.name, u.role, u.team, u.zone, u.extension, coalesce(t.label, '')::text AS availability,
  (coalesce(t.takes_calls, false) AND u.leaving_since IS NULL)::boolean AS takes_calls, s.since, s.last_ended_at, f.created_at AS speaking_since,
  (s.foreground_call_id IS NOT NULL)::boolean AS in_call,
  EXISTS (SELECT FROM round_reps g WHERE g.user_id = u.id AND g.state = 'going' AND NOT g.takes_calls)::boolean AS in_round,
  coalesce((SELECT max(c.ended_at) FROM slips w JOIN calls c ON c.id = w.call_id
    WHERE w.user_id = u.id AND w.state = 'open' AND c.ended_at > @wrapping_since AND c.ended_at < @soon::timestamptz), '0001-01-01 00:00:00+00')::timestamptz AS wrapping_since,
  EXISTS (SELECT FROM telephones p WHERE p.user_id = u.id AND p.rings AND p.verified_at IS NOT NULL)::boolean AS rings
FROM users u LEFT JOIN rep_state s ON s.user_id = u.id LEFT JOIN availability_states t ON t.id = s.state_id
LEFT JOIN slips f ON f.call_id = s.foreground_call_id AND f.user_id = u.id
WHERE u.active AND (@among::uuid[] IS NULL OR u.id = ANY(@among::uuid[]))
ORDER BY CASE u.role WHEN 'rep' THEN 1 WHEN 'supervisor' THEN 2 ELSE 3 END, u.name;

-- name: InsertUser :exec
INSERT INTO users (id, login, name, role, team, password_hash, zone, line_id, extension)
VALUES (@id, @login, @name, @role, @team, @password_hash, @zone, sqlc.narg('line_id'), @extension);

-- name: InsertRepState :exec
WITH made AS (INSERT INTO rep_state (user_id, since) VALUES (@user_id, @at) ON CONFLICT DO NOTHING RETURNING user_id, since, state_id)
INSERT INTO availability_changes (user_id, at, state_id) SELECT user_id, since, state_id FROM made;

-- name: SetUserRecording :execrows
UPDATE users SET recording = @recording WHERE id = @id;

-- name: UsersRecording :many
SELECT id, name, recording FROM users WHERE active ORDER BY name;

-- name: Lines :many
SELECT id, e164, label, source, region, main, active, recording, recording_in, rests_until FROM lines ORDER BY position, id;

-- name: Outcomes :many
SELECT id, label, position, reached, left_message, needs_notes, needs_follow_up, directions, teams, call_type_ids, effects, active FROM outcomes ORDER BY position, id;

-- name: CallTypes :many
SELECT id, label, position, active FROM call_types ORDER BY position, id;

-- name: Setting :one
SELECT value FROM settings WHERE key = @key;

-- name: PutSetting :exec
INSERT INTO settings (key, value) VALUES (@key, @value)
ON CONFLICT (key) DO UPDATE SET value = EXCLUDED.value, version = settings.version + 1;

-- name: CountUsers :one
SELECT count(*) FROM users;

-- name: SetCalendarHash :exec
UPDATE users SET calendar_hash = @hash WHERE id = @id;

-- name: UserByCalendar :one
SELECT id FROM users WHERE calendar_hash = @hash AND active;

-- name: CalendarVisits :many
SELECT id, name, place, starts_at, ends_at, stage, version FROM records
WHERE kind = 'visit' AND owner_id = @owner_id AND deleted_at IS NULL AND starts_at > @since ORDER BY starts_at LIMIT 2000;

-- name: CalendarFollowUps :many
SELECT f.id, f.text, f.due_at, f.day_only, f.state, f.version, r.name FROM follow_ups f JOIN records r ON r.id = f.record_id
WHERE f.owner_id = @owner_id AND f.due_at IS NOT NULL AND f.due_at > @since AND f.state <> 'cancelled' ORDER BY f.due_at LIMIT 2000;

-- name: EndSessions :exec
-- Every session of somebody that began before is over.
UPDATE users SET sessions_from = @at WHERE id = @id;

-- name: SetPassword :execrows
UPDATE users SET password_hash = @password_hash, sessions_from = @at WHERE login = @login;

-- name: SwitchUser :execrows
UPDATE users SET active = @active, sessions_from = @at WHERE login = @login;
