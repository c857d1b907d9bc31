package store

import (
	"context"
	"fmt"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
)

// CallListQuery asks for calls. Zero values leave a condition out.
type CallListQuery struct {
	User     *uuid.UUID // their own: placed, answered, or of a colleague's with them
	Way      string     // direction
	Narrow   string     // missed, voicemail, nobody, no_outcome
	Q        string     // part of a name, as a pattern without its percent signs
	Digits   string     // part of a number; "" where Q is none
	Before   time.Time  // the call after which to go on
	BeforeID uuid.UUID
	Count    int32
}

// recentCalls is among how many of the newest calls a text, or somebody's own, is looked for one by one, before all
// that fits is gathered by the indexes: what many calls fit is found among the newest at once, and what few fit by the
// indexes.
const recentCalls = 500

// fewFound is how many records, and how many numbers, a text may fit for the newest calls of each to be looked up one
// after the other; where it fits more, all their calls are gathered.
const fewFound = 1_000

// CallIDs lists calls, newest first. Each condition is written only where it is asked for, so that the planner knows
// which index serves.
func (s *Store) CallIDs(ctx context.Context, q CallListQuery) ([]uuid.UUID, error) {
	if q.Q == "" && q.User == nil {
		return s.callIDs(ctx, q, "")
	}
	found, err := s.callIDs(ctx, q,
		fmt.Sprintf("(c.started_at, c.id) >= (SELECT started_at, id FROM (SELECT started_at, id FROM calls "+
			"WHERE (started_at, id) < ($1, $2) ORDER BY started_at DESC, id DESC LIMIT %d) x ORDER BY started_at, "+
			"id LIMIT 1)", recentCalls))
	if err != nil || len(found) >= int(q.Count) {
		return found, err
	}
	if q.Q == "" {
		return s.callIDs(ctx, q, "")
	}
	of, err := s.found(ctx, q)
	switch {
	case err != nil:
		return nil, err
	case len(of.records) > fewFound || len(of.numbers) > fewFound:
		return s.callIDs(ctx, q, "")
	}
	return s.callIDsOf(ctx, q, of)
}

// found are whose calls a text finds: by records, outside numbers and reps.
type found struct {
	records, reps []uuid.UUID
	numbers       []string
}

// found reads whom the text of q fits: of records and numbers one more than fewFound at most.
func (s *Store) found(ctx context.Context, q CallListQuery) (of found, err error) {
	var batch pgx.Batch
	batch.Queue("SELECT id FROM records WHERE deleted_at IS NULL AND search LIKE fold('%' || $1 || '%') LIMIT $2", q.Q,
		fewFound+1).
		Query(func(rows pgx.Rows) (err error) {
			of.records, err = pgx.CollectRows(rows, pgx.RowTo[uuid.UUID])
			return err
		})
	batch.Queue("SELECT id FROM users WHERE name ILIKE '%' || $1 || '%'", q.Q).Query(func(rows pgx.Rows) (err error) {
		of.reps, err = pgx.CollectRows(rows, pgx.RowTo[uuid.UUID])
		return err
	})
	if q.Digits != "" {
		batch.Queue("SELECT DISTINCT remote_e164 FROM calls WHERE remote_e164 <> '' AND remote_e164 LIKE '%' || $1 || '%' "+
			"LIMIT $2", q.Digits, fewFound+1).Query(func(rows pgx.Rows) (err error) {
			of.numbers, err = pgx.CollectRows(rows, pgx.RowTo[string])
			return err
		})
	}
	return of, s.Pool.SendBatch(ctx, &batch).Close()
}

// callIDsOf lists the calls of whom a text has found: of each record and number its newest ones that fit, of which the
// newest of all are among.
func (s *Store) callIDsOf(ctx context.Context, q CallListQuery, of found) ([]uuid.UUID, error) {
	var t sqlText
	where := strings.Join(q.conditions(&t, true), " AND ")
	newest := fmt.Sprintf(" DESC LIMIT %d) c", q.Count)
	rows, err := s.Pool.Query(ctx, "SELECT id FROM ("+
		"SELECT c.* FROM unnest("+t.arg(of.records)+"::uuid[]) r (id) CROSS JOIN LATERAL (SELECT c.id, c.started_at "+
		"FROM history h JOIN calls c ON c.id = h.ref_id WHERE h.record_id = r.id AND h.kind = 'call' AND "+where+
		" ORDER BY h.at DESC, h.ref_id"+newest+
		" UNION SELECT c.* FROM unnest("+t.arg(of.numbers)+"::text[]) n (e164) CROSS JOIN LATERAL "+
		"(SELECT c.id, c.started_at FROM calls c WHERE c.remote_e164 = n.e164 AND "+where+
		" ORDER BY c.started_at DESC, c.id"+newest+
		" UNION SELECT c.id, c.started_at FROM slips o JOIN calls c ON c.id = o.call_id WHERE o.user_id = ANY ("+
		t.arg(of.reps)+"::uuid[]) AND "+where+
		" UNION SELECT c.id, c.started_at FROM calls c WHERE c.remote_e164 = '' AND c.remote_typed ILIKE '%' || "+
		t.arg(q.Q)+" || '%' AND "+where+
		fmt.Sprintf(") x ORDER BY started_at DESC, id DESC LIMIT %d", q.Count), t.args...)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[uuid.UUID])
}

// callIDs lists calls; recent, where it is given, keeps the search to the newest.
func (s *Store) callIDs(ctx context.Context, q CallListQuery, recent string) ([]uuid.UUID, error) {
	var t sqlText
	parts := q.conditions(&t, recent != "")
	if recent != "" {
		parts = append(parts, recent)
	}
	if q.Q != "" {
		parts = append(parts, q.searched(&t, recent != ""))
	}
	rows, err := s.Pool.Query(ctx, "SELECT c.id FROM calls c WHERE "+strings.Join(parts, " AND ")+
		fmt.Sprintf(" ORDER BY c.started_at DESC, c.id DESC LIMIT %d", q.Count), t.args...)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[uuid.UUID])
}

// conditions are those on a call c, but for the text: asked of each call, or gathered.
func (q CallListQuery) conditions(t *sqlText, each bool) []string {
	parts := []string{fmt.Sprintf("(c.started_at, c.id) < (%s, %s)", t.arg(q.Before), t.arg(q.BeforeID))}
	if q.User != nil {
		me := t.arg(*q.User)
		if each {
			parts = append(parts, "(c.placed_by = "+me+" AND c.direction <> 'inbound' OR c.colleague_id = "+me+
				" OR (SELECT true FROM slips s WHERE s.call_id = c.id AND s.user_id = "+me+" LIMIT 1))")
		} else {
			parts = append(parts, "c.id IN (SELECT s.call_id FROM slips s WHERE s.user_id = "+me+
				" UNION SELECT p.id FROM calls p WHERE p.placed_by = "+me+
				" AND p.direction <> 'inbound' UNION SELECT p.id FROM calls p WHERE p.colleague_id = "+me+")")
		}
	}
	if q.Way != "" {
		parts = append(parts, "c.direction = "+t.arg(q.Way))
	}
	switch q.Narrow {
	case "voicemail":
		parts = append(parts, "c.message_ms > 0")
		fallthrough
	case "missed":
		parts = append(parts, "c.direction = 'inbound' AND c.answered_at IS NULL AND c.ended_at IS NOT NULL")
	case "nobody":
		parts = append(parts, "c.direction <> 'internal' AND NOT EXISTS (SELECT FROM call_links l WHERE l.call_id = "+
			"c.id)")
	case "no_outcome":
		parts = append(parts, "c.direction <> 'internal' AND c.id IN (SELECT o.call_id FROM slips o WHERE "+
			"o.outcome_id IS NULL)")
	}
	return parts
}

// searched is the condition that a call has q.Q in its number, its records' names or its reps': asked of each call, or
// gathered.
func (q CallListQuery) searched(t *sqlText, each bool) string {
	words := "'%' || " + t.arg(q.Q) + " || '%'"
	digits := ""
	if q.Digits != "" {
		digits = "'%' || " + t.arg(q.Digits) + " || '%'"
	}
	if each { // not EXISTS, for which the planner would read whole tables into memory before the first call
		number := "c.remote_e164 = '' AND c.remote_typed ILIKE " + words
		if digits != "" {
			number += " OR c.remote_e164 LIKE " + digits
		}
		return "(" + number + " OR (SELECT true FROM call_links l JOIN records r ON r.id = l.record_id WHERE " +
			"l.call_id = c.id AND r.deleted_at IS NULL AND r.search LIKE fold(" + words + ") LIMIT 1)" +
			" OR (SELECT true FROM slips s JOIN users u ON u.id = s.user_id WHERE s.call_id = c.id AND u.name ILIKE " +
			words + " LIMIT 1))"
	}
	// What is no number is looked through as it was typed; numbers are looked up in their normal form.
	number := "SELECT c.id FROM calls c WHERE c.remote_e164 = '' AND c.remote_typed ILIKE " + words
	if digits != "" {
		number += " UNION SELECT c.id FROM calls c WHERE c.remote_e164 LIKE " + digits
	}
	return "c.id IN (" + number +
		" UNION SELECT l.call_id FROM records r JOIN call_links l ON l.record_id = r.id WHERE r.deleted_at IS NULL AND " +
		"r.search LIKE fold(" +
		words + ")" +
		" UNION SELECT s.call_id FROM users u JOIN slips s ON s.user_id = u.id WHERE u.name ILIKE " + words + ")"
}
