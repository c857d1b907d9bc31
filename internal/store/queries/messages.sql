-- name: Templates :many
SELECT id, name, channel, subject, body, position, active FROM templates ORDER BY position, id;

-- name: PutTemplate :exec
INSERT INTO templates (id, name, channel, subject, body, position, active) VALUES (@id, @name, @channel, @subject, @body, @position, @active)
ON CONFLICT (id) DO UPDATE SET name = EXCLUDED.name, channel = EXCLUDED.channel, subject = EXCLUDED.subject, body = EXCLUDED.body, position = EXCLUDED.position, active = EXCLUDED.active;

-- name: TemplatesUsed :many
-- In how many outcomes each template is named.
SELECT t.id, (SELECT count(*) FROM outcomes o WHERE o.active AND o.effects @> jsonb_build_array(jsonb_build_object('target', t.id::text)))::int AS outcomes FROM templates t;

-- name: InsertMessage :exec
INSERT INTO messages (id, channel, incoming, record_id, address, line_id, user_id, slip_id, subject, body, state, at, send_at, reference, in_reply_to, forwards, by_hand)
VALUES (@id, @channel, @incoming, sqlc.narg('record_id'), @address, sqlc.narg('line_id'), sqlc.narg('user_id'), sqlc.narg('slip_id'), @subject, @body, @state, @at, sqlc.narg('send_at'),
  sqlc.narg('reference'), @in_reply_to, sqlc.narg('forwards'), @by_hand);

-- name: LockMessage :one
SELECT id, channel, incoming, record_id, address, line_id, user_id, state, at, body, read_at FROM messages WHERE id = @id FOR UPDATE;

-- name: CancelMessage :execrows
UPDATE messages SET state = 'cancelled', problem = @why WHERE id = @id AND state = 'waiting';

-- name: DropMessage :execrows
-- One that waits still.
DELETE FROM messages WHERE id = @id AND state = 'waiting';

-- name: TakeDueMessages :many
-- One at a time: what a server that is killed was sending is one message, not twenty.
UPDATE messages SET state = 'sending', tries = tries + 1, send_at = @now, server = @server, epoch = @epoch WHERE messages.id IN (
  SELECT m.id FROM messages m WHERE m.state = 'waiting' AND m.send_at <= @now ORDER BY m.send_at LIMIT 1 FOR UPDATE SKIP LOCKED)
RETURNING by_hand, id, channel, record_id, address, line_id, user_id, subject, body, at, tries, reference, in_reply_to, forwards;

-- name: NextMessage :one
SELECT min(send_at)::timestamptz AS at FROM messages WHERE state = 'waiting' HAVING min(send_at) IS NOT NULL;

-- name: LeftInSending :many
-- Of a server that stopped while it sent.
UPDATE messages SET state = 'failed', problem = 'the server stopped while it was being sent: ask whether it has arrived' 
WHERE state = 'sending' AND (send_at < @before OR server = @server AND epoch < @epoch)
RETURNING id, record_id, user_id, channel, address, subject;

-- name: MessageSent :exec
UPDATE messages SET state = 'sent', sent_at = @at, problem = '' WHERE id = @id;

-- name: MessageFailed :exec
UPDATE messages SET state = @state, problem = @problem, send_at = sqlc.narg('send_at') WHERE id = @id;

-- name: MessagesByIDs :many
SELECT m.id, m.channel, m.incoming, m.record_id, coalesce(r.name, '')::text AS record_name, coalesce(r.kind, '')::text AS record_kind, m.address, m.line_id, m.user_id,
  coalesce(u.name, '')::text AS user_name, m.subject, m.body, m.state, m.at, m.send_at, m.sent_at, m.problem, m.read_at, s.call_id,
  coalesce(h.name, '')::text AS handed_name
FROM messages m LEFT JOIN records r ON r.id = m.record_id LEFT JOIN users u ON u.id = m.user_id
LEFT JOIN slips s ON s.id = m.slip_id LEFT JOIN users h ON m.incoming AND h.id = s.user_id
WHERE m.id = ANY (@ids::uuid[]) ORDER BY m.at, m.id;

-- name: MessagesOfCall :many
-- What was written from a call.
SELECT m.id FROM messages m JOIN slips s ON s.id = m.slip_id WHERE s.call_id = @call_id AND m.forwards IS NULL ORDER BY m.at;

-- name: HandedOverFrom :one
-- What is known of a slip's call for who goes on with it in writing: whose it is, where they can be written to.
SELECT c.line_id, c.remote_e164, coalesce(r.id, '00000000-0000-0000-0000-000000000000')::uuid AS record_id, lower(coalesce(r.email, ''))::text AS email
FROM calls c LEFT JOIN LATERAL (SELECT k.id, k.email FROM call_links l JOIN records k ON k.id = l.record_id
  WHERE l.call_id = c.id AND k.deleted_at IS NULL ORDER BY l.role DESC, l.at LIMIT 1) r ON true
WHERE c.id = @call_id;

-- name: ThreadOfRecord :many
SELECT m.id FROM messages m WHERE m.record_id = @record_id AND m.forwards IS NULL ORDER BY m.at DESC, m.id DESC LIMIT 200;

-- name: ThreadOfAddress :many
SELECT m.id FROM messages m WHERE m.address = @address AND m.forwards IS NULL ORDER BY m.at DESC, m.id DESC LIMIT 200;

-- name: MarkThreadRead :execrows
UPDATE messages SET read_at = @at, read_by = @user_id WHERE incoming AND read_at IS NULL AND at <= @until AND (address = @address OR record_id = sqlc.narg('record_id')::uuid);

-- name: UnreadMessages :many
-- What somebody wrote and nobody has read or answered: for whom it is for, else the line's reps; the newest of each sender. What waits in
-- a queue is for whom it was given to.
SELECT DISTINCT ON (m.address) m.id, m.channel, m.address, m.record_id, m.line_id, m.body, m.subject, m.at, coalesce(r.name, '')::text AS record_name, coalesce(r.kind, '')::text AS record_kind,
  coalesce(h.name, '')::text AS handed_name
FROM messages m LEFT JOIN records r ON r.id = m.record_id LEFT JOIN slips s ON s.id = m.slip_id LEFT JOIN users h ON h.id = s.user_id
LEFT JOIN queue_waits w ON w.message_id = m.id AND w.left_at IS NULL
WHERE m.incoming AND m.read_at IS NULL AND (m.user_id = @me::uuid OR w.taken_by = @me OR m.user_id IS NULL AND w.id IS NULL
  AND (EXISTS (SELECT FROM line_reps l WHERE l.line_id = m.line_id AND l.user_id = @me) OR NOT EXISTS (SELECT FROM line_reps l WHERE l.line_id = m.line_id)))
ORDER BY m.address, m.at DESC LIMIT 100;

-- name: LastMessageTo :many
-- Who wrote last to an address, and on which line.
SELECT user_id, line_id, record_id, reference FROM messages WHERE address = @address AND NOT incoming AND forwards IS NULL AND state <> 'cancelled' ORDER BY at DESC LIMIT 1;

-- name: AttachMessages :many
UPDATE messages SET record_id = @record_id WHERE address = @address AND record_id IS NULL AND forwards IS NULL RETURNING id, at;

-- name: OptOut :one
SELECT word, at FROM text_opt_outs WHERE e164 = @e164;

-- name: PutOptOut :exec
INSERT INTO text_opt_outs (e164, word, at) VALUES (@e164, @word, @at) ON CONFLICT (e164) DO UPDATE SET word = EXCLUDED.word, at = EXCLUDED.at;

-- name: DropOptOut :exec
DELETE FROM text_opt_outs WHERE e164 = @e164;

-- name: WhoseMail :many
SELECT id, name, kind, owner_id FROM records WHERE lower(email) = @email AND deleted_at IS NULL AND kind IN ('contact', 'lead', 'company') ORDER BY kind = 'company', id LIMIT 3;

-- name: LineTexting :many
SELECT id, e164, label, texting, active FROM lines;

-- name: SetLineTexting :execrows
UPDATE lines SET texting = @texting, version = version + 1 WHERE id = @id;

-- name: SetMailSettings :exec
UPDATE users SET mail_address = @mail_address, forward_texts = @forward_texts WHERE id = @id;

-- name: MailSettings :one
SELECT u.mail_address, u.forward_texts, u.login, coalesce(t.e164, '')::text AS telephone FROM users u LEFT JOIN telephones t ON t.user_id = u.id AND t.verified_at IS NOT NULL WHERE u.id = @id;

-- name: CloseUnreturnedByMessage :execrows
UPDATE unreturned u SET closed_at = @at, closed_by = @user_id, closed_how = 'message', version = version + 1
WHERE u.closed_at IS NULL AND u.since <= @until AND (u.remote_e164 = @e164 AND u.remote_ext = '' AND u.remote_e164 <> ''
  OR u.call_id IN (SELECT l.call_id FROM call_links l WHERE l.record_id = sqlc.narg('record_id')::uuid AND l.role = 'person'));

-- name: LastMessageFrom :many
-- The Message-ID of the last mail from an address.
SELECT reference FROM messages WHERE address = @address AND incoming AND channel = 'mail' ORDER BY at DESC LIMIT 1;

-- name: LastTextLine :many
-- The line of the last text message to or from a number.
SELECT incoming, line_id, at FROM messages WHERE address = @address AND channel = 'text' AND forwards IS NULL AND user_id IS NOT NULL OR address = @address AND channel = 'text' AND incoming
ORDER BY at DESC LIMIT 1;

-- name: MailProved :one
SELECT mail_proved FROM users WHERE id = @id;

-- name: SetMailProved :exec
UPDATE users SET mail_proved = @address WHERE id = @id;

-- name: CancelTriesBy :exec
-- What an outcome of a try wrote by itself and has not gone out yet is not sent once they are spoken with.
UPDATE messages m SET state = 'cancelled', problem = 'you have spoken since'
FROM calls c, slips s LEFT JOIN outcomes o ON o.id = s.outcome_id
WHERE c.id = @call_id AND m.state = 'waiting' AND NOT m.by_hand AND m.slip_id = s.id AND NOT coalesce(o.reached, false) AND s.call_id <> c.id AND m.at < c.started_at
  AND (m.address = c.remote_e164 AND c.remote_e164 <> '' OR m.record_id IN (SELECT l.record_id FROM call_links l WHERE l.call_id = c.id AND l.role = 'person'));

-- name: InsertMessageFile :exec
-- Keeps a file that was brought, and forgets what the same user brought and did not send.
WITH old AS (DELETE FROM message_files f WHERE f.user_id = @user_id AND f.message_id IS NULL AND f.at < @unsent_before)
INSERT INTO message_files (id, user_id, name, type, content, at) VALUES (@id, @user_id, @name, @type, @content, @at);

-- name: AttachFiles :many
-- Puts files that somebody brought on a message, in their order. It tells how large they are.
UPDATE message_files f SET message_id = @message_id, position = x.place FROM unnest(@ids::uuid[]) WITH ORDINALITY x(id, place)
WHERE f.id = x.id AND f.user_id = @user_id AND f.message_id IS NULL RETURNING octet_length(f.content)::int;

-- name: FilesOfMessages :many
SELECT id, message_id, name, octet_length(content)::int AS bytes FROM message_files WHERE message_id = ANY (@ids::uuid[]) ORDER BY message_id, position;

-- name: FilesToSend :many
SELECT name, type, content FROM message_files WHERE message_id = @message_id ORDER BY position;

-- name: MessageFile :one
SELECT f.name, f.type, f.content, f.user_id, f.message_id, m.record_id FROM message_files f LEFT JOIN messages m ON m.id = f.message_id WHERE f.id = @id;

-- name: MarkMessageRead :exec
-- Nobody has to read it: the firm took it by itself.
UPDATE messages SET read_at = @at WHERE id = @id AND read_at IS NULL;

-- name: LineHours :one
-- When a line is open, where it is.
SELECT hours, zone FROM lines WHERE id = @id;
