-- name: CallUsage :many
-- Talk with the outside between two times, by colleague, line and the beginning of the number: begun minutes, as they are counted. Who was
-- asked or joined outside besides has minutes of their own.
SELECT x.user_id::uuid AS user_id, x.line_id, x.direction::text AS direction, left(x.number, 8)::text AS begins, sum(x.calls)::int AS calls, sum((x.ms + 59999) / 60000)::bigint AS minutes
FROM (
  SELECT coalesce(c.placed_by, s.user_id, '00000000-0000-0000-0000-000000000000') AS user_id, c.line_id, c.direction, c.remote_e164 AS number, 1 AS calls, c.talk_ms AS ms
  FROM calls c LEFT JOIN LATERAL (SELECT p.user_id FROM slips p WHERE p.call_id = c.id ORDER BY p.created_at LIMIT 1) s ON true
  WHERE c.started_at >= @since AND c.started_at < @until AND c.direction <> 'internal' AND c.talk_ms > 0 AND NOT c.by_hand
  UNION ALL
  SELECT coalesce(c.placed_by, s.user_id, '00000000-0000-0000-0000-000000000000') AS user_id, c.line_id, 'outbound' AS direction, l.address AS number, 0 AS calls,
    (extract(epoch FROM l.ended_at - l.answered_at) * 1000)::bigint AS ms
  FROM calls c JOIN legs l ON l.call_id = c.id LEFT JOIN LATERAL (SELECT p.user_id FROM slips p WHERE p.call_id = c.id ORDER BY p.created_at LIMIT 1) s ON true
  WHERE c.started_at >= @since AND c.started_at < @until AND l.party = 'outside' AND l.answered_at < l.ended_at
    AND (c.direction = 'internal' OR l.leg_no > (SELECT min(f.leg_no) FROM legs f WHERE f.call_id = c.id AND f.party = 'outside'))
) x GROUP BY 1, 2, 3, 4;

-- name: TextUsage :many
SELECT m.user_id, m.line_id, count(*)::int AS texts FROM messages m
WHERE m.at >= @since AND m.at < @until AND m.channel = 'text' AND NOT m.incoming AND m.state IN ('sent', 'sending', 'waiting') GROUP BY 1, 2;

-- name: RecordedUsage :many
-- Recordings made between two times, and what is kept of them all.
SELECT coalesce(c.placed_by, s.user_id, '00000000-0000-0000-0000-000000000000')::uuid AS user_id, c.line_id, sum((r.total_ms + 59999) / 60000)::bigint AS minutes
FROM recordings r JOIN calls c ON c.id = r.call_id LEFT JOIN LATERAL (SELECT p.user_id FROM slips p WHERE p.call_id = c.id ORDER BY p.created_at LIMIT 1) s ON true
WHERE r.began_at >= @since AND r.began_at < @until GROUP BY 1, 2;

-- name: StorageUsage :many
-- What is kept now, in bytes: recordings (16 kB a second until they are packed) and files of mails.
SELECT x.user_id, x.line_id, sum(x.bytes)::bigint AS bytes FROM (
  SELECT coalesce(c.placed_by, s.user_id, '00000000-0000-0000-0000-000000000000')::uuid AS user_id, c.line_id, CASE WHEN r.stored_bytes > 0 THEN r.stored_bytes ELSE r.total_ms::bigint * 32 END AS bytes
  FROM recordings r JOIN calls c ON c.id = r.call_id LEFT JOIN LATERAL (SELECT p.user_id FROM slips p WHERE p.call_id = c.id ORDER BY p.created_at LIMIT 1) s ON true
  WHERE r.state = 'kept'
  UNION ALL SELECT f.user_id, NULL::uuid, octet_length(f.content) FROM message_files f) x
GROUP BY 1, 2;

-- name: UsageLimits :many
SELECT id, what, scope, of_whom, amount, hard FROM usage_limits ORDER BY what, scope, of_whom;

-- name: DropUsageLimits :exec
DELETE FROM usage_limits;

-- name: InsertUsageLimit :exec
INSERT INTO usage_limits (id, what, scope, of_whom, amount, hard) VALUES (@id, @what, @scope, @of_whom, @amount, @hard);

-- name: NamesOfAll :many
-- Everybody who is or was of the firm, by id.
SELECT id, name, teams FROM users;

-- name: TellOfLimit :execrows
-- What was told once is not told again in the same month.
INSERT INTO limits_told (since, what, scope, who, level) VALUES (@since, @what, @scope, @who, @level) ON CONFLICT DO NOTHING;

-- name: ForgetLimitsTold :exec
DELETE FROM limits_told WHERE since < @since::timestamptz;
