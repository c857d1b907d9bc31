-- name: UserByLogin :one
SELECT id, login, name, role, team, password_hash, zone, number_style, line_id, extension FROM users WHERE login = @login AND active;

-- name: User :one
SELECT id, login, name, role, team, zone, number_style, line_id, extension FROM users WHERE id = @id AND active;

-- name: Users :many
SELECT id, login, name, role, team, zone FROM users WHERE active ORDER BY CASE role WHEN 'rep' THEN 1 WHEN 'supervisor' THEN 2 ELSE 3 END, name;

-- name: InsertUser :exec
INSERT INTO users (id, login, name, role, team, password_hash, zone, line_id, extension)
VALUES (@id, @login, @name, @role, @team, @password_hash, @zone, sqlc.narg('line_id'), @extension);

-- name: InsertRepState :exec
INSERT INTO rep_state (user_id) VALUES (@user_id) ON CONFLICT DO NOTHING;

-- name: Lines :many
SELECT id, e164, label, source, region, main, active FROM lines ORDER BY position, id;

-- name: Outcomes :many
SELECT id, label, position, reached, needs_notes, active FROM outcomes ORDER BY position, id;

-- name: CallTypes :many
SELECT id, label, position, active FROM call_types ORDER BY position, id;

-- name: Setting :one
SELECT value FROM settings WHERE key = @key;

-- name: PutSetting :exec
INSERT INTO settings (key, value) VALUES (@key, @value)
ON CONFLICT (key) DO UPDATE SET value = EXCLUDED.value, version = settings.version + 1;

-- name: CountUsers :one
SELECT count(*) FROM users;
