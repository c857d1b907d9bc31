-- name: InsertRecording :batchexec
-- Once, though the journal and the look through the files at the start may both know of it.
INSERT INTO recordings (id, call_id, kind, state, server, file, began_at, why) VALUES (@id, @call_id, @kind, 'going', @server, @file, @began_at, @why)
ON CONFLICT (id) DO NOTHING;

-- name: KeepRecording :batchexec
UPDATE recordings SET state = 'kept', total_ms = @total_ms, ours_ms = @ours_ms, theirs_ms = @theirs_ms, overlap_ms = @overlap_ms, silence_ms = @silence_ms,
  longest_ours_ms = @longest_ours_ms, longest_theirs_ms = @longest_theirs_ms, interrupted_them = @interrupted_them, interrupted_us = @interrupted_us,
  first_answer_ms = @first_answer_ms, gain_ours = @gain_ours, gain_theirs = @gain_theirs, trace_ours = @trace_ours, trace_theirs = @trace_theirs,
  gaps = @gaps, trouble = @trouble
WHERE id = @id AND state = 'going';

-- name: RecordingsGoing :many
-- What a server was recording when it ended.
SELECT id, call_id, file FROM recordings WHERE server = @server AND state = 'going';

-- name: RecordingsOfCall :many
SELECT sqlc.embed(r), coalesce(d.name, '')::text AS deleted_name, coalesce(h.name, '')::text AS held_name, coalesce(e.name, '')::text AS heard_name
FROM recordings r LEFT JOIN users d ON d.id = r.deleted_by LEFT JOIN users h ON h.id = r.held_by LEFT JOIN users e ON e.id = r.heard_by WHERE r.call_id = @call_id ORDER BY r.began_at, r.id;

-- name: Recording :one
SELECT id, call_id, kind, state, server, file, began_at, total_ms, stored, held_at FROM recordings WHERE id = @id;

-- name: MayHear :one
-- Whether a rep had a part in a call, or its message is in their box or in one that nobody owns.
SELECT (EXISTS (SELECT FROM slips s WHERE s.call_id = @call_id AND s.user_id = @user_id)
  OR EXISTS (SELECT FROM slips s JOIN users u ON u.id = s.user_id WHERE s.call_id = @call_id AND u.teams && @teams::text[])
  OR EXISTS (SELECT FROM calls c JOIN users u ON u.id = c.box_user_id WHERE c.id = @call_id AND u.teams && @teams::text[])
  OR EXISTS (SELECT FROM calls c JOIN recordings r ON r.call_id = c.id AND r.kind = 'message' WHERE c.id = @call_id AND (c.box_user_id IS NULL OR c.box_user_id = @user_id)))::boolean;

-- name: DeleteRecording :execrows
UPDATE recordings SET state = 'deleted', deleted_at = @at, deleted_by = sqlc.narg('user_id'), deleted_why = @why, trace_ours = '', trace_theirs = '', expires_at = NULL
WHERE id = @id AND state = 'kept' AND held_at IS NULL;

-- name: HoldRecording :execrows
UPDATE recordings SET held_at = sqlc.narg('held_at'), held_by = sqlc.narg('held_by'), held_why = @why, expires_at = NULL WHERE id = @id AND state = 'kept';

-- name: RecordingsToTell :many
-- Those of which it may have to be said that they will be deleted, or no longer: who began before, and who is said to be.
SELECT id, kind, began_at, expires_at, (held_at IS NOT NULL)::boolean AS held FROM recordings
WHERE state = 'kept' AND (expires_at IS NOT NULL OR held_at IS NULL AND (kind <> 'message' AND began_at < @calls_before::timestamptz OR kind = 'message' AND began_at < @messages_before::timestamptz))
ORDER BY began_at LIMIT 2000;

-- name: TellExpiry :batchexec
UPDATE recordings SET expires_at = sqlc.narg('expires_at') WHERE id = @id AND state = 'kept' AND held_at IS NULL;

-- name: RecordingsExpired :many
SELECT id, call_id, server, file, stored FROM recordings WHERE state = 'kept' AND held_at IS NULL AND expires_at <= @now ORDER BY expires_at LIMIT 200;

-- name: RecordingsExpiring :one
SELECT count(*)::int AS count, coalesce(min(expires_at), '0001-01-01 00:00:00+00')::timestamptz AS first FROM recordings WHERE state = 'kept' AND expires_at IS NOT NULL;

-- name: RecordingsBefore :one
-- How many a policy would delete, apart from those that are held.
SELECT count(*)::int FROM recordings WHERE state = 'kept' AND held_at IS NULL AND (kind <> 'message' AND began_at < @calls_before::timestamptz OR kind = 'message' AND began_at < @messages_before::timestamptz);

-- name: RecordingsToStore :many
SELECT id, call_id, file FROM recordings WHERE server = @server AND state = 'kept' AND stored = '' AND total_ms > 0 AND began_at < @before ORDER BY began_at LIMIT 50;

-- name: Stored :execrows
UPDATE recordings SET stored = @stored, stored_bytes = @stored_bytes WHERE id = @id AND state = 'kept';

-- name: HeardMessage :execrows
-- The first who hears a message, other than who left it.
UPDATE recordings SET heard_at = @at, heard_by = @user_id WHERE recordings.id = @id AND kind = 'message' AND heard_at IS NULL
  AND NOT EXISTS (SELECT FROM slips s WHERE s.call_id = recordings.call_id AND s.user_id = @user_id);

-- name: RemarksOfCall :many
SELECT m.id, m.recording_id, m.at_ms, m.text, m.created_at, m.for_whom, u.name FROM recording_remarks m JOIN recordings r ON r.id = m.recording_id JOIN users u ON u.id = m.user_id
WHERE r.call_id = @call_id AND (m.for_whom = 'team' OR m.user_id = @me OR m.for_whom = 'rep' AND EXISTS (SELECT FROM slips s WHERE s.call_id = r.call_id AND s.user_id = @me))
ORDER BY m.at_ms, m.created_at;

-- name: InsertRemark :exec
INSERT INTO recording_remarks (id, recording_id, at_ms, text, user_id, created_at, for_whom) VALUES (@id, @recording_id, @at_ms, @text, @user_id, @created_at, @for_whom);

-- name: UnknownRecordings :many
-- Those of so many files that no recording stands for.
SELECT f.name::text AS name FROM unnest(@names::text[]) AS f (name) WHERE NOT EXISTS (SELECT FROM recordings r WHERE r.file = f.name);

-- name: PreparedMessages :many
SELECT id, name, text, position, active, sound, weekdays, list_id, outcome_id FROM prepared_messages ORDER BY position, id;

-- name: PreparedMessage :one
SELECT id, name, text, sound FROM prepared_messages WHERE id = @id AND active;

-- name: PutPreparedMessage :exec
INSERT INTO prepared_messages (id, name, text, position, active, sound, weekdays, list_id, outcome_id)
VALUES (@id, @name, @text, @position, @active, sqlc.narg('sound'), @weekdays, sqlc.narg('list_id'), sqlc.narg('outcome_id'))
ON CONFLICT (id) DO UPDATE SET name = EXCLUDED.name, text = EXCLUDED.text, position = EXCLUDED.position, active = EXCLUDED.active, sound = EXCLUDED.sound,
  weekdays = EXCLUDED.weekdays, list_id = EXCLUDED.list_id, outcome_id = EXCLUDED.outcome_id;

-- name: PreparedSituation :one
-- Of a call's person: the lists they are on, the outcome of the call before, and since when they agree to recorded messages.
SELECT r.id, r.zone, r.message_consent_at,
  (SELECT coalesce(array_agg(m.list_id), '{}') FROM list_members m WHERE m.record_id = r.id)::uuid[] AS lists,
  coalesce((SELECT s.outcome_id FROM call_links x JOIN calls c ON c.id = x.call_id JOIN slips s ON s.call_id = c.id WHERE x.record_id = r.id AND x.call_id <> @call_id
    AND s.outcome_id IS NOT NULL ORDER BY c.started_at DESC LIMIT 1), '00000000-0000-0000-0000-000000000000')::uuid AS outcome_id
FROM call_links l JOIN records r ON r.id = l.record_id WHERE l.call_id = @call_id ORDER BY l.role = 'person' DESC LIMIT 1;

-- name: SetMessageConsent :execrows
UPDATE records SET message_consent_at = sqlc.narg('at') WHERE id = @id AND deleted_at IS NULL;

-- name: InsertLineReport :exec
INSERT INTO line_reports (id, call_id, user_id, at, trouble, figures) VALUES (@id, @call_id, @user_id, @at, @trouble, @figures);

-- name: LineReportsOfCall :many
SELECT r.at, r.trouble, r.figures, u.name FROM line_reports r JOIN users u ON u.id = r.user_id WHERE r.call_id = @call_id ORDER BY r.at;

-- name: PutTranscript :exec
INSERT INTO transcripts (recording_id, source, phrases) VALUES (@recording_id, @source, @phrases)
ON CONFLICT (recording_id) DO UPDATE SET source = EXCLUDED.source, phrases = EXCLUDED.phrases, topics_version = 0 WHERE NOT transcripts.corrected;

-- name: Transcript :one
SELECT source, phrases FROM transcripts WHERE recording_id = @recording_id;

-- name: InsertSound :exec
INSERT INTO sounds (id, user_id, name, codes, created_at) VALUES (@id, @user_id, @name, @codes, @created_at);

-- name: Sound :one
SELECT id, user_id, name, codes FROM sounds WHERE id = @id;

-- name: StoredRecordings :many
SELECT stored FROM recordings WHERE stored <> '' AND state = 'kept' ORDER BY stored;

-- name: CorrectTranscript :execrows
-- If it is as it was read.
UPDATE transcripts SET phrases = @phrases, corrected = true, topics_version = 0 WHERE recording_id = @recording_id AND phrases = @before;

-- name: TryTranscriptLater :exec
INSERT INTO transcript_jobs (recording_id, tries, due_at, problem) VALUES (@recording_id, 1, sqlc.narg('due_at'), @problem)
ON CONFLICT (recording_id) DO UPDATE SET tries = transcript_jobs.tries + 1, due_at = EXCLUDED.due_at, problem = EXCLUDED.problem;

-- name: TranscriptDone :exec
DELETE FROM transcript_jobs WHERE recording_id = @recording_id;

-- name: TranscriptsDue :many
-- What is to be written down now, of this server's files and of those that are put away; for a while nobody else takes it.
UPDATE transcript_jobs j SET due_at = @again::timestamptz FROM recordings r
WHERE r.id = j.recording_id AND j.recording_id IN (SELECT k.recording_id FROM transcript_jobs k JOIN recordings x ON x.id = k.recording_id
  WHERE k.due_at <= @now::timestamptz AND x.state = 'kept' AND (x.server = @server OR x.stored <> '') ORDER BY k.due_at LIMIT 4 FOR UPDATE OF k SKIP LOCKED)
RETURNING j.recording_id, j.tries, r.call_id, r.began_at, r.total_ms, r.gaps;

-- name: ForgottenTranscripts :exec
-- Recordings of the last week that nobody has tried to write down: the server ended before it could.
INSERT INTO transcript_jobs (recording_id, due_at) SELECT r.id, @now::timestamptz FROM recordings r
WHERE r.state = 'kept' AND r.total_ms > 0 AND r.began_at > @since AND NOT EXISTS (SELECT FROM transcripts t WHERE t.recording_id = r.id) ON CONFLICT DO NOTHING;

-- name: TranscriptProblem :one
SELECT problem, (due_at IS NOT NULL)::boolean AS tried_again FROM transcript_jobs WHERE recording_id = @recording_id;
