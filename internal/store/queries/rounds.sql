-- name: InsertRound :exec
INSERT INTO rounds (id, name, list_id, started_by, started_at, settings, source, total, ranked_at)
VALUES (@id, @name, @list_id, @started_by, @started_at, @settings, @source, @total, @started_at);

-- name: Round :one
SELECT r.*, u.name AS starter FROM rounds r JOIN users u ON u.id = r.started_by WHERE r.id = @id;

-- name: MaySeeRound :one
-- Whether somebody may see a round of a list: the list is theirs or shared, or they are on the round.
SELECT (EXISTS (SELECT FROM lists l WHERE l.id = @list_id AND (l.shared OR l.owner_id = @user_id)) OR EXISTS (SELECT FROM round_reps g WHERE g.round_id = @round_id AND g.user_id = @user_id))::boolean;

-- name: OpenRounds :many
-- Those that are not over: the own first, then those of colleagues.
SELECT r.id, r.name, r.list_id, r.started_at, r.started_by, u.name AS starter, coalesce(m.state, '')::text AS mine, coalesce(m.why, '')::text AS why, m.since,
  (SELECT count(*) FROM round_people p WHERE p.round_id = r.id AND p.state <> 'done')::int AS remaining,
  (SELECT coalesce(array_agg(v.name ORDER BY v.name), '{}') FROM round_reps g JOIN users v ON v.id = g.user_id WHERE g.round_id = r.id AND g.state = 'going')::text[] AS going
FROM rounds r JOIN users u ON u.id = r.started_by LEFT JOIN round_reps m ON m.round_id = r.id AND m.user_id = @user_id
WHERE r.ended_at IS NULL AND (r.list_id IS NULL OR r.started_by = @user_id OR m.user_id IS NOT NULL OR EXISTS (SELECT FROM lists l WHERE l.id = r.list_id AND (l.shared OR l.owner_id = @user_id)))
ORDER BY m.state = 'going' DESC NULLS LAST, m.state IS NOT NULL DESC, r.started_at DESC LIMIT 50;

-- name: LaneRounds :many
-- What a rep has begun and not ended: the rest of a round of another day; with those under way, for whoever stands in.
SELECT r.id, r.name, m.since, m.why, (SELECT count(*) FROM round_people p WHERE p.round_id = r.id AND p.state <> 'done')::int AS remaining
FROM round_reps m JOIN rounds r ON r.id = m.round_id
WHERE m.user_id = @user_id AND (m.state = 'paused' OR @under_way::boolean AND m.state = 'going') AND r.ended_at IS NULL ORDER BY m.since LIMIT 20;

-- name: RoundsOfList :many
SELECT r.id, r.name, u.name AS starter, (SELECT count(*) FROM round_people p WHERE p.round_id = r.id AND p.state <> 'done')::int AS remaining
FROM rounds r JOIN users u ON u.id = r.started_by WHERE r.list_id = @list_id AND r.ended_at IS NULL ORDER BY r.started_at DESC LIMIT 5;

-- name: UnpreparedRounds :many
SELECT id FROM rounds WHERE source <> '{}' AND ended_at IS NULL;

-- name: SetRoundPrepared :exec
UPDATE rounds SET total = @total, source = CASE WHEN @finished::boolean THEN '{}' ELSE source END WHERE id = @id;

-- name: EndRound :exec
UPDATE rounds SET ended_at = @at, version = version + 1 WHERE id = @id;

-- name: ReopenRound :exec
-- A round that was over because everybody was done with goes on when the last outcome is taken back.
UPDATE rounds r SET ended_at = NULL, version = version + 1 WHERE r.id = @id AND r.ended_at IS NOT NULL
  AND NOT EXISTS (SELECT FROM round_people p WHERE p.round_id = r.id AND p.state <> 'done' AND p.position <> @position);

-- name: SetRoundSettings :execrows
UPDATE rounds SET settings = @settings, version = version + 1 WHERE id = @id AND version = @version;

-- name: RoundsToRank :many
-- Those by best hour that are going and were ranked in an earlier hour.
SELECT r.id FROM rounds r WHERE r.ended_at IS NULL AND r.settings ->> 'order' = 'best' AND r.ranked_at < @before
  AND EXISTS (SELECT FROM round_reps g WHERE g.round_id = r.id AND g.state = 'going');

-- name: SetRoundRanked :execrows
UPDATE rounds SET ranked_at = @at WHERE id = @id AND ranked_at < @before;

-- name: WaitingOfRound :many
SELECT position, record_id FROM round_people WHERE round_id = @round_id AND state = 'waiting' AND position > @after ORDER BY position LIMIT @count;

-- name: OnRound :many
SELECT position, record_id FROM round_people WHERE round_id = @round_id;

-- name: FirstWaiting :many
SELECT position, record_id, attempts, number_id, tried FROM round_people WHERE round_id = @round_id AND state = 'waiting' ORDER BY rank, position LIMIT @count;

-- name: PutOffMany :exec
-- People who are not called now, as far as nobody has taken them meanwhile. A time of the year 1: not at all.
UPDATE round_people p SET state = CASE WHEN x.ready_at < '0002-01-01' THEN 'done' ELSE 'later' END, ready_at = NULLIF(x.ready_at, '0001-01-01 00:00:00+00'), bead = x.bead, why = x.why
FROM (SELECT unnest(@positions::int[]) AS position, unnest(@ready_ats::timestamptz[]) AS ready_at, unnest(@beads::text[]) AS bead, unnest(@whys::text[]) AS why) x,
  LATERAL (SELECT FROM round_people l WHERE l.round_id = @round_id AND l.position = x.position AND l.state = 'waiting' FOR UPDATE SKIP LOCKED) free
WHERE p.round_id = @round_id AND p.position = x.position AND p.state = 'waiting';

-- name: SetRanks :exec
UPDATE round_people p SET rank = x.rank FROM (SELECT unnest(@positions::int[]) AS position, unnest(@ranks::float8[]) AS rank) x
WHERE p.round_id = @round_id AND p.position = x.position AND p.state = 'waiting' AND p.rank <> x.rank;

-- name: PutRoundRep :exec
INSERT INTO round_reps (round_id, user_id, state, takes_calls, since, why) VALUES (@round_id, @user_id, @state, @takes_calls, @since, @why)
ON CONFLICT (round_id, user_id) DO UPDATE SET state = EXCLUDED.state, takes_calls = EXCLUDED.takes_calls, since = EXCLUDED.since, why = EXCLUDED.why, stop_after = false;

-- name: PauseRoundRep :execrows
UPDATE round_reps SET state = 'paused', why = @why, since = @since, stop_after = false WHERE round_id = @round_id AND user_id = @user_id AND state = 'going';

-- name: PauseOtherRounds :exec
UPDATE round_reps SET state = 'paused', why = '', since = @since, stop_after = false WHERE user_id = @user_id AND state = 'going' AND round_id <> @round_id;

-- name: SetStopAfter :exec
UPDATE round_reps SET stop_after = @stop WHERE round_id = @round_id AND user_id = @user_id;

-- name: RoundReps :many
-- Who works on a round: the reader first, then those who are going. With many the first ones; their number stands with each.
SELECT g.user_id, g.state, g.why, g.stop_after, g.takes_calls, g.since, u.name, (count(*) FILTER (WHERE g.state = 'going') OVER ())::int AS going
FROM round_reps g JOIN users u ON u.id = g.user_id
WHERE g.round_id = @round_id AND g.state <> 'left' ORDER BY g.user_id = @me DESC, g.state = 'going' DESC, u.name LIMIT @count;

-- name: RoundRep :one
SELECT state, why, stop_after, takes_calls, since FROM round_reps WHERE round_id = @round_id AND user_id = @user_id;

-- name: GoingRound :one
SELECT round_id FROM round_reps WHERE user_id = @user_id AND state = 'going';

-- name: TakeNext :one
-- The next free person, for this rep: no other rep waits for it, or gets the same one. A person whom somebody holds by another round is put off.
WITH next AS (
  SELECT p.round_id, p.position, p.record_id FROM round_people p
  WHERE p.round_id = @round_id AND p.state = 'waiting' AND (p.user_id IS NULL OR p.user_id = @user_id)
  ORDER BY p.rank, p.position LIMIT 1 FOR UPDATE SKIP LOCKED
), held AS (
  INSERT INTO held_people AS h (record_id, round_id, user_id, until) SELECT record_id, round_id, @user_id, @until FROM next
  ON CONFLICT (record_id) DO UPDATE SET round_id = EXCLUDED.round_id, user_id = EXCLUDED.user_id, until = EXCLUDED.until
    WHERE h.until < @now::timestamptz OR h.user_id = EXCLUDED.user_id
  RETURNING record_id
)
UPDATE round_people p SET state = CASE WHEN held.record_id IS NULL THEN 'later' ELSE 'taken' END, ready_at = CASE WHEN held.record_id IS NULL THEN @again::timestamptz END,
  user_id = CASE WHEN held.record_id IS NULL THEN NULL ELSE @user_id END, lease_until = @until, dial_at = NULL,
  bead = CASE WHEN held.record_id IS NULL THEN 'later' ELSE p.bead END, why = CASE WHEN held.record_id IS NULL THEN @why::text ELSE '' END
FROM next LEFT JOIN held ON held.record_id = next.record_id
WHERE p.round_id = next.round_id AND p.position = next.position
RETURNING p.round_id, p.position, p.record_id, p.state, p.number_id, p.tried, p.attempts;

-- name: HeldInRound :one
-- Whom a rep holds in a round: what is being called, or else looked at; an attempt that was put aside counts last.
SELECT p.*, coalesce(s.state = 'open', false)::boolean AS slip_open, coalesce(s.id, '00000000-0000-0000-0000-000000000000')::uuid AS slip_id, c.ended_at AS call_ended
FROM round_people p LEFT JOIN calls c ON c.id = p.call_id LEFT JOIN slips s ON s.call_id = p.call_id AND s.user_id = @user_id
WHERE p.round_id = @round_id AND p.user_id = @user_id AND p.state IN ('taken', 'calling')
ORDER BY (p.state = 'calling' AND c.ended_at IS NULL) DESC, p.lease_until DESC NULLS LAST, c.started_at DESC LIMIT 1;

-- name: LockRoundPerson :one
SELECT * FROM round_people WHERE round_id = @round_id AND position = @position FOR UPDATE;

-- name: PutRoundPerson :exec
UPDATE round_people SET state = @state, rank = @rank, ready_at = sqlc.narg('ready_at'), user_id = sqlc.narg('user_id'), lease_until = sqlc.narg('lease_until'), dial_at = sqlc.narg('dial_at'),
  call_id = sqlc.narg('call_id'), number_id = sqlc.narg('number_id'), tried = @tried, attempts = @attempts, bead = @bead, why = @why, outcome_id = sqlc.narg('outcome_id'), settled_at = sqlc.narg('settled_at')
WHERE round_id = @round_id AND position = @position;

-- name: SetTaken :exec
UPDATE round_people SET number_id = @number_id, dial_at = sqlc.narg('dial_at'), bead = 'current' WHERE round_id = @round_id AND position = @position AND state = 'taken';

-- name: PutOff :exec
-- Somebody who is not called now after all: later, or not at all. The person first, then the hold, as everywhere.
WITH put AS (
  UPDATE round_people p SET state = @state, ready_at = sqlc.narg('ready_at'), user_id = NULL, lease_until = NULL, dial_at = NULL, bead = @bead, why = @why, settled_at = sqlc.narg('settled_at')
  WHERE p.round_id = @round_id AND p.position = @position RETURNING p.record_id
)
DELETE FROM held_people h USING put WHERE h.record_id = put.record_id AND h.user_id = @user_id;

-- name: SlipBrief :one
SELECT s.id, s.call_id, s.user_id, s.state, s.version, s.outcome_id FROM slips s WHERE s.id = @id;

-- name: HoldPerson :execrows
INSERT INTO held_people AS h (record_id, round_id, user_id, until) VALUES (@record_id, @round_id, @user_id, @until)
ON CONFLICT (record_id) DO UPDATE SET round_id = EXCLUDED.round_id, user_id = EXCLUDED.user_id, until = EXCLUDED.until WHERE h.until < @now OR h.user_id = EXCLUDED.user_id;

-- name: LetGoPerson :exec
DELETE FROM held_people WHERE record_id = @record_id AND user_id = @user_id;

-- name: ReleaseTaken :exec
-- Gives back whom a rep looked at without calling.
WITH freed AS (
  UPDATE round_people p SET state = 'waiting', user_id = NULL, lease_until = NULL, dial_at = NULL, bead = CASE WHEN attempts > 0 THEN 'later' ELSE 'waiting' END WHERE p.round_id = @round_id AND p.user_id = @user_id AND p.state = 'taken' RETURNING p.record_id
)
DELETE FROM held_people h USING freed WHERE h.record_id = freed.record_id AND h.user_id = @user_id;

-- name: PromoteLater :many
-- Who was put off and whose time has come is free again. It tells of which rounds.
WITH free AS (
  UPDATE round_people p SET state = 'waiting', ready_at = NULL, why = '', bead = CASE WHEN p.attempts > 0 THEN 'later' ELSE 'waiting' END
  FROM (SELECT x.round_id, x.position FROM round_people x WHERE x.state = 'later' AND x.ready_at <= @now ORDER BY x.ready_at LIMIT 5000 FOR UPDATE SKIP LOCKED) d
  WHERE p.round_id = d.round_id AND p.position = d.position RETURNING p.round_id
)
SELECT DISTINCT round_id FROM free;

-- name: NextReady :one
SELECT coalesce(min(ready_at), '0001-01-01 00:00:00+00')::timestamptz FROM round_people WHERE round_id = @round_id AND state = 'later';

-- name: RenewLeases :exec
-- Rows that somebody is changing just now are left for the next time: nobody is waited for while others are held.
UPDATE round_people p SET lease_until = @until FROM (
  SELECT x.round_id, x.position FROM round_people x WHERE x.state = 'taken' AND x.user_id = ANY (@users::uuid[]) FOR UPDATE SKIP LOCKED) d
WHERE p.round_id = d.round_id AND p.position = d.position;

-- name: RenewHolds :exec
UPDATE held_people h SET until = @until FROM (
  SELECT x.record_id FROM held_people x WHERE x.user_id = ANY (@users::uuid[]) AND x.until < @until FOR UPDATE SKIP LOCKED) d
WHERE h.record_id = d.record_id;

-- name: FreeExpired :many
-- Whom a rep held who has gone is free again; and their round pauses.
WITH freed AS (
  UPDATE round_people p SET state = 'waiting', user_id = NULL, lease_until = NULL, dial_at = NULL, bead = CASE WHEN p.attempts > 0 THEN 'later' ELSE 'waiting' END
  FROM (SELECT x.round_id, x.position, x.user_id FROM round_people x WHERE x.state = 'taken' AND x.lease_until < @now FOR UPDATE SKIP LOCKED) d
  WHERE p.round_id = d.round_id AND p.position = d.position RETURNING p.round_id, p.record_id, d.user_id
), let_go AS (
  DELETE FROM held_people h USING freed WHERE h.record_id = freed.record_id AND h.user_id = freed.user_id
), paused AS (
  UPDATE round_reps g SET state = 'paused', why = @why, since = @now FROM freed WHERE g.round_id = freed.round_id AND g.user_id = freed.user_id AND g.state = 'going'
)
SELECT round_id, user_id FROM freed;

-- name: InsertRoundCall :exec
WITH person AS (
  UPDATE round_people SET state = 'calling', call_id = @call_id, attempts = attempts + 1, tried = array_append(tried, @number_id::uuid), number_id = @number_id, bead = 'current', why = '',
    lease_until = NULL, dial_at = NULL, user_id = @user_id
  WHERE round_id = @round_id AND position = @position
)
INSERT INTO round_calls (call_id, round_id, position, user_id, number_id, at, hour) VALUES (@call_id, @round_id, @position, @user_id, @number_id, @at, @hour);

-- name: RoundCall :one
SELECT x.*, c.end_reason, EXISTS (SELECT FROM legs l WHERE l.call_id = c.id AND l.device = 'prepared')::boolean AS left_message
FROM round_calls x JOIN calls c ON c.id = x.call_id WHERE x.call_id = @call_id;

-- name: SettleRoundCall :exec
UPDATE round_calls SET settled_at = sqlc.narg('at'), bead = @bead, before = @before WHERE call_id = @call_id;

-- name: RefusedInARow :one
-- How many of the last calls of a round the carrier refused, counted from the last one back.
SELECT count(*)::int FROM (
  SELECT c.end_reason, sum(CASE WHEN c.end_reason <> 'refused' THEN 1 ELSE 0 END) OVER (ORDER BY x.at DESC, x.call_id DESC) AS others
  FROM round_calls x JOIN calls c ON c.id = x.call_id WHERE x.round_id = @round_id AND x.user_id = @user_id ORDER BY x.at DESC LIMIT 10) y WHERE y.others = 0;

-- name: RoundFacts :many
-- What decides whether people are called now.
SELECT r.id, r.kind, r.name, r.zone, r.number_order, (r.deleted_at IS NOT NULL OR r.merged_into IS NOT NULL)::boolean AS gone,
  (r.dnc_at IS NOT NULL OR o.dnc_at IS NOT NULL)::boolean AS do_not_call, coalesce(o.name, '')::text AS company,
  coalesce(t.calls, 0)::int AS calls_today, coalesce(t.last, '0001-01-01 00:00:00+00')::timestamptz AS last_called, coalesce(t.going, false)::boolean AS being_called,
  coalesce((SELECT min(f.due_at) FROM follow_ups f WHERE f.record_id = r.id AND f.state = 'open' AND f.due_at < @now), '0001-01-01 00:00:00+00')::timestamptz AS overdue,
  coalesce((SELECT max(d.amount_minor) FROM records d WHERE d.kind = 'deal' AND (d.person_id = r.id OR r.kind = 'company' AND d.company_id = r.id) AND d.deleted_at IS NULL AND NOT is_over(d.kind, d.stage)), 0)::bigint AS value
FROM records r LEFT JOIN records o ON o.id = r.company_id
LEFT JOIN LATERAL (
  SELECT count(*) FILTER (WHERE c.started_at >= @day_start) AS calls, max(c.started_at) AS last, bool_or(c.ended_at IS NULL AND c.placed_by IS DISTINCT FROM @user_id) AS going
  FROM history h JOIN calls c ON c.id = h.ref_id AND c.direction = 'outbound'
  WHERE h.record_id = r.id AND h.kind = 'call' AND h.at >= @since
) t ON true
WHERE r.id = ANY (@ids::uuid[]);

-- name: NumberInUse :one
-- Whether anybody is calling a number just now, or is called by it.
SELECT EXISTS (SELECT FROM calls WHERE remote_e164 = @e164 AND ended_at IS NULL AND started_at > @since AND placed_by IS DISTINCT FROM @user_id)::boolean;

-- name: AttemptsByHour :many
-- Calls to numbers in a year, by the hour of the day there, and how many reached somebody.
SELECT n.e164::text AS e164, extract(hour FROM c.started_at AT TIME ZONE n.zone)::int AS hour, count(*)::int AS tries,
  count(*) FILTER (WHERE c.spoke)::int AS answered
FROM (SELECT DISTINCT ON (e164) unnest(@e164s::text[]) AS e164, unnest(@zones::text[]) AS zone) n
JOIN calls c ON c.remote_e164 = n.e164 AND c.direction = 'outbound' AND c.started_at > @since AND c.ended_at IS NOT NULL
GROUP BY n.e164, hour;

-- name: AttemptsByLabel :many
-- The same of the newest calls, by what their number is called.
SELECT x.label::text AS label, x.hour::int AS hour, count(*)::int AS tries, count(*) FILTER (WHERE x.reached)::int AS answered
FROM (
  SELECT lower(c.remote_label) AS label, c.spoke AS reached,
    extract(hour FROM c.started_at AT TIME ZONE coalesce((SELECT n.zones[1] FROM phone_numbers n WHERE n.e164 = c.remote_e164 AND n.zones[1] IS NOT NULL LIMIT 1), 'UTC')) AS hour
  FROM calls c
  WHERE c.direction = 'outbound' AND c.started_at > @since AND c.ended_at IS NOT NULL ORDER BY c.started_at DESC LIMIT 20000
) x GROUP BY x.label, x.hour;

-- name: RoundCounts :many
SELECT state, bead, count(*)::int AS people, count(*) FILTER (WHERE attempts > 0)::int AS called FROM round_people WHERE round_id = @round_id GROUP BY state, bead;

-- name: RoundSettledAt :many
-- When the last people of a round were settled, by anybody, the newest first.
SELECT settled_at, user_id FROM round_calls WHERE round_id = @round_id AND settled_at IS NOT NULL ORDER BY settled_at DESC LIMIT 60;

-- name: RoundPeople :many
SELECT p.position, p.record_id, p.state, p.bead, p.why, p.attempts, p.ready_at, p.settled_at, p.call_id, r.name, r.kind, coalesce(u.name, '')::text AS rep, coalesce(o.label, '')::text AS outcome,
  coalesce(c.drop_result, '')::text AS drop_result
FROM round_people p JOIN records r ON r.id = p.record_id LEFT JOIN users u ON u.id = p.user_id LEFT JOIN outcomes o ON o.id = p.outcome_id LEFT JOIN calls c ON c.id = p.call_id
WHERE p.round_id = @round_id AND p.position >= @from_position ORDER BY p.position LIMIT @count;

-- name: AttemptsOfDay :many
-- What came of the calls in rounds, by outcome.
SELECT coalesce(o.label, '')::text AS outcome, coalesce(o.reached, false)::boolean AS reached, count(*)::int AS calls, count(DISTINCT (x.round_id, x.position))::int AS people
FROM round_calls x JOIN slips s ON s.call_id = x.call_id AND s.user_id = x.user_id LEFT JOIN outcomes o ON o.id = s.outcome_id
WHERE x.user_id = @user_id AND x.at >= @from_at AND x.at < @to_at GROUP BY o.label, o.reached, o.position ORDER BY o.position NULLS LAST;

-- name: RoundResults :many
-- What came of a round, by outcome: people by their last attempt.
SELECT coalesce(o.label, '')::text AS outcome, coalesce(o.reached, false)::boolean AS reached, p.bead, count(*)::int AS people, sum(p.attempts)::int AS attempts
FROM round_people p LEFT JOIN outcomes o ON o.id = p.outcome_id WHERE p.round_id = @round_id GROUP BY o.label, o.reached, o.position, p.bead ORDER BY o.position NULLS LAST, p.bead;

-- name: NotReached :many
SELECT record_id FROM round_people WHERE round_id = @round_id AND bead NOT IN ('spoke', 'refused') ORDER BY position;

-- name: LastSettled :one
-- The last attempt that a rep has settled in a round.
SELECT x.call_id, s.id AS slip_id, x.position, x.settled_at, coalesce(o.label, '')::text AS outcome, r.name
FROM round_calls x JOIN slips s ON s.call_id = x.call_id AND s.user_id = x.user_id JOIN round_people p ON p.round_id = x.round_id AND p.position = x.position JOIN records r ON r.id = p.record_id
LEFT JOIN outcomes o ON o.id = s.outcome_id
WHERE x.round_id = @round_id AND x.user_id = @user_id AND x.settled_at > @since AND s.state = 'filed' ORDER BY x.settled_at DESC LIMIT 1;

-- name: PutRoundDefaults :exec
INSERT INTO round_defaults (whose, settings) VALUES (@whose, @settings) ON CONFLICT (whose) DO UPDATE SET settings = EXCLUDED.settings;

-- name: RoundDefaults :many
SELECT whose, settings FROM round_defaults WHERE whose = ANY (@whose::text[]);

-- name: ShownToday :many
-- How often each line was shown since a time.
SELECT line_id, count(*)::int AS times FROM calls WHERE line_id IS NOT NULL AND direction = 'outbound' AND started_at >= @since GROUP BY line_id;

-- name: LineTheyKnow :one
-- The line of the firm by which somebody was last spoken with, or last called in.
SELECT c.line_id FROM calls c WHERE c.remote_e164 = @e164 AND c.line_id IS NOT NULL AND (c.answered_at IS NOT NULL OR c.direction = 'inbound') ORDER BY c.started_at DESC LIMIT 1;

-- name: LineOfList :one
SELECT line_id FROM lists WHERE id = @id;

-- name: SetDropResult :exec
UPDATE calls SET drop_result = @result WHERE id = @id;

-- name: PassPromises :exec
-- A rep goes on though these are due: the round does not stop at them again.
UPDATE round_reps SET passed = (SELECT array_agg(DISTINCT x) FROM unnest(passed || @ids::uuid[]) x) WHERE round_id = @round_id AND user_id = @user_id;

-- name: PromisesDue :many
-- Calls that a rep has promised and whose time has come, without those that were passed over in a round.
SELECT f.id, f.record_id, f.text, f.due_at, r.name FROM follow_ups f JOIN records r ON r.id = f.record_id
WHERE f.owner_id = @owner_id AND f.state = 'open' AND f.promised AND f.kind = 'call' AND NOT f.day_only AND f.due_at <= @now AND r.deleted_at IS NULL
  AND f.id <> ALL (coalesce((SELECT x.passed FROM round_reps x WHERE x.round_id = @round_id AND x.user_id = f.owner_id), '{}')) ORDER BY f.due_at LIMIT 3;

-- name: PutRoundMatters :exec
INSERT INTO round_matters (round_id, record_id, matter_id) SELECT @round_id, unnest(@people::uuid[]), unnest(@matters::uuid[]) ON CONFLICT DO NOTHING;

-- name: RoundMatter :one
SELECT matter_id FROM round_matters WHERE round_id = @round_id AND record_id = @record_id;
