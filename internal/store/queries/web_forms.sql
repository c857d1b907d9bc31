-- name: WebForms :many
SELECT * FROM web_forms ORDER BY lower(name);

-- name: WebForm :one
SELECT * FROM web_forms WHERE id = @id;

-- name: InsertWebForm :exec
INSERT INTO web_forms (id, queue_id, line_id, name, title, hello, calls, messages, makes_case, sites, salt, active)
VALUES (@id, @queue_id, sqlc.narg('line_id'), @name, @title, @hello, @calls, @messages, @makes_case, @sites, @salt, @active);

-- name: UpdateWebForm :execrows
UPDATE web_forms SET queue_id = @queue_id, line_id = sqlc.narg('line_id'), name = @name, title = @title, hello = @hello, calls = @calls,
  messages = @messages, makes_case = @makes_case, sites = @sites, active = @active, version = version + 1
WHERE id = @id AND version = @version;

-- name: RenewWebForm :execrows
UPDATE web_forms SET salt = @salt, version = version + 1 WHERE id = @id;
