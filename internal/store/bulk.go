package store

import (
	"context"
	"fmt"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"trundo/internal/store/db"
)

// TxBoth runs do in a transaction with both the prepared queries and the connection itself, for statements that are
// made.
func (s *Store) TxBoth(ctx context.Context, do func(q *db.Queries, tx pgx.Tx) error) error {
	return pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error { return do(s.WithTx(tx), tx) })
}

// BulkAction is something done to many records at once. Its texts are SQL of this package, with $1 the value and $2 the
// bulk's id.
type BulkAction struct {
	changes string // which of the selected records it changes
	before  string // what is kept of each, as jsonb
	do      string // on bulk_change_rows b with b.bulk_id = $2 that are not done yet
	undo    string
}

// BulkActions by their names. Undoing touches only what still stands as the action left it.
var BulkActions = map[string]BulkAction{
	"set_owner": {"r.owner_id IS DISTINCT FROM NULLIF($1, '')::uuid", "jsonb_build_object('owner', r.owner_id)",
		"UPDATE records r SET owner_id = NULLIF($1, '')::uuid, version = version + 1 FROM bulk_change_rows b WHERE " +
			"b.bulk_id = $2 AND NOT b.done AND r.id = b.record_id",
		"UPDATE records r SET owner_id = (b.before ->> 'owner')::uuid, version = version + 1 FROM bulk_change_rows " +
			"b WHERE b.bulk_id = $2 AND r.id = b.record_id AND r.owner_id IS NOT DISTINCT FROM NULLIF($1, '')::uuid"},
	"set_stage": {"r.stage <> $1", "jsonb_build_object('stage', r.stage)",
		"UPDATE records r SET stage = $1, version = version + 1 FROM bulk_change_rows b WHERE b.bulk_id = $2 AND " +
			"NOT b.done AND r.id = b.record_id",
		"UPDATE records r SET stage = b.before ->> 'stage', version = version + 1 FROM bulk_change_rows b WHERE " +
			"b.bulk_id = $2 AND r.id = b.record_id AND r.stage = $1"},
	"add_tag": {"NOT r.tags @> ARRAY[$1::text]", "'{}'::jsonb",
		"UPDATE records r SET tags = ARRAY(SELECT unnest(r.tags || ARRAY[$1::text]) ORDER BY 1), version = version " +
			"+ 1 FROM bulk_change_rows b WHERE b.bulk_id = $2 AND NOT b.done AND r.id = b.record_id",
		"UPDATE records r SET tags = array_remove(r.tags, $1::text), version = version + 1 FROM bulk_change_rows b " +
			"WHERE b.bulk_id = $2 AND r.id = b.record_id"},
	"take_tag": {"r.tags @> ARRAY[$1::text]", "'{}'::jsonb",
		"UPDATE records r SET tags = array_remove(r.tags, $1::text), version = version + 1 FROM bulk_change_rows b " +
			"WHERE b.bulk_id = $2 AND NOT b.done AND r.id = b.record_id",
		"UPDATE records r SET tags = ARRAY(SELECT DISTINCT unnest(r.tags || ARRAY[$1::text]) ORDER BY 1), version = " +
			"version + 1 FROM bulk_change_rows b WHERE b.bulk_id = $2 AND r.id = b.record_id"},
	"delete": {"$1 = ''", "'{}'::jsonb",
		"UPDATE records r SET deleted_at = c.at, version = version + 1 FROM bulk_change_rows b JOIN bulk_changes c " +
			"ON c.id = b.bulk_id WHERE b.bulk_id = $2 AND NOT b.done AND r.id = b.record_id AND $1 = ''",
		"UPDATE records r SET deleted_at = NULL, version = version + 1 FROM bulk_change_rows b WHERE b.bulk_id = $2 " +
			"AND r.id = b.record_id AND r.merged_into IS NULL AND $1 = ''"},
	"add_to_list": {"NOT EXISTS (SELECT FROM list_members m WHERE m.list_id = $1::uuid AND m.record_id = r.id)",
		"'{}'::jsonb",
		"INSERT INTO list_members (list_id, record_id, at) SELECT $1::uuid, b.record_id, c.at FROM bulk_change_rows " +
			"b JOIN bulk_changes c ON c.id = b.bulk_id WHERE b.bulk_id = $2 AND NOT b.done ON CONFLICT DO NOTHING",
		"DELETE FROM list_members m USING bulk_change_rows b WHERE b.bulk_id = $2 AND m.list_id = $1::uuid AND " +
			"m.record_id = b.record_id"},
	"take_from_list": {"EXISTS (SELECT FROM list_members m WHERE m.list_id = $1::uuid AND m.record_id = r.id)",
		"'{}'::jsonb",
		"DELETE FROM list_members m USING bulk_change_rows b WHERE b.bulk_id = $2 AND NOT b.done AND m.list_id = " +
			"$1::uuid AND m.record_id = b.record_id",
		"INSERT INTO list_members (list_id, record_id, at) SELECT l.id, b.record_id, now() FROM bulk_change_rows b " +
			"JOIN lists l ON l.id = $1::uuid WHERE b.bulk_id = $2 ON CONFLICT DO NOTHING"},
}

// Pick writes down which records are to be changed, in the transaction of tx, and gives how many; the bulk change is
// there already.
func Pick(ctx context.Context, tx pgx.Tx, bulk uuid.UUID, sel Selection) (int, error) {
	text, args := sel.SelectedIDs()
	tag, err := tx.Exec(ctx, fmt.Sprintf("INSERT INTO bulk_pending (bulk_id, record_id) SELECT $%d, s.id FROM (%s) "+
		"s (id)", len(args)+1, text), append(args, bulk)...)
	return int(tag.RowsAffected()), err
}

// Do takes the action on the next part of what was picked, at most part records of these kinds, in the transaction of
// tx. It gives how many it looked at, none when all are dealt with, and which it has changed.
func (b BulkAction) Do(ctx context.Context, tx pgx.Tx, bulk uuid.UUID, value string, kinds []string,
	part int) (looked int, changed []uuid.UUID, err error) {
	rows, err := tx.Query(ctx, `DELETE FROM bulk_pending p USING (SELECT record_id FROM bulk_pending WHERE bulk_id = $1 ORDER BY record_id LIMIT $2) x
		WHERE p.bulk_id = $1 AND p.record_id = x.record_id RETURNING p.record_id`, bulk, part)
	if err != nil {
		return 0, nil, err
	}
	ids, err := pgx.CollectRows(rows, pgx.RowTo[uuid.UUID])
	if err != nil || len(ids) == 0 {
		return 0, nil, err
	}
	rows, err = tx.Query(ctx, fmt.Sprintf(`INSERT INTO bulk_change_rows (bulk_id, record_id, before, done)
		SELECT $2, r.id, %s, false FROM records r WHERE r.id = ANY ($4::uuid[]) AND r.deleted_at IS NULL AND r.kind = ANY ($3::text[]) AND %s
		ORDER BY r.id RETURNING record_id`, b.before, b.changes), value, bulk, kinds, ids)
	if err != nil {
		return 0, nil, err
	}
	if changed, err = pgx.CollectRows(rows, pgx.RowTo[uuid.UUID]); err != nil {
		return 0, nil, err
	}
	if _, err = tx.Exec(ctx, b.do, value, bulk); err != nil {
		return 0, nil, err
	}
	_, err = tx.Exec(ctx, `UPDATE bulk_change_rows SET done = true WHERE bulk_id = $1 AND NOT done`, bulk)
	return len(ids), changed, err
}

// Undo takes the action back.
func (b BulkAction) Undo(ctx context.Context, tx pgx.Tx, bulk uuid.UUID, value string) error {
	_, err := tx.Exec(ctx, b.undo, value, bulk)
	return err
}
