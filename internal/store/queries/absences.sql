-- name: AbsencesFrom :many
-- Absences that are not over at a moment, or of some time before.
SELECT a.id, a.user_id, u.name, a.from_on, a.until_on, a.from_noon, a.until_noon, a.begins_at, a.ends_at, a.deputy_id, coalesce(d.name, '')::text AS deputy
FROM absences a JOIN users u ON u.id = a.user_id LEFT JOIN users d ON d.id = a.deputy_id
WHERE a.ends_at > @at AND u.active ORDER BY a.begins_at, u.name;

-- name: AbsencesOf :many
SELECT id, from_on, until_on, from_noon, until_noon, begins_at, ends_at, deputy_id FROM absences WHERE user_id = @user_id AND ends_at > @at ORDER BY begins_at;

-- name: Absence :one
SELECT id, user_id, begins_at, ends_at FROM absences WHERE id = @id FOR UPDATE;

-- name: InsertAbsence :exec
INSERT INTO absences (id, user_id, from_on, until_on, from_noon, until_noon, begins_at, ends_at, deputy_id, made_by)
VALUES (@id, @user_id, @from_on, @until_on, @from_noon, @until_noon, @begins_at, @ends_at, sqlc.narg('deputy_id'), @made_by);

-- name: EndAbsence :exec
-- Who comes back earlier is there from then on.
UPDATE absences SET ends_at = @at WHERE id = @id;

-- name: DeleteAbsence :exec
DELETE FROM absences WHERE id = @id;

-- name: LastAbsence :one
-- The absence from which somebody came back last, not long ago.
SELECT begins_at, ends_at FROM absences WHERE user_id = @user_id AND ends_at <= @now::timestamptz AND ends_at > @since::timestamptz ORDER BY ends_at DESC LIMIT 1;

-- name: Meanwhile :many
-- What colleagues did for somebody in a time: calls with those whom they own, follow-ups of theirs that were done, messages to those whom they own.
SELECT 'call'::text AS kind, c.id AS id, r.id AS record_id, r.kind AS record_kind, r.name AS record_name, u.name AS who, c.started_at AS at, coalesce(o.label, '')::text AS text
FROM calls c JOIN call_links l ON l.call_id = c.id AND l.role = 'person' JOIN records r ON r.id = l.record_id AND r.owner_id = @me
JOIN slips s ON s.call_id = c.id AND s.user_id <> @me JOIN users u ON u.id = s.user_id LEFT JOIN outcomes o ON o.id = s.outcome_id
WHERE c.started_at >= @since AND c.started_at < @until AND r.deleted_at IS NULL
UNION ALL
SELECT 'follow_up', f.id, r.id, r.kind, r.name, coalesce((SELECT u.name FROM audit a JOIN users u ON u.id = a.actor_id WHERE a.subject_id = r.id AND a.at >= f.done_at - interval '5 seconds'
  AND a.at <= f.done_at + interval '5 seconds' ORDER BY a.at LIMIT 1), ''), f.done_at, f.text
FROM follow_ups f JOIN records r ON r.id = f.record_id WHERE f.owner_id = @me AND f.state = 'done' AND f.done_at >= @since AND f.done_at < @until AND r.deleted_at IS NULL
UNION ALL
SELECT 'message', m.id, r.id, r.kind, r.name, coalesce(u.name, ''), m.at, CASE WHEN m.subject <> '' THEN m.subject ELSE left(m.body, 80) END
FROM messages m JOIN records r ON r.id = m.record_id AND r.owner_id = @me LEFT JOIN users u ON u.id = m.user_id
WHERE m.at >= @since AND m.at < @until AND m.user_id IS DISTINCT FROM @me AND r.deleted_at IS NULL
ORDER BY 7 LIMIT 100;
