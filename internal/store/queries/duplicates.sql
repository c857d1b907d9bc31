-- name: SweepByNumber :many
-- Pairs that share a number. A line that more than twenty have is a switchboard.
SELECT DISTINCT LEAST(a.record_id, b.record_id)::uuid AS a_id, GREATEST(a.record_id, b.record_id)::uuid AS b_id
FROM (SELECT n.e164 FROM phone_numbers n WHERE n.e164 IS NOT NULL GROUP BY n.e164 HAVING count(*) BETWEEN 2 AND 20 LIMIT @count) AS shared
JOIN phone_numbers a ON a.e164 = shared.e164
JOIN phone_numbers b ON b.e164 = shared.e164 AND b.record_id > a.record_id AND b.ext = a.ext;

-- name: SweepByMail :many
SELECT DISTINCT LEAST(a.id, b.id)::uuid AS a_id, GREATEST(a.id, b.id)::uuid AS b_id
FROM (SELECT lower(r.email) AS email FROM records r WHERE r.email <> '' AND r.deleted_at IS NULL
      GROUP BY lower(r.email) HAVING count(*) BETWEEN 2 AND 20 LIMIT @count) AS shared
JOIN records a ON lower(a.email) = shared.email AND a.email <> '' AND a.deleted_at IS NULL
JOIN records b ON lower(b.email) = shared.email AND b.email <> '' AND b.deleted_at IS NULL AND b.id > a.id;

-- name: SweepByName :many
-- Similar names in the same company, and companies of the same name.
SELECT a.id AS a_id, b.id AS b_id
FROM records a JOIN records b ON b.company_id = a.company_id AND b.kind IN ('contact', 'lead') AND b.id > a.id AND b.deleted_at IS NULL
WHERE a.kind IN ('contact', 'lead') AND a.deleted_at IS NULL AND similarity(lower(a.name), lower(b.name)) >= @alike::real
  AND (SELECT count(*) FROM records c WHERE c.company_id = a.company_id AND c.kind IN ('contact', 'lead')) <= 500
UNION
SELECT a.id, b.id FROM records a JOIN records b ON b.kind = 'company' AND lower(b.name) = lower(a.name) AND b.id > a.id AND b.deleted_at IS NULL
WHERE a.kind = 'company' AND a.deleted_at IS NULL
LIMIT @count;

-- name: DuplicateSubjects :many
SELECT r.id, r.kind, r.name, r.email, r.company_id,
  coalesce((SELECT array_agg(n.e164 ORDER BY n.id) FROM phone_numbers n WHERE n.record_id = r.id AND n.e164 IS NOT NULL), '{}')::text[] AS numbers,
  coalesce((SELECT array_agg(n.ext ORDER BY n.id) FROM phone_numbers n WHERE n.record_id = r.id AND n.e164 IS NOT NULL), '{}')::text[] AS exts
FROM records r WHERE r.id = ANY (@ids::uuid[]) AND r.deleted_at IS NULL;

-- name: CandidatesOf :many
-- Whom somebody who is being entered may be: the same number, the same mail, a similar name in the same company or, for a
-- company, anywhere.
SELECT n.record_id AS id FROM phone_numbers n WHERE n.e164 = ANY (@numbers::text[])
UNION
SELECT r.id FROM records r WHERE @email::text <> '' AND lower(r.email) = lower(@email) AND r.email <> '' AND r.deleted_at IS NULL
UNION
SELECT x.id FROM (SELECT r.id FROM records r WHERE @company_id::uuid IS NOT NULL AND r.company_id = @company_id AND r.kind IN ('contact', 'lead')
  AND r.deleted_at IS NULL AND similarity(lower(r.name), lower(@name::text)) >= @alike::real LIMIT 20) AS x
UNION
SELECT x.id FROM (SELECT r.id FROM records r WHERE @by_name::boolean AND r.kind = ANY (@kinds::text[]) AND r.deleted_at IS NULL AND r.search % fold(@name)
  ORDER BY similarity(r.search, fold(@name)) DESC LIMIT 20) AS x
LIMIT 100;

-- name: PutPair :exec
INSERT INTO duplicate_pairs (id, a_id, b_id, score, reasons, found_at) VALUES (@id, @a_id, @b_id, @score, @reasons, @found_at)
ON CONFLICT (a_id, b_id) DO UPDATE SET score = EXCLUDED.score, reasons = EXCLUDED.reasons;

-- name: OpenPairs :many
SELECT p.id, p.a_id, p.b_id, p.score, p.reasons FROM duplicate_pairs p
JOIN records a ON a.id = p.a_id AND a.deleted_at IS NULL JOIN records b ON b.id = p.b_id AND b.deleted_at IS NULL
WHERE p.state = 'open' ORDER BY p.score DESC, p.id LIMIT @count;

-- name: CountOpenPairs :one
SELECT count(*) FROM duplicate_pairs p
JOIN records a ON a.id = p.a_id AND a.deleted_at IS NULL JOIN records b ON b.id = p.b_id AND b.deleted_at IS NULL
WHERE p.state = 'open';

-- name: DifferentFrom :many
SELECT p.b_id::uuid AS id FROM duplicate_pairs p WHERE p.state = 'different' AND p.a_id = @id
UNION ALL SELECT q.a_id::uuid FROM duplicate_pairs q WHERE q.state = 'different' AND q.b_id = @id;

-- name: SettlePair :exec
-- What somebody has said of two records, whether they were found as a pair or not.
INSERT INTO duplicate_pairs (id, a_id, b_id, score, reasons, state, found_at)
VALUES (@id, LEAST(@x::uuid, @y::uuid), GREATEST(@x, @y), 0, '{}', @state, @at)
ON CONFLICT (a_id, b_id) DO UPDATE SET state = EXCLUDED.state;

-- name: InsertMerge :exec
INSERT INTO merges (id, kept_id, lost_id, user_id, at, moved) VALUES (@id, @kept_id, @lost_id, @user_id, @at, @moved);

-- name: LockMerge :one
SELECT id, kept_id, lost_id, user_id, moved, undone_at FROM merges WHERE id = @id FOR UPDATE;

-- name: SetMergeUndone :exec
UPDATE merges SET undone_at = @at WHERE id = @id;

-- name: LastMergeInto :one
SELECT id FROM merges WHERE kept_id = @kept_id AND undone_at IS NULL ORDER BY at DESC, id DESC LIMIT 1;
