-- name: InsertSurveyAnswer :exec
INSERT INTO survey_answers (call_id, question_id, question, kind, value, from_ms, long_ms, at)
VALUES (@call_id, @question_id, @question, @kind, @value, @from_ms, @long_ms, @at) ON CONFLICT DO NOTHING;

-- name: SurveyAnswers :many
SELECT question, kind, value, from_ms, long_ms FROM survey_answers WHERE call_id = @call_id ORDER BY at, question_id;

-- name: LastScore :many
-- The newest score of somebody of the book.
SELECT a.value, a.at FROM survey_answers a JOIN call_links l ON l.call_id = a.call_id
WHERE l.record_id = @record_id AND a.kind = 'score' ORDER BY a.at DESC LIMIT 1;

-- name: SurveyedSince :one
-- Whether somebody has been asked about a call from a number since a time.
SELECT EXISTS (SELECT FROM survey_answers a JOIN calls c ON c.id = a.call_id WHERE c.remote_e164 = @e164 AND c.remote_e164 <> '' AND a.at > @since)::boolean;
