-- name: OutcomesUsed :many
-- How often each outcome was chosen, and where it is named.
SELECT o.id, (SELECT count(*) FROM slips s WHERE s.outcome_id = o.id)::int AS slips,
  (SELECT count(*) FROM slips s WHERE s.outcome_id = o.id AND s.state = 'open')::int AS open_slips,
  (SELECT count(*) FROM prepared_messages p WHERE p.outcome_id = o.id)::int AS prepared
FROM outcomes o;

-- name: PutOutcome :exec
INSERT INTO outcomes (id, label, position, reached, left_message, needs_notes, needs_follow_up, directions, teams, call_type_ids, effects, active)
VALUES (@id, @label, @position, @reached, @left_message, @needs_notes, @needs_follow_up, @directions, @teams, @call_type_ids, @effects, @active)
ON CONFLICT (id) DO UPDATE SET label = EXCLUDED.label, position = EXCLUDED.position, reached = EXCLUDED.reached, left_message = EXCLUDED.left_message, needs_notes = EXCLUDED.needs_notes,
  needs_follow_up = EXCLUDED.needs_follow_up, directions = EXCLUDED.directions, teams = EXCLUDED.teams, call_type_ids = EXCLUDED.call_type_ids, effects = EXCLUDED.effects,
  active = EXCLUDED.active;

-- name: PutCallType :exec
INSERT INTO call_types (id, label, position, active) VALUES (@id, @label, @position, @active)
ON CONFLICT (id) DO UPDATE SET label = EXCLUDED.label, position = EXCLUDED.position, active = EXCLUDED.active;

-- name: CallTypesUsed :many
SELECT t.id, (SELECT count(*) FROM slips s WHERE s.call_type_id = t.id)::int AS slips FROM call_types t;

-- name: Teams :many
SELECT DISTINCT t.team::text FROM users u, unnest(u.teams) t(team) WHERE u.active ORDER BY 1;

-- name: PlanOf :one
-- What is known for planning what a slip's outcome does.
SELECT s.id, s.call_id, s.user_id, s.state, c.direction, c.remote_e164, c.remote_ext, c.line_id,
  coalesce(p.id, '00000000-0000-0000-0000-000000000000')::uuid AS person_id, coalesce(p.name, '')::text AS person_name, coalesce(p.kind, '')::text AS person_kind,
  coalesce(p.zone, '')::text AS person_zone, coalesce(p.email, '')::text AS email, coalesce(p.given, '')::text AS given, coalesce(p.family, '')::text AS family,
  EXISTS (SELECT FROM round_calls x WHERE x.call_id = c.id)::boolean AS in_round, coalesce(p.number_order, '{}')::text[] AS number_order, p.company_id, coalesce(o.name, '')::text AS company_name,
  coalesce((SELECT json_agg(json_build_object('id', r.id, 'kind', r.kind, 'name', r.name, 'stage', r.stage)) FROM call_links l JOIN records r ON r.id = l.record_id
    WHERE l.call_id = c.id AND l.role = 'about' AND r.deleted_at IS NULL), '[]')::jsonb AS matters,
  coalesce((SELECT json_agg(json_build_object('id', r.id, 'kind', r.kind, 'name', r.name, 'stage', r.stage)) FROM records r
    WHERE r.person_id = p.id AND r.kind IN ('deal', 'case') AND r.deleted_at IS NULL AND NOT is_over(r.kind, r.stage)), '[]')::jsonb AS theirs
FROM slips s JOIN calls c ON c.id = s.call_id
LEFT JOIN LATERAL (SELECT r.* FROM call_links l JOIN records r ON r.id = l.record_id WHERE l.call_id = c.id AND l.role IN ('person', 'company') AND r.deleted_at IS NULL
  ORDER BY l.role = 'person' DESC, l.at LIMIT 1) p ON true
LEFT JOIN records o ON o.id = p.company_id
WHERE s.id = @id;

-- name: HandLists :many
SELECT id, name FROM lists WHERE type = 'hand' AND id = ANY (@ids::uuid[]);

-- name: InsertFiling :exec
INSERT INTO filings (id, slip_id, user_id, outcome_id, at, asked) VALUES (@id, @slip_id, @user_id, sqlc.narg('outcome_id'), @at, @asked);

-- name: InsertFilingEffects :batchexec
INSERT INTO filing_effects (filing_id, position, item, ref_id, change_id, before, state) VALUES (@filing_id, @position, @item, sqlc.narg('ref_id'), sqlc.narg('change_id'), @before, 'done');

-- name: Filings :many
-- Newest first.
SELECT f.id, f.slip_id, f.user_id, f.outcome_id, f.at, f.asked, f.undone_at FROM filings f WHERE f.slip_id = @slip_id ORDER BY f.at DESC, f.id DESC;

-- name: FilingEffects :many
SELECT position, item, ref_id, change_id, before, state, why FROM filing_effects WHERE filing_id = @filing_id ORDER BY position;

-- name: SetFilingUndone :exec
UPDATE filings SET undone_at = @at WHERE id = @id;

-- name: SetFilingEffect :exec
UPDATE filing_effects SET state = @state, why = @why WHERE filing_id = @filing_id AND position = @position;

-- name: ReopenSlip :exec
UPDATE slips SET state = 'open', filed_at = NULL, asks_who = @asks_who, version = version + 1 WHERE id = @id;

-- name: DropFollowUp :execrows
-- One that nobody has changed since.
DELETE FROM follow_ups WHERE id = @id AND version = 1 AND state = 'open';

-- name: DropHistory :exec
DELETE FROM history WHERE ref_id = @ref_id AND kind = @kind;

-- name: AddListMember :execrows
INSERT INTO list_members (list_id, record_id, at) VALUES (@list_id, @record_id, @at) ON CONFLICT DO NOTHING;

-- name: DropListMember :many
DELETE FROM list_members WHERE list_id = @list_id AND record_id = @record_id RETURNING at;

-- name: SetTags :exec
UPDATE records SET tags = @tags, version = version + 1 WHERE id = @id;

-- name: SetStage :exec
UPDATE records SET stage = @stage, version = version + 1 WHERE id = @id;

-- name: ResetStage :exec
UPDATE records SET stage = @stage, stage_at = sqlc.narg('stage_at'), version = version + 1 WHERE id = @id;

-- name: LockNumberMark :one
SELECT id, record_id, label, dnc_at, dnc_reason FROM phone_numbers WHERE id = @id FOR UPDATE;

-- name: SetNumberMark :exec
UPDATE phone_numbers SET dnc_at = sqlc.narg('at'), dnc_reason = @reason, version = version + 1 WHERE id = @id;

-- name: AddDoNotCallNumber :execrows
INSERT INTO do_not_call_numbers (e164, reason, added_by, at) VALUES (@e164, @reason, @added_by, @at) ON CONFLICT DO NOTHING;

-- name: DropDoNotCallNumber :exec
DELETE FROM do_not_call_numbers WHERE e164 = @e164 AND at = @at;

-- name: CaseIsFresh :one
-- Whether nobody has touched a case since it was made in a call.
SELECT (r.version = 1 AND r.deleted_at IS NULL AND NOT EXISTS (SELECT FROM call_links l WHERE l.record_id = r.id AND l.call_id <> @call_id)
  AND NOT EXISTS (SELECT FROM follow_ups f WHERE f.record_id = r.id) AND NOT EXISTS (SELECT FROM list_members m WHERE m.record_id = r.id)
  AND NOT EXISTS (SELECT FROM merges x WHERE x.kept_id = r.id))::boolean AS fresh
FROM records r WHERE r.id = @id FOR UPDATE;

-- name: DropRecord :exec
DELETE FROM records WHERE id = @id;

-- name: DropHistoryOf :exec
DELETE FROM history WHERE record_id = @record_id;

-- name: SlipOwner :one
SELECT user_id FROM slips WHERE id = @id;

-- name: HasFollowUpSince :one
-- Whether something is to be done next with whom a call stands on, noted since the call began.
SELECT EXISTS (SELECT FROM follow_ups f JOIN call_links l ON l.record_id = f.record_id JOIN calls c ON c.id = l.call_id
  WHERE l.call_id = @call_id AND f.state = 'open' AND f.created_at >= c.started_at);

-- name: SameFollowUp :one
-- The same open thing to be done with somebody, by the same rep.
SELECT id, due_at, day_only, due_zone FROM follow_ups WHERE record_id = @record_id AND owner_id = @owner_id AND kind = @kind AND text = @text AND state = 'open' AND NOT promised AND member_id IS NULL
ORDER BY created_at LIMIT 1 FOR UPDATE;

-- name: RenewFollowUp :one
UPDATE follow_ups SET due_at = sqlc.narg('due_at'), day_only = @day_only, due_zone = @due_zone, version = version + 1 WHERE id = @id RETURNING version;

-- name: UnrenewFollowUp :execrows
UPDATE follow_ups SET due_at = sqlc.narg('due_at'), day_only = @day_only, due_zone = @due_zone, version = version + 1 WHERE id = @id AND version = @version AND state = 'open';

-- name: SettlePromises :exec
-- The calls that a rep had promised, and whose time has come, to who was spoken with in a call.
UPDATE follow_ups SET state = 'done', done_at = @at, version = version + 1
WHERE owner_id = @owner_id AND state = 'open' AND promised AND kind = 'call' AND due_at <= @until
  AND record_id IN (SELECT l.record_id FROM call_links l WHERE l.call_id = @call_id AND l.role IN ('person', 'company'));

-- name: UnsettlePromises :exec
UPDATE follow_ups SET state = 'open', done_at = NULL, version = version + 1 WHERE owner_id = @owner_id AND state = 'done' AND promised AND kind = 'call' AND done_at = @at
  AND record_id IN (SELECT l.record_id FROM call_links l WHERE l.call_id = @call_id);
