-- name: TouchTrail :exec
-- From here to the end of the transaction entries may be sealed ("seal"), deleted in their time ("prune") or blanked ("erase").
SELECT set_config('trundo.trail', @why::text, true);

-- name: LockTrail :exec
-- One at a time seals or shortens the chain, on whichever server.
SELECT pg_advisory_xact_lock(7316201);

-- name: TrailHead :one
-- The last sealed entry, or where the chain begins.
SELECT h.n::bigint AS n, h.hash FROM (SELECT n, hash FROM audit WHERE n IS NOT NULL UNION ALL SELECT n, hash FROM audit_beginning) h ORDER BY h.n DESC LIMIT 1;

-- name: TrailBeginning :one
SELECT n, hash FROM audit_beginning;

-- name: UnsealedTrail :many
SELECT id, at, actor_id, subject_kind, subject_id, action, before::text AS before, after::text AS after FROM audit WHERE n IS NULL ORDER BY at, id LIMIT @many;

-- name: SealTrail :batchexec
UPDATE audit SET n = @n::bigint, hash = @hash, before_hash = @before_hash, after_hash = @after_hash WHERE id = @id;

-- name: SealedTrail :many
SELECT id, at, actor_id, subject_kind, subject_id, action, before::text AS before, after::text AS after, n::bigint AS n, hash, before_hash, after_hash, erased_at
FROM audit WHERE n > @after_n::bigint ORDER BY n LIMIT @many;

-- name: CountUnsealed :one
SELECT count(*) FROM audit WHERE n IS NULL;

-- name: PrunableTrail :one
-- The last entry before which all are sealed and older than a time; the chain begins behind it.
SELECT a.n::bigint AS n, a.hash FROM audit a WHERE a.n IS NOT NULL AND a.at < @before::timestamptz
  AND a.n < coalesce((SELECT min(b.n) FROM audit b WHERE b.n IS NOT NULL AND b.at >= @before::timestamptz), 9223372036854775807)
ORDER BY a.n DESC LIMIT 1;

-- name: BeginTrailAt :exec
WITH former AS (DELETE FROM audit_beginning)
INSERT INTO audit_beginning (n, hash, at) VALUES (@n, @hash, @at);

-- name: PruneTrail :execrows
DELETE FROM audit WHERE n <= @n::bigint;
