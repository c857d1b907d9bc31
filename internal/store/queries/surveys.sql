-- name: InsertSurveyAnswer :exec
INSERT INTO survey_answers (call_id, question_id, question, kind, value, from_ms, long_ms, at, words)
VALUES (@call_id, @question_id, @question, @kind, @value, @from_ms, @long_ms, @at, @words) ON CONFLICT DO NOTHING;

-- name: SurveyAnswers :many
SELECT question, kind, value, from_ms, long_ms, words FROM survey_answers WHERE call_id = @call_id ORDER BY at, question_id;

-- name: LastScore :many
-- The newest score of somebody of the book.
SELECT a.value, a.at FROM survey_answers a JOIN call_links l ON l.call_id = a.call_id
WHERE l.record_id = @record_id AND a.kind = 'score' ORDER BY a.at DESC LIMIT 1;

-- name: SurveyedSince :one
-- Whether somebody has been asked about a call from a number since a time.
SELECT EXISTS (SELECT FROM survey_answers a JOIN calls c ON c.id = a.call_id WHERE c.remote_e164 = @e164 AND c.remote_e164 <> '' AND a.at > @since)::boolean;

-- name: InsertSurveyText :exec
INSERT INTO survey_texts (call_id, e164, at) VALUES (@call_id, @e164, @at) ON CONFLICT DO NOTHING;

-- name: AskedByText :one
-- The newest call about which a number was asked by text, and has not said all of it.
SELECT call_id, scored_at FROM survey_texts WHERE e164 = @e164 AND at > @since AND NOT done ORDER BY at DESC LIMIT 1 FOR UPDATE;

-- name: SurveyTextSaid :exec
UPDATE survey_texts SET scored_at = coalesce(scored_at, @at), done = @done WHERE call_id = @call_id;

-- name: TextedSince :one
-- Whether a number was asked by text after a time.
SELECT EXISTS (SELECT FROM survey_texts WHERE e164 = @e164 AND at > @since)::boolean;

-- name: ScoredCall :one
SELECT EXISTS (SELECT FROM survey_answers WHERE call_id = @call_id)::boolean;
