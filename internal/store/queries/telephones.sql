-- name: Telephone :one
SELECT * FROM telephones WHERE user_id = @user_id;

-- name: PutTelephone :exec
-- Another number has to be confirmed anew.
INSERT INTO telephones (user_id, e164, speaks, rings, press_one) VALUES (@user_id, @e164, @speaks, @rings, @press_one)
ON CONFLICT (user_id) DO UPDATE SET speaks = EXCLUDED.speaks, rings = EXCLUDED.rings, press_one = EXCLUDED.press_one, e164 = EXCLUDED.e164,
  verified_at = CASE WHEN telephones.e164 = EXCLUDED.e164 THEN telephones.verified_at END,
  code_until = CASE WHEN telephones.e164 = EXCLUDED.e164 THEN telephones.code_until END;

-- name: DeleteTelephone :exec
DELETE FROM telephones WHERE user_id = @user_id;

-- name: SetTelephoneCode :exec
UPDATE telephones SET code_hash = @hash, code_until = @until, tries = 0 WHERE user_id = @user_id;

-- name: WrongTelephoneCode :exec
UPDATE telephones SET tries = tries + 1 WHERE user_id = @user_id;

-- name: TelephoneVerified :exec
UPDATE telephones SET verified_at = @at, code_until = NULL, code_hash = '' WHERE user_id = @user_id;

-- name: AnswersOfLines :many
-- How often outbound calls of each line were answered since a time, by what makes people answer: the hour (in blocks of four) where the firm is, the
-- list that was worked through, and who called.
SELECT c.line_id::uuid AS line_id, (extract(hour FROM c.started_at AT TIME ZONE @zone::text)::int / 4)::int AS block,
  coalesce(r.list_id, '00000000-0000-0000-0000-000000000000')::uuid AS list_id,
  coalesce(c.placed_by, '00000000-0000-0000-0000-000000000000')::uuid AS rep, count(*)::int AS made, count(c.answered_at)::int AS answered
FROM calls c LEFT JOIN round_calls x ON x.call_id = c.id LEFT JOIN rounds r ON r.id = x.round_id
WHERE c.direction = 'outbound' AND c.started_at >= @since AND c.line_id IS NOT NULL AND NOT c.by_hand
  AND (c.answered_at IS NOT NULL OR c.end_reason NOT IN ('given_up', 'refused', 'out_of_service', 'cut_off'))
GROUP BY 1, 2, 3, 4;

-- name: RestLine :execrows
UPDATE lines SET rests_until = sqlc.narg('until') WHERE id = @id;
