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

-- name: Sources :many
-- What came of each source: calls on its lines, people and leads, deals, and what those that were won are worth.
WITH rung AS (
  SELECT l.source, count(*) AS calls FROM calls c JOIN lines l ON l.id = c.line_id WHERE l.source <> '' AND c.direction = 'inbound' AND c.started_at >= @since GROUP BY l.source
), kept AS (
  SELECT r.source, count(*) FILTER (WHERE r.kind <> 'deal' AND r.created_at >= @since) AS people, count(*) FILTER (WHERE r.kind = 'deal' AND r.created_at >= @since) AS deals,
    count(*) FILTER (WHERE r.kind = 'deal' AND r.stage = 'won' AND r.stage_at >= @since) AS won,
    sum(r.amount_minor) FILTER (WHERE r.kind = 'deal' AND r.stage = 'won' AND r.stage_at >= @since AND r.currency = @currency) AS earned
  FROM records r WHERE r.source <> '' AND r.kind IN ('contact', 'lead', 'deal') AND r.deleted_at IS NULL GROUP BY r.source
), named AS (
  SELECT source FROM lines WHERE source <> '' UNION SELECT source FROM kept
)
SELECT n.source, coalesce(g.calls, 0)::int AS calls, coalesce(k.people, 0)::int AS people, coalesce(k.deals, 0)::int AS deals, coalesce(k.won, 0)::int AS won,
  coalesce(k.earned, 0)::bigint AS earned
FROM named n LEFT JOIN rung g ON g.source = n.source LEFT JOIN kept k ON k.source = n.source
ORDER BY earned DESC, calls DESC, n.source;
