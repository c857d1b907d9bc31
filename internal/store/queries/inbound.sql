-- name: LineByNumber :one
SELECT id, e164, label, source, zone, ring_mode, ring_seconds, limit_seconds FROM lines WHERE e164 = @e164 AND active;

-- name: RepsOfLine :many
-- Whom a line may ring, as the line names them; a line that names nobody rings every rep.
SELECT u.id, s.availability, s.since, (s.foreground_call_id IS NOT NULL)::boolean AS busy
FROM users u JOIN rep_state s ON s.user_id = u.id LEFT JOIN line_reps l ON l.line_id = @line_id AND l.user_id = u.id
WHERE u.active AND (l.user_id IS NOT NULL OR u.role = 'rep' AND NOT EXISTS (SELECT FROM line_reps x WHERE x.line_id = @line_id))
ORDER BY l.position NULLS LAST, u.name;

-- name: InsertInbound :exec
-- Everything that a call is when it comes in, in one statement.
WITH new_call AS (
  INSERT INTO calls (id, direction, line_id, remote_e164, remote_ext, remote_typed, remote_label, caller_id, caller_id_reason, device, owner_server, owner_epoch,
    state, last_seq, started_at, rang_at, withheld)
  VALUES (@call_id, 'inbound', @line_id, @remote_e164, @remote_ext, @remote_typed, @remote_label, @line_e164, '', 'carrier', @owner_server, @owner_epoch,
    @state, @last_seq, @at, @at, @withheld)
), new_leg AS (
  INSERT INTO legs (call_id, leg_no, party, device, address, state, started_at, rang_at) VALUES (@call_id, 1, 'outside', 'carrier', @remote_typed, 'ringing', @at, @at)
), new_facts AS (
  INSERT INTO call_facts (call_id, seq, at, kind, schema, data)
  SELECT @call_id, unnest(@fact_seqs::int[]), @at, unnest(@fact_kinds::text[]), @fact_schema, unnest(@fact_data::jsonb[])
), new_links AS (
  INSERT INTO call_links (call_id, record_id, role, reason, at)
  SELECT @call_id, unnest(@link_records::uuid[]), unnest(@link_roles::text[]), unnest(@link_reasons::text[]), @at
)
INSERT INTO history (record_id, at, kind, ref_id) SELECT unnest(@link_records::uuid[]), @at, 'call', @call_id;

-- name: InsertAnswerersSlip :exec
WITH freed AS (
  UPDATE rep_state SET foreground_call_id = @call_id, version = version + 1 WHERE user_id = @user_id
)
INSERT INTO slips (id, call_id, user_id, asks_who, created_at) VALUES (@id, @call_id, @user_id, @asks_who, @at);

-- name: SetMissedWhy :exec
UPDATE calls SET missed_why = @why WHERE id = @id;

-- name: OwesCall :exec
-- A call that nobody answered is owed, unless its number is withheld: there is nobody to call back.
INSERT INTO unreturned (call_id, line_id, remote_e164, since)
SELECT c.id, c.line_id, c.remote_e164, c.started_at FROM calls c
WHERE c.id = @call_id AND c.direction = 'inbound' AND c.remote_e164 <> '' ON CONFLICT DO NOTHING;

-- name: SettleUnreturned :execrows
-- A conversation with a number settles what is owed to it, for everybody; a try without an answer is counted.
UPDATE unreturned u SET
  tries = u.tries + CASE WHEN @spoke::boolean THEN 0 ELSE 1 END,
  closed_at = CASE WHEN @spoke THEN @at::timestamptz END,
  closed_how = CASE WHEN @spoke THEN 'conversation' ELSE '' END,
  version = u.version + 1
FROM calls c WHERE c.id = @call_id AND u.remote_e164 = c.remote_e164 AND u.closed_at IS NULL AND u.call_id <> c.id
  AND (@spoke OR c.direction = 'outbound');

-- name: OpenUnreturned :many
SELECT u.call_id, u.line_id, u.remote_e164, u.since, u.tries, u.taken_by, coalesce(t.name, '')::text AS taken_name, u.version,
  c.remote_ext, (SELECT count(*) FROM unreturned o WHERE o.remote_e164 = u.remote_e164 AND o.closed_at IS NULL)::int AS times
FROM unreturned u JOIN calls c ON c.id = u.call_id LEFT JOIN users t ON t.id = u.taken_by
WHERE u.closed_at IS NULL ORDER BY u.since LIMIT 200;

-- name: LockUnreturned :one
SELECT call_id, remote_e164, taken_by, closed_at, version FROM unreturned WHERE call_id = @call_id FOR UPDATE;

-- name: TakeUnreturned :exec
UPDATE unreturned SET taken_by = sqlc.narg('user_id'), taken_at = @at, version = version + 1 WHERE remote_e164 = @remote_e164 AND closed_at IS NULL;

-- name: CloseUnreturned :exec
UPDATE unreturned SET closed_at = sqlc.narg('at'), closed_by = sqlc.narg('user_id'), closed_how = @how, reason = @reason, version = version + 1
WHERE remote_e164 = @remote_e164 AND closed_at IS NULL;

-- name: ReopenUnreturned :exec
UPDATE unreturned SET closed_at = NULL, closed_by = NULL, closed_how = '', reason = '', version = version + 1 WHERE call_id = @call_id;

-- name: SetAvailability :exec
UPDATE rep_state SET availability = @availability, since = @at, version = version + 1 WHERE user_id = @user_id AND availability <> @availability;

-- name: Availability :one
SELECT availability, since FROM rep_state WHERE user_id = @user_id;

-- name: LastContact :many
-- What a rep wants to know before the first word: the last finished call with a record and what came of it.
SELECT c.id, c.direction, c.started_at, c.answered_at, coalesce(o.label, '')::text AS outcome, coalesce(u.name, '')::text AS rep_name
FROM history h JOIN calls c ON c.id = h.ref_id AND c.ended_at IS NOT NULL
LEFT JOIN slips s ON s.call_id = c.id LEFT JOIN outcomes o ON o.id = s.outcome_id LEFT JOIN users u ON u.id = s.user_id
WHERE h.record_id = @record_id AND h.kind = 'call' ORDER BY h.at DESC LIMIT 1;

-- name: OpenMatters :many
SELECT kind, name, stage FROM records
WHERE (person_id = @id OR company_id = @id) AND kind IN ('deal', 'case') AND deleted_at IS NULL AND stage NOT IN ('won', 'lost', 'solved')
ORDER BY kind = 'case' DESC, id DESC LIMIT 3;

-- name: OpenPromises :many
SELECT text, due_at FROM follow_ups WHERE record_id = @record_id AND state = 'open' AND promised ORDER BY due_at NULLS LAST LIMIT 2;
