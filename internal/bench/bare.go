package main

import (
	"context"
	"net/http"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"trundo/internal/store"
)

// The bare reference: the same rows, by pgx alone, without a rule, a check or a view.

// bareClick is a Gin handler that commits what a click commits.
func (w *workshop) bareClick(c *gin.Context) {
	var in struct {
		NumberID uuid.UUID `json:"number_id"`
	}
	if err := c.ShouldBindJSON(&in); err != nil {
		c.Status(http.StatusBadRequest)
		return
	}
	if err := w.commit(c.Request.Context(),
		placing(w.users[1], w.line, store.NewID(), store.NewID(), w.linked, time.Now())); err != nil {
		c.String(http.StatusInternalServerError, err.Error())
		return
	}
	w.done <- time.Now()
	c.Status(http.StatusCreated)
}

// bareCall commits what a whole call commits: placing, answer and recording, outcome, end, filing.
func (w *workshop) bareCall(ctx context.Context, user uuid.UUID, _ int) error {
	id, slip, now := store.NewID(), store.NewID(), time.Now()
	for _, step := range []*pgx.Batch{
		placing(user, w.line, id, slip, w.linked, now),
		answering(id, now),
		outcome(slip, w.outcome),
		ending(id, user, now),
		filing(slip, user, now),
	} {
		if err := w.commit(ctx, step); err != nil {
			return err
		}
	}
	return nil
}

// commit sends a batch in one transaction.
func (w *workshop) commit(ctx context.Context, b *pgx.Batch) error {
	return pgx.BeginFunc(ctx, w.store.Pool, func(tx pgx.Tx) error { return tx.SendBatch(ctx, b).Close() })
}

func placing(user, line, id, slip uuid.UUID, records []uuid.UUID, now time.Time) *pgx.Batch {
	b := &pgx.Batch{}
	b.Queue(`SELECT user_id FROM rep_state WHERE user_id = $1 FOR UPDATE`, user)
	b.Queue(
		`INSERT INTO calls (id, direction, line_id, remote_e164, remote_typed, remote_label, caller_id, caller_id_reason, device, placed_by, owner_server,
		owner_epoch, state, last_seq, started_at) VALUES ($1, 'outbound', $2, '+14135550142', '413 555 0142', 'mobile', '+14135550100', 'your line', 'browser', $3, 'bench', 1,
		'dialing', 4, $4)`,
		id,
		line,
		user,
		now,
	)
	b.Queue(
		`INSERT INTO legs (call_id, leg_no, party, user_id, device, state, started_at, answered_at) VALUES ($1, 1, 'rep', $2, 'browser', 'up', $3, $3)`,
		id,
		user,
		now,
	)
	b.Queue(
		`INSERT INTO legs (call_id, leg_no, party, device, address, state, started_at) VALUES ($1, 2, 'outside', 'carrier', '+14135550142', 'dialing', $2)`,
		id,
		now,
	)
	for seq, kind := range []string{"placed", "leg_added", "leg_answered", "leg_added"} {
		fact(b, id, seq+1, kind, now)
	}
	b.Queue(`INSERT INTO slips (id, call_id, user_id, created_at) VALUES ($1, $2, $3, $4)`, slip, id, user, now)
	for i, r := range records {
		b.Queue(
			`INSERT INTO call_links (call_id, record_id, slip_id, role, reason, linked_by, at) VALUES ($1, $2, $3, $4, 'their number was clicked', $5, $6)`,
			id,
			r,
			slip,
			[]string{"person", "company"}[i],
			user,
			now,
		)
		b.Queue(`INSERT INTO history (record_id, at, kind, ref_id) VALUES ($1, $2, 'call', $3)`, r, now, id)
	}
	command(b, user, now)
	b.Queue(`UPDATE rep_state SET foreground_call_id = $2, version = version + 1 WHERE user_id = $1`, user, id)
	return b
}

func answering(id uuid.UUID, now time.Time) *pgx.Batch {
	b := &pgx.Batch{}
	for i, kind := range []string{"leg_ringing", "leg_answered", "bridged", "bridged"} {
		fact(b, id, 5+i, kind, now)
	}
	b.Queue(`UPDATE calls SET state = 'speaking', last_seq = 8, rang_at = $2, answered_at = $2 WHERE id = $1`, id, now)
	b.Queue(`UPDATE legs SET state = 'up', rang_at = $2, answered_at = $2 WHERE call_id = $1 AND leg_no = 2`, id, now)
	for leg := 1; leg <= 2; leg++ {
		b.Queue(`INSERT INTO leg_spans (call_id, leg_no, bridge_no, from_at) VALUES ($1, $2, 1, $3)`, id, leg, now)
	}
	b.Queue(
		`INSERT INTO recordings (id, call_id, kind, state, server, file, began_at) VALUES ($1, $1, 'call', 'going', 'bench', $2, $3)`,
		id,
		id.String(),
		now,
	)
	return b
}

func outcome(slip, outcome uuid.UUID) *pgx.Batch {
	b := &pgx.Batch{}
	b.Queue(`UPDATE slips SET outcome_id = $2, version = version + 1 WHERE id = $1`, slip, outcome)
	return b
}

func ending(id, user uuid.UUID, now time.Time) *pgx.Batch {
	b := &pgx.Batch{}
	for i, kind := range []string{"leg_ended", "leg_ended", "call_ended"} {
		fact(b, id, 9+i, kind, now)
	}
	b.Queue(
		`UPDATE calls SET state = 'ended', last_seq = 11, ended_at = $2, end_reason = 'ended_by_us', talk_ms = 1 WHERE id = $1`,
		id,
		now,
	)
	b.Queue(`UPDATE legs SET state = 'ended', ended_at = $2, end_reason = 'ended_by_us' WHERE call_id = $1`, id, now)
	b.Queue(`UPDATE leg_spans SET to_at = $2 WHERE call_id = $1`, id, now)
	b.Queue(`UPDATE rep_state SET foreground_call_id = NULL, version = version + 1 WHERE user_id = $1`, user)
	b.Queue(
		`UPDATE recordings SET state = 'kept', total_ms = 1, trace_ours = '\x00', trace_theirs = '\x00' WHERE id = $1`,
		id,
	)
	return b
}

func filing(slip, user uuid.UUID, now time.Time) *pgx.Batch {
	b := &pgx.Batch{}
	b.Queue(`UPDATE slips SET state = 'filed', filed_at = $2, version = version + 1 WHERE id = $1`, slip, now)
	command(b, user, now)
	return b
}

func fact(b *pgx.Batch, id uuid.UUID, seq int, kind string, now time.Time) {
	b.Queue(`INSERT INTO call_facts (call_id, seq, at, kind, schema, data) VALUES ($1, $2, $3, $4, 1, '{"leg": 2}')`,
		id, seq, now, kind)
}

func command(b *pgx.Batch, user uuid.UUID, now time.Time) {
	b.Queue(
		`INSERT INTO commands (user_id, key, action, request_hash, response, at) VALUES ($1, $2, 'x', '\x00', '{"id": 1}', $3)`,
		user,
		uuid.NewString(),
		now,
	)
}
