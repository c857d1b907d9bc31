package store

import (
	"context"
	"fmt"
	"strings"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"trundo/internal/core/erasure"
)

// erasing are the statements that erase what hangs on a person, each with how a report calls what it changes; "" where
// it
// is not told. $1 are the person's records, $2 their calls, $3 the time.
var erasing = []struct{ what, sql string }{
	{"notes", `UPDATE slip_notes n SET body = '' FROM slips s WHERE s.id = n.slip_id AND s.call_id =
		ANY($2::uuid[]) AND n.body <> ''`},
	{"", `UPDATE slips SET subject = '' WHERE call_id = ANY($2::uuid[]) AND subject <> ''`},
	{"answers", `UPDATE call_answers SET answer = '' WHERE call_id = ANY($2::uuid[]) AND answer <> ''`},
	{"recordings", `UPDATE recordings SET state = 'deleted', deleted_at = $3, deleted_why = 'erased with the person',
		trace_ours = '', trace_theirs = '', expires_at = NULL, stored = '', gaps = '[]' WHERE call_id =
		ANY($2::uuid[]) AND state = 'kept'`},
	{"transcripts", `DELETE FROM transcripts t USING recordings r WHERE r.id = t.recording_id AND r.call_id =
		ANY($2::uuid[])`},
	{"remarks", `UPDATE recording_remarks m SET text = '' FROM recordings r WHERE r.id = m.recording_id AND r.call_id
		= ANY($2::uuid[]) AND m.text <> ''`},
	{"calls", `UPDATE calls SET remote_e164 = '', remote_ext = '', remote_typed = '', remote_label = '' WHERE id =
		ANY($2::uuid[])`},
	{"", `UPDATE legs SET address = '' WHERE call_id = ANY($2::uuid[]) AND user_id IS NULL AND address <> ''`},
	{"", `UPDATE unreturned SET remote_e164 = '', remote_ext = '', closed_at = coalesce(closed_at, $3),
		closed_how = CASE WHEN closed_at IS NULL THEN 'hand' ELSE closed_how END, reason = '' WHERE call_id
		= ANY($2::uuid[])`},
	{"", `UPDATE queue_waits w SET e164 = '', ext = '', word = '', called = '', left_at = coalesce(left_at, $3::timestamptz),
		how = CASE WHEN left_at IS NULL THEN 'removed' ELSE how END, why = '' WHERE w.call_id = ANY($2::uuid[]) OR w.record_id =
		ANY($1::uuid[]) OR w.message_id IN (SELECT m.id FROM messages m WHERE m.record_id = ANY($1::uuid[]))
		OR w.record_id IS NULL AND w.e164 IN (SELECT n.e164 FROM phone_numbers n WHERE n.record_id = ANY($1::uuid[]))`},
	{"", `UPDATE survey_answers SET words = '' WHERE call_id = ANY($2::uuid[]) AND words <> ''`},
	{"", `UPDATE survey_texts SET e164 = '', done = true WHERE call_id = ANY($2::uuid[])`},
	{"messages", `UPDATE messages SET body = '', subject = '', address = '', reference = NULL, in_reply_to = '',
		problem = '', state = CASE WHEN state IN ('waiting', 'sending') THEN 'cancelled' ELSE state END,
		send_at = NULL WHERE record_id = ANY($1::uuid[])`},
	{"files of messages", `DELETE FROM message_files f USING messages m WHERE m.id = f.message_id AND m.record_id =
		ANY($1::uuid[])`},
	{"follow-ups", `UPDATE follow_ups SET text = '', state = CASE WHEN state = 'open' THEN 'done' ELSE state END,
		done_at = coalesce(done_at, $3) WHERE record_id = ANY($1::uuid[])`},
	{"", `DELETE FROM number_choices WHERE record_id = ANY($1::uuid[])`},
	{"", `DELETE FROM list_members WHERE record_id = ANY($1::uuid[])`},
	{"", `DELETE FROM held_people WHERE record_id = ANY($1::uuid[])`},
	{"", `DELETE FROM duplicate_pairs WHERE a_id = ANY($1::uuid[]) OR b_id = ANY($1::uuid[])`},
	{"", `UPDATE sequence_members SET state = 'ended', ended_at = coalesce(ended_at, $3), next_at = NULL, why
		= '' WHERE record_id = ANY($1::uuid[]) AND state NOT IN ('ended', 'done')`},
	{"", `UPDATE merges SET moved = '{}' WHERE kept_id = ANY($1::uuid[]) OR lost_id = ANY($1::uuid[])`},
	{"", `UPDATE bulk_change_rows SET before = '{}' WHERE record_id = ANY($1::uuid[])`},
	{"", `UPDATE filing_effects e SET item = e.item - 'text' - 'address' || '{"words": ""}', before = '{}',
		why = '' FROM filings f JOIN slips s ON s.id = f.slip_id WHERE f.id = e.filing_id AND s.call_id =
		ANY($2::uuid[])`},
	{"", `DELETE FROM text_opt_outs o USING phone_numbers n WHERE n.e164 = o.e164 AND n.record_id =
		ANY($1::uuid[]) AND NOT EXISTS (SELECT FROM phone_numbers x WHERE x.e164 = o.e164 AND NOT
		x.record_id = ANY($1::uuid[]))`},
	{"", `DELETE FROM do_not_call_numbers d USING phone_numbers n WHERE n.e164 = d.e164 AND n.record_id =
		ANY($1::uuid[]) AND NOT EXISTS (SELECT FROM phone_numbers x WHERE x.e164 = d.e164 AND NOT
		x.record_id = ANY($1::uuid[]))`},
	{"numbers", `UPDATE phone_numbers SET typed = '', e164 = NULL, ext = '', digits_reversed = '', label = '',
		dnc_reason = '' WHERE record_id = ANY($1::uuid[])`},
	{"consents", `UPDATE consents SET how = '' WHERE record_id = ANY($1::uuid[])`},
	{
		"audit entries",
		`UPDATE audit SET before = '{}', after = '{}', erased_at = $3 WHERE (before <> '{}' OR after <> '{}')
		AND (subject_id = ANY($1::uuid[]) OR subject_id = ANY($2::uuid[]) OR subject_id IN (SELECT id FROM
		slips WHERE call_id = ANY($2::uuid[])))`,
	},
	{
		"records",
		`UPDATE records SET name = '` + erasure.Mark + `', given = '', family = '', job = '', email = '', web = '', social
		= '', address = '', place = '', note = '', custom = '{}', tags = '{}', reference = '', zone = '',
		dnc_reason = '', deleted_at = coalesce(deleted_at, $3), version = version + 1 WHERE id =
		ANY($1::uuid[])`,
	},
}

// ErasePerson erases what hangs on a person, within a transaction in which the trail may be touched ("erase"), and
// tells
// how much of what it was.
func ErasePerson(ctx context.Context, tx pgx.Tx, records, calls []uuid.UUID, at any) (map[string]int64, error) {
	report := map[string]int64{}
	for _, e := range erasing {
		// each statement names each place, so that its type is known
		sql := "WITH here AS (SELECT $1::uuid[], $2::uuid[], $3::timestamptz) " + e.sql
		tag, err := tx.Exec(ctx, sql, records, calls, at)
		if err != nil {
			return nil, fmt.Errorf("erasing %s: %w", strings.Fields(e.sql)[1], err)
		}
		if e.what != "" && tag.RowsAffected() > 0 {
			report[e.what] += tag.RowsAffected()
		}
	}
	return report, nil
}

// sweptNot are tables in which nobody's traces are looked for: they hold none.
var sweptNot = map[string]bool{"goose_db_version": true, "sessions": true, "servers": true, "erasures": true}

// Sweep erases every trace of a person that is left in any text of any table, found by a pattern (PostgreSQL's syntax),
// and tells in how many rows of which tables there was one.
func Sweep(ctx context.Context, tx pgx.Tx, pattern string, at any) (map[string]int64, error) {
	rows, err := tx.Query(ctx, `SELECT c.relname, a.attname, t.typname
		FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace AND n.nspname = 'public'
		JOIN pg_attribute a ON a.attrelid = c.oid AND a.attnum > 0 AND NOT a.attisdropped AND a.attgenerated = ''
		JOIN pg_type t ON t.oid = a.atttypid
		WHERE c.relkind = 'r' AND t.typname IN ('text', 'jsonb', '_text') ORDER BY c.relname, a.attnum`)
	if err != nil {
		return nil, err
	}
	columns := map[string][][2]string{}
	var tables []string
	var table, column, kind string
	if _, err := pgx.ForEachRow(rows, []any{&table, &column, &kind}, func() error {
		if !sweptNot[table] {
			if columns[table] == nil {
				tables = append(tables, table)
			}
			columns[table] = append(columns[table], [2]string{column, kind})
		}
		return nil
	}); err != nil {
		return nil, err
	}
	report := map[string]int64{}
	for _, t := range tables {
		var set, where []string
		for _, c := range columns[t] {
			name := pgx.Identifier{c[0]}.Sanitize()
			where = append(where, name+"::text ~* $1")
			value := "regexp_replace(" + name + "::text, $1, '" + erasure.Mark + "', 'gi')"
			if c[1] != "text" {
				value += "::" + map[string]string{"jsonb": "jsonb", "_text": "text[]"}[c[1]]
			}
			set = append(set, name+" = CASE WHEN "+name+"::text ~* $1 THEN "+value+" ELSE "+name+" END")
		}
		args := []any{pattern}
		if t == "audit" {
			set, args = append(set, "erased_at = $2"), append(args, at)
		}
		tag, err := tx.Exec(ctx, fmt.Sprintf("UPDATE %s SET %s WHERE %s", pgx.Identifier{t}.Sanitize(),
			strings.Join(set, ", "), strings.Join(where, " OR ")), args...)
		if err != nil {
			return nil, fmt.Errorf("erasing what is left in %s: %w", t, err)
		}
		if n := tag.RowsAffected(); n > 0 {
			report[t] = n
		}
	}
	return report, nil
}
