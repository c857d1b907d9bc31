-- name: PersonRecords :many
-- A person's record, and those that were merged into it.
WITH RECURSIVE theirs AS (
  SELECT r.id FROM records r WHERE r.id = @id
  UNION SELECT m.id FROM records m JOIN theirs t ON m.merged_into = t.id
)
SELECT r.id, r.kind, r.name, r.email, r.deleted_at, r.merged_into FROM records r JOIN theirs t ON t.id = r.id;

-- name: PersonNumbers :many
-- Their numbers, and which others have too: another record, a line of the firm's, a colleague's telephone.
SELECT n.e164::text AS e164, n.typed, EXISTS (SELECT FROM phone_numbers x JOIN records o ON o.id = x.record_id
  WHERE x.e164 = n.e164 AND o.deleted_at IS NULL AND NOT x.record_id = ANY(@ids::uuid[])
  UNION ALL SELECT FROM lines l WHERE l.e164 = n.e164 UNION ALL SELECT FROM telephones t WHERE t.e164 = n.e164)::boolean AS shared
FROM phone_numbers n WHERE n.record_id = ANY(@ids::uuid[]) AND n.e164 IS NOT NULL;

-- name: Namesakes :one
-- How many others, colleagues among them, are called like one of some, and how many have one of their mail addresses.
SELECT ((SELECT count(*) FROM records r WHERE lower(r.name) = ANY(@names::text[]) AND NOT r.id = ANY(@ids::uuid[]) AND r.deleted_at IS NULL)
    + (SELECT count(*) FROM users u WHERE lower(u.name) = ANY(@names::text[])))::int AS names,
  (SELECT count(*) FROM records r WHERE lower(r.email) = ANY(@mails::text[]) AND r.email <> '' AND NOT r.id = ANY(@ids::uuid[]) AND r.deleted_at IS NULL)::int AS mails;

-- name: PersonCalls :many
-- Their calls: those that are linked with them and with no other person, and those with a number that only they have.
SELECT c.id, (c.ended_at IS NULL)::boolean AS going FROM calls c
WHERE (c.id IN (SELECT l.call_id FROM call_links l WHERE l.record_id = ANY(@ids::uuid[]))
    OR c.remote_e164 <> '' AND c.remote_e164 = ANY(@numbers::text[]))
  AND NOT EXISTS (SELECT FROM call_links o WHERE o.call_id = c.id AND o.role = 'person' AND NOT o.record_id = ANY(@ids::uuid[]));

-- name: PersonCounts :one
SELECT (SELECT count(*) FROM messages m WHERE m.record_id = ANY(@ids::uuid[]))::int AS messages,
  (SELECT count(*) FROM follow_ups f WHERE f.record_id = ANY(@ids::uuid[]))::int AS follow_ups,
  (SELECT count(*) FROM recordings r WHERE r.call_id = ANY(@calls::uuid[]) AND r.state = 'kept')::int AS recordings,
  (SELECT count(*) FROM recordings r WHERE r.call_id = ANY(@calls::uuid[]) AND r.state = 'kept' AND r.held_at IS NOT NULL)::int AS held_recordings,
  (SELECT count(*) FROM slip_notes n JOIN slips s ON s.id = n.slip_id WHERE s.call_id = ANY(@calls::uuid[]) AND n.body <> '')::int AS notes;

-- name: LegalHold :one
SELECT h.reason, h.held_at, u.name AS held_by FROM legal_holds h JOIN users u ON u.id = h.held_by WHERE h.record_id = ANY(@ids::uuid[]) LIMIT 1;

-- name: LegalHolds :many
SELECT h.record_id, r.name, h.reason, h.held_at, u.name AS held_by FROM legal_holds h JOIN records r ON r.id = h.record_id JOIN users u ON u.id = h.held_by
ORDER BY h.held_at DESC;

-- name: PutLegalHold :exec
INSERT INTO legal_holds (record_id, reason, held_by, held_at) VALUES (@record_id, @reason, @held_by, @held_at)
ON CONFLICT (record_id) DO UPDATE SET reason = EXCLUDED.reason, held_by = EXCLUDED.held_by, held_at = EXCLUDED.held_at;

-- name: DropLegalHold :execrows
DELETE FROM legal_holds WHERE record_id = @record_id;

-- name: InsertErasure :exec
INSERT INTO erasures (id, record_id, reason, asked_by, asked_at, server) VALUES (@id, @record_id, @reason, @asked_by, @asked_at, @server);

-- name: EndErasure :exec
UPDATE erasures SET state = @state, done_at = sqlc.narg('at'), problem = @problem, report = @report WHERE id = @id;

-- name: Erasure :one
SELECT e.id, e.record_id, e.reason, e.asked_by, e.asked_at, u.name AS asker, e.state, e.done_at, e.problem, e.report FROM erasures e JOIN users u ON u.id = e.asked_by WHERE e.id = @id;

-- name: Erasures :many
SELECT e.id, e.record_id, e.reason, e.asked_by, e.asked_at, u.name AS asker, e.state, e.done_at, e.problem, e.report FROM erasures e JOIN users u ON u.id = e.asked_by
ORDER BY e.asked_at DESC LIMIT 200;

-- name: RunningErasures :many
SELECT id FROM erasures WHERE state = 'running' AND server = @server;

-- name: RecordingFiles :many
-- The files of calls' recordings, in parts of both places.
SELECT file, stored FROM recordings WHERE call_id = ANY(@calls::uuid[]) AND state = 'kept';

-- name: DropImportRowsWith :exec
-- Rows of imports are kept as bytes: one with a trace of a person goes as a whole.
DELETE FROM import_rows WHERE encode(data, 'escape') ~* @pattern::text;

-- name: InsertConsent :exec
INSERT INTO consents (id, record_id, what, given, at, how, noted_by) VALUES (@id, @record_id, @what, @given, @at, @how, @noted_by);

-- name: ConsentsOf :many
SELECT c.id, c.what, c.given, c.at, c.how, u.name AS noted_by FROM consents c JOIN users u ON u.id = c.noted_by WHERE c.record_id = @record_id ORDER BY c.at DESC;

-- name: ForgetNotes :execrows
-- Notes of calls, and what customers wrote about them, that are older than the firm keeps them, but for those of who is held.
WITH said AS (UPDATE survey_answers a SET words = '' FROM calls c WHERE c.id = a.call_id AND a.words <> '' AND c.ended_at < @before
  AND NOT EXISTS (SELECT FROM call_links l JOIN legal_holds h ON h.record_id = l.record_id WHERE l.call_id = c.id)),
wished AS (UPDATE queue_waits w SET word = '' WHERE w.word <> '' AND w.left_at < @before
  AND NOT EXISTS (SELECT FROM legal_holds h WHERE h.record_id = w.record_id))
UPDATE slip_notes n SET body = '' FROM slips s JOIN calls c ON c.id = s.call_id
WHERE s.id = n.slip_id AND n.body <> '' AND s.state = 'filed' AND c.ended_at < @before
  AND NOT EXISTS (SELECT FROM call_links l JOIN legal_holds h ON h.record_id = l.record_id WHERE l.call_id = c.id);

-- name: ForgetMessages :execrows
WITH old AS (
  SELECT m.id FROM messages m WHERE m.at < @before AND m.body <> '' AND m.state NOT IN ('waiting', 'sending')
    AND NOT EXISTS (SELECT FROM legal_holds h WHERE h.record_id = m.record_id)
), files AS (DELETE FROM message_files f USING old WHERE f.message_id = old.id)
UPDATE messages m SET body = '', subject = '' FROM old WHERE m.id = old.id;

-- name: ForgetCalls :execrows
-- With whom a call was is forgotten; that it was stays, for the figures.
WITH waited AS (UPDATE queue_waits w SET e164 = '', ext = '', word = '', called = '' WHERE w.left_at < @before AND w.e164 <> ''
  AND NOT EXISTS (SELECT FROM legal_holds h WHERE h.record_id = w.record_id)),
asked AS (UPDATE survey_texts x SET e164 = '', done = true WHERE x.at < @before AND x.e164 <> ''
  AND NOT EXISTS (SELECT FROM call_links l JOIN legal_holds h ON h.record_id = l.record_id WHERE l.call_id = x.call_id))
UPDATE calls c SET remote_e164 = '', remote_typed = '', remote_ext = '', remote_label = ''
WHERE c.ended_at < @before AND (c.remote_e164 <> '' OR c.remote_typed <> '')
  AND NOT EXISTS (SELECT FROM unreturned u WHERE u.call_id = c.id AND u.closed_at IS NULL)
  AND NOT EXISTS (SELECT FROM call_links l JOIN legal_holds h ON h.record_id = l.record_id WHERE l.call_id = c.id);

-- name: OldImports :many
SELECT id FROM imports WHERE changed_at < @before AND state IN ('done', 'failed', 'cancelled');

-- name: ForgetImport :exec
WITH rejects AS (DELETE FROM import_rejects j WHERE j.import_id = @id)
DELETE FROM import_rows i WHERE i.import_id = @id;

-- name: EverythingAbout :one
-- What the firm keeps about somebody, as it is read by themselves.
SELECT jsonb_build_object(
  'records', (SELECT jsonb_agg(to_jsonb(r) - 'search' - 'version' - 'number_order') FROM records r WHERE r.id = ANY(@ids::uuid[])),
  'numbers', (SELECT jsonb_agg(jsonb_build_object('label', n.label, 'number', n.e164, 'typed', n.typed, 'do_not_call_since', n.dnc_at, 'reason', n.dnc_reason))
    FROM phone_numbers n WHERE n.record_id = ANY(@ids::uuid[])),
  'calls', (SELECT jsonb_agg(jsonb_build_object('id', c.id, 'started', c.started_at, 'answered', c.answered_at, 'ended', c.ended_at, 'direction', c.direction,
      'number', c.remote_e164, 'talk_ms', c.talk_ms, 'how_it_ended', c.end_reason,
      'slips', (SELECT jsonb_agg(jsonb_build_object('colleague', u.name, 'subject', s.subject, 'outcome', o.label, 'notes', t.body))
        FROM slips s JOIN users u ON u.id = s.user_id LEFT JOIN outcomes o ON o.id = s.outcome_id LEFT JOIN slip_notes t ON t.slip_id = s.id WHERE s.call_id = c.id),
      'answers', (SELECT jsonb_agg(jsonb_build_object('question', w.question, 'answer', w.answer)) FROM call_answers w WHERE w.call_id = c.id),
      'survey', (SELECT jsonb_agg(jsonb_build_object('question', y.question, 'kind', y.kind, 'answer', y.value, 'words', y.words, 'at', y.at)) FROM survey_answers y WHERE y.call_id = c.id),
      'recordings', (SELECT jsonb_agg(jsonb_build_object('began', g.began_at, 'ms', g.total_ms, 'kind', g.kind, 'state', g.state, 'why', g.why,
        'transcript', (SELECT x.phrases FROM transcripts x WHERE x.recording_id = g.id))) FROM recordings g WHERE g.call_id = c.id)) ORDER BY c.started_at)
    FROM calls c WHERE c.id = ANY(@calls::uuid[])),
  'messages', (SELECT jsonb_agg(jsonb_build_object('at', m.at, 'channel', m.channel, 'incoming', m.incoming AND m.slip_id IS NULL, 'address', m.address, 'subject', m.subject, 'text', m.body,
      'state', m.state) ORDER BY m.at) FROM messages m WHERE m.record_id = ANY(@ids::uuid[])),
  'follow_ups', (SELECT jsonb_agg(jsonb_build_object('text', f.text, 'kind', f.kind, 'promised', f.promised, 'due', f.due_at, 'state', f.state, 'done', f.done_at) ORDER BY f.created_at)
    FROM follow_ups f WHERE f.record_id = ANY(@ids::uuid[])),
  'consents', (SELECT jsonb_agg(jsonb_build_object('what', k.what, 'given', k.given, 'at', k.at, 'how', k.how) ORDER BY k.at) FROM consents k WHERE k.record_id = ANY(@ids::uuid[])),
  'lists', (SELECT jsonb_agg(l.name) FROM list_members i JOIN lists l ON l.id = i.list_id WHERE i.record_id = ANY(@ids::uuid[])),
  'changes', (SELECT jsonb_agg(jsonb_build_object('at', a.at, 'action', a.action, 'before', a.before, 'after', a.after) ORDER BY a.at) FROM audit a WHERE a.subject_id = ANY(@ids::uuid[]))
)::jsonb AS everything;

-- name: FilesOfPerson :many
SELECT f.name, f.content, f.at FROM message_files f JOIN messages m ON m.id = f.message_id WHERE m.record_id = ANY(@ids::uuid[]) ORDER BY f.at, f.id;

-- name: SoundsOfPerson :many
SELECT id, kind, began_at FROM recordings WHERE call_id = ANY(@calls::uuid[]) AND state = 'kept' ORDER BY began_at;

-- name: MarkByConsent :exec
-- Who no longer agrees to calls is not called; who agrees again is, where nothing else stands against it.
UPDATE records r SET dnc_at = CASE WHEN @withdrawn::boolean THEN @at::timestamptz END,
  dnc_reason = CASE WHEN @withdrawn::boolean THEN @reason::text ELSE '' END, version = r.version + 1
WHERE r.id = @record_id AND CASE WHEN @withdrawn::boolean THEN r.dnc_at IS NULL ELSE r.dnc_reason LIKE 'no longer agrees to calls: %' END;

-- name: WithdrawnByAny :one
-- Whether one of several no longer agrees to something.
SELECT EXISTS (SELECT FROM unnest(@ids::uuid[]) AS x(id)
  WHERE (SELECT NOT c.given FROM consents c WHERE c.record_id = x.id AND c.what = @what ORDER BY c.at DESC, c.id DESC LIMIT 1));

-- name: Withdrawn :one
-- Whether somebody no longer agrees to something: the newest word counts.
SELECT coalesce((SELECT NOT c.given FROM consents c WHERE c.record_id = @record_id AND c.what = @what ORDER BY c.at DESC, c.id DESC LIMIT 1), false)::boolean;
