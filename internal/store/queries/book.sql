-- name: NumberTarget :one
-- All that decides whether and how a stored number is called.
SELECT p.id, p.label, p.typed, coalesce(p.e164, '')::text AS e164, p.ext, p.region, p.zones, p.dnc_at, p.dnc_reason,
  r.id AS record_id, r.kind, r.name, r.zone, r.dnc_at AS record_dnc_at, r.dnc_reason AS record_dnc_reason, r.company_id
FROM phone_numbers p JOIN records r ON r.id = p.record_id
WHERE p.id = @id AND r.deleted_at IS NULL;

-- name: NumberCandidates :many
-- Who has this number: one index look-up.
SELECT p.id, p.ext, p.label, p.dnc_at, p.dnc_reason, r.id AS record_id, r.kind, r.name, r.owner_id, r.company_id,
  r.dnc_at AS record_dnc_at, r.dnc_reason AS record_dnc_reason
FROM phone_numbers p JOIN records r ON r.id = p.record_id
WHERE p.e164 = @e164 AND r.deleted_at IS NULL
ORDER BY p.id LIMIT 50;

-- name: People :many
-- One page of the list, by name, narrowed by name, company or digits of a number.
SELECT r.id, r.kind, r.name, r.stage, r.source, r.company_id, coalesce(c.name, '')::text AS company_name,
  coalesce(p.job, '')::text AS job, coalesce(u.name, '')::text AS owner_name, r.dnc_at
FROM records r
LEFT JOIN people p ON p.record_id = r.id
LEFT JOIN records c ON c.id = r.company_id
LEFT JOIN users u ON u.id = r.owner_id
WHERE r.deleted_at IS NULL AND r.kind = ANY (@kinds::text[])
  AND (lower(r.name), r.id) > (@after_name::text, @after_id::uuid)
  AND (@words::text = '' OR lower(r.name) LIKE @words OR lower(c.name) LIKE @words OR lower(p.email) LIKE @words
    OR (@digits::text <> '' AND r.id IN (SELECT n.record_id FROM phone_numbers n
          WHERE n.digits_reversed LIKE @digits_reversed OR n.e164 LIKE @digits)))
ORDER BY lower(r.name), r.id LIMIT @count;

-- name: CountPeople :one
SELECT count(*) FROM records WHERE deleted_at IS NULL AND kind = ANY (@kinds::text[]);

-- name: FindRecords :many
-- For the top field: what begins with the words first, then what contains them, then what sounds alike.
SELECT r.id, r.kind, r.name, coalesce(c.name, '')::text AS company_name
FROM records r LEFT JOIN records c ON c.id = r.company_id
WHERE r.deleted_at IS NULL
  AND (lower(r.name) LIKE '%' || @words::text || '%' OR lower(r.name) % @words OR @words <% lower(r.name)
    OR (@digits::text <> '' AND r.id IN (SELECT n.record_id FROM phone_numbers n
          WHERE n.digits_reversed LIKE @digits_reversed OR n.e164 LIKE @digits)))
ORDER BY (lower(r.name) LIKE @words || '%') DESC, (lower(r.name) LIKE '%' || @words || '%') DESC,
  similarity(lower(r.name), @words) DESC, lower(r.name), r.id
LIMIT @count;

-- name: NumbersOf :many
SELECT p.id, p.record_id, p.label, p.typed, coalesce(p.e164, '')::text AS e164, p.ext, p.valid, p.region, p.zones, p.dnc_at, p.dnc_reason,
  r.zone AS record_zone, r.dnc_at AS record_dnc_at, r.dnc_reason AS record_dnc_reason, coalesce(f.label, '')::text AS field_label
FROM phone_numbers p JOIN records r ON r.id = p.record_id
LEFT JOIN custom_fields f ON f.id = p.field_id
WHERE p.record_id = ANY (@record_ids::uuid[])
ORDER BY p.record_id, p.position, p.id;

-- name: Record :one
SELECT r.id, r.kind, r.name, r.company_id, r.owner_id, r.source, r.stage, r.zone, r.note, r.custom, r.dnc_at, r.dnc_reason, r.version,
  r.deleted_at, coalesce(c.name, '')::text AS company_name, coalesce(u.name, '')::text AS owner_name,
  coalesce(p.given, '')::text AS given, coalesce(p.family, '')::text AS family, coalesce(p.job, '')::text AS job,
  coalesce(p.email, '')::text AS email, coalesce(co.web, '')::text AS web, coalesce(co.address, '')::text AS address,
  coalesce(co.place, '')::text AS place,
  (SELECT count(*) FROM history h WHERE h.record_id = r.id AND h.kind = 'call')::int AS touches,
  (SELECT count(*) FROM history h JOIN calls k ON k.id = h.ref_id
     WHERE h.record_id = r.id AND h.kind = 'call' AND k.answered_at IS NOT NULL)::int AS conversations
FROM records r
LEFT JOIN records c ON c.id = r.company_id
LEFT JOIN users u ON u.id = r.owner_id
LEFT JOIN people p ON p.record_id = r.id
LEFT JOIN companies co ON co.record_id = r.id
WHERE r.id = @id;

-- name: LockRecord :one
SELECT id, kind, name, note, version, deleted_at FROM records WHERE id = @id FOR UPDATE;

-- name: UpdateRecordNote :exec
UPDATE records SET note = @note, version = version + 1 WHERE id = @id;

-- name: UpdatePersonEmail :exec
UPDATE people SET email = @email WHERE record_id = @record_id;

-- name: CustomFields :many
SELECT id, record_kind, key, label, type FROM custom_fields WHERE record_kind = @kind ORDER BY position, key;

-- name: PeopleOfCompany :many
SELECT id FROM records WHERE company_id = @company_id AND deleted_at IS NULL ORDER BY lower(name), id LIMIT 200;

-- name: RecordsByIDs :many
SELECT r.id, r.kind, r.name, r.stage, r.source, r.company_id, coalesce(c.name, '')::text AS company_name,
  coalesce(p.job, '')::text AS job, coalesce(u.name, '')::text AS owner_name, r.dnc_at
FROM records r
LEFT JOIN people p ON p.record_id = r.id
LEFT JOIN records c ON c.id = r.company_id
LEFT JOIN users u ON u.id = r.owner_id
WHERE r.id = ANY (@ids::uuid[]);

-- name: HistoryPage :many
SELECT at, kind, ref_id FROM history
WHERE record_id = @record_id AND (at, ref_id) < (@before::timestamptz, @before_id::uuid)
  AND kind = ANY (@kinds::text[])
ORDER BY at DESC, ref_id DESC LIMIT @count;

-- name: AddHistory :exec
INSERT INTO history (record_id, at, kind, ref_id) VALUES (@record_id, @at, @kind, @ref_id) ON CONFLICT DO NOTHING;
