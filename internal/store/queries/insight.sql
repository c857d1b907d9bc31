-- name: LockFigures :exec
-- One makes figures at a time, so that changes are committed in the order of their numbers.
SELECT pg_advisory_xact_lock(7316202);

-- name: FiguresDue :one
-- What has changed up to some number of notes: the calls, and the notes.
SELECT coalesce(array_agg(DISTINCT d.call_id), '{}')::uuid[] AS calls, coalesce(array_agg(d.n), '{}')::bigint[] AS notes
FROM (SELECT n, call_id FROM figures_due ORDER BY n LIMIT @count) d;

-- name: RefreshFigures :one
SELECT refresh_figures(@ids::uuid[], @wrap_ms::bigint)::int;

-- name: FiguresDone :exec
DELETE FROM figures_due WHERE n = ANY (@notes::bigint[]);

-- name: CountFiguresDue :one
SELECT count(*)::int FROM (SELECT FROM figures_due LIMIT 100000) d;

-- name: AllFiguresDue :exec
-- All calls that are over, where none has figures: after an import from elsewhere, or a restore.
INSERT INTO figures_due (call_id) SELECT id FROM calls WHERE ended_at IS NOT NULL AND NOT EXISTS (SELECT FROM call_figures)
  AND NOT EXISTS (SELECT FROM figures_due);

-- name: ChangedFigures :one
SELECT coalesce(max(changed), 0)::bigint FROM call_figures;

-- name: FigureLabels :many
-- What the keys of facets are called.
SELECT 'line' AS facet, id, label::text AS label FROM lines
UNION ALL SELECT 'queue', id, name FROM queues
UNION ALL SELECT 'rep', id, name FROM users
UNION ALL SELECT 'outcome', id, label FROM outcomes
UNION ALL SELECT 'type', id, label FROM call_types
UNION ALL SELECT 'list', id, name FROM lists
UNION ALL SELECT 'topic', id, name FROM topics;

-- name: NumberLabels :many
SELECT e164, label FROM lines;

-- name: RepsOfTeams :many
SELECT id FROM users WHERE teams && @teams::text[];

-- name: CallsWithWords :many
-- Calls in whose kept recording all the words were said: by us, by them, or by either of the two.
SELECT DISTINCT r.call_id FROM transcripts t JOIN recordings r ON r.id = t.recording_id
WHERE r.state = 'kept' AND r.kind = 'call' AND CASE @side::text WHEN 'ours' THEN t.ours @@ to_tsquery('simple', @words) WHEN 'theirs' THEN t.theirs @@ to_tsquery('simple', @words)
  ELSE t.ours @@ to_tsquery('simple', @words) OR t.theirs @@ to_tsquery('simple', @words) END
LIMIT @count;

-- name: SlipsWithWords :many
-- Slips in whose notes all the words stand, with what decides who may read them.
SELECT s.call_id, s.user_id, s.visible, s.handed_to, coalesce(u.teams, '{}')::text[] AS rep_teams
FROM slip_notes n JOIN slips s ON s.id = n.slip_id JOIN users u ON u.id = s.user_id
WHERE to_tsvector('simple', n.body) @@ to_tsquery('simple', @words) LIMIT @count;

-- name: Topics :many
SELECT id, name, topic_group, phrases, active, version FROM topics ORDER BY topic_group, lower(name);

-- name: InsertTopic :exec
INSERT INTO topics (id, name, topic_group, phrases, active) VALUES (@id, @name, @topic_group, @phrases, @active);

-- name: UpdateTopic :execrows
UPDATE topics SET name = @name, topic_group = @topic_group, phrases = @phrases, active = @active, version = version + 1 WHERE id = @id AND version = @version;

-- name: TopicExists :one
SELECT EXISTS (SELECT FROM topics WHERE id = @id);

-- name: ForgetTopic :exec
DELETE FROM call_topics WHERE topic_id = @topic_id;

-- name: ForgetTopicsOf :exec
DELETE FROM call_topics WHERE recording_id = @recording_id;

-- name: InsertCallTopic :batchexec
INSERT INTO call_topics (recording_id, topic_id, at_ms, to_ms, ours) VALUES (@recording_id, @topic_id, @at_ms, @to_ms, @ours) ON CONFLICT DO NOTHING;

-- name: TopicsOfCall :many
SELECT k.recording_id, k.topic_id, t.name, k.at_ms, k.to_ms, k.ours FROM call_topics k JOIN topics t ON t.id = k.topic_id JOIN recordings r ON r.id = k.recording_id
WHERE r.call_id = @call_id AND r.state = 'kept' AND t.active ORDER BY k.at_ms, t.name;

-- name: NewestTranscripts :many
SELECT t.recording_id, r.call_id, r.total_ms, t.phrases FROM transcripts t JOIN recordings r ON r.id = t.recording_id JOIN calls c ON c.id = r.call_id
WHERE r.state = 'kept' AND r.kind = 'call' ORDER BY c.started_at DESC LIMIT @count;

-- name: TranscriptsToLookThrough :many
SELECT t.recording_id, r.total_ms, t.phrases FROM transcripts t JOIN recordings r ON r.id = t.recording_id WHERE t.topics_version < @version
ORDER BY t.topics_version, t.recording_id DESC LIMIT @count;

-- name: LookedThrough :exec
UPDATE transcripts SET ours = to_tsvector('simple', @our_words::text), theirs = to_tsvector('simple', @their_words::text), topics_version = @version WHERE recording_id = @recording_id;

-- name: TopicsVersion :one
SELECT (coalesce(sum(version), 0) + 1)::bigint FROM topics;

-- name: TopicCalls :many
-- In how many calls each topic was said since a moment.
SELECT k.topic_id, count(DISTINCT r.call_id)::int AS calls FROM call_topics k JOIN recordings r ON r.id = k.recording_id WHERE r.began_at >= @since GROUP BY k.topic_id;

-- name: Reports :many
SELECT r.id, r.owner_id, u.name AS owner, r.name, r.query, r.shared, r.on_today, r.every, r.mail_to, r.version FROM reports r JOIN users u ON u.id = r.owner_id
WHERE r.owner_id = @user_id OR r.shared ORDER BY lower(r.name), r.id;

-- name: Report :one
SELECT r.id, r.owner_id, u.name AS owner, r.name, r.query, r.shared, r.on_today, r.every, r.mail_to, r.version FROM reports r JOIN users u ON u.id = r.owner_id WHERE r.id = @id;

-- name: InsertReport :exec
INSERT INTO reports (id, owner_id, name, query, shared, on_today, every, mail_to, created_at, mailed_at)
VALUES (@id, @owner_id, @name, @query, @shared, @on_today, @every, @mail_to, @at, @at);

-- name: UpdateReport :execrows
UPDATE reports SET name = @name, query = @query, shared = @shared, on_today = @on_today, every = @every, mail_to = @mail_to, version = version + 1,
  mailed_at = CASE WHEN every = @every THEN mailed_at ELSE @at::timestamptz END
WHERE id = @id AND owner_id = @owner_id AND version = @version;

-- name: DeleteReport :execrows
DELETE FROM reports WHERE id = @id AND owner_id = @owner_id;

-- name: ReportsToMail :many
SELECT id, owner_id, name, query, every, mail_to, mailed_at FROM reports WHERE every <> '' AND mail_to <> '{}';

-- name: ReportMailed :execrows
-- Once, however many servers look.
UPDATE reports SET mailed_at = @at WHERE id = @id AND mailed_at < @due;

-- name: Scorecards :many
SELECT id, name, questions, call_type_ids, active, version FROM scorecards ORDER BY lower(name);

-- name: InsertScorecard :exec
INSERT INTO scorecards (id, name, questions, call_type_ids, active) VALUES (@id, @name, @questions, @call_type_ids, @active);

-- name: UpdateScorecard :execrows
UPDATE scorecards SET name = @name, questions = @questions, call_type_ids = @call_type_ids, active = @active, version = version + 1 WHERE id = @id AND version = @version;

-- name: ScorecardExists :one
SELECT EXISTS (SELECT FROM scorecards WHERE id = @id);

-- name: ScoresOfCall :many
SELECT sqlc.embed(x), r.name AS rep, b.name AS by_name FROM scores x JOIN users r ON r.id = x.rep_id JOIN users b ON b.id = x.by_id WHERE x.call_id = @call_id ORDER BY x.at, x.id;

-- name: ScoresOfRep :many
SELECT sqlc.embed(x), r.name AS rep, b.name AS by_name FROM scores x JOIN users r ON r.id = x.rep_id JOIN users b ON b.id = x.by_id
WHERE x.rep_id = @rep_id ORDER BY x.accepted_at IS NOT NULL, x.at DESC LIMIT 200;

-- name: ScoreByID :one
SELECT sqlc.embed(x), r.name AS rep, b.name AS by_name FROM scores x JOIN users r ON r.id = x.rep_id JOIN users b ON b.id = x.by_id WHERE x.id = @id;

-- name: InsertScore :exec
INSERT INTO scores (id, call_id, rep_id, by_id, scorecard_id, card, answers, percent, failed, note, at)
VALUES (@id, @call_id, @rep_id, @by_id, @scorecard_id, @card, @answers, @percent, @failed, @note, @at);

-- name: UpdateScore :execrows
-- Scored anew: what the rep has accepted was another score.
UPDATE scores SET card = @card, answers = @answers, percent = @percent, failed = @failed, note = @note, at = @at, accepted_at = NULL, version = version + 1
WHERE call_id = @call_id AND rep_id = @rep_id AND by_id = @by_id AND scorecard_id = @scorecard_id AND version = @version;

-- name: AnswerScore :execrows
UPDATE scores SET reply = @reply, accepted_at = sqlc.narg('accepted_at'), version = version + 1 WHERE id = @id AND rep_id = @rep_id;

-- name: PartsOfCall :many
SELECT s.user_id, u.name, s.call_type_id FROM slips s JOIN users u ON u.id = s.user_id WHERE s.call_id = @call_id ORDER BY s.created_at;

-- name: ScoredCounts :many
-- How many calls of each rep and type were scored since a moment.
SELECT x.rep_id, s.call_type_id, count(DISTINCT x.call_id)::int AS calls FROM scores x JOIN slips s ON s.call_id = x.call_id AND s.user_id = x.rep_id
WHERE x.at >= @since GROUP BY 1, 2;

-- name: ToHear :many
-- Conversations with a recording that nobody has scored, of some reps, since a moment: a few of each rep and type.
SELECT x.call_id, x.user_id, x.call_type_id FROM (
  SELECT s.call_id, s.user_id, s.call_type_id, row_number() OVER (PARTITION BY s.user_id, s.call_type_id ORDER BY md5(s.call_id::text || @salt::text)) AS n
  FROM calls c JOIN slips s ON s.call_id = c.id
  WHERE c.started_at >= @since AND c.spoke AND s.user_id = ANY (@reps::uuid[]) AND c.talk_ms >= 30000
    AND EXISTS (SELECT FROM recordings r WHERE r.call_id = c.id AND r.kind = 'call' AND r.state = 'kept')
    AND NOT EXISTS (SELECT FROM scores y WHERE y.call_id = c.id AND y.rep_id = s.user_id)
) x WHERE x.n <= 3;

-- name: WallRounds :many
-- Rounds on which somebody is now, with how far they are.
SELECT r.id, r.name, r.total, (SELECT count(*) FROM round_people p WHERE p.round_id = r.id AND p.state = 'done')::int AS done,
  (SELECT array_agg(u.name ORDER BY u.name) FROM round_reps g JOIN users u ON u.id = g.user_id WHERE g.round_id = r.id AND g.state = 'going')::text[] AS reps
FROM rounds r WHERE r.ended_at IS NULL AND EXISTS (SELECT FROM round_reps g WHERE g.round_id = r.id AND g.state = 'going' AND g.user_id = ANY (@reps::uuid[]))
ORDER BY r.started_at LIMIT 50;

-- name: WallCalls :many
-- Whom calls are with, and over which line.
SELECT c.id, c.direction, coalesce(l.label, '')::text AS line, c.remote_typed, c.remote_e164,
  coalesce((SELECT r.name FROM call_links k JOIN records r ON r.id = k.record_id WHERE k.call_id = c.id AND r.deleted_at IS NULL
    ORDER BY k.role = 'person' DESC, k.role = 'company' DESC, k.at LIMIT 1), '')::text AS name
FROM calls c LEFT JOIN lines l ON l.id = c.line_id WHERE c.id = ANY (@ids::uuid[]);

-- name: WallLate :one
-- What is late: unreturned calls older than an hour, promised follow-ups that are over, slips that were not filed today.
SELECT (SELECT count(*) FROM unreturned u WHERE u.closed_at IS NULL AND u.since < @hour_ago)::int AS unreturned,
  (SELECT count(*) FROM follow_ups f WHERE f.state = 'open' AND f.promised AND f.due_at < @now AND f.owner_id = ANY (@reps::uuid[]))::int AS promises,
  (SELECT count(*) FROM slips s WHERE s.state = 'open' AND s.created_at < @hour_ago AND s.user_id = ANY (@reps::uuid[]))::int AS slips;

-- name: CallTimes :one
-- From when to when there are calls, and how many are over.
SELECT coalesce(min(started_at), 'epoch')::timestamptz AS first, coalesce(max(started_at), 'epoch')::timestamptz AS last, count(ended_at)::bigint AS ended FROM calls;

-- name: FiguresDueAgain :exec
INSERT INTO figures_due (call_id) SELECT unnest(@ids::uuid[]);

-- name: ListPeopleOfCalls :execrows
-- The people with whom calls were become members of a list.
INSERT INTO list_members (list_id, record_id, at) SELECT DISTINCT @list_id::uuid, k.record_id, @at::timestamptz FROM call_links k JOIN records r ON r.id = k.record_id
WHERE k.call_id = ANY (@calls::uuid[]) AND k.role = 'person' AND r.deleted_at IS NULL AND r.kind IN ('contact', 'lead') ON CONFLICT DO NOTHING;

-- name: Sources :many
-- What came of each source: calls on its lines, people and leads, deals, and what those that were won are worth.
WITH rung AS (
  SELECT l.source, count(*) AS calls FROM calls c JOIN lines l ON l.id = c.line_id WHERE l.source <> '' AND c.direction = 'inbound' AND c.started_at >= @since AND c.ended_at IS NOT NULL GROUP BY l.source
), kept AS (
  SELECT r.source, count(*) FILTER (WHERE r.kind <> 'deal' AND r.created_at >= @since) AS people, count(*) FILTER (WHERE r.kind = 'deal' AND r.created_at >= @since) AS deals,
    count(*) FILTER (WHERE r.kind = 'deal' AND r.stage = 'won' AND r.stage_at >= @since) AS won,
    sum(r.amount_minor) FILTER (WHERE r.kind = 'deal' AND r.stage = 'won' AND r.stage_at >= @since AND r.currency = @currency) AS earned
  FROM records r WHERE r.source <> '' AND r.kind IN ('contact', 'lead', 'deal') AND r.deleted_at IS NULL GROUP BY r.source
), named AS (
  SELECT source FROM lines WHERE source <> '' UNION SELECT source FROM kept UNION SELECT source FROM source_costs
)
SELECT n.source, coalesce(g.calls, 0)::int AS calls, coalesce(k.people, 0)::int AS people, coalesce(k.deals, 0)::int AS deals, coalesce(k.won, 0)::int AS won,
  coalesce(k.earned, 0)::bigint AS earned
FROM named n LEFT JOIN rung g ON g.source = n.source LEFT JOIN kept k ON k.source = n.source
ORDER BY earned DESC, calls DESC, n.source;

-- name: SourceCosts :many
SELECT source, month, amount_minor FROM source_costs ORDER BY source, month;

-- name: PutSourceCost :exec
INSERT INTO source_costs (source, month, amount_minor) VALUES (@source, @month, @amount_minor) ON CONFLICT (source, month) DO UPDATE SET amount_minor = EXCLUDED.amount_minor;

-- name: DropSourceCost :exec
DELETE FROM source_costs WHERE source = @source AND month = @month;
