-- name: Queues :many
SELECT * FROM queues ORDER BY lower(name);

-- name: QueueMembers :many
SELECT m.queue_id, m.user_id FROM queue_members m JOIN users u ON u.id = m.user_id AND u.active ORDER BY m.queue_id, m.position;

-- name: InsertQueue :exec
INSERT INTO queues (id, name, settings) VALUES (@id, @name, @settings);

-- name: UpdateQueue :execrows
UPDATE queues SET name = @name, active = @active, settings = @settings, version = version + 1 WHERE id = @id AND version = @version;

-- name: SetQueueToday :execrows
UPDATE queues SET closed = @closed, today = @today, today_on = @today_on WHERE id = @id;

-- name: AddQueueMembers :exec
-- Behind those who are members.
INSERT INTO queue_members (queue_id, user_id, position)
SELECT @queue_id::uuid, u, (SELECT coalesce(max(m.position), 0) FROM queue_members m WHERE m.queue_id = @queue_id) + n FROM unnest(@users::uuid[]) WITH ORDINALITY x (u, n)
ON CONFLICT DO NOTHING;

-- name: RemoveQueueMembers :exec
DELETE FROM queue_members WHERE queue_id = @queue_id AND user_id = ANY (@users::uuid[]);

-- name: QueueChanged :execrows
-- Whoever has its settings open sees that they are not what they were.
UPDATE queues SET version = version + 1 WHERE id = @id;

-- name: ClearQueueMembers :exec
DELETE FROM queue_members WHERE queue_id = @queue_id;

-- name: PutQueueMembers :exec
INSERT INTO queue_members (queue_id, user_id, position)
SELECT @queue_id, u, row_number() OVER () FROM unnest(@users::uuid[]) u;

-- name: Routes :many
SELECT r.id, r.name, r.draft, r.live, r.version, v.doc AS live_doc, v.at AS live_at
FROM routes r LEFT JOIN route_versions v ON v.route_id = r.id AND v.no = r.live ORDER BY lower(r.name);

-- name: RouteVersions :many
SELECT v.no, v.at, u.name AS by_name FROM route_versions v JOIN users u ON u.id = v.user_id WHERE v.route_id = @route_id ORDER BY v.no DESC;

-- name: RouteVersion :one
SELECT doc FROM route_versions WHERE route_id = @route_id AND no = @no;

-- name: InsertRoute :exec
INSERT INTO routes (id, name, draft) VALUES (@id, @name, @draft);

-- name: UpdateRoute :execrows
UPDATE routes SET name = @name, draft = @draft, version = version + 1 WHERE id = @id AND version = @version;

-- name: InsertRouteVersion :one
INSERT INTO route_versions (route_id, no, doc, at, user_id)
SELECT @route_id, coalesce(max(v.no), 0) + 1, @doc, @at, @user_id FROM route_versions v WHERE v.route_id = @route_id
RETURNING no;

-- name: SetRouteLive :execrows
UPDATE routes SET live = @live, version = version + 1 WHERE id = @id AND version = @version;

-- name: RouteTrials :many
SELECT id, name, played, expects FROM route_trials WHERE route_id = @route_id ORDER BY name, id;

-- name: InsertRouteTrial :exec
INSERT INTO route_trials (id, route_id, name, played, expects) VALUES (@id, @route_id, @name, @played, @expects);

-- name: DeleteRouteTrial :execrows
DELETE FROM route_trials WHERE id = @id AND route_id = @route_id;

-- name: SetLineRoute :execrows
UPDATE lines SET route_id = sqlc.narg('route_id'), version = version + 1 WHERE id = @id;

-- name: RoutedLines :many
SELECT id, e164, label, zone, hours, route_id FROM lines WHERE active;

-- name: InsertQueueWait :exec
WITH waits AS (
  UPDATE calls SET queue_id = @queue_id WHERE calls.id = @call_id
)
INSERT INTO queue_waits (id, queue_id, kind, call_id, line_id, record_id, e164, ext, priority, since, ahead, said_ms, due_at, word, called)
VALUES (@id, @queue_id, @kind, @call_id, sqlc.narg('line_id'), sqlc.narg('record_id'), @e164, @ext, @priority, @since, @ahead, sqlc.narg('said_ms'), sqlc.narg('due_at'),
  @word, @called)
ON CONFLICT DO NOTHING;

-- name: QueueOwes :exec
-- A call that was over before it was written down that it waits: its queue owes it all the same.
UPDATE unreturned SET queue_id = @queue_id WHERE call_id = @call_id AND queue_id IS NULL;

-- name: LeaveQueueWait :execrows
UPDATE queue_waits SET left_at = @at, how = @how, why = @why, answered_by = sqlc.narg('answered_by') WHERE id = @id AND left_at IS NULL;

-- name: MoveQueueWait :execrows
UPDATE queue_waits SET queue_id = @queue_id WHERE id = @id AND left_at IS NULL;

-- name: OpenCallback :one
SELECT id FROM queue_waits WHERE queue_id = @queue_id AND e164 = @e164 AND ext = @ext AND kind = 'callback' AND left_at IS NULL;

-- name: SetCallback :exec
UPDATE queue_waits SET due_at = coalesce(sqlc.narg('due_at'), due_at), word = coalesce(nullif(@word, ''), word) WHERE id = @id AND left_at IS NULL;

-- name: OpenCallbacks :many
-- Who waits to be called back, with who it is and whom they know.
SELECT w.id, w.queue_id, w.call_id, w.line_id, w.record_id, w.e164, w.ext, w.priority, w.since, w.due_at, w.tries, w.taken_by,
  w.word, coalesce(r.name, w.called)::text AS name, r.owner_id, coalesce(c.message_ms, 0)::bigint AS message_ms
FROM queue_waits w LEFT JOIN calls c ON c.id = w.call_id LEFT JOIN records r ON r.id = w.record_id WHERE w.kind = 'callback' AND w.left_at IS NULL ORDER BY w.since;

-- name: TakeCallback :execrows
UPDATE queue_waits SET taken_by = @user_id WHERE id = @id AND left_at IS NULL AND taken_by IS NULL;

-- name: GiveCallbackBack :exec
UPDATE queue_waits SET taken_by = NULL, tries = tries + @tried::int, due_at = coalesce(sqlc.narg('due_at'), due_at) WHERE id = @id AND left_at IS NULL;

-- name: InsertMessageWait :exec
INSERT INTO queue_waits (id, queue_id, kind, message_id, line_id, record_id, since)
VALUES (@id, @queue_id, 'message', @message_id, sqlc.narg('line_id'), sqlc.narg('record_id'), @since) ON CONFLICT DO NOTHING;

-- name: OpenMessageWaits :many
-- What somebody wrote and nobody has answered or read yet, with whose it is.
SELECT w.id, w.queue_id, w.line_id, w.record_id, w.since, w.priority, w.taken_by, w.taken_at, m.channel, m.address, m.subject, m.body,
  coalesce(r.name, '')::text AS name, r.owner_id, coalesce(h.name, '')::text AS handed_name
FROM queue_waits w JOIN messages m ON m.id = w.message_id LEFT JOIN records r ON r.id = w.record_id
LEFT JOIN slips s ON s.id = m.slip_id LEFT JOIN users h ON h.id = s.user_id
WHERE w.kind = 'message' AND w.left_at IS NULL ORDER BY w.since;

-- name: CloseWritten :many
-- What has been answered, or read by whose it was, waits no longer.
UPDATE queue_waits w SET left_at = @at, how = 'answered',
  answered_by = coalesce((SELECT o.user_id FROM messages o WHERE NOT o.incoming AND o.forwards IS NULL AND o.address = m.address AND o.at >= m.at AND o.state <> 'cancelled' ORDER BY o.at LIMIT 1), m.read_by)
FROM messages m WHERE m.id = w.message_id AND w.kind = 'message' AND w.left_at IS NULL
  AND (m.read_at IS NOT NULL OR EXISTS (SELECT FROM messages o WHERE NOT o.incoming AND o.forwards IS NULL AND o.by_hand AND o.address = m.address AND o.at >= m.at AND o.state <> 'cancelled'))
RETURNING w.id;

-- name: HandMessagesOn :many
-- What somebody wrote and nobody has read, unless it is another's and one does not lead, waits in a queue from now on, for whoever is given it there.
WITH given AS (
  UPDATE messages m SET user_id = NULL WHERE m.incoming AND m.read_at IS NULL AND m.address = @address
    AND (@leads::boolean OR (m.user_id IS NULL OR m.user_id = @me::uuid)
      AND NOT EXISTS (SELECT FROM queue_waits w WHERE w.message_id = m.id AND w.left_at IS NULL AND w.taken_by <> @me))
  RETURNING id, line_id, record_id, at
)
INSERT INTO queue_waits (id, queue_id, kind, message_id, line_id, record_id, since)
SELECT gen_random_uuid(), @queue_id, 'message', id, line_id, record_id, at FROM given
ON CONFLICT (message_id) WHERE message_id IS NOT NULL DO UPDATE SET queue_id = EXCLUDED.queue_id, taken_by = NULL, taken_at = NULL,
  left_at = NULL, how = '', why = '', answered_by = NULL
RETURNING id;

-- name: TakeMessageWait :execrows
UPDATE queue_waits SET taken_by = sqlc.narg('user_id'), taken_at = sqlc.narg('at') WHERE id = @id AND left_at IS NULL AND kind = 'message';

-- name: CloseLostWaits :exec
-- Calls that this server did not see to their end, and calls back that somebody of it was making.
WITH calls_over AS (
  UPDATE queue_waits w SET left_at = @at, how = 'abandoned', why = 'the server was lost'
  FROM calls c WHERE w.kind = 'call' AND w.left_at IS NULL AND c.id = w.call_id AND c.ended_at IS NOT NULL
)
UPDATE queue_waits SET taken_by = NULL WHERE kind = 'callback' AND left_at IS NULL AND taken_by IS NOT NULL;

-- name: HandlingTimes :many
-- How long the newest conversations of each queue took, with their writing up, oldest first.
SELECT q.queue_id, q.ms::bigint AS ms FROM (
  SELECT w.queue_id, w.left_at, row_number() OVER (PARTITION BY w.queue_id ORDER BY w.left_at DESC) AS n,
    extract(epoch FROM least(coalesce(s.filed_at, c.ended_at + interval '30 seconds'), c.ended_at + interval '3 minutes') - w.left_at) * 1000 AS ms
  FROM queue_waits w JOIN calls c ON c.id = w.call_id LEFT JOIN slips s ON s.call_id = c.id AND s.user_id = w.answered_by
  WHERE w.how = 'answered' AND c.ended_at IS NOT NULL AND w.left_at > @since
) q WHERE q.n <= 60 AND q.ms > 0 ORDER BY q.queue_id, q.left_at;

-- name: QueueDay :many
-- What happened in each queue since a moment. Who hung up within five seconds has changed their mind (core/queue, ShortAbandon).
SELECT w.queue_id, count(*)::int AS offered, (count(*) FILTER (WHERE w.left_at IS NULL))::int AS waiting,
  (count(*) FILTER (WHERE w.how = 'answered'))::int AS answered,
  (count(*) FILTER (WHERE w.how = 'answered' AND (EXISTS (SELECT FROM legs l WHERE l.call_id = w.call_id AND l.role = 'handed' AND l.started_at > w.left_at)
    OR EXISTS (SELECT FROM queue_waits n WHERE n.call_id = w.call_id AND n.kind = 'call' AND n.since > w.left_at))))::int AS transferred,
  (count(*) FILTER (WHERE w.how = 'abandoned' AND w.left_at - w.since > make_interval(secs => @short::int)))::int AS abandoned,
  (count(*) FILTER (WHERE w.how = 'abandoned' AND w.left_at - w.since <= make_interval(secs => @short::int)))::int AS short,
  (count(*) FILTER (WHERE w.how = 'callback'))::int AS callbacks,
  (count(*) FILTER (WHERE w.how = 'overflow'))::int AS overflow,
  (count(*) FILTER (WHERE w.how = 'answered' AND w.left_at - w.since <= make_interval(secs => coalesce((q.settings->>'target_seconds')::int, 20))))::int AS in_time,
  coalesce(avg(extract(epoch FROM w.left_at - w.since) * 1000) FILTER (WHERE w.how = 'answered'), 0)::bigint AS waited_ms,
  coalesce(max(extract(epoch FROM w.left_at - w.since) * 1000) FILTER (WHERE w.how IN ('answered', 'abandoned')), 0)::bigint AS longest_ms
FROM queue_waits w JOIN queues q ON q.id = w.queue_id WHERE w.kind = 'call' AND w.since >= @since GROUP BY w.queue_id;

-- name: CallbackDay :many
SELECT queue_id, (count(*) FILTER (WHERE how = 'called'))::int AS kept, (count(*) FILTER (WHERE how = 'unreached'))::int AS unreached
FROM queue_waits WHERE kind = 'callback' AND left_at >= @since GROUP BY queue_id;

-- name: EstimatesSaid :many
-- What was said of waits, and what came of them.
SELECT queue_id, said_ms::bigint AS said_ms, (extract(epoch FROM left_at - since) * 1000)::bigint AS waited_ms FROM queue_waits
WHERE kind = 'call' AND how = 'answered' AND said_ms IS NOT NULL AND since >= @since;

-- name: CallerFacts :one
-- What a route may ask about a caller. closed are the stages in which a case or a deal is over (core/fields).
SELECT r.id, r.kind, r.name, r.owner_id,
  EXISTS (SELECT FROM records m WHERE m.kind = 'case' AND m.deleted_at IS NULL AND m.stage <> ALL (@closed::text[])
    AND (m.person_id = r.id OR m.company_id IN (r.id, r.company_id)))::boolean AS open_case,
  EXISTS (SELECT FROM records m WHERE m.kind = 'deal' AND m.deleted_at IS NULL AND m.stage <> ALL (@closed)
    AND (m.person_id = r.id OR m.company_id IN (r.id, r.company_id)))::boolean AS open_deal,
  EXISTS (SELECT FROM follow_ups f WHERE f.record_id = r.id AND f.promised AND f.state = 'open')::boolean AS promised
FROM records r WHERE r.id = @record_id;

-- name: CallersMatter :many
-- The case or order of a number, or the newest of a caller where no number was given; theirs tells whether it is the caller's, coded
-- whether a number of its person or company ends with the code.
SELECT m.name, m.stage, m.reference,
  EXISTS (SELECT FROM records r WHERE r.id = sqlc.narg('record_id')::uuid AND (m.person_id = r.id OR m.company_id IN (r.id, r.company_id)))::boolean AS theirs,
  (@code::text <> '' AND EXISTS (SELECT FROM phone_numbers n WHERE n.record_id IN (m.person_id, m.company_id) AND n.digits_reversed LIKE reverse(@code) || '%'))::boolean AS coded
FROM records m
WHERE m.kind = @kind AND m.deleted_at IS NULL
  AND (@digits::text <> '' AND regexp_replace(m.reference, '\D', '', 'g') = @digits
    OR @digits = '' AND EXISTS (SELECT FROM records r WHERE r.id = sqlc.narg('record_id')::uuid AND (m.person_id = r.id OR m.company_id IN (r.id, r.company_id))))
ORDER BY m.id DESC LIMIT 1;

-- name: OwesNumber :one
SELECT EXISTS (SELECT FROM unreturned WHERE remote_e164 = @e164 AND remote_e164 <> '' AND closed_at IS NULL)::boolean;

-- name: PeopleNamed :many
SELECT id, name, active FROM users;

-- name: WaitsOfCall :many
-- Where somebody waited in a call, and what came of it.
SELECT q.name, w.since, w.left_at, w.how, w.why FROM queue_waits w JOIN queues q ON q.id = w.queue_id
WHERE w.call_id = @call_id AND w.kind = 'call' ORDER BY w.since;

-- name: Leaders :many
-- Who may lead queues by their role: all whose role is not that of a rep as it comes.
SELECT id FROM users WHERE active AND role <> 'rep';
