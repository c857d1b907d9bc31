-- name: Lists :many
SELECT l.id, l.name, l.group_name, l.type, l.record_kind, l.query, l.owner_id, l.shared, l.version, l.line_id, u.name AS owner_name,
  (SELECT count(*) FROM list_members m JOIN records r ON r.id = m.record_id WHERE m.list_id = l.id AND r.deleted_at IS NULL)::int AS members
FROM lists l JOIN users u ON u.id = l.owner_id
WHERE l.shared OR l.owner_id = @user_id
ORDER BY l.group_name, lower(l.name), l.id;

-- name: LockList :one
SELECT id, name, group_name, type, record_kind, query, owner_id, shared, version, line_id FROM lists WHERE id = @id FOR UPDATE;

-- name: InsertList :exec
INSERT INTO lists (id, name, group_name, type, record_kind, query, owner_id, shared, created_at, line_id)
VALUES (@id, @name, @group_name, @type, @record_kind, @query, @owner_id, @shared, @created_at, sqlc.narg('line_id'));

-- name: UpdateList :exec
UPDATE lists SET name = @name, group_name = @group_name, query = @query, shared = @shared, line_id = sqlc.narg('line_id'), version = version + 1 WHERE id = @id;

-- name: DeleteList :exec
DELETE FROM lists WHERE id = @id;

-- name: InsertBulkChange :exec
INSERT INTO bulk_changes (id, user_id, at, action, value, state, kinds, what, change_id, server)
VALUES (@id, @user_id, @at, @action, @value, @state, @kinds, @what, @change_id, @server);

-- name: SetBulkCount :exec
UPDATE bulk_changes SET count = @count WHERE id = @id;

-- name: SetBulkSelected :exec
UPDATE bulk_changes SET selected = @selected WHERE id = @id;

-- name: AdvanceBulk :exec
UPDATE bulk_changes SET count = count + @changed, looked_at = looked_at + @looked WHERE id = @id;

-- name: EndBulk :exec
UPDATE bulk_changes SET state = @state WHERE id = @id AND state = 'running';

-- name: ForgetBulkPending :exec
DELETE FROM bulk_pending WHERE bulk_id = @id;

-- name: RunningBulks :many
SELECT id FROM bulk_changes WHERE state = 'running' AND server = @server ORDER BY at;

-- name: ReadBulkChange :one
SELECT id, user_id, action, value, count, undone_at, state, selected, looked_at, kinds, what, change_id, at FROM bulk_changes WHERE id = @id;

-- name: LockBulkChange :one
SELECT id, user_id, action, value, count, undone_at, state, selected, looked_at, kinds, what, change_id, at FROM bulk_changes WHERE id = @id FOR UPDATE;

-- name: SetBulkUndone :exec
UPDATE bulk_changes SET undone_at = @at WHERE id = @id;

-- name: InsertExport :exec
INSERT INTO exports (id, user_id, format, query, created_at) VALUES (@id, @user_id, @format, @query, @created_at);

-- name: TakeExport :one
DELETE FROM exports WHERE id = @id AND user_id = @user_id RETURNING format, query;

-- name: DeleteOldExports :exec
DELETE FROM exports WHERE created_at < @before;

-- name: NarrowBulk :one
-- Leaves of what was picked what somebody owns, or a member of certain teams, or nobody; gives how many that are.
WITH gone AS (
  DELETE FROM bulk_pending p USING records r WHERE p.bulk_id = @bulk_id AND r.id = p.record_id AND (r.owner_id IS NULL AND NOT @nobodys::boolean OR r.owner_id <> @me
    AND NOT EXISTS (SELECT FROM users u WHERE u.id = r.owner_id AND u.teams && @teams::text[])) RETURNING 1)
SELECT ((SELECT count(*) FROM bulk_pending b WHERE b.bulk_id = @bulk_id) - (SELECT count(*) FROM gone))::int;
