-- name: Scripts :many
SELECT id, name, body, call_type_ids, directions, active FROM scripts ORDER BY position, id;

-- name: PutScript :exec
INSERT INTO scripts (id, name, body, call_type_ids, directions, position, active) VALUES (@id, @name, @body, @call_type_ids, @directions, @position, @active)
ON CONFLICT (id) DO UPDATE SET name = EXCLUDED.name, body = EXCLUDED.body, call_type_ids = EXCLUDED.call_type_ids, directions = EXCLUDED.directions, position = EXCLUDED.position, active = EXCLUDED.active;

-- name: CallAnswers :many
SELECT key, script_id, question, answer FROM call_answers WHERE call_id = @call_id ORDER BY at, key;

-- name: PutAnswer :exec
INSERT INTO call_answers (call_id, key, script_id, question, answer, user_id, at) VALUES (@call_id, @key, @script_id, @question, @answer, @user_id, @at)
ON CONFLICT (call_id, key) DO UPDATE SET script_id = EXCLUDED.script_id, question = EXCLUDED.question, answer = EXCLUDED.answer, user_id = EXCLUDED.user_id, at = EXCLUDED.at;

-- name: DropAnswer :exec
DELETE FROM call_answers WHERE call_id = @call_id AND key = @key;

-- name: ScriptOfCall :one
-- What is known for the script of a call.
SELECT c.direction, s.id AS slip_id, s.user_id, s.call_type_id, coalesce(p.name, '')::text AS person, coalesce(p.given, '')::text AS given, coalesce(p.family, '')::text AS family,
  coalesce(o.name, '')::text AS company, c.remote_e164, c.remote_ext
FROM calls c JOIN LATERAL (SELECT * FROM slips x WHERE x.call_id = c.id ORDER BY x.user_id = @me DESC, x.created_at LIMIT 1) s ON true
LEFT JOIN LATERAL (SELECT r.* FROM call_links l JOIN records r ON r.id = l.record_id WHERE l.call_id = c.id AND l.role = 'person' ORDER BY l.at LIMIT 1) p ON true
LEFT JOIN records o ON o.id = p.company_id
WHERE c.id = @call_id;
