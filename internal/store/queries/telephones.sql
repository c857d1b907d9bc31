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
