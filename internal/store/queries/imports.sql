-- name: InsertImport :exec
INSERT INTO imports (id, user_id, record_kind, format, file_name, state, mends, server, created_at, changed_at)
VALUES (@id, @user_id, @record_kind, @format, @file_name, 'waiting', sqlc.narg('mends'), @server, @at, @at);

-- name: ImportByID :one
SELECT sqlc.embed(i), u.name AS user_name FROM imports i JOIN users u ON u.id = i.user_id WHERE i.id = @id;

-- name: NewestImports :many
SELECT sqlc.embed(i), u.name AS user_name FROM imports i JOIN users u ON u.id = i.user_id ORDER BY i.created_at DESC LIMIT 50;

-- name: UnfinishedImports :many
SELECT id, state FROM imports WHERE state IN ('checking', 'loading') AND server = @server;

-- name: LockImport :one
SELECT * FROM imports WHERE id = @id FOR UPDATE;

-- name: SetImportFile :exec
UPDATE imports SET state = 'ready', file_bytes = @file_bytes, changed_at = @at WHERE id = @id;

-- name: StartCheck :exec
UPDATE imports SET state = 'checking', plan = @plan, problem = '', bytes_read = 0, rows_read = 0, rows_good = 0, rows_rejected = 0, changed_at = @at WHERE id = @id;

-- name: ClearRows :exec
DELETE FROM import_rows WHERE import_id = @import_id;

-- name: ClearRejects :exec
DELETE FROM import_rejects WHERE import_id = @import_id;

-- name: SetImportState :exec
UPDATE imports SET state = @state, problem = @problem, changed_at = @at WHERE id = @id;

-- name: CheckedSoFar :execrows
UPDATE imports SET bytes_read = @bytes_read, rows_read = @rows_read, rows_good = @rows_good, rows_rejected = @rows_rejected, changed_at = @at
WHERE id = @id AND state = 'checking';

-- name: LoadedSoFar :execrows
UPDATE imports SET loaded_to = @loaded_to, rows_made = rows_made + @made, rows_updated = rows_updated + @updated, rows_skipped = rows_skipped + @skipped,
  changed_at = @at
WHERE id = @id AND state = 'loading';

-- name: StagedRows :many
SELECT row_no, data FROM import_rows WHERE import_id = @import_id AND row_no > @after ORDER BY row_no LIMIT @count;

-- name: Rejects :many
SELECT row_no, line, field, reason, cells FROM import_rejects WHERE import_id = @import_id AND row_no > @after ORDER BY row_no LIMIT @count;

-- name: RecordsByName :many
SELECT DISTINCT ON (lower(name)) id, lower(name)::text AS lower_name FROM records
WHERE kind = ANY (@kinds::text[]) AND deleted_at IS NULL AND lower(name) = ANY (@names::text[]) ORDER BY lower(name), id;

-- name: RecordsByMail :many
SELECT DISTINCT ON (lower(email)) id, lower(email)::text AS email FROM records
WHERE email <> '' AND deleted_at IS NULL AND kind = ANY (@kinds::text[]) AND lower(email) = ANY (@mails::text[]) ORDER BY lower(email), id;

-- name: RecordsByNumber :many
SELECT n.record_id, n.e164::text AS e164, n.ext, r.name FROM phone_numbers n JOIN records r ON r.id = n.record_id
WHERE r.deleted_at IS NULL AND r.kind = ANY (@kinds::text[]) AND n.e164 = ANY (@numbers::text[]) ORDER BY n.e164, n.ext, n.id;

-- name: RecordsByReference :many
SELECT DISTINCT ON (lower(reference)) id, lower(reference)::text AS reference FROM records
WHERE reference <> '' AND deleted_at IS NULL AND kind = @kind AND lower(reference) = ANY (@refs::text[]) ORDER BY lower(reference), id;
