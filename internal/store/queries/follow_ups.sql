-- name: InsertFollowUp :exec
INSERT INTO follow_ups (id, record_id, owner_id, slip_id, kind, text, promised, due_at, day_only, created_by, created_at, number_id, due_zone)
VALUES (@id, @record_id, @owner_id, sqlc.narg('slip_id'), @kind, @text, @promised, sqlc.narg('due_at'), @day_only, @created_by, @created_at, sqlc.narg('number_id'), @due_zone);

-- name: LockFollowUp :one
SELECT id, record_id, owner_id, kind, text, promised, due_at, day_only, state, given_by, number_id, due_zone, version FROM follow_ups WHERE id = @id FOR UPDATE;

-- name: UpdateFollowUp :exec
UPDATE follow_ups SET state = @state, kind = @kind, text = @text, owner_id = @owner_id, due_at = sqlc.narg('due_at'), day_only = @day_only, due_zone = @due_zone, done_at = sqlc.narg('done_at'), given_by = sqlc.narg('given_by'), version = version + 1
WHERE id = @id;

-- name: FollowUpsOfRecord :many
SELECT f.id, f.record_id, r.name AS record_name, f.owner_id, u.name AS owner_name, f.kind, f.text, f.promised, f.due_at, f.day_only, f.state, f.created_at, f.done_at, f.number_id, f.due_zone, f.version
FROM follow_ups f JOIN users u ON u.id = f.owner_id JOIN records r ON r.id = f.record_id
WHERE f.record_id = @record_id AND f.state = 'open' ORDER BY f.due_at NULLS LAST, f.id;

-- name: FollowUpsByIDs :many
SELECT f.id, f.record_id, r.name AS record_name, f.owner_id, u.name AS owner_name, f.kind, f.text, f.promised, f.due_at, f.day_only, f.state, f.created_at, f.done_at, f.number_id, f.due_zone, f.version
FROM follow_ups f JOIN users u ON u.id = f.owner_id JOIN records r ON r.id = f.record_id
WHERE f.id = ANY (@ids::uuid[]);

-- name: LaneFollowUps :many
SELECT f.id, f.record_id, f.text, f.promised, f.due_at, f.day_only, f.due_zone, f.kind, f.number_id, f.version,
  coalesce((SELECT max(d.amount_minor) FROM records d WHERE d.kind = 'deal' AND d.person_id = f.record_id AND d.deleted_at IS NULL AND NOT is_over(d.kind, d.stage)), 0)::bigint AS value
FROM follow_ups f JOIN records r ON r.id = f.record_id
WHERE f.owner_id = @owner_id AND f.state = 'open' AND r.deleted_at IS NULL
ORDER BY f.due_at NULLS LAST LIMIT 200;

-- name: LaneSlips :many
-- Slips of calls that are over and not filed.
SELECT s.id, s.call_id, coalesce(c.ended_at, s.created_at)::timestamptz AS since, c.remote_e164, c.remote_ext,
  (coalesce(n.body, '') <> '')::boolean AS has_notes
FROM slips s JOIN calls c ON c.id = s.call_id LEFT JOIN slip_notes n ON n.slip_id = s.id
WHERE (s.user_id = @user_id AND s.handed_to IS NULL OR s.handed_to = @user_id) AND s.state = 'open' AND c.ended_at IS NOT NULL
ORDER BY s.created_at LIMIT 200;

-- name: OpenFollowUps :many
SELECT f.id FROM follow_ups f JOIN records r ON r.id = f.record_id
WHERE f.state = 'open' AND r.deleted_at IS NULL AND (sqlc.narg('owner_id')::uuid IS NULL OR f.owner_id = sqlc.narg('owner_id'))
ORDER BY f.due_at NULLS LAST, f.id LIMIT 500;

-- name: DoneFollowUps :many
SELECT f.id FROM follow_ups f
WHERE f.state <> 'open' AND (sqlc.narg('owner_id')::uuid IS NULL OR f.owner_id = sqlc.narg('owner_id'))
ORDER BY f.done_at DESC NULLS LAST, f.id LIMIT 500;

-- name: DayOf :many
-- Somebody's visits and meetings between two times.
SELECT x.starts_at::timestamptz AS starts_at, x.ends_at, x.text::text AS text, x.place::text AS place FROM (
  SELECT r.starts_at, r.ends_at, r.name AS text, r.place FROM records r WHERE r.kind = 'visit' AND r.owner_id = @owner_id AND r.deleted_at IS NULL AND r.stage <> 'cancelled' AND r.starts_at >= @since AND r.starts_at < @before
  UNION ALL
  SELECT f.due_at, NULL::timestamptz, r.name || ': ' || f.text, '' FROM follow_ups f JOIN records r ON r.id = f.record_id
  WHERE f.owner_id = @owner_id AND f.kind = 'meeting' AND f.state = 'open' AND NOT f.day_only AND f.due_at >= @since AND f.due_at < @before
) x ORDER BY 1;

-- name: VisitsOf :many
-- Somebody's visits between two times, with whom they are.
SELECT r.id, r.name, r.starts_at::timestamptz AS starts_at, r.ends_at, r.place, p.id AS person_id, p.kind AS person_kind,
  p.name AS person
FROM records r LEFT JOIN records p ON p.id = coalesce(r.person_id, r.company_id)
WHERE r.kind = 'visit' AND r.owner_id = @owner_id AND r.deleted_at IS NULL AND r.stage <> 'cancelled'
  AND r.starts_at >= @since AND r.starts_at < @before
ORDER BY r.starts_at;

-- name: FiguresOfDays :many
-- What a rep did on each day since a time, until the same time of day (clock): calls with the outside, those in which they
-- spoke with somebody, and for how long. The newest day first.
SELECT (c.started_at AT TIME ZONE @zone::text)::date::text AS day, count(*)::int AS calls,
  (count(*) FILTER (WHERE c.spoke))::int AS conversations,
  coalesce(sum(c.talk_ms) FILTER (WHERE c.spoke), 0)::bigint AS talk_ms
FROM slips s JOIN calls c ON c.id = s.call_id
WHERE s.user_id = @user_id AND s.created_at >= @since AND c.direction <> 'internal'
  AND (c.started_at AT TIME ZONE @zone)::time <= (@clock::text)::time
GROUP BY 1 ORDER BY 1 DESC;

-- name: Promises :many
-- What was promised to somebody of the book, or by some colleagues since a time, the newest first.
SELECT f.id, f.record_id, r.name AS record_name, f.owner_id, u.name AS owner_name, f.kind, f.text, f.promised, f.due_at, f.day_only, f.state,
  f.created_at, f.done_at, f.number_id, f.due_zone, f.version
FROM follow_ups f JOIN users u ON u.id = f.owner_id JOIN records r ON r.id = f.record_id
WHERE f.promised AND r.deleted_at IS NULL AND (sqlc.narg('record_id')::uuid IS NULL OR f.record_id = sqlc.narg('record_id')::uuid)
  AND (sqlc.narg('owner_id')::uuid IS NULL OR f.owner_id = sqlc.narg('owner_id')::uuid)
  AND (sqlc.narg('since')::timestamptz IS NULL OR f.created_at >= sqlc.narg('since')::timestamptz)
ORDER BY f.created_at DESC, f.id LIMIT 5000;

-- name: TakenTimes :many
-- When somebody has something to do between two times: calls, meetings and visits, but the one that is meant.
SELECT f.due_at::timestamptz AS at FROM follow_ups f WHERE f.owner_id = @owner_id AND f.id <> @but AND f.state = 'open' AND NOT f.day_only
  AND f.kind IN ('call', 'meeting') AND f.due_at >= @since::timestamptz AND f.due_at < @before::timestamptz
UNION ALL
SELECT r.starts_at FROM records r WHERE r.kind = 'visit' AND r.owner_id = @owner_id AND r.deleted_at IS NULL
  AND r.stage <> 'cancelled' AND r.starts_at >= @since::timestamptz AND r.starts_at < @before::timestamptz
UNION ALL
SELECT unnest(o.times) FROM time_offers o JOIN follow_ups f ON f.id = o.follow_up_id WHERE f.owner_id = @owner_id AND f.id <> @but AND f.state = 'open'
  AND o.answered_at IS NULL AND o.ends_at > @since::timestamptz;

-- name: InsertTimeOffer :exec
INSERT INTO time_offers (id, follow_up_id, message_id, e164, line_id, times, zone, at, ends_at)
VALUES (@id, @follow_up_id, @message_id, @e164, @line_id, @times, @zone, @at, @ends_at);

-- name: LastTimeOffer :many
SELECT at, chosen FROM time_offers WHERE follow_up_id = @follow_up_id ORDER BY at DESC LIMIT 1;

-- name: OpenTimeOffer :many
-- What somebody's text message may answer: the newest offer that went to their number.
SELECT o.id, o.follow_up_id, o.times, o.zone, f.owner_id, f.record_id, f.state
FROM time_offers o JOIN follow_ups f ON f.id = o.follow_up_id
WHERE o.e164 = @e164 AND o.answered_at IS NULL AND o.ends_at > @now::timestamptz ORDER BY o.at DESC LIMIT 1 FOR UPDATE OF o, f;

-- name: EndTimeOffers :exec
-- A newer offer takes the place of those before it.
UPDATE time_offers SET answered_at = @at WHERE follow_up_id = @follow_up_id AND answered_at IS NULL;

-- name: ChooseOffered :exec
UPDATE time_offers SET chosen = @chosen, answered_at = @at WHERE id = @id;

-- name: DueAtChosen :exec
UPDATE follow_ups SET due_at = @due_at, day_only = false, due_zone = @due_zone, promised = true, version = version + 1
WHERE id = @id;
