-- name: NumberTarget :one
-- All that decides whether and how a stored number is called.
SELECT p.id, p.label, p.typed, coalesce(p.e164, '')::text AS e164, p.ext, p.region, p.zones, p.dnc_at, p.dnc_reason,
  r.id AS record_id, r.kind, r.name, r.zone, r.dnc_at AS record_dnc_at, r.dnc_reason AS record_dnc_reason, r.company_id, r.person_id,
  c.dnc_at AS company_dnc_at, coalesce(c.dnc_reason, '')::text AS company_dnc_reason,
  n.at AS listed_at, coalesce(n.reason, '')::text AS listed_reason
FROM phone_numbers p JOIN records r ON r.id = p.record_id
LEFT JOIN records c ON c.id = r.company_id
LEFT JOIN do_not_call_numbers n ON n.e164 = p.e164
WHERE p.id = @id AND r.deleted_at IS NULL;

-- name: NumberCandidates :many
-- Who has this number: one index look-up. It stands in the way of every call, so it reads no word more than the ranking
-- needs; reasons of marks are read where there is a mark.
SELECT p.ext, p.label, p.dnc_at, r.id AS record_id, r.kind, r.name, r.owner_id, r.company_id, r.person_id, r.dnc_at AS record_dnc_at
FROM phone_numbers p JOIN records r ON r.id = p.record_id
WHERE p.e164 = @e164 AND r.deleted_at IS NULL;

-- name: NumberDoNotCallReason :one
SELECT dnc_reason FROM phone_numbers WHERE e164 = @e164 AND ext = @ext AND record_id = @record_id AND dnc_at IS NOT NULL LIMIT 1;

-- name: DoNotCallOf :one
SELECT dnc_at, dnc_reason FROM records WHERE id = @id;

-- name: NumbersOf :many
SELECT p.id, p.record_id, p.field_id, p.label, p.typed, coalesce(p.e164, '')::text AS e164, p.ext, p.valid, p.region, p.zones, p.dnc_at, p.dnc_reason,
  r.kind, r.zone AS record_zone, r.number_order, r.dnc_at AS record_dnc_at, r.dnc_reason AS record_dnc_reason, coalesce(f.label, '')::text AS field_label,
  c.dnc_at AS company_dnc_at, coalesce(c.dnc_reason, '')::text AS company_dnc_reason, n.at AS listed_at, coalesce(n.reason, '')::text AS listed_reason
FROM phone_numbers p JOIN records r ON r.id = p.record_id
LEFT JOIN records c ON c.id = r.company_id
LEFT JOIN custom_fields f ON f.id = p.field_id
LEFT JOIN do_not_call_numbers n ON n.e164 = p.e164
WHERE p.record_id = ANY (@record_ids::uuid[])
ORDER BY p.record_id, p.position, p.id;

-- name: Record :one
SELECT sqlc.embed(r), coalesce(c.name, '')::text AS company_name, coalesce(c.kind, '')::text AS company_kind, coalesce(u.name, '')::text AS owner_name,
  coalesce(p.name, '')::text AS person_name, coalesce(p.kind, '')::text AS person_kind, coalesce(d.name, '')::text AS deal_name,
  coalesce(o.name, '')::text AS quote_name, coalesce(b.name, '')::text AS order_name, (c.dnc_at IS NOT NULL)::boolean AS company_dnc, coalesce(c.dnc_reason, '')::text AS company_dnc_reason,
  (SELECT count(*) FROM history h WHERE h.record_id = r.id AND h.kind = 'call')::int AS touches,
  (SELECT count(*) FROM history h JOIN calls k ON k.id = h.ref_id
     WHERE h.record_id = r.id AND h.kind = 'call' AND k.spoke)::int AS conversations
FROM records r
LEFT JOIN records c ON c.id = r.company_id
LEFT JOIN records p ON p.id = r.person_id
LEFT JOIN records d ON d.id = r.deal_id
LEFT JOIN records o ON o.id = r.quote_id
LEFT JOIN records b ON b.id = r.order_id
LEFT JOIN users u ON u.id = r.owner_id
WHERE r.id = @id;

-- name: RecordName :one
SELECT id, kind, name, deleted_at, merged_into FROM records WHERE id = @id;

-- name: OpenMatter :one
SELECT id, kind, company_id, person_id FROM records WHERE id = @id AND deleted_at IS NULL;

-- name: LockRecord :one
SELECT * FROM records WHERE id = @id FOR UPDATE;

-- name: LockRecords :many
-- In the order of ids, so that two who want the same do not wait for each other.
SELECT * FROM records WHERE id = ANY (@ids::uuid[]) ORDER BY id FOR UPDATE;

-- name: InsertRecord :exec
INSERT INTO records (id, kind, name, company_id, owner_id, source, stage, zone, note, custom, created_at, given, family, job, email, web, social,
  address, place, person_id, deal_id, quote_id, order_id, way, reference, amount_minor, currency, due_on, starts_at, ends_at, delivery, invoice, tags)
VALUES (@id, @kind, @name, sqlc.narg('company_id'), sqlc.narg('owner_id'), @source, @stage, @zone, @note, @custom, @created_at, @given, @family, @job, @email,
  @web, @social, @address, @place, sqlc.narg('person_id'), sqlc.narg('deal_id'), sqlc.narg('quote_id'), sqlc.narg('order_id'), @way, @reference, sqlc.narg('amount_minor'), @currency,
  sqlc.narg('due_on'), sqlc.narg('starts_at'), sqlc.narg('ends_at'), @delivery, @invoice, @tags);

-- name: UpdateRecord :exec
UPDATE records SET kind = @kind, name = @name, company_id = sqlc.narg('company_id'), owner_id = sqlc.narg('owner_id'), source = @source, stage = @stage,
  zone = @zone, note = @note, custom = @custom, given = @given, family = @family, job = @job, email = @email, web = @web, social = @social, address = @address,
  place = @place, person_id = sqlc.narg('person_id'), deal_id = sqlc.narg('deal_id'), quote_id = sqlc.narg('quote_id'), order_id = sqlc.narg('order_id'), way = @way, reference = @reference,
  amount_minor = sqlc.narg('amount_minor'), currency = @currency, due_on = sqlc.narg('due_on'), starts_at = sqlc.narg('starts_at'),
  ends_at = sqlc.narg('ends_at'), delivery = @delivery, invoice = @invoice, tags = @tags, version = version + 1
WHERE id = @id;

-- name: SetRecordDeleted :exec
UPDATE records SET deleted_at = sqlc.narg('at'), version = version + 1 WHERE id = @id;

-- name: SetRecordDoNotCall :exec
UPDATE records SET dnc_at = sqlc.narg('at'), dnc_reason = @reason, version = version + 1 WHERE id = @id;

-- name: SetNumberOrder :exec
UPDATE records SET number_order = @labels, version = version + 1 WHERE id = @id;

-- name: AncestorsOf :many
-- A company and the companies it is part of. A cycle ends the walk.
WITH RECURSIVE up AS (
  SELECT r.id, r.company_id, 1 AS depth FROM records r WHERE r.id = @id
  UNION ALL
  SELECT r.id, r.company_id, up.depth + 1 FROM records r JOIN up ON r.id = up.company_id WHERE up.depth < 50
) SELECT DISTINCT id FROM up;

-- name: CustomFields :many
SELECT id, record_kind, key, label, type, choices, position, active FROM custom_fields ORDER BY record_kind, position, key;

-- name: InsertCustomField :exec
INSERT INTO custom_fields (id, record_kind, key, label, type, choices, position)
VALUES (@id, @record_kind, @key, @label, @type, @choices, (SELECT coalesce(max(position), 0) + 1 FROM custom_fields f WHERE f.record_kind = @record_kind));

-- name: UpdateCustomField :execrows
UPDATE custom_fields SET label = @label, choices = @choices, active = @active WHERE id = @id;

-- name: RelatedIDs :many
-- What belongs to a record, newest first: of a company everything of it, of a person what is about them, of a deal its papers.
SELECT r.id FROM records r
WHERE r.deleted_at IS NULL AND (r.company_id = @id OR r.person_id = @id OR r.deal_id = @id OR r.quote_id = @id OR r.order_id = @id)
  AND r.kind = ANY (@kinds::text[]) AND r.id <> @id
ORDER BY r.id DESC LIMIT @count;

-- name: PeopleOfCompany :many
SELECT id FROM records WHERE company_id = @company_id AND kind IN ('contact', 'lead') AND deleted_at IS NULL ORDER BY lower(name), id LIMIT 200;

-- name: RecordsByIDs :many
SELECT sqlc.embed(r), coalesce(c.name, '')::text AS company_name, coalesce(u.name, '')::text AS owner_name, coalesce(p.name, '')::text AS person_name,
  coalesce(d.name, '')::text AS deal_name, coalesce(o.name, '')::text AS quote_name, coalesce(b.name, '')::text AS order_name
FROM records r
LEFT JOIN records c ON c.id = r.company_id
LEFT JOIN records p ON p.id = r.person_id
LEFT JOIN records d ON d.id = r.deal_id
LEFT JOIN records o ON o.id = r.quote_id
LEFT JOIN records b ON b.id = r.order_id
LEFT JOIN users u ON u.id = r.owner_id
WHERE r.id = ANY (@ids::uuid[]);

-- name: LastCallsOf :many
SELECT h.record_id, max(h.at)::timestamptz AS last_call, count(*)::int AS calls FROM history h
WHERE h.record_id = ANY (@ids::uuid[]) AND h.kind = 'call' GROUP BY h.record_id;

-- name: Items :many
SELECT product_id, label, quantity_milli, unit_minor, discount_bp, tax_bp FROM record_items WHERE record_id = @record_id ORDER BY position;

-- name: DeleteItems :exec
DELETE FROM record_items WHERE record_id = @record_id;

-- name: InsertItem :exec
INSERT INTO record_items (record_id, position, product_id, label, quantity_milli, unit_minor, discount_bp, tax_bp)
VALUES (@record_id, @position, sqlc.narg('product_id'), @label, @quantity_milli, @unit_minor, @discount_bp, @tax_bp);

-- name: CopyItems :exec
INSERT INTO record_items (record_id, position, product_id, label, quantity_milli, unit_minor, discount_bp, tax_bp)
SELECT @to_id, i.position, i.product_id, i.label, i.quantity_milli, i.unit_minor, i.discount_bp, i.tax_bp FROM record_items i WHERE i.record_id = @from_id;

-- name: LockNumber :one
SELECT * FROM phone_numbers WHERE id = @id FOR UPDATE;

-- name: InsertNumber :exec
INSERT INTO phone_numbers (id, record_id, field_id, label, position, typed, e164, ext, digits_reversed, valid, region, zones)
VALUES (@id, @record_id, sqlc.narg('field_id'), @label,
  (SELECT coalesce(max(n.position), -1) + 1 FROM phone_numbers n WHERE n.record_id = @record_id),
  @typed, sqlc.narg('e164'), @ext, @digits_reversed, @valid, @region, @zones);

-- name: UpdateNumber :exec
UPDATE phone_numbers SET label = @label, typed = @typed, e164 = sqlc.narg('e164'), ext = @ext, digits_reversed = @digits_reversed, valid = @valid,
  region = @region, zones = @zones, dnc_at = sqlc.narg('dnc_at'), dnc_reason = @dnc_reason, version = version + 1
WHERE id = @id;

-- name: DeleteNumber :exec
DELETE FROM phone_numbers WHERE id = @id;

-- name: FieldNumbers :many
SELECT * FROM phone_numbers WHERE record_id = @record_id AND field_id IS NOT NULL ORDER BY position FOR UPDATE;

-- name: DoNotCall :one
SELECT e164, reason FROM do_not_call_numbers WHERE e164 = @e164;

-- name: AddDoNotCall :execrows
INSERT INTO do_not_call_numbers (e164, reason, added_by, at)
SELECT x.e164, x.reason, @added_by, @at FROM (SELECT unnest(@numbers::text[]) AS e164, unnest(@reasons::text[]) AS reason) AS x
ON CONFLICT DO NOTHING;

-- name: CountDoNotCall :one
SELECT count(*) FROM do_not_call_numbers;

-- name: NewestDoNotCall :many
SELECT e164, reason, at FROM do_not_call_numbers ORDER BY at DESC, e164 LIMIT 50;

-- name: HistoryPage :many
SELECT at, kind, ref_id FROM history
WHERE record_id = @record_id AND (at, ref_id) < (@before::timestamptz, @before_id::uuid)
  AND kind = ANY (@kinds::text[])
ORDER BY at DESC, ref_id DESC LIMIT @count;

-- name: AddHistory :exec
INSERT INTO history (record_id, at, kind, ref_id) VALUES (@record_id, @at, @kind, @ref_id) ON CONFLICT DO NOTHING;

-- name: ChangesByIDs :many
SELECT a.id, a.at, a.action, a.before, a.after, coalesce(u.name, '')::text AS actor FROM audit a LEFT JOIN users u ON u.id = a.actor_id
WHERE a.id = ANY (@ids::uuid[]);

-- name: HangsOn :one
-- What stands on a record, or belongs to it.
SELECT (SELECT count(*) FROM call_links l WHERE l.record_id = @id)::int AS calls, (SELECT count(*) FROM messages m WHERE m.record_id = @id)::int AS messages,
  (SELECT count(*) FROM follow_ups f WHERE f.record_id = @id AND f.state = 'open')::int AS follow_ups,
  (SELECT count(*) FROM records r WHERE (r.company_id = @id OR r.person_id = @id OR r.deal_id = @id OR r.quote_id = @id OR r.order_id = @id) AND r.deleted_at IS NULL)::int AS records;

-- name: CompanyNames :many
-- The oldest comes last, so that it is the one that stays of several of one name.
SELECT id, name FROM records WHERE kind = 'company' AND deleted_at IS NULL ORDER BY created_at DESC, id DESC;

-- name: RecordNames :many
SELECT id, name FROM records WHERE id = ANY (@ids::uuid[]);
