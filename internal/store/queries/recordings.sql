-- name: InsertRecording :batchexec
-- Once, though the journal and the look through the files at the start may both know of it.
INSERT INTO recordings (id, call_id, kind, state, server, file, began_at) VALUES (@id, @call_id, @kind, 'going', @server, @file, @began_at)
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
SELECT sqlc.embed(r), coalesce(d.name, '')::text AS deleted_name FROM recordings r LEFT JOIN users d ON d.id = r.deleted_by WHERE r.call_id = @call_id ORDER BY r.began_at;

-- name: Recording :one
SELECT id, call_id, kind, state, server, file, began_at, total_ms FROM recordings WHERE id = @id;

-- name: MayHear :one
-- Whether a rep had a part in a call, or its message is in their box or in one that nobody owns.
SELECT (EXISTS (SELECT FROM slips s WHERE s.call_id = @call_id AND s.user_id = @user_id)
  OR EXISTS (SELECT FROM calls c JOIN recordings r ON r.call_id = c.id AND r.kind = 'message' WHERE c.id = @call_id AND (c.box_user_id IS NULL OR c.box_user_id = @user_id)))::boolean;

-- name: DeleteRecording :execrows
UPDATE recordings SET state = 'deleted', deleted_at = @at, deleted_by = @user_id, deleted_why = @why, trace_ours = '', trace_theirs = '' WHERE id = @id AND state = 'kept';

-- name: RemarksOfCall :many
SELECT m.id, m.recording_id, m.at_ms, m.text, m.created_at, u.name FROM recording_remarks m JOIN recordings r ON r.id = m.recording_id JOIN users u ON u.id = m.user_id
WHERE r.call_id = @call_id ORDER BY m.at_ms, m.created_at;

-- name: InsertRemark :exec
INSERT INTO recording_remarks (id, recording_id, at_ms, text, user_id, created_at) VALUES (@id, @recording_id, @at_ms, @text, @user_id, @created_at);

-- name: UnknownRecordings :many
-- Those of so many files that no recording stands for.
SELECT f.name::text AS name FROM unnest(@names::text[]) AS f (name) WHERE NOT EXISTS (SELECT FROM recordings r WHERE r.file = f.name);

-- name: PreparedMessages :many
SELECT id, name, text, position, active FROM prepared_messages ORDER BY position, id;

-- name: PreparedMessage :one
SELECT id, name, text FROM prepared_messages WHERE id = @id AND active;

-- name: PutPreparedMessage :exec
INSERT INTO prepared_messages (id, name, text, position, active) VALUES (@id, @name, @text, @position, @active)
ON CONFLICT (id) DO UPDATE SET name = EXCLUDED.name, text = EXCLUDED.text, position = EXCLUDED.position, active = EXCLUDED.active;
