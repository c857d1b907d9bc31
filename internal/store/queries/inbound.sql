-- name: LineByNumber :one
SELECT id, e164, label, source, zone, ring_mode, ring_seconds, limit_seconds, hours, unanswered, closed, greeting, closed_text, greeting_sound FROM lines WHERE e164 = @e164 AND active;

-- name: RepsOfLine :many
-- Whom a line may ring, as the line names them; a line that names nobody rings every rep.
SELECT u.id FROM users u LEFT JOIN line_reps l ON l.line_id = @line_id AND l.user_id = u.id
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

-- name: DropAnswerersSlip :exec
-- Whoever wanted to answer a call did not get it: their slip goes, and they are in the call that they were in before, if in any.
WITH links AS (
  DELETE FROM call_links WHERE call_links.slip_id = @id
), freed AS (
  UPDATE rep_state SET foreground_call_id = sqlc.narg('before'), version = version + 1
  WHERE rep_state.user_id = @user_id AND rep_state.foreground_call_id = @call_id
)
DELETE FROM slips WHERE slips.id = @id AND slips.state = 'open' AND NOT EXISTS (SELECT FROM slip_notes n WHERE n.slip_id = slips.id AND n.body <> '');

-- name: SetMissedWhy :exec
UPDATE calls SET missed_why = @why, box_user_id = sqlc.narg('box_user_id') WHERE id = @id;

-- name: OwesCall :exec
-- A call that nobody answered is owed, unless its number is withheld and no message was left: there is nobody to call back.
INSERT INTO unreturned (call_id, line_id, remote_e164, remote_ext, since, user_id, queue_id)
SELECT c.id, c.line_id, c.remote_e164, c.remote_ext, c.started_at, c.box_user_id, c.queue_id FROM calls c
WHERE c.id = @call_id AND c.direction = 'inbound' AND (c.remote_e164 <> '' OR c.message_ms > 0) ON CONFLICT DO NOTHING;

-- name: SettleUnreturned :execrows
-- What a call means for who had called in vain before from its number: a conversation or a voicemail settles it, for everybody; a try is counted.
-- Another extension is another person, unless both calls stand on one record.
UPDATE unreturned u SET
  tries = u.tries + CASE WHEN @settles::boolean THEN 0 ELSE 1 END,
  closed_at = CASE WHEN @settles THEN @at::timestamptz END,
  closed_how = CASE WHEN @settles THEN @how::text ELSE '' END,
  closed_by_call = CASE WHEN @settles THEN @call_id::uuid END,
  version = u.version + 1
FROM calls c WHERE c.id = @call_id AND u.remote_e164 = c.remote_e164 AND u.remote_e164 <> '' AND u.closed_at IS NULL AND u.call_id <> c.id AND u.since <= @at
  AND (u.remote_ext = c.remote_ext OR EXISTS (SELECT FROM call_links x JOIN call_links y ON y.record_id = x.record_id WHERE x.call_id = c.id AND y.call_id = u.call_id AND x.role = 'person'));

-- name: SettleCallbacks :execrows
-- They have been spoken with: nobody has to call them back any more. A callback that somebody is making is settled by its own call.
UPDATE queue_waits w SET left_at = @at::timestamptz, how = 'called', answered_by = coalesce(
  (SELECT s.user_id FROM slips s WHERE s.call_id = c.id ORDER BY s.created_at LIMIT 1), w.answered_by)
FROM calls c WHERE c.id = @call_id::uuid AND w.e164 = c.remote_e164 AND w.e164 <> '' AND w.ext = c.remote_ext AND w.kind = 'callback' AND w.left_at IS NULL
  AND w.since <= @at AND w.taken_by IS NULL;

-- name: UnsettleBy :execrows
-- A call turns out to have reached nobody: what it settled is owed again, and it was a try.
UPDATE unreturned SET closed_at = NULL, closed_how = '', closed_by_call = NULL, tries = tries + 1, version = version + 1 WHERE closed_by_call = @call_id;

-- name: CallsThatSettle :many
-- Those of so many calls that something is owed for, as CallWorth says.
-- From unnest, since a plan of an ANY is made anew each time, which takes longer than what it plans.
SELECT c.id FROM unnest(@calls::uuid[]) ended JOIN calls c ON c.id = ended WHERE c.remote_e164 <> ''
  AND (EXISTS (SELECT FROM unreturned u WHERE u.remote_e164 = c.remote_e164 AND u.closed_at IS NULL AND u.call_id <> c.id)
    OR EXISTS (SELECT FROM queue_waits w WHERE w.e164 = c.remote_e164 AND w.kind = 'callback' AND w.left_at IS NULL)
    OR EXISTS (SELECT FROM messages m WHERE m.address = c.remote_e164 AND m.state = 'waiting' AND NOT m.by_hand)
    OR EXISTS (SELECT FROM messages m JOIN call_links l ON l.record_id = m.record_id WHERE l.call_id = c.id AND l.role = 'person' AND m.state = 'waiting' AND NOT m.by_hand));

-- name: CallWorth :one
-- What core/touch wants to know of a call, with the outcome of a slip of it; and whether it could settle anything: its number is owed
-- something for other calls, or a program is about to write to who was called.
SELECT c.direction, c.answered_at, c.ended_at, c.end_reason, c.drop_result, c.spoke, o.id AS outcome_id, coalesce(o.reached, false)::boolean AS reached, coalesce(o.left_message, false)::boolean AS left_message,
  EXISTS (SELECT FROM legs l WHERE l.call_id = c.id AND l.device = 'prepared')::boolean AS machine,
  (EXISTS (SELECT FROM unreturned v WHERE v.remote_e164 = c.remote_e164 AND v.remote_e164 <> '' AND v.closed_at IS NULL AND v.call_id <> c.id)
    OR EXISTS (SELECT FROM queue_waits w WHERE w.e164 = c.remote_e164 AND w.e164 <> '' AND w.kind = 'callback' AND w.left_at IS NULL)
    OR EXISTS (SELECT FROM messages m WHERE m.address = c.remote_e164 AND m.address <> '' AND m.state = 'waiting' AND NOT m.by_hand)
    OR EXISTS (SELECT FROM messages m JOIN call_links k ON k.record_id = m.record_id WHERE k.call_id = c.id AND k.role = 'person' AND m.state = 'waiting' AND NOT m.by_hand))::boolean AS owes
FROM calls c LEFT JOIN slips s ON s.call_id = c.id AND s.state = 'filed' AND s.outcome_id IS NOT NULL LEFT JOIN outcomes o ON o.id = s.outcome_id
WHERE c.id = @call_id ORDER BY o.reached DESC NULLS LAST LIMIT 1;

-- name: SetSpoke :exec
UPDATE calls SET spoke = @spoke WHERE id = @call_id AND spoke <> @spoke;

-- name: OpenUnreturned :many
SELECT u.call_id, u.line_id, u.remote_e164, u.since, u.tries, u.taken_by, coalesce(t.name, '')::text AS taken_name, u.version,
  c.remote_ext, c.remote_typed, c.message_ms, u.user_id,
  (CASE WHEN u.remote_e164 = '' THEN 1 ELSE (SELECT count(*) FROM unreturned o WHERE o.remote_e164 = u.remote_e164 AND o.remote_ext = u.remote_ext AND o.closed_at IS NULL) END)::int AS times,
  EXISTS (SELECT FROM text_opt_outs x WHERE x.e164 = u.remote_e164)::boolean AS opted_out,
  coalesce((SELECT n.name FROM calls g JOIN users n ON n.id = g.placed_by WHERE u.remote_e164 <> '' AND g.remote_e164 = u.remote_e164 AND g.remote_ext = u.remote_ext
    AND g.ended_at IS NULL AND g.direction = 'outbound' ORDER BY g.started_at LIMIT 1), '')::text AS calling_name,
  coalesce(m.id, '00000000-0000-0000-0000-000000000000')::uuid AS message_id, (m.heard_at IS NOT NULL)::boolean AS message_heard
FROM unreturned u JOIN calls c ON c.id = u.call_id LEFT JOIN users t ON t.id = u.taken_by
LEFT JOIN recordings m ON m.call_id = u.call_id AND m.kind = 'message' AND m.state = 'kept'
WHERE u.closed_at IS NULL AND NOT EXISTS (SELECT FROM queue_waits w WHERE w.call_id = u.call_id AND w.kind = 'callback' AND w.left_at IS NULL)
  AND (@everything::boolean OR owes_call(u, @me::uuid)
  OR EXISTS (SELECT FROM users w WHERE w.teams && @teams::text[] AND (w.id = u.user_id OR w.id IN (SELECT l.user_id FROM line_reps l WHERE l.line_id = u.line_id)
    OR w.id IN (SELECT m.user_id FROM queue_members m WHERE m.queue_id = u.queue_id))))
ORDER BY u.since LIMIT 200;

-- name: LockUnreturned :one
SELECT call_id, remote_e164, remote_ext, taken_by, closed_at, version FROM unreturned WHERE call_id = @call_id FOR UPDATE;

-- name: TakeUnreturned :exec
UPDATE unreturned SET taken_by = sqlc.narg('user_id'), taken_at = @at, version = version + 1
WHERE (remote_e164 = @remote_e164 AND remote_ext = @remote_ext AND remote_e164 <> '' OR call_id = @call_id) AND closed_at IS NULL;

-- name: CloseUnreturned :exec
UPDATE unreturned SET closed_at = sqlc.narg('at'), closed_by = sqlc.narg('user_id'), closed_how = @how, reason = @reason, version = version + 1
WHERE (remote_e164 = @remote_e164 AND remote_ext = @remote_ext AND remote_e164 <> '' OR call_id = @call_id) AND closed_at IS NULL;

-- name: LineOwed :many
-- By which line somebody has called in vain from a number, the last time.
SELECT line_id FROM unreturned WHERE remote_e164 = @e164 AND remote_ext = @ext AND closed_at IS NULL AND line_id IS NOT NULL ORDER BY since DESC LIMIT 1;

-- name: ReopenUnreturned :exec
UPDATE unreturned SET closed_at = NULL, closed_by = NULL, closed_how = '', closed_by_call = NULL, reason = '', version = version + 1 WHERE call_id = @call_id;

-- name: SetAvailability :exec
WITH changed AS (
  UPDATE rep_state SET state_id = @state_id, since = @at, version = version + 1 WHERE rep_state.user_id = @user_id AND rep_state.state_id <> @state_id RETURNING rep_state.user_id
)
INSERT INTO availability_changes (user_id, at, state_id) SELECT changed.user_id, @at, @state_id FROM changed
ON CONFLICT (user_id, at) DO UPDATE SET state_id = EXCLUDED.state_id;

-- name: Availability :one
SELECT s.state_id, s.since, t.label, t.takes_calls FROM rep_state s JOIN availability_states t ON t.id = s.state_id WHERE s.user_id = @user_id;

-- name: AvailabilityStates :many
SELECT id, label, takes_calls, counts_as_work, position, active FROM availability_states ORDER BY position, id;

-- name: PutAvailabilityState :exec
INSERT INTO availability_states (id, label, takes_calls, counts_as_work, position, active) VALUES (@id, @label, @takes_calls, @counts_as_work, @position, @active)
ON CONFLICT (id) DO UPDATE SET label = EXCLUDED.label, takes_calls = EXCLUDED.takes_calls, counts_as_work = EXCLUDED.counts_as_work,
  position = EXCLUDED.position, active = EXCLUDED.active;

-- name: LeaveState :exec
-- Who is in a state that is no longer offered is put into another.
WITH changed AS (UPDATE rep_state SET state_id = @instead, since = @at, version = version + 1 WHERE rep_state.state_id = @state_id RETURNING rep_state.user_id)
INSERT INTO availability_changes (user_id, at, state_id) SELECT changed.user_id, @at, @instead FROM changed
ON CONFLICT (user_id, at) DO UPDATE SET state_id = EXCLUDED.state_id;

-- name: AvailabilityHistory :many
-- The states that somebody chose since a moment, oldest first, and the one that they were in then.
SELECT c.at, t.label, t.takes_calls, t.counts_as_work FROM availability_changes c JOIN availability_states t ON t.id = c.state_id
WHERE c.user_id = @user_id AND c.at >= coalesce((SELECT max(x.at) FROM availability_changes x WHERE x.user_id = @user_id AND x.at <= @since), '-infinity')
ORDER BY c.at;

-- name: PartsInCalls :many
-- Somebody's parts in calls since a moment.
SELECT s.created_at, l.ended_at AS left_at, c.ended_at, s.filed_at FROM slips s JOIN calls c ON c.id = s.call_id AND NOT c.by_hand
LEFT JOIN LATERAL (SELECT x.ended_at FROM legs x WHERE x.call_id = c.id AND x.user_id = s.user_id ORDER BY x.leg_no DESC LIMIT 1) l ON true
WHERE s.user_id = @user_id AND s.created_at >= @since AND (c.ended_at IS NULL OR c.ended_at >= @since) ORDER BY s.created_at;

-- name: SinceSpoken :many
-- What has happened on a record since a rep last spoke with it, newest first: calls, what was written, and changes by others than the rep.
SELECT h.kind, h.at, coalesce(u.name, a.name, w.name, '')::text AS by_name, coalesce(o.label, '')::text AS outcome, coalesce(m.incoming AND m.slip_id IS NULL, false)::boolean AS incoming
FROM history h
LEFT JOIN calls c ON h.kind = 'call' AND c.id = h.ref_id LEFT JOIN slips s ON s.call_id = c.id LEFT JOIN users u ON u.id = s.user_id LEFT JOIN outcomes o ON o.id = s.outcome_id
LEFT JOIN audit d ON h.kind = 'change' AND d.id = h.ref_id LEFT JOIN users a ON a.id = d.actor_id
LEFT JOIN messages m ON h.kind = 'message' AND m.id = h.ref_id LEFT JOIN slips z ON m.incoming AND z.id = m.slip_id
LEFT JOIN users w ON w.id = CASE WHEN m.incoming THEN z.user_id ELSE m.user_id END
WHERE h.record_id = @record_id AND h.at > @since AND h.kind IN ('call', 'change', 'message') AND h.ref_id <> @without
  AND (h.kind <> 'change' OR d.actor_id IS DISTINCT FROM @reader_id::uuid) AND (h.kind <> 'message' OR m.incoming OR m.user_id IS DISTINCT FROM @reader_id::uuid)
ORDER BY h.at DESC LIMIT 20;

-- name: LastSpoken :many
-- When each rep last spoke with a record, in another call than this one.
SELECT s.user_id, max(c.answered_at)::timestamptz AS at
FROM history h JOIN calls c ON c.id = h.ref_id JOIN slips s ON s.call_id = c.id
WHERE h.record_id = @record_id AND h.kind = 'call' AND c.spoke AND c.answered_at IS NOT NULL AND c.id <> @without
GROUP BY s.user_id;

-- name: MatchSigns :many
-- What speaks for each of several records that share a number.
SELECT r.id,
  coalesce((SELECT max(c.answered_at) FROM call_links l JOIN calls c ON c.id = l.call_id WHERE l.record_id = r.id AND c.remote_e164 = @e164), '0001-01-01 00:00:00+00')::timestamptz AS spoke_at,
  coalesce((SELECT max(c.started_at) FROM call_links l JOIN calls c ON c.id = l.call_id WHERE l.record_id = r.id AND c.remote_e164 = @e164 AND c.direction = 'outbound'), '0001-01-01 00:00:00+00')::timestamptz AS tried_at,
  EXISTS (SELECT FROM records d WHERE d.kind = 'deal' AND (d.person_id = r.id OR d.company_id = r.id) AND d.deleted_at IS NULL AND NOT is_over(d.kind, d.stage))::boolean AS open_deal,
  EXISTS (SELECT FROM records d WHERE d.kind = 'case' AND (d.person_id = r.id OR d.company_id = r.id) AND d.deleted_at IS NULL AND d.stage <> 'solved')::boolean AS open_case
FROM records r WHERE r.id = ANY (@ids::uuid[]);

-- name: NumberChoice :one
SELECT record_id FROM number_choices WHERE e164 = @e164 AND ext = @ext;

-- name: ChooseForNumber :exec
INSERT INTO number_choices (e164, ext, record_id, user_id, at) VALUES (@e164, @ext, @record_id, @user_id, @at)
ON CONFLICT (e164, ext) DO UPDATE SET record_id = EXCLUDED.record_id, user_id = EXCLUDED.user_id, at = EXCLUDED.at;

-- name: PastCandidates :many
-- Records on which earlier calls with a number were put by hand, though it is not stored there.
SELECT DISTINCT ON (r.id) r.id AS record_id, r.kind, r.name, r.company_id, r.person_id, r.owner_id
FROM calls c JOIN call_links l ON l.call_id = c.id AND l.role <> 'about' JOIN records r ON r.id = l.record_id
WHERE c.remote_e164 = @e164 AND c.remote_ext = @ext AND r.deleted_at IS NULL AND r.kind IN ('contact', 'lead', 'company')
  AND NOT EXISTS (SELECT FROM phone_numbers n WHERE n.record_id = r.id AND n.e164 = @e164)
  AND NOT EXISTS (SELECT FROM call_links p JOIN phone_numbers n ON n.record_id = p.record_id AND n.e164 = @e164 WHERE p.call_id = c.id)
LIMIT 10;

-- name: AdoptCalls :many
-- Earlier calls with a number that are on nobody's record.
SELECT c.id, c.started_at FROM calls c
WHERE c.remote_e164 = @e164 AND c.remote_ext = @ext AND c.id <> @without AND NOT EXISTS (SELECT FROM call_links l WHERE l.call_id = c.id)
ORDER BY c.started_at DESC LIMIT 500;

-- name: InsertColleagueNote :exec
INSERT INTO colleague_notes (id, from_id, to_id, text, at) VALUES (@id, @from_id, @to_id, @text, @at);

-- name: OpenColleagueNotes :many
-- What colleagues left for somebody: lines, and calls in vain (a note has the id of its call), with the message if they left one.
SELECT n.id, n.text, n.at, n.from_id, u.name AS from_name, c.id AS call_id,
  coalesce(m.id, '00000000-0000-0000-0000-000000000000')::uuid AS message_id, (m.heard_at IS NOT NULL)::boolean AS message_heard
FROM colleague_notes n JOIN users u ON u.id = n.from_id LEFT JOIN calls c ON c.id = n.id
LEFT JOIN LATERAL (SELECT r.id, r.heard_at FROM recordings r WHERE r.call_id = n.id AND r.kind = 'message' AND r.state = 'kept' LIMIT 1) m ON true
WHERE n.to_id = @to_id AND n.done_at IS NULL ORDER BY n.at LIMIT 100;

-- name: SettleColleagueNote :execrows
UPDATE colleague_notes SET done_at = sqlc.narg('done_at') WHERE id = @id AND to_id = @to_id;

-- name: LinesFully :many
SELECT id, e164, label, source, region, zone, main, active, ring_mode, ring_seconds, limit_seconds, hours, unanswered, closed, greeting, closed_text, recording, recording_in, greeting_sound, texting, version, route_id
FROM lines ORDER BY position, id;

-- name: LineReps :many
SELECT line_id, user_id FROM line_reps ORDER BY line_id, position;

-- name: UpdateLine :execrows
UPDATE lines SET label = @label, source = @source, zone = @zone, active = @active, ring_mode = @ring_mode, ring_seconds = @ring_seconds, limit_seconds = @limit_seconds,
  hours = @hours, unanswered = @unanswered, closed = @closed, greeting = @greeting, closed_text = @closed_text, recording = @recording, recording_in = @recording_in,
  greeting_sound = sqlc.narg('greeting_sound'), version = version + 1
WHERE id = @id AND version = @version;

-- name: InsertLine :exec
INSERT INTO lines (id, e164, label, source, region, zone, position) VALUES (@id, @e164, @label, @source, @region, @zone, (SELECT coalesce(max(position), 0) + 1 FROM lines));

-- name: ClearLineReps :exec
DELETE FROM line_reps WHERE line_id = @line_id;

-- name: PutLineReps :exec
INSERT INTO line_reps (line_id, user_id, position) SELECT @line_id, u.id, u.place::int FROM unnest(@users::uuid[]) WITH ORDINALITY AS u (id, place);

-- name: RepsByID :many
SELECT id, name, greeting FROM users WHERE id = ANY (@ids::uuid[]) AND active;

-- name: Preferences :one
SELECT opens, address_template, greeting, greeting_sound, whisper, program FROM users WHERE id = @id;

-- name: SetPreferences :exec
UPDATE users SET opens = @opens, address_template = @address_template, greeting = @greeting, greeting_sound = sqlc.narg('greeting_sound'), whisper = @whisper, program = @program WHERE id = @id;

-- name: PlaceInternal :exec
-- Everything that an internal call is when it is placed, in one statement.
WITH new_call AS (
  INSERT INTO calls (id, direction, remote_e164, remote_typed, caller_id, device, placed_by, colleague_id, box_user_id, owner_server, owner_epoch, state, last_seq, started_at, rang_at)
  VALUES (@call_id, 'internal', '', @colleague_name, '', 'browser', @user_id, @colleague_id, @colleague_id, @owner_server, @owner_epoch, @state, @last_seq, @at, @at)
), new_legs AS (
  INSERT INTO legs (call_id, leg_no, party, user_id, device, state, started_at, rang_at, answered_at)
  VALUES (@call_id, 1, 'rep', @user_id, 'browser', 'up', @at, NULL, @at), (@call_id, 2, 'rep', @colleague_id, 'browser', 'ringing', @at, @at, NULL)
), new_facts AS (
  INSERT INTO call_facts (call_id, seq, at, kind, schema, data)
  SELECT @call_id, unnest(@fact_seqs::int[]), @at, unnest(@fact_kinds::text[]), @fact_schema, unnest(@fact_data::jsonb[])
), new_slip AS (
  INSERT INTO slips (id, call_id, user_id, created_at) VALUES (@slip_id, @call_id, @user_id, @at)
), new_command AS (
  INSERT INTO commands (user_id, key, action, request_hash, response, at) VALUES (@user_id, @command_key, 'place_call', @request_hash, @response, @at)
)
UPDATE rep_state SET foreground_call_id = @call_id, version = version + 1 WHERE rep_state.user_id = @user_id;

-- name: FileEmptySlipsOf :exec
-- Of who was only asked something in a call, and has written nothing.
UPDATE slips s SET state = 'filed', filed_at = @at, version = s.version + 1
WHERE s.call_id = @call_id AND s.user_id = ANY (@users::uuid[]) AND s.state = 'open' AND s.outcome_id IS NULL AND s.subject = ''
  AND NOT EXISTS (SELECT FROM slip_notes n WHERE n.slip_id = s.id AND n.body <> '');

-- name: SlipsOfCall :many
-- Every part in a call, with what its rep has written.
SELECT s.id, s.user_id, u.name, u.teams, s.state, s.subject, s.visible, s.handed_to, coalesce(o.label, '')::text AS outcome, coalesce(n.body, '')::text AS notes
FROM slips s JOIN users u ON u.id = s.user_id LEFT JOIN outcomes o ON o.id = s.outcome_id LEFT JOIN slip_notes n ON n.slip_id = s.id
WHERE s.call_id = @call_id ORDER BY s.created_at;

-- name: PromisesOfSlip :many
-- What was promised in a part of a call and is still to be done.
SELECT f.text, f.due_at FROM follow_ups f WHERE f.slip_id = @slip_id AND f.state = 'open' AND f.promised ORDER BY f.due_at;

-- name: LegsOfCall :many
-- Every leg of a call that was answered, for reading.
SELECT l.leg_no, l.party, l.user_id, coalesce(u.name, '')::text AS name, l.address, l.role, l.answered_at, l.ended_at, l.end_reason, l.talk_ms, l.hold_ms, l.consult_ms, l.conference_ms
FROM legs l LEFT JOIN users u ON u.id = l.user_id WHERE l.call_id = @call_id AND l.party <> 'machine' ORDER BY l.leg_no;

-- name: OwnerOf :one
SELECT owner_id FROM records WHERE id = @id;

-- name: JoinCalls :many
-- A call goes on as a part of another one, which stands on its records, too.
WITH joined AS (
  UPDATE calls SET joined_into = @into_id WHERE calls.id = @joined
), links AS (
  INSERT INTO call_links (call_id, record_id, role, reason, linked_by, at)
  SELECT @into_id, l.record_id, l.role, 'joined from another call', @user_id, @at FROM call_links l WHERE l.call_id = @joined
  ON CONFLICT DO NOTHING RETURNING record_id
), told AS (
  INSERT INTO history (record_id, at, kind, ref_id)
  SELECT links.record_id, c.started_at, 'call', c.id FROM links, calls c WHERE c.id = @into_id ON CONFLICT DO NOTHING
)
SELECT l.record_id FROM call_links l WHERE l.call_id IN (@joined, @into_id);

-- name: SkillsOf :many
-- What everybody of the firm knows, and where they are found.
SELECT u.id, u.skills, u.languages, u.teams, u.extension FROM users u WHERE u.active;

-- name: FileEmptySlips :many
-- Slips of an internal call on which nothing was written need no filing.
UPDATE slips s SET state = 'filed', filed_at = @at, version = s.version + 1
WHERE s.call_id = @call_id AND s.state = 'open' AND NOT EXISTS (SELECT FROM slip_notes n WHERE n.slip_id = s.id AND n.body <> '')
RETURNING s.id, s.user_id;

-- name: SettleColleagueCalls :exec
-- Two colleagues who have spoken owe each other no call back.
UPDATE colleague_notes n SET done_at = @at FROM calls now
WHERE now.id = @call_id AND n.done_at IS NULL AND EXISTS (SELECT FROM calls c WHERE c.id = n.id)
  AND (n.from_id = now.placed_by AND n.to_id = now.colleague_id OR n.from_id = now.colleague_id AND n.to_id = now.placed_by);

-- name: OwesColleague :exec
-- An internal call that was not answered stands in the lane of who was called.
INSERT INTO colleague_notes (id, from_id, to_id, text, at)
SELECT c.id, c.placed_by, c.colleague_id, @text, c.started_at FROM calls c WHERE c.id = @call_id AND c.placed_by IS NOT NULL AND c.colleague_id IS NOT NULL ON CONFLICT DO NOTHING;

-- name: SetForeground :exec
UPDATE rep_state SET foreground_call_id = @call_id, version = version + 1 WHERE user_id = @user_id;

-- name: WriteDownCall :exec
-- A call that was made elsewhere, with its slip, filed.
WITH new_call AS (
  INSERT INTO calls (id, direction, line_id, remote_e164, remote_ext, remote_typed, remote_label, caller_id, device, placed_by, owner_server, owner_epoch,
    state, last_seq, started_at, answered_at, ended_at, end_reason, talk_ms, by_hand)
  VALUES (@call_id, @direction, NULL, @remote_e164, @remote_ext, @remote_typed, '', '', 'elsewhere', @user_id, @owner_server, @owner_epoch,
    'ended', 0, @started_at, sqlc.narg('answered_at'), @ended_at, @end_reason, @talk_ms, true)
), new_slip AS (
  INSERT INTO slips (id, call_id, user_id, state, subject, outcome_id, created_at, filed_at)
  VALUES (@slip_id, @call_id, @user_id, 'filed', '', sqlc.narg('outcome_id'), @at, @at)
), new_notes AS (
  INSERT INTO slip_notes (slip_id, body, version, saved_at) VALUES (@slip_id, @notes, 1, @at)
), new_links AS (
  INSERT INTO call_links (call_id, record_id, slip_id, role, reason, linked_by, at)
  SELECT @call_id, unnest(@link_records::uuid[]), @slip_id, unnest(@link_roles::text[]), unnest(@link_reasons::text[]), @user_id, @at
), new_history AS (
  INSERT INTO history (record_id, at, kind, ref_id) SELECT unnest(@link_records::uuid[]), @started_at, 'call', @call_id
)
INSERT INTO commands (user_id, key, action, request_hash, response, at) VALUES (@user_id, @command_key, 'write_down_call', @request_hash, @response, @at);

-- name: PlaceByProgram :exec
-- A call that the computer's own calling program makes now, with its slip, open: its times are said by its rep.
WITH new_call AS (
  INSERT INTO calls (id, direction, line_id, remote_e164, remote_ext, remote_typed, remote_label, caller_id, device, placed_by, owner_server, owner_epoch,
    state, last_seq, started_at, ended_at, end_reason, by_hand, unconfirmed)
  VALUES (@call_id, 'outbound', NULL, @remote_e164, @remote_ext, @remote_typed, @remote_label, '', 'program', @user_id, @owner_server, @owner_epoch,
    'ended', 0, @at, @at, 'unconfirmed', true, true)
), new_slip AS (
  INSERT INTO slips (id, call_id, user_id, asks_who, open_record_id, created_at) VALUES (@slip_id, @call_id, @user_id, @asks_who, sqlc.narg('open_record_id'), @at)
), new_links AS (
  INSERT INTO call_links (call_id, record_id, slip_id, role, reason, linked_by, at)
  SELECT @call_id, unnest(@link_records::uuid[]), @slip_id, unnest(@link_roles::text[]), unnest(@link_reasons::text[]), @user_id, @at
), new_history AS (
  INSERT INTO history (record_id, at, kind, ref_id) SELECT unnest(@link_records::uuid[]), @at, 'call', @call_id
)
INSERT INTO commands (user_id, key, action, request_hash, response, at) VALUES (@user_id, @command_key, 'place_call', @request_hash, @response, @at);

-- name: ConfirmTimes :execrows
UPDATE calls SET unconfirmed = false, talk_ms = @talk_ms, answered_at = CASE WHEN @talked::boolean THEN started_at END,
  ended_at = started_at + make_interval(secs => @secs::float8), end_reason = @end_reason
WHERE id = @id AND unconfirmed AND placed_by = @user_id;

-- name: LastContact :many
-- What a rep wants to know before the first word: the last finished call with a record and what came of it.
SELECT c.id, c.direction, c.started_at, c.answered_at, coalesce(o.label, '')::text AS outcome, coalesce(u.name, '')::text AS rep_name
FROM history h JOIN calls c ON c.id = h.ref_id AND c.ended_at IS NOT NULL
LEFT JOIN slips s ON s.call_id = c.id LEFT JOIN outcomes o ON o.id = s.outcome_id LEFT JOIN users u ON u.id = s.user_id
WHERE h.record_id = @record_id AND h.kind = 'call' AND c.id <> @without ORDER BY h.at DESC LIMIT 1;

-- name: OpenMatters :many
SELECT kind, name, stage FROM records
WHERE (person_id = @id OR company_id = @id) AND kind IN ('deal', 'case') AND deleted_at IS NULL AND NOT is_over(kind, stage)
ORDER BY kind = 'case' DESC, id DESC LIMIT 3;

-- name: InCallElsewhere :one
-- Whether a rep is in a call that another server drives.
SELECT EXISTS (SELECT FROM rep_state r JOIN calls c ON c.id = r.foreground_call_id
  WHERE r.user_id = @user_id AND c.ended_at IS NULL AND NOT (c.owner_server = @me AND c.owner_epoch = @my_epoch))::boolean;

-- name: SomebodysNumber :one
-- A number of somebody by chance, of the first thousand of the book.
SELECT n.e164 FROM (SELECT e164, id FROM phone_numbers WHERE e164 IS NOT NULL ORDER BY id LIMIT 1000) n ORDER BY md5(n.id::text || @salt::text) LIMIT 1;
