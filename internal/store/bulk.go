package store

import (
	"context"
	"fmt"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"trundo/internal/store/db"
)

// TxBoth runs do in a transaction with both the prepared queries and the connection itself, for statements that are made.
func (s *Store) TxBoth(ctx context.Context, do func(q *db.Queries, tx pgx.Tx) error) error {
	return pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error { return do(s.WithTx(tx), tx) })
}

// BulkAction is something done to many records at once. Its texts are SQL of this package, with $1 the value and $2 the
// bulk's id.
type BulkAction struct {
	changes string // which of the selected records it changes
	before  string // what is kept of each, as jsonb
	do      string // on bulk_change_rows b with b.bulk_id = $2
	undo    string
}

// BulkActions by their names. Undoing touches only what still stands as the action left it.
var BulkActions = map[string]BulkAction{
	"set_owner": {"r.owner_id IS DISTINCT FROM NULLIF($1, '')::uuid", "jsonb_build_object('owner', r.owner_id)",
		"UPDATE records r SET owner_id = NULLIF($1, '')::uuid, version = version + 1 FROM bulk_change_rows b WHERE b.bulk_id = $2 AND r.id = b.record_id",
		"UPDATE records r SET owner_id = (b.before ->> 'owner')::uuid, version = version + 1 FROM bulk_change_rows b WHERE b.bulk_id = $2 AND r.id = b.record_id AND r.owner_id IS NOT DISTINCT FROM NULLIF($1, '')::uuid"},
	"set_stage": {"r.stage <> $1", "jsonb_build_object('stage', r.stage)",
		"UPDATE records r SET stage = $1, version = version + 1 FROM bulk_change_rows b WHERE b.bulk_id = $2 AND r.id = b.record_id",
		"UPDATE records r SET stage = b.before ->> 'stage', version = version + 1 FROM bulk_change_rows b WHERE b.bulk_id = $2 AND r.id = b.record_id AND r.stage = $1"},
	"add_tag": {"NOT r.tags @> ARRAY[$1::text]", "'{}'::jsonb",
		"UPDATE records r SET tags = ARRAY(SELECT unnest(r.tags || ARRAY[$1::text]) ORDER BY 1), version = version + 1 FROM bulk_change_rows b WHERE b.bulk_id = $2 AND r.id = b.record_id",
		"UPDATE records r SET tags = array_remove(r.tags, $1::text), version = version + 1 FROM bulk_change_rows b WHERE b.bulk_id = $2 AND r.id = b.record_id"},
	"take_tag": {"r.tags @> ARRAY[$1::text]", "'{}'::jsonb",
		"UPDATE records r SET tags = array_remove(r.tags, $1::text), version = version + 1 FROM bulk_change_rows b WHERE b.bulk_id = $2 AND r.id = b.record_id",
		"UPDATE records r SET tags = ARRAY(SELECT DISTINCT unnest(r.tags || ARRAY[$1::text]) ORDER BY 1), version = version + 1 FROM bulk_change_rows b WHERE b.bulk_id = $2 AND r.id = b.record_id"},
	"delete": {"$1 = ''", "'{}'::jsonb",
		"UPDATE records r SET deleted_at = c.at, version = version + 1 FROM bulk_change_rows b JOIN bulk_changes c ON c.id = b.bulk_id WHERE b.bulk_id = $2 AND r.id = b.record_id AND $1 = ''",
		"UPDATE records r SET deleted_at = NULL, version = version + 1 FROM bulk_change_rows b WHERE b.bulk_id = $2 AND r.id = b.record_id AND r.merged_into IS NULL AND $1 = ''"},
	"add_to_list": {"NOT EXISTS (SELECT FROM list_members m WHERE m.list_id = $1::uuid AND m.record_id = r.id)", "'{}'::jsonb",
		"INSERT INTO list_members (list_id, record_id, at) SELECT $1::uuid, b.record_id, c.at FROM bulk_change_rows b JOIN bulk_changes c ON c.id = b.bulk_id WHERE b.bulk_id = $2 ON CONFLICT DO NOTHING",
		"DELETE FROM list_members m USING bulk_change_rows b WHERE b.bulk_id = $2 AND m.list_id = $1::uuid AND m.record_id = b.record_id"},
	"take_from_list": {"EXISTS (SELECT FROM list_members m WHERE m.list_id = $1::uuid AND m.record_id = r.id)", "'{}'::jsonb",
		"DELETE FROM list_members m USING bulk_change_rows b WHERE b.bulk_id = $2 AND m.list_id = $1::uuid AND m.record_id = b.record_id",
		"INSERT INTO list_members (list_id, record_id, at) SELECT l.id, b.record_id, now() FROM bulk_change_rows b JOIN lists l ON l.id = $1::uuid WHERE b.bulk_id = $2 ON CONFLICT DO NOTHING"},
}

// Do takes the action on the selected records of these kinds, in the transaction of tx; the bulk change is there
// already. It gives how many were changed.
func (b BulkAction) Do(ctx context.Context, tx pgx.Tx, bulk uuid.UUID, value string, sel Selection, kinds []string) (int, error) {
	text, args := sel.SelectedIDs()
	if _, err := tx.Exec(ctx, "CREATE TEMPORARY TABLE selected (id uuid) ON COMMIT DROP"); err != nil {
		return 0, err
	}
	if _, err := tx.Exec(ctx, "INSERT INTO selected "+text, args...); err != nil {
		return 0, err
	}
	tag, err := tx.Exec(ctx, fmt.Sprintf(`INSERT INTO bulk_change_rows (bulk_id, record_id, before)
		SELECT $2, r.id, %s FROM records r WHERE r.id IN (SELECT id FROM selected) AND r.deleted_at IS NULL AND r.kind = ANY ($3::text[]) AND %s`, b.before, b.changes),
		value, bulk, kinds)
	if err != nil {
		return 0, err
	}
	_, err = tx.Exec(ctx, b.do, value, bulk)
	return int(tag.RowsAffected()), err
}

// Undo takes the action back.
func (b BulkAction) Undo(ctx context.Context, tx pgx.Tx, bulk uuid.UUID, value string) error {
	_, err := tx.Exec(ctx, b.undo, value, bulk)
	return err
}
