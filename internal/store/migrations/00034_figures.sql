-- +goose Up

-- Who reads a remark: who made it alone, the reps of the call too, or whoever may hear the recording.
ALTER TABLE recording_remarks ADD COLUMN for_whom text NOT NULL DEFAULT 'team' CHECK (for_whom IN ('me', 'rep', 'team'));

-- In which team a rep was when their part in a call began: figures of a team stay what they were when somebody leaves it.
ALTER TABLE slips ADD COLUMN team text NOT NULL DEFAULT '';
UPDATE slips s SET team = u.team FROM users u WHERE u.id = s.user_id AND u.team <> '';
-- +goose StatementBegin
CREATE FUNCTION note_team() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  IF NEW.team = '' THEN NEW.team := coalesce((SELECT team FROM users WHERE id = NEW.user_id), ''); END IF;
  RETURN NEW;
END $$;
-- +goose StatementEnd
CREATE TRIGGER slips_team BEFORE INSERT ON slips FOR EACH ROW EXECUTE FUNCTION note_team();

-- Topics: named sets of phrases that are looked for in what was said.
CREATE TABLE topics (
  id uuid PRIMARY KEY,
  name text NOT NULL,
  topic_group text NOT NULL DEFAULT '',
  phrases jsonb NOT NULL,                   -- core/topics
  active boolean NOT NULL DEFAULT true,
  version int NOT NULL DEFAULT 1
);
CREATE UNIQUE INDEX topics_name ON topics (lower(name));
-- Where each was said: one row for each time it was.
CREATE TABLE call_topics (
  recording_id uuid NOT NULL REFERENCES recordings (id) ON DELETE CASCADE,
  topic_id uuid NOT NULL REFERENCES topics (id) ON DELETE CASCADE,
  at_ms int NOT NULL,
  to_ms int NOT NULL,
  ours boolean NOT NULL,
  PRIMARY KEY (recording_id, topic_id, at_ms)
);
CREATE INDEX call_topics_topic ON call_topics (topic_id);
-- What was said, for words to be found in it, by who said it.
-- topics_version: the state of all topics (the sum of their versions, and one) with which it was looked through; 0: not yet.
ALTER TABLE transcripts ADD COLUMN ours tsvector NOT NULL DEFAULT '', ADD COLUMN theirs tsvector NOT NULL DEFAULT '', ADD COLUMN topics_version bigint NOT NULL DEFAULT 0;
CREATE INDEX transcripts_topics ON transcripts (topics_version);
CREATE INDEX transcripts_ours ON transcripts USING gin (ours);
CREATE INDEX transcripts_theirs ON transcripts USING gin (theirs);
CREATE INDEX slip_notes_words ON slip_notes USING gin (to_tsvector('simple', body));

-- Scorecards, and calls that were scored by them.
CREATE TABLE scorecards (
  id uuid PRIMARY KEY,
  name text NOT NULL,
  questions jsonb NOT NULL,                 -- core/scorecard
  call_type_ids uuid[] NOT NULL DEFAULT '{}', -- offered for these; empty: for all
  active boolean NOT NULL DEFAULT true,
  version int NOT NULL DEFAULT 1
);
CREATE UNIQUE INDEX scorecards_name ON scorecards (lower(name));
CREATE TABLE scores (
  id uuid PRIMARY KEY,
  call_id uuid NOT NULL REFERENCES calls (id),
  rep_id uuid NOT NULL REFERENCES users (id),
  by_id uuid NOT NULL REFERENCES users (id),
  card jsonb NOT NULL,                      -- name and questions as they were
  scorecard_id uuid NOT NULL REFERENCES scorecards (id),
  answers jsonb NOT NULL,
  percent int NOT NULL,                     -- of the points that could be had
  failed boolean NOT NULL,                  -- a must-have was not there
  note text NOT NULL DEFAULT '',
  at timestamptz NOT NULL,
  reply text NOT NULL DEFAULT '',           -- of the rep
  accepted_at timestamptz,
  version int NOT NULL DEFAULT 1,
  UNIQUE (call_id, rep_id, scorecard_id, by_id)
);
CREATE INDEX scores_rep ON scores (rep_id, at DESC);
CREATE INDEX scores_call ON scores (call_id);

-- What reports know of each call that is over: a row for each rep's part, one where nobody had any. It is made of the
-- facts alone, by figures_of, and read into memory by every server (core/report says what each column means); changed
-- is by which they follow. By month, so that old months are dropped whole.
CREATE TABLE call_figures (
  call_id uuid NOT NULL,
  part int NOT NULL,
  at timestamptz NOT NULL,
  changed bigint NOT NULL,
  way text NOT NULL,
  line_id uuid, queue_id uuid, source text NOT NULL, user_id uuid, team text NOT NULL, list_id uuid, outcome_id uuid, call_type_id uuid,
  shown text NOT NULL, device text NOT NULL, ending text NOT NULL,
  flags int NOT NULL,
  ring_ms int NOT NULL, wait_ms int NOT NULL, talk_ms int NOT NULL, hold_ms int NOT NULL, consult_ms int NOT NULL, wrap_ms int NOT NULL,
  recorded_ms int NOT NULL, ours_ms int NOT NULL, theirs_ms int NOT NULL, silence_ms int NOT NULL, overlap_ms int NOT NULL, monologue_ms int NOT NULL,
  interruptions int NOT NULL, transfers int NOT NULL, satisfaction int NOT NULL, return_ms int NOT NULL, tries int NOT NULL, quality int NOT NULL,
  topics uuid[] NOT NULL
) PARTITION BY RANGE (at);
CREATE INDEX call_figures_call ON call_figures (call_id);
CREATE INDEX call_figures_changed ON call_figures (changed);
CREATE SEQUENCE call_figures_changes;

-- Calls of which something has changed since. Only added to, so that nobody waits for anybody; a call may stand here several times.
CREATE TABLE figures_due (
  n bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
  call_id uuid NOT NULL
);
-- +goose StatementBegin
CREATE FUNCTION figures_are_due() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  IF TG_TABLE_NAME = 'calls' THEN
    INSERT INTO figures_due (call_id) SELECT id FROM changed WHERE ended_at IS NOT NULL;
  ELSIF TG_TABLE_NAME IN ('recording_remarks', 'transcripts', 'call_topics') THEN
    INSERT INTO figures_due (call_id) SELECT DISTINCT r.call_id FROM changed x JOIN recordings r ON r.id = x.recording_id;
  ELSE
    INSERT INTO figures_due (call_id) SELECT DISTINCT call_id FROM changed WHERE call_id IS NOT NULL;
  END IF;
  RETURN NULL;
END $$;
-- +goose StatementEnd
-- +goose StatementBegin
DO $$
DECLARE t text;
BEGIN
  FOREACH t IN ARRAY ARRAY['calls', 'slips', 'recordings', 'queue_waits', 'survey_answers', 'unreturned', 'line_reports', 'recording_remarks', 'transcripts', 'call_topics', 'scores'] LOOP
    EXECUTE format('CREATE TRIGGER %I_figures_new AFTER INSERT ON %I REFERENCING NEW TABLE AS changed FOR EACH STATEMENT EXECUTE FUNCTION figures_are_due()', t, t);
    EXECUTE format('CREATE TRIGGER %I_figures_changed AFTER UPDATE ON %I REFERENCING NEW TABLE AS changed FOR EACH STATEMENT EXECUTE FUNCTION figures_are_due()', t, t);
    EXECUTE format('CREATE TRIGGER %I_figures_gone AFTER DELETE ON %I REFERENCING OLD TABLE AS changed FOR EACH STATEMENT EXECUTE FUNCTION figures_are_due()', t, t);
  END LOOP;
END $$;
-- +goose StatementEnd

-- What reports know of calls, made of their facts. The bits of flags are those of core/report; -1 is: not known.
-- +goose StatementBegin
CREATE FUNCTION figures_of(ids uuid[], wrap_limit_ms bigint) RETURNS TABLE (
  call_id uuid, part int, at timestamptz, way text, line_id uuid, queue_id uuid, source text, user_id uuid, team text, list_id uuid,
  outcome_id uuid, call_type_id uuid, shown text, device text, ending text, flags int, ring_ms int, wait_ms int, talk_ms int, hold_ms int,
  consult_ms int, wrap_ms int, recorded_ms int, ours_ms int, theirs_ms int, silence_ms int, overlap_ms int, monologue_ms int,
  interruptions int, transfers int, satisfaction int, return_ms int, tries int, quality int, topics uuid[]
) LANGUAGE sql STABLE AS $$
  SELECT c.id, coalesce(p.part, 0)::int, c.started_at, c.direction, c.line_id, coalesce(q.queue_id, c.queue_id),
    CASE WHEN c.direction = 'inbound' THEN coalesce(li.source, '') ELSE '' END, p.user_id, coalesce(p.team, ''), ro.list_id, p.outcome_id, p.call_type_id,
    c.caller_id, c.device, c.end_reason,
    (CASE WHEN c.answered_at IS NOT NULL THEN 1 ELSE 0 END) + (CASE WHEN c.spoke THEN 2 ELSE 0 END)
      + (CASE WHEN c.direction = 'inbound' AND c.answered_at IS NULL THEN 4 ELSE 0 END)
      + (CASE WHEN q.queue_id IS NOT NULL THEN 8 ELSE 0 END)
      + (CASE WHEN q.how = 'abandoned' AND q.waited > 5000 THEN 16 ELSE 0 END) + (CASE WHEN q.how = 'abandoned' AND q.waited <= 5000 THEN 32 ELSE 0 END)
      + (CASE WHEN q.how = 'answered' AND q.waited <= 1000 * q.target THEN 64 ELSE 0 END)
      + (CASE WHEN c.message_ms > 0 THEN 128 ELSE 0 END)
      + (CASE WHEN p.state = 'filed' THEN 256 ELSE 0 END) + (CASE WHEN p.outcome_id IS NOT NULL THEN 512 ELSE 0 END)
      + (CASE WHEN o.reached THEN 1024 ELSE 0 END) + (CASE WHEN o.left_message THEN 2048 ELSE 0 END)
      + (CASE WHEN EXISTS (SELECT FROM legs h WHERE h.call_id = c.id AND h.role = 'handed') THEN 4096 ELSE 0 END)
      + (CASE WHEN c.direction = 'inbound' AND c.spoke AND c.remote_e164 <> '' AND EXISTS (SELECT FROM calls n WHERE n.remote_e164 = c.remote_e164
          AND n.direction = 'inbound' AND n.started_at > c.started_at AND n.started_at <= c.started_at + interval '7 days') THEN 8192 ELSE 0 END)
      + (CASE WHEN b.asked THEN 16384 ELSE 0 END) + (CASE WHEN b.kept THEN 32768 ELSE 0 END)
      + (CASE WHEN u.call_id IS NOT NULL AND u.closed_at IS NULL THEN 65536 ELSE 0 END)
      + (CASE WHEN u.closed_how IN ('conversation', 'voicemail', 'message') THEN 131072 ELSE 0 END)
      + (CASE WHEN r.id IS NOT NULL THEN 262144 ELSE 0 END) + (CASE WHEN w.recording_id IS NOT NULL THEN 524288 ELSE 0 END)
      + (CASE WHEN EXISTS (SELECT FROM line_reports x WHERE x.call_id = c.id) THEN 1048576 ELSE 0 END) + (CASE WHEN c.by_hand THEN 2097152 ELSE 0 END)
      + (CASE WHEN EXISTS (SELECT FROM recording_remarks m JOIN recordings x ON x.id = m.recording_id WHERE x.call_id = c.id AND m.for_whom <> 'me') THEN 4194304 ELSE 0 END)
      + (CASE WHEN f.before IS NOT NULL THEN 8388608 ELSE 0 END) + (CASE WHEN v.score IS NOT NULL THEN 16777216 ELSE 0 END)
      + (CASE WHEN p.user_id IS NOT NULL THEN 33554432 ELSE 0 END) + (CASE WHEN u.call_id IS NOT NULL THEN 67108864 ELSE 0 END),
    least(c.ring_ms, 2147483647)::int, CASE WHEN q.waited IS NULL THEN -1 ELSE least(q.waited, 2147483647) END::int,
    least(CASE WHEN t.known THEN t.talk WHEN coalesce(p.part, 0) = 0 AND p.user_id IS NOT NULL THEN c.talk_ms ELSE 0 END, 2147483647)::int,
    least(coalesce(t.hold, 0), 2147483647)::int, least(coalesce(t.consult, 0), 2147483647)::int,
    CASE WHEN p.filed_at IS NULL THEN -1 ELSE least(greatest(extract(epoch FROM p.filed_at - coalesce(t.left_at, c.ended_at)) * 1000, 0), wrap_limit_ms) END::int,
    coalesce(r.total_ms, -1), coalesce(r.ours_ms, 0), coalesce(r.theirs_ms, 0), coalesce(r.silence_ms, 0), coalesce(r.overlap_ms, 0), coalesce(r.longest_ours_ms, 0),
    coalesce(r.interrupted_them + r.interrupted_us, 0), (SELECT count(*)::int FROM legs h WHERE h.call_id = c.id AND h.role = 'handed'), coalesce(v.score, -1)::int,
    coalesce(CASE WHEN u.closed_how IN ('conversation', 'voicemail', 'message') THEN least(greatest(extract(epoch FROM u.closed_at - u.since) * 1000, 0), 2147483647) END, -1)::int,
    coalesce(f.before, -1)::int, coalesce((SELECT avg(x.percent) FROM scores x WHERE x.call_id = c.id AND x.rep_id = p.user_id), -1)::int,
    coalesce((SELECT array_agg(DISTINCT k.topic_id ORDER BY k.topic_id) FROM call_topics k WHERE k.recording_id = r.id), '{}')
  FROM calls c
  LEFT JOIN lines li ON li.id = c.line_id
  LEFT JOIN LATERAL (SELECT s.user_id, s.team, s.outcome_id, s.call_type_id, s.state, s.filed_at,
      row_number() OVER (ORDER BY s.created_at, s.id) - 1 AS part FROM slips s WHERE s.call_id = c.id) p ON true
  LEFT JOIN outcomes o ON o.id = p.outcome_id
  LEFT JOIN LATERAL (SELECT sum(l.talk_ms + l.conference_ms) AS talk, sum(l.hold_ms) AS hold, sum(l.consult_ms) AS consult, max(l.ended_at) AS left_at,
      sum(l.talk_ms + l.conference_ms + l.hold_ms + l.consult_ms) > 0 AS known FROM legs l WHERE l.call_id = c.id AND l.user_id = p.user_id AND l.party = 'rep') t ON true
  LEFT JOIN LATERAL (SELECT x.queue_id, x.how, coalesce((y.settings->>'target_seconds')::int, 20) AS target, (extract(epoch FROM x.left_at - x.since) * 1000)::bigint AS waited
      FROM queue_waits x JOIN queues y ON y.id = x.queue_id WHERE x.call_id = c.id AND x.kind = 'call' AND x.left_at IS NOT NULL ORDER BY x.since DESC, x.id LIMIT 1) q ON true
  LEFT JOIN LATERAL (SELECT count(*) > 0 AS asked, coalesce(bool_or(x.how = 'called'), false) AS kept FROM queue_waits x WHERE x.call_id = c.id AND x.kind = 'callback') b ON true
  LEFT JOIN unreturned u ON u.call_id = c.id
  LEFT JOIN LATERAL (SELECT x.* FROM recordings x WHERE x.call_id = c.id AND x.kind = 'call' AND x.state = 'kept' ORDER BY x.began_at DESC, x.id LIMIT 1) r ON true
  LEFT JOIN transcripts w ON w.recording_id = r.id
  LEFT JOIN LATERAL (SELECT x.value AS score FROM survey_answers x WHERE x.call_id = c.id AND x.kind = 'score' ORDER BY x.at, x.question_id LIMIT 1) v ON true
  LEFT JOIN LATERAL (SELECT y.list_id FROM round_calls x JOIN rounds y ON y.id = x.round_id WHERE x.call_id = c.id) ro ON true
  LEFT JOIN LATERAL (SELECT (SELECT count(*) FROM calls x WHERE x.remote_e164 = c.remote_e164 AND x.started_at < c.started_at AND x.direction = 'outbound') AS before
      WHERE c.spoke AND c.remote_e164 <> '' AND NOT EXISTS (SELECT FROM calls x WHERE x.remote_e164 = c.remote_e164 AND x.spoke AND x.started_at < c.started_at)) f ON true
  WHERE c.id = ANY (ids) AND c.ended_at IS NOT NULL
$$;
-- +goose StatementEnd

-- Makes the figures of calls anew, with those of the same number that hang on them: who came in within seven days before,
-- and the first two conversations. Callers hold an advisory lock, so that changes are committed in their order.
-- +goose StatementBegin
CREATE FUNCTION refresh_figures(ids uuid[], wrap_limit_ms bigint) RETURNS int LANGUAGE plpgsql AS $$
DECLARE
  wide uuid[];
  month date;
  n int;
BEGIN
  SELECT coalesce(array_agg(DISTINCT x.id), '{}') INTO wide FROM (
    SELECT unnest(ids) AS id
    UNION SELECT e.id FROM calls c JOIN calls e ON e.remote_e164 = c.remote_e164 AND e.started_at < c.started_at AND e.started_at >= c.started_at - interval '7 days'
      WHERE c.id = ANY (ids) AND c.remote_e164 <> '' AND c.direction = 'inbound' AND e.direction = 'inbound' AND e.spoke
    UNION SELECT e.id FROM (SELECT DISTINCT remote_e164 FROM calls WHERE id = ANY (ids) AND remote_e164 <> '') c
      CROSS JOIN LATERAL (SELECT x.id FROM calls x WHERE x.remote_e164 = c.remote_e164 AND x.spoke ORDER BY x.started_at LIMIT 2) e
  ) x;
  FOR month IN SELECT DISTINCT date_trunc('month', c.started_at AT TIME ZONE 'UTC')::date FROM calls c WHERE c.id = ANY (wide) LOOP
    IF to_regclass('call_figures_' || to_char(month, 'YYYY_MM')) IS NULL THEN
      EXECUTE format('CREATE TABLE %I PARTITION OF call_figures FOR VALUES FROM (%L) TO (%L)', 'call_figures_' || to_char(month, 'YYYY_MM'),
        month || ' 00:00:00+00', (month + interval '1 month')::date || ' 00:00:00+00');
    END IF;
  END LOOP;
  DELETE FROM call_figures WHERE call_figures.call_id = ANY (wide);
  INSERT INTO call_figures (call_id, part, at, changed, way, line_id, queue_id, source, user_id, team, list_id, outcome_id, call_type_id, shown, device, ending,
    flags, ring_ms, wait_ms, talk_ms, hold_ms, consult_ms, wrap_ms, recorded_ms, ours_ms, theirs_ms, silence_ms, overlap_ms, monologue_ms, interruptions,
    transfers, satisfaction, return_ms, tries, quality, topics)
  SELECT f.call_id, f.part, f.at, nextval('call_figures_changes'), f.way, f.line_id, f.queue_id, f.source, f.user_id, f.team, f.list_id, f.outcome_id, f.call_type_id,
    f.shown, f.device, f.ending, f.flags, f.ring_ms, f.wait_ms, f.talk_ms, f.hold_ms, f.consult_ms, f.wrap_ms, f.recorded_ms, f.ours_ms, f.theirs_ms, f.silence_ms,
    f.overlap_ms, f.monologue_ms, f.interruptions, f.transfers, f.satisfaction, f.return_ms, f.tries, f.quality, f.topics
  FROM (SELECT * FROM figures_of(wide, wrap_limit_ms) x ORDER BY x.at, x.call_id, x.part) f;
  GET DIAGNOSTICS n = ROW_COUNT;
  RETURN n;
END $$;
-- +goose StatementEnd

CREATE TABLE reports (
  id uuid PRIMARY KEY,
  owner_id uuid NOT NULL REFERENCES users (id),
  name text NOT NULL,
  query jsonb NOT NULL,                     -- core/report, Query
  shared boolean NOT NULL DEFAULT false,    -- everybody finds it; each sees what they may
  on_today boolean NOT NULL DEFAULT false,
  every text NOT NULL DEFAULT '' CHECK (every IN ('', 'day', 'week', 'month')),
  mail_to text[] NOT NULL DEFAULT '{}',
  mailed_at timestamptz,
  created_at timestamptz NOT NULL,
  version int NOT NULL DEFAULT 1
);
CREATE INDEX reports_owner ON reports (owner_id);

-- What a source costs in a month, in minor units of the firm's currency.
CREATE TABLE source_costs (
  source text NOT NULL,
  month date NOT NULL,
  amount_minor bigint NOT NULL CHECK (amount_minor >= 0),
  PRIMARY KEY (source, month)
);

-- Recordings that are still to be written down by the recogniser, where it could not be asked or had no time.
CREATE TABLE transcript_jobs (
  recording_id uuid PRIMARY KEY REFERENCES recordings (id) ON DELETE CASCADE,
  tries int NOT NULL DEFAULT 0,
  due_at timestamptz,                       -- NULL: it is not tried again
  problem text NOT NULL DEFAULT ''
);
CREATE INDEX transcript_jobs_due ON transcript_jobs (due_at) WHERE due_at IS NOT NULL;
-- Somebody has corrected it: it is not written anew.
ALTER TABLE transcripts ADD COLUMN corrected boolean NOT NULL DEFAULT false;
