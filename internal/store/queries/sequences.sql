-- name: Sequences :many
SELECT s.id, s.name, s.steps, s.active, (SELECT count(*) FROM sequence_members m WHERE m.sequence_id = s.id AND m.state = 'active')::int AS members
FROM sequences s ORDER BY s.position, s.id;

-- name: PutSequence :exec
INSERT INTO sequences (id, name, steps, active, position) VALUES (@id, @name, @steps, @active, @position)
ON CONFLICT (id) DO UPDATE SET name = EXCLUDED.name, steps = EXCLUDED.steps, active = EXCLUDED.active, position = EXCLUDED.position;

-- name: Enrol :execrows
INSERT INTO sequence_members (id, sequence_id, record_id, owner_id, next_at, state, enrolled_at)
SELECT x.id, @sequence_id, x.record_id, @owner_id, x.next_at, 'active', @at
FROM (SELECT unnest(@ids::uuid[]) AS id, unnest(@records::uuid[]) AS record_id, unnest(@next_ats::timestamptz[]) AS next_at) x
ON CONFLICT (sequence_id, record_id) WHERE state = 'active' DO NOTHING;

-- name: ListPeople :many
SELECT m.record_id FROM list_members m JOIN records r ON r.id = m.record_id
WHERE m.list_id = @list_id AND r.deleted_at IS NULL AND r.dnc_at IS NULL AND r.kind IN ('contact', 'lead') ORDER BY m.at, r.id LIMIT 20000;

-- name: PlacesOf :many
-- Where records are, for computing times there.
SELECT r.id, r.zone, coalesce((SELECT p.zones FROM phone_numbers p WHERE p.record_id = r.id AND p.zones <> '{}' ORDER BY p.position, p.id LIMIT 1), '{}')::text[] AS zones
FROM records r WHERE r.id = ANY (@ids::uuid[]) AND r.deleted_at IS NULL;

-- name: MembershipsOf :many
SELECT m.id, m.sequence_id, s.name, s.steps, m.step, m.next_at, m.state, m.why, m.owner_id, u.name AS owner_name, m.enrolled_at, m.ended_at
FROM sequence_members m JOIN sequences s ON s.id = m.sequence_id JOIN users u ON u.id = m.owner_id
WHERE m.record_id = @record_id ORDER BY m.state, m.enrolled_at DESC, m.id DESC LIMIT 50;

-- name: DueMembers :many
SELECT m.id, m.sequence_id, s.name, s.steps, m.record_id, m.owner_id, m.step FROM sequence_members m JOIN sequences s ON s.id = m.sequence_id
WHERE m.state = 'active' AND m.next_at <= @now ORDER BY m.next_at LIMIT 20 FOR UPDATE OF m SKIP LOCKED;

-- name: NextMember :one
SELECT min(next_at)::timestamptz AS at FROM sequence_members WHERE state = 'active' HAVING min(next_at) IS NOT NULL;

-- name: MoveMember :exec
UPDATE sequence_members SET step = @step, next_at = sqlc.narg('next_at') WHERE id = @id;

-- name: EndMember :exec
UPDATE sequence_members SET state = 'ended', why = @why, next_at = NULL, ended_at = @at WHERE id = @id AND state = 'active';

-- name: EndMembersOf :many
-- Everybody's way out: the memberships of a record, or of one enrolment, end, in one sequence or in all, what they had sent or put into a lane and is not done yet goes with them.
WITH ended AS (
  UPDATE sequence_members SET state = 'ended', why = @why, ended_at = @at WHERE sequence_members.state = 'active'
    AND (sqlc.narg('record_id')::uuid IS NULL OR sequence_members.record_id = sqlc.narg('record_id'))
    AND (sqlc.narg('sequence_id')::uuid IS NULL OR sequence_members.sequence_id = sqlc.narg('sequence_id'))
    AND (sqlc.narg('enrolled_at')::timestamptz IS NULL OR sequence_members.enrolled_at = sqlc.narg('enrolled_at') AND sequence_members.owner_id = sqlc.narg('owner_id'))
  RETURNING sequence_members.id, sequence_members.next_at
), held AS (
  UPDATE messages SET state = 'cancelled', problem = @why FROM ended WHERE messages.member_id = ended.id AND messages.state = 'waiting'
), done AS (
  UPDATE follow_ups SET state = 'cancelled', done_at = @at, version = version + 1 FROM ended WHERE follow_ups.member_id = ended.id AND follow_ups.state = 'open'
)
SELECT id, next_at FROM ended;

-- name: ReviveMember :execrows
UPDATE sequence_members m SET state = 'active', why = '', ended_at = NULL, next_at = sqlc.narg('next_at') WHERE m.id = @id AND m.state = 'ended'
  AND NOT EXISTS (SELECT FROM sequence_members o WHERE o.sequence_id = m.sequence_id AND o.record_id = m.record_id AND o.state = 'active');

-- name: ReviveFollowUps :exec
UPDATE follow_ups SET state = 'open', done_at = NULL WHERE member_id = @member_id AND state = 'cancelled' AND done_at = @at;

-- name: SetFollowUpMember :exec
UPDATE follow_ups SET member_id = @member_id WHERE id = @id;

-- name: SetMessageMember :exec
UPDATE messages SET member_id = @member_id WHERE id = @id;

-- name: MemberOfFollowUp :one
SELECT m.id, m.record_id, m.sequence_id, m.step, s.steps FROM follow_ups f JOIN sequence_members m ON m.id = f.member_id JOIN sequences s ON s.id = m.sequence_id
WHERE f.id = @id AND m.state = 'active' AND m.next_at IS NULL FOR UPDATE OF m;

-- name: InSequences :one
SELECT count(*)::int FROM sequence_members WHERE record_id = @record_id AND state = 'active';

-- name: InSequencesOfCall :many
-- Those of a call's people who are in a sequence.
SELECT DISTINCT m.record_id FROM call_links l JOIN sequence_members m ON m.record_id = l.record_id WHERE l.call_id = @call_id AND l.role = 'person' AND m.state = 'active';

-- name: ReviveMessages :exec
UPDATE messages SET state = 'waiting', problem = '' WHERE member_id = @member_id AND state = 'cancelled' AND problem = @why;
