-- name: LockRep :one
-- The rep's row, held until the transaction ends: two clicks in two windows make one call. The call it names has to be
-- read by a statement of its own, since this one, when it had to wait, still sees the other tables as they were before.
SELECT user_id, foreground_call_id FROM rep_state WHERE user_id = @user_id FOR UPDATE;

-- name: CallInProgress :one
SELECT ended_at IS NULL AND NOT (owner_server = @me AND owner_epoch = @my_epoch) AS elsewhere FROM calls WHERE id = @id;

-- name: PlaceCall :exec
-- Everything that a call is when it is placed, in one statement.
WITH new_call AS (
  INSERT INTO calls (id, direction, line_id, remote_e164, remote_ext, remote_typed, remote_label, caller_id,
    caller_id_reason, device, placed_by, owner_server, owner_epoch, state, last_seq, started_at)
  VALUES (@call_id, 'outbound', @line_id, @remote_e164, @remote_ext, @remote_typed, @remote_label, @caller_id,
    @caller_id_reason, @device, @user_id, @owner_server, @owner_epoch, @state, @last_seq, @at)
), new_legs AS (
  INSERT INTO legs (call_id, leg_no, party, user_id, device, address, state, started_at, answered_at)
  VALUES (@call_id, 1, 'rep', @user_id, @device, '', 'up', @at, @at),
         (@call_id, 2, 'outside', NULL, 'carrier', @remote_address, 'dialing', @at, NULL)
), new_facts AS (
  INSERT INTO call_facts (call_id, seq, at, kind, schema, data)
  SELECT @call_id, unnest(@fact_seqs::int[]), @at, unnest(@fact_kinds::text[]), @fact_schema, unnest(@fact_data::jsonb[])
), new_slip AS (
  INSERT INTO slips (id, call_id, user_id, call_type_id, asks_who, open_record_id, created_at)
  VALUES (@slip_id, @call_id, @user_id, sqlc.narg('call_type_id'), @asks_who, sqlc.narg('open_record_id'), @at)
), new_links AS (
  INSERT INTO call_links (call_id, record_id, slip_id, role, reason, linked_by, at)
  SELECT @call_id, unnest(@link_records::uuid[]), @slip_id, unnest(@link_roles::text[]), unnest(@link_reasons::text[]), @user_id, @at
), new_history AS (
  INSERT INTO history (record_id, at, kind, ref_id)
  SELECT unnest(@link_records::uuid[]), @at, 'call', @call_id
), new_command AS (
  INSERT INTO commands (user_id, key, action, request_hash, response, at)
  VALUES (@user_id, @command_key, 'place_call', @request_hash, @response, @at)
)
UPDATE rep_state SET foreground_call_id = @call_id, version = version + 1 WHERE rep_state.user_id = @user_id;

-- name: GetCommand :one
SELECT action, request_hash, response FROM commands WHERE user_id = @user_id AND key = @key;

-- name: InsertCommand :exec
INSERT INTO commands (user_id, key, action, request_hash, response, at)
VALUES (@user_id, @key, @action, @request_hash, @response, @at);

-- name: DeleteOldCommands :exec
DELETE FROM commands WHERE at < @before;

-- name: SaveFacts :exec
-- Nothing is added behind the end of a call: a server that was declared lost may still come with facts. What is missing before it can be.
INSERT INTO call_facts (call_id, seq, at, kind, schema, data)
SELECT f.call_id, f.seq, f.at, f.kind, @schema, f.data
FROM (SELECT unnest(@call_ids::uuid[]) AS call_id, unnest(@seqs::int[]) AS seq, unnest(@ats::timestamptz[]) AS at,
    unnest(@kinds::text[]) AS kind, unnest(@data::jsonb[]) AS data) AS f
JOIN calls ON calls.id = f.call_id AND (calls.ended_at IS NULL OR f.seq <= calls.last_seq)
ON CONFLICT DO NOTHING;

-- name: SaveCallState :batchexec
-- A call's summary after fact @last_seq; an older one changes nothing.
WITH changed AS (
  UPDATE calls SET state = @state, last_seq = @last_seq, rang_at = sqlc.narg('rang_at'), answered_at = sqlc.narg('answered_at'),
    ended_at = sqlc.narg('ended_at'), end_reason = @end_reason, dial_ms = @dial_ms, ring_ms = @ring_ms, talk_ms = @talk_ms, message_ms = @message_ms, spoke = @spoke
  WHERE calls.id = @call_id AND calls.last_seq < @last_seq AND calls.ended_at IS NULL
  RETURNING calls.id, calls.ended_at
), freed AS (
  -- A call on hold meanwhile is in the foreground again.
  UPDATE rep_state SET version = version + 1, last_ended_at = (SELECT ended_at FROM changed), foreground_call_id = (SELECT o.call_id FROM slips o JOIN calls p ON p.id = o.call_id
    WHERE o.user_id = rep_state.user_id AND o.state = 'open' AND p.ended_at IS NULL AND p.id <> rep_state.foreground_call_id ORDER BY o.created_at DESC LIMIT 1)
  WHERE foreground_call_id IN (SELECT id FROM changed WHERE ended_at IS NOT NULL)
), spans AS (
  INSERT INTO leg_spans (call_id, leg_no, bridge_no, from_at, to_at)
  SELECT @call_id, unnest(@span_legs::int[]), unnest(@span_bridges::int[]), unnest(@span_froms::timestamptz[]),
    NULLIF(unnest(@span_tos::timestamptz[]), '0001-01-01 00:00:00+00')
  ON CONFLICT (call_id, leg_no, from_at) DO UPDATE SET to_at = EXCLUDED.to_at
)
INSERT INTO legs (call_id, leg_no, party, user_id, device, address, state, started_at, rang_at, answered_at, ended_at, end_reason, role,
  talk_ms, hold_ms, consult_ms, conference_ms)
SELECT @call_id, l.leg_no, l.party, NULLIF(l.user_id, '')::uuid, l.device, l.address, l.state, l.started_at, NULLIF(l.rang_at, '0001-01-01 00:00:00+00'),
  NULLIF(l.answered_at, '0001-01-01 00:00:00+00'), NULLIF(l.ended_at, '0001-01-01 00:00:00+00'), l.end_reason, l.role,
  l.talk_ms, l.hold_ms, l.consult_ms, l.conference_ms
FROM (SELECT unnest(@leg_nos::int[]) AS leg_no, unnest(@leg_parties::text[]) AS party, unnest(@leg_users::text[]) AS user_id, unnest(@leg_devices::text[]) AS device,
    unnest(@leg_addresses::text[]) AS address, unnest(@leg_states::text[]) AS state, unnest(@leg_started::timestamptz[]) AS started_at,
    unnest(@leg_rang::timestamptz[]) AS rang_at, unnest(@leg_answered::timestamptz[]) AS answered_at, unnest(@leg_ended::timestamptz[]) AS ended_at,
    unnest(@leg_reasons::text[]) AS end_reason, unnest(@leg_roles::text[]) AS role, unnest(@leg_talk_ms::bigint[]) AS talk_ms,
    unnest(@leg_hold_ms::bigint[]) AS hold_ms, unnest(@leg_consult_ms::bigint[]) AS consult_ms, unnest(@leg_conference_ms::bigint[]) AS conference_ms) AS l
ON CONFLICT (call_id, leg_no) DO UPDATE SET state = EXCLUDED.state, rang_at = EXCLUDED.rang_at, answered_at = EXCLUDED.answered_at,
  ended_at = EXCLUDED.ended_at, end_reason = EXCLUDED.end_reason, role = EXCLUDED.role, talk_ms = EXCLUDED.talk_ms, hold_ms = EXCLUDED.hold_ms,
  consult_ms = EXCLUDED.consult_ms, conference_ms = EXCLUDED.conference_ms;

-- name: CallFacts :many
SELECT seq, at, kind, data FROM call_facts WHERE call_id = @call_id ORDER BY seq;

-- name: CallByID :one
-- The same as CallsByIDs for one call: PostgreSQL keeps the plan of this one, but plans a list anew each time.
SELECT c.id, c.direction, c.line_id, c.remote_e164, c.remote_ext, c.remote_typed, c.remote_label, c.caller_id, c.caller_id_reason,
  c.device, c.state, c.last_seq, c.started_at, c.rang_at, c.answered_at, c.ended_at, c.end_reason, c.dial_ms, c.ring_ms, c.talk_ms,
  c.withheld, c.missed_why, c.message_ms, c.drop_result, coalesce((SELECT x.round_id FROM round_calls x WHERE x.call_id = c.id AND x.settled_at IS NULL), '00000000-0000-0000-0000-000000000000')::uuid AS round_id, c.by_hand, c.unconfirmed, c.placed_by, c.colleague_id, coalesce(pl.name, '')::text AS placed_name,
  coalesce(s.id, '00000000-0000-0000-0000-000000000000')::uuid AS slip_id, coalesce(s.user_id, '00000000-0000-0000-0000-000000000000')::uuid AS rep_id,
  coalesce(u.name, '')::text AS rep_name, coalesce(s.state, 'none')::text AS slip_state, coalesce(s.subject, '')::text AS subject, s.call_type_id, s.outcome_id,
  coalesce(s.asks_who, false)::boolean AS asks_who, s.open_record_id, s.filed_at, coalesce(s.version, 0)::int AS slip_version, coalesce(s.visible, 'all')::text AS visible, s.handed_to, coalesce(u.teams, '{}')::text[] AS rep_teams,
  coalesce(n.body, '')::text AS notes_body, coalesce(n.version, 0)::int AS notes_version, n.saved_at AS notes_saved_at,
  coalesce(r.id, '00000000-0000-0000-0000-000000000000')::uuid AS recording_id, coalesce(r.kind, '')::text AS recording_kind, coalesce(r.state, '')::text AS recording_state, coalesce(r.total_ms, 0)::int AS recording_ms,
  coalesce(r.trace_ours, '')::bytea AS trace_ours, coalesce(r.trace_theirs, '')::bytea AS trace_theirs,
  coalesce((SELECT json_agg(json_build_object('record', k.id, 'kind', k.kind, 'name', k.name, 'role', cl.role, 'reason', cl.reason) ORDER BY cl.role DESC, cl.at, k.id)
    FROM call_links cl JOIN records k ON k.id = cl.record_id WHERE cl.call_id = c.id), '[]')::jsonb AS links
FROM calls c
LEFT JOIN LATERAL (SELECT * FROM slips x WHERE x.call_id = c.id ORDER BY x.user_id = @me DESC, x.created_at LIMIT 1) s ON true
LEFT JOIN users u ON u.id = s.user_id
LEFT JOIN users pl ON c.colleague_id IS NOT NULL AND pl.id = c.placed_by
LEFT JOIN slip_notes n ON n.slip_id = s.id
LEFT JOIN LATERAL (SELECT * FROM recordings y WHERE y.call_id = c.id AND y.kind <> 'consultation' ORDER BY y.began_at DESC LIMIT 1) r ON true
WHERE c.id = @id;

-- name: CallsByIDs :many
SELECT c.id, c.direction, c.line_id, c.remote_e164, c.remote_ext, c.remote_typed, c.remote_label, c.caller_id, c.caller_id_reason,
  c.device, c.state, c.last_seq, c.started_at, c.rang_at, c.answered_at, c.ended_at, c.end_reason, c.dial_ms, c.ring_ms, c.talk_ms,
  c.withheld, c.missed_why, c.message_ms, c.drop_result, coalesce((SELECT x.round_id FROM round_calls x WHERE x.call_id = c.id AND x.settled_at IS NULL), '00000000-0000-0000-0000-000000000000')::uuid AS round_id, c.by_hand, c.unconfirmed, c.placed_by, c.colleague_id, coalesce(pl.name, '')::text AS placed_name,
  coalesce(s.id, '00000000-0000-0000-0000-000000000000')::uuid AS slip_id, coalesce(s.user_id, '00000000-0000-0000-0000-000000000000')::uuid AS rep_id,
  coalesce(u.name, '')::text AS rep_name, coalesce(s.state, 'none')::text AS slip_state, coalesce(s.subject, '')::text AS subject, s.call_type_id, s.outcome_id,
  coalesce(s.asks_who, false)::boolean AS asks_who, s.open_record_id, s.filed_at, coalesce(s.version, 0)::int AS slip_version, coalesce(s.visible, 'all')::text AS visible, s.handed_to, coalesce(u.teams, '{}')::text[] AS rep_teams,
  coalesce(n.body, '')::text AS notes_body, coalesce(n.version, 0)::int AS notes_version, n.saved_at AS notes_saved_at,
  coalesce(r.id, '00000000-0000-0000-0000-000000000000')::uuid AS recording_id, coalesce(r.kind, '')::text AS recording_kind, coalesce(r.state, '')::text AS recording_state, coalesce(r.total_ms, 0)::int AS recording_ms,
  coalesce(r.trace_ours, '')::bytea AS trace_ours, coalesce(r.trace_theirs, '')::bytea AS trace_theirs,
  coalesce((SELECT json_agg(json_build_object('record', k.id, 'kind', k.kind, 'name', k.name, 'role', cl.role, 'reason', cl.reason) ORDER BY cl.role DESC, cl.at, k.id)
    FROM call_links cl JOIN records k ON k.id = cl.record_id WHERE cl.call_id = c.id), '[]')::jsonb AS links
FROM calls c
LEFT JOIN LATERAL (SELECT * FROM slips x WHERE x.call_id = c.id ORDER BY x.user_id = @me DESC, x.created_at LIMIT 1) s ON true
LEFT JOIN users u ON u.id = s.user_id
LEFT JOIN users pl ON c.colleague_id IS NOT NULL AND pl.id = c.placed_by
LEFT JOIN slip_notes n ON n.slip_id = s.id
LEFT JOIN LATERAL (SELECT * FROM recordings y WHERE y.call_id = c.id AND y.kind <> 'consultation' ORDER BY y.began_at DESC LIMIT 1) r ON true
WHERE c.id = ANY (@ids::uuid[]);

-- name: CallsForFile :many
-- What a file of calls says of them, in the order of the ids.
SELECT c.id, c.direction, c.line_id, c.remote_e164, c.remote_ext, c.remote_typed, c.started_at, c.end_reason, c.ring_ms, c.talk_ms, c.message_ms, c.by_hand,
  c.placed_by, c.colleague_id, coalesce((SELECT p.name FROM users p WHERE c.colleague_id IS NOT NULL AND p.id = c.placed_by), '')::text AS placed_name,
  coalesce(s.id, '00000000-0000-0000-0000-000000000000')::uuid AS slip_id, coalesce(s.user_id, '00000000-0000-0000-0000-000000000000')::uuid AS rep_id,
  coalesce(u.name, '')::text AS rep_name, coalesce(s.subject, '')::text AS subject, s.call_type_id, s.outcome_id, coalesce(s.visible, 'all')::text AS visible,
  s.handed_to, coalesce(n.body, '')::text AS notes_body,
  coalesce((SELECT k.name FROM call_links l JOIN records k ON k.id = l.record_id WHERE l.call_id = c.id AND l.role = 'person' ORDER BY l.at, k.id LIMIT 1), '')::text AS person,
  coalesce((SELECT k.name FROM call_links l JOIN records k ON k.id = l.record_id WHERE l.call_id = c.id AND l.role = 'company' ORDER BY l.at, k.id LIMIT 1), '')::text AS company
FROM unnest(@ids::uuid[]) WITH ORDINALITY o (id, n) JOIN calls c ON c.id = o.id
LEFT JOIN LATERAL (SELECT * FROM slips x WHERE x.call_id = c.id ORDER BY x.user_id = @me DESC, x.created_at LIMIT 1) s ON true
LEFT JOIN users u ON u.id = s.user_id
LEFT JOIN slip_notes n ON n.slip_id = s.id
ORDER BY o.n;

-- name: LinksOfCalls :many
SELECT cl.call_id, cl.record_id, cl.role, cl.reason, r.kind, r.name
FROM call_links cl JOIN records r ON r.id = cl.record_id
WHERE cl.call_id = ANY (@ids::uuid[])
ORDER BY cl.call_id, cl.role DESC, cl.at, r.id;

-- name: RecentCallIDs :many
-- What a rep has made, or answered.
SELECT c.id FROM slips s JOIN calls c ON c.id = s.call_id WHERE s.user_id = @user_id ORDER BY s.created_at DESC LIMIT @count;

-- name: UnreturnedCalls :many
-- Calls that nobody has come back to, the oldest first: of the lines that a rep answers, or of all.
SELECT c.id FROM unreturned u JOIN calls c ON c.id = u.call_id
WHERE u.closed_at IS NULL AND (@everything::boolean OR owes_call(u, @me::uuid))
  AND (@q::text = '' OR c.remote_typed ILIKE '%' || @q || '%' OR @digits::text <> '' AND c.remote_e164 LIKE '%' || @digits || '%'
    OR EXISTS (SELECT FROM call_links l JOIN records r ON r.id = l.record_id WHERE l.call_id = c.id AND r.search LIKE '%' || fold(@q) || '%'))
  AND (c.started_at, c.id) > (@after::timestamptz, @after_id::uuid)
ORDER BY c.started_at, c.id LIMIT @count;

-- name: OrphanedCalls :many
-- Calls in progress that nobody drives: those of a server whose lease has run out or that began anew, and those of this
-- server that it does not know, since the answer to their commit was lost.
-- Leases are compared by the database's clock where no other is given: those of servers may differ.
SELECT c.id, s.heartbeat_at, c.owner_server, (c.owner_server = @me AND c.owner_epoch = @my_epoch)::boolean AS mine
FROM calls c JOIN servers s ON s.name = c.owner_server
WHERE c.ended_at IS NULL
  AND CASE WHEN c.owner_server = @me AND c.owner_epoch = @my_epoch
    THEN c.started_at < @began_before::timestamptz AND c.id <> ALL (@known::uuid[])
    ELSE c.owner_epoch < s.epoch OR s.heartbeat_at < coalesce(sqlc.narg('lease_start')::timestamptz, now() - (interval '1 second' * @lease_seconds::float8)) END
FOR UPDATE OF c SKIP LOCKED;

-- name: ClaimServer :one
-- A start of a server: a new epoch. The last heartbeat of the earlier epoch comes back with it.
INSERT INTO servers (name, epoch, started_at, heartbeat_at) VALUES (@name, 1, coalesce(sqlc.narg('at')::timestamptz, now()), coalesce(sqlc.narg('at')::timestamptz, now()))
ON CONFLICT (name) DO UPDATE SET epoch = servers.epoch + 1, started_at = EXCLUDED.started_at
RETURNING epoch, heartbeat_at;

-- name: Heartbeat :exec
UPDATE servers SET heartbeat_at = coalesce(sqlc.narg('at')::timestamptz, now()) WHERE name = @name AND epoch = @epoch;

-- name: ClosedElsewhere :many
-- Which of some calls have ended in the database.
SELECT id FROM calls WHERE id = ANY (@ids::uuid[]) AND ended_at IS NOT NULL;

-- name: PathOfCall :many
-- Legs of a call with the times that they were on a bridge, for its picture.
SELECT l.leg_no, l.party, l.role, coalesce(u.name, '')::text AS name, l.address, l.started_at, l.answered_at, l.ended_at, s.bridge_no, s.from_at, s.to_at
FROM legs l LEFT JOIN users u ON u.id = l.user_id LEFT JOIN leg_spans s ON s.call_id = l.call_id AND s.leg_no = l.leg_no
WHERE l.call_id = @call_id ORDER BY l.leg_no, s.from_at;
