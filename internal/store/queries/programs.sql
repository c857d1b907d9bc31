-- name: Webhooks :many
SELECT id, name, url, secret, events, active, stopped FROM webhooks ORDER BY position, id;

-- name: PutWebhook :exec
INSERT INTO webhooks (id, name, url, secret, events, active, position) VALUES (@id, @name, @url, @secret, @events, @active, @position)
ON CONFLICT (id) DO UPDATE SET name = EXCLUDED.name, url = EXCLUDED.url, events = EXCLUDED.events, active = EXCLUDED.active, position = EXCLUDED.position, stopped = '';

-- name: StopWebhook :exec
UPDATE webhooks SET active = false, stopped = @why WHERE id = @id;

-- name: WebhooksUsed :many
SELECT w.id, (SELECT count(*) FROM outcomes o WHERE o.active AND o.effects @> jsonb_build_array(jsonb_build_object('target', w.id::text)))::int AS outcomes FROM webhooks w;

-- name: InsertDelivery :exec
INSERT INTO webhook_deliveries (id, webhook_id, event, payload, state, next_at, at) VALUES (@id, @webhook_id, @event, @payload, 'waiting', @next_at, @at);

-- name: DropDelivery :execrows
DELETE FROM webhook_deliveries WHERE id = @id AND state = 'waiting' AND tries = 0;

-- name: TakeDeliveries :many
UPDATE webhook_deliveries SET state = 'sending', tries = tries + 1, next_at = @now FROM webhooks w WHERE w.id = webhook_deliveries.webhook_id AND webhook_deliveries.id IN (
  SELECT x.id FROM webhook_deliveries x WHERE (x.state = 'waiting' AND x.next_at <= @now OR x.state = 'sending' AND x.next_at < @lost) ORDER BY x.next_at LIMIT 20 FOR UPDATE SKIP LOCKED)
RETURNING webhook_deliveries.id, webhook_deliveries.webhook_id, webhook_deliveries.payload, webhook_deliveries.tries, w.url, w.secret, w.active;

-- name: NextDelivery :one
SELECT min(next_at)::timestamptz AS at FROM webhook_deliveries WHERE state = 'waiting' HAVING min(next_at) IS NOT NULL;

-- name: SetDelivery :exec
UPDATE webhook_deliveries SET state = @state, status = @status, problem = @problem, next_at = sqlc.narg('next_at'), done_at = sqlc.narg('done_at') WHERE id = @id;

-- name: Deliveries :many
SELECT d.id, d.webhook_id, w.name, d.event, d.payload, d.state, d.tries, d.next_at, d.status, d.problem, d.at, d.done_at
FROM webhook_deliveries d JOIN webhooks w ON w.id = d.webhook_id ORDER BY d.at DESC, d.id DESC LIMIT 100;

-- name: ReplayDelivery :execrows
UPDATE webhook_deliveries SET state = 'waiting', tries = 0, problem = '', next_at = @now, done_at = NULL WHERE id = @id AND state IN ('done', 'failed');

-- name: EventOfCalls :many
-- What is told of calls that have ended.
SELECT c.id, c.direction, c.remote_e164, c.caller_id, c.started_at, c.answered_at, c.ended_at, c.end_reason, c.ring_ms, c.talk_ms, c.missed_why, u.login,
  coalesce((SELECT json_agg(l.record_id) FROM call_links l WHERE l.call_id = c.id), '[]')::jsonb AS records
FROM calls c LEFT JOIN users u ON u.id = c.placed_by WHERE c.id = ANY (@ids::uuid[]);

-- name: EventOfSlip :one
-- What is told of a slip that was filed.
SELECT s.id, s.call_id, u.login, s.subject, coalesce(o.label, '')::text AS outcome, coalesce(o.reached, false)::boolean AS reached, coalesce(t.label, '')::text AS call_type, (CASE WHEN s.visible = 'all' THEN coalesce(n.body, '') ELSE '' END)::text AS notes, s.filed_at,
  coalesce((SELECT json_agg(l.record_id) FROM call_links l WHERE l.call_id = s.call_id), '[]')::jsonb AS records
FROM slips s JOIN users u ON u.id = s.user_id LEFT JOIN outcomes o ON o.id = s.outcome_id LEFT JOIN call_types t ON t.id = s.call_type_id LEFT JOIN slip_notes n ON n.slip_id = s.id WHERE s.id = @id;

-- name: InsertToken :exec
INSERT INTO api_tokens (id, user_id, name, hash, scopes, created_at, expires_at) VALUES (@id, @user_id, @name, @hash, @scopes, @at, sqlc.narg('expires_at'));

-- name: Tokens :many
SELECT id, name, scopes, created_at, expires_at, used_at FROM api_tokens WHERE user_id = @user_id AND revoked_at IS NULL ORDER BY created_at DESC;

-- name: RevokeToken :execrows
UPDATE api_tokens SET revoked_at = @at WHERE id = @id AND user_id = @user_id AND revoked_at IS NULL;

-- name: UseToken :one
UPDATE api_tokens SET used_at = @now WHERE hash = @hash AND revoked_at IS NULL AND (expires_at IS NULL OR expires_at > @now) RETURNING user_id, scopes;

-- name: SetWebhookSecret :exec
UPDATE webhooks SET secret = @secret WHERE id = @id;
