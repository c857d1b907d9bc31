-- name: LockSlip :one
SELECT s.id, s.call_id, s.user_id, s.state, s.subject, s.call_type_id, s.outcome_id, s.asks_who, s.version, s.filed_at, s.visible, s.handed_to, u.teams AS rep_teams,
  coalesce(n.body, '')::text AS notes_body, (c.ended_at IS NOT NULL)::boolean AS call_ended, c.direction, (c.direction = 'internal')::boolean AS internal,
  EXISTS (SELECT FROM round_calls x WHERE x.call_id = s.call_id)::boolean AS in_round
FROM slips s JOIN calls c ON c.id = s.call_id JOIN users u ON u.id = s.user_id LEFT JOIN slip_notes n ON n.slip_id = s.id
WHERE s.id = @id FOR UPDATE OF s;

-- name: SlipOfCall :many
-- The slip of a call that is a rep's own, else another's; none where nobody answered.
SELECT id FROM slips WHERE call_id = @call_id ORDER BY user_id = @me DESC, created_at LIMIT 1;

-- name: LockCall :one
SELECT ended_at FROM calls WHERE id = @id FOR UPDATE;

-- name: UpdateSlip :exec
UPDATE slips SET subject = @subject, call_type_id = sqlc.narg('call_type_id'), outcome_id = sqlc.narg('outcome_id'), visible = @visible, version = version + 1
WHERE id = @id;

-- name: FileSlip :exec
UPDATE slips SET state = 'filed', filed_at = @at, asks_who = false, version = version + 1 WHERE id = @id;

-- name: SettleWho :exec
UPDATE slips SET asks_who = false, version = version + 1 WHERE id = @id;

-- name: OpenSlipCallIDs :many
SELECT call_id FROM slips WHERE user_id = @user_id AND state = 'open' ORDER BY created_at;

-- name: OpenSlips :many
SELECT id, user_id, call_id FROM slips WHERE state = 'open';

-- name: LockNotes :one
SELECT body, version, writer FROM slip_notes WHERE slip_id = @slip_id FOR UPDATE;

-- name: PutNotes :exec
INSERT INTO slip_notes (slip_id, body, version, writer, saved_at) VALUES (@slip_id, @body, @version, @writer, @saved_at)
ON CONFLICT (slip_id) DO UPDATE SET body = EXCLUDED.body, version = EXCLUDED.version, writer = EXCLUDED.writer, saved_at = EXCLUDED.saved_at;

-- name: AddLink :execrows
WITH added AS (
  INSERT INTO call_links (call_id, record_id, slip_id, role, reason, linked_by, at)
  VALUES (@call_id, @record_id, @slip_id, @role, @reason, @linked_by, @at)
  ON CONFLICT DO NOTHING RETURNING call_links.call_id, call_links.record_id
)
INSERT INTO history (record_id, at, kind, ref_id)
SELECT added.record_id, calls.started_at, 'call', calls.id FROM added JOIN calls ON calls.id = added.call_id
ON CONFLICT DO NOTHING;

-- name: RemoveLink :execrows
WITH gone AS (
  DELETE FROM history WHERE history.ref_id = @call_id AND history.record_id = @record_id AND history.kind = 'call'
)
DELETE FROM call_links WHERE call_links.call_id = @call_id AND call_links.record_id = @record_id;

-- name: LinkedRecords :many
SELECT record_id FROM call_links WHERE call_id = @call_id;

-- name: LinkedSubjects :many
SELECT r.id, r.kind, r.company_id, r.person_id FROM call_links l JOIN records r ON r.id = l.record_id WHERE l.call_id = @call_id;

-- name: RecordsOf :many
-- The deals and cases of persons.
SELECT id FROM records WHERE person_id = ANY (@people::uuid[]) AND kind IN ('deal', 'case');

-- name: MoveFollowUps :many
-- What was noted with a slip for somebody who is not on its call any more waits for who is; with its entry in their history.
WITH moved AS (
  UPDATE follow_ups f SET record_id = @record_id, number_id = NULL, version = f.version + 1
  WHERE f.slip_id = @slip_id AND f.state = 'open' AND f.record_id NOT IN (SELECT l.record_id FROM call_links l WHERE l.call_id = @call_id) RETURNING f.id, f.owner_id
), told AS (
  UPDATE history h SET record_id = @record_id FROM moved WHERE h.ref_id = moved.id AND h.kind = 'follow_up'
)
SELECT owner_id FROM moved;

-- name: InsertAudit :exec
INSERT INTO audit (id, at, actor_id, subject_kind, subject_id, action, before, after)
VALUES (@id, @at, @actor_id, @subject_kind, @subject_id, @action, @before, @after);

-- name: AuditOf :many
SELECT a.at, a.action, a.before, a.after, coalesce(u.name, '')::text AS actor
FROM audit a LEFT JOIN users u ON u.id = a.actor_id
WHERE a.subject_kind = @subject_kind AND a.subject_id = @subject_id ORDER BY a.at, a.id;
