package main

import (
	"context"
	"fmt"
	"time"

	"trundo/internal/desk/firm"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"trundo/internal/contract"
	"trundo/internal/store"
)

// fiveEffects are what the outcome that is measured does: a follow-up, a list, a tag, a stage and a case.
const fiveEffects = `[{"kind":"follow_up","act":"call","text":"Call {given name} again","after":{"count":2,"unit":"business_days","at":600}}, {"kind":"add_to_list","target":%q,"after":{}},
	{"kind":"add_tag","text":"bench","after":{}}, {"kind":"deal_stage","value":"decision","after":{}}, {"kind":"new_case","text":"Visit {company}","after":{}}]`

// effects measures the filing of a slip with five effects, and pgx alone that writes the same rows in one transaction,
// by turns; in milliseconds.
func (w *workshop) effects(ctx context.Context, count int) (pair, error) {
	var p pair
	list, effective := store.NewID(), store.NewID()
	for _, s := range []struct {
		sql  string
		args []any
	}{
		{`INSERT INTO lists (id, name, type, record_kind, owner_id, created_at) VALUES ($1, 'bench', 'hand', 'contact', $2, now())`, []any{list, w.users[0]}},
		{`INSERT INTO outcomes (id, label, position, reached, effects) VALUES ($1, 'bench', 99, true, $2::jsonb)`,
			[]any{effective, fmt.Sprintf(fiveEffects, list)}},
	} {
		if _, err := w.store.Pool.Exec(ctx, s.sql, s.args...); err != nil {
			return p, err
		}
	}
	a, err := w.desk.Actor(ctx, w.users[0])
	if err != nil {
		return p, err
	}
	var person, deal uuid.UUID
	if err := w.store.Pool.QueryRow(ctx, `SELECT n.record_id, d.id FROM phone_numbers n JOIN records d ON d.person_id = n.record_id AND d.kind = 'deal' AND d.deleted_at IS NULL AND NOT is_over(d.kind, d.stage)
		WHERE n.id = ANY ($1) LIMIT 1`, w.numbers).Scan(&person, &deal); err != nil {
		return p, fmt.Errorf("a person with an open deal: %w", err)
	}
	time.Sleep(6 * time.Second) // what is remembered of the firm is read again
	for n := range 2*count + 20 {
		// Each filing finds the same: no tag, no place on the list, another stage.
		if _, err := w.store.Pool.Exec(ctx,
			`UPDATE records SET tags = '{}', stage = CASE WHEN kind = 'deal' THEN 'offer' ELSE stage END WHERE id IN ($1, $2)`, person, deal); err != nil {
			return p, err
		}
		if _, err := w.store.Pool.Exec(ctx, `DELETE FROM list_members WHERE list_id = $1`, list); err != nil {
			return p, err
		}
		c, err := w.readyToFile(ctx, a, person, effective)
		if err != nil {
			return p, err
		}
		began := time.Now()
		if n%2 == 0 {
			filed, err := w.desk.Filing.File(ctx, a, c.Slip.ID, uuid.NewString(), nil)
			if err != nil {
				return p, fmt.Errorf("filing: %w", err)
			}
			if n == 0 && len(filed.Links) < 2 {
				return p, fmt.Errorf("the case does not stand on the call: not all five effects were done")
			}
		} else if err := w.commit(ctx, bareEffects(c, w.users[0], person, deal, list, effective,
			time.Now())); err != nil {
			return p, fmt.Errorf("filing, bare: %w", err)
		}
		took := float64(time.Since(began).Microseconds()) / 1000
		if n < 20 {
			continue // warming up
		}
		if n%2 == 0 {
			p.ours = append(p.ours, took)
		} else {
			p.bare = append(p.bare, took)
		}
	}
	return p, nil
}

// readyToFile is a call that has ended, with the outcome chosen.
func (w *workshop) readyToFile(ctx context.Context, a firm.Actor, person, outcome uuid.UUID) (contract.Call, error) {
	var number uuid.UUID
	if err := w.store.Pool.QueryRow(ctx, `SELECT id FROM phone_numbers WHERE record_id = $1 AND id = ANY ($2) LIMIT 1`,
		person, w.numbers).Scan(&number); err != nil {
		return contract.Call{}, err
	}
	c, err := w.desk.Calls.PlaceCall(ctx, a, uuid.NewString(), contract.NewCall{NumberID: &number})
	if err != nil {
		return c, err
	}
	if err := w.desk.Calls.HangUp(ctx, a, c.ID); err != nil {
		return c, err
	}
	for w.desk.Calls.PhaseOf(c.ID) != "" && w.desk.Calls.PhaseOf(c.ID) != "ended" {
		time.Sleep(50 * time.Microsecond)
	}
	return w.desk.Filing.ChangeSlip(ctx, a, c.Slip.ID,
		contract.SlipChange{Version: c.Slip.Version, OutcomeID: &outcome})
}

// bareEffects writes the rows that filing with the five effects writes.
func bareEffects(c contract.Call, user, person, deal, list, outcome uuid.UUID, now time.Time) *pgx.Batch {
	b := filing(c.Slip.ID, user, now)
	filed, followUp, made := store.NewID(), store.NewID(), store.NewID()
	b.Queue(`INSERT INTO filings (id, slip_id, user_id, outcome_id, at, asked) VALUES ($1, $2, $3, $4, $5, false)`,
		filed, c.Slip.ID, user, outcome, now)
	b.Queue(
		`INSERT INTO follow_ups (id, record_id, owner_id, slip_id, kind, text, due_at, created_by, created_at) VALUES ($1, $2, $3, $4, 'call', 'Call again', $5, $3, $5)`,
		followUp,
		person,
		user,
		c.Slip.ID,
		now,
	)
	b.Queue(`INSERT INTO history (record_id, at, kind, ref_id) VALUES ($1, $2, 'follow_up', $3)`, person, now, followUp)
	b.Queue(`INSERT INTO list_members (list_id, record_id, at) VALUES ($1, $2, $3)`, list, person, now)
	changed := func(record uuid.UUID) {
		change := store.NewID()
		b.Queue(
			`INSERT INTO audit (id, at, actor_id, subject_kind, subject_id, action, before, after) VALUES ($1, $2, $3, 'record', $4, 'changed', '{}', '{"Stage": "decision"}')`,
			change,
			now,
			user,
			record,
		)
		b.Queue(`INSERT INTO history (record_id, at, kind, ref_id) VALUES ($1, $2, 'change', $3)`, record, now, change)
	}
	b.Queue(`UPDATE records SET tags = '{bench}', version = version + 1 WHERE id = $1`, person)
	changed(person)
	b.Queue(`UPDATE records SET stage = 'decision', version = version + 1 WHERE id = $1`, deal)
	changed(deal)
	b.Queue(
		`INSERT INTO records (id, kind, name, person_id, owner_id, stage, created_at) VALUES ($1, 'case', 'Visit', $2, $3, 'new', $4)`,
		made,
		person,
		user,
		now,
	)
	changed(made)
	b.Queue(
		`INSERT INTO call_links (call_id, record_id, slip_id, role, reason, linked_by, at) VALUES ($1, $2, $3, 'about', 'opened by the outcome', $4, $5)`,
		c.ID,
		made,
		c.Slip.ID,
		user,
		now,
	)
	b.Queue(`INSERT INTO history (record_id, at, kind, ref_id) VALUES ($1, $2, 'call', $3)`, made, now, c.ID)
	for i := range 5 {
		b.Queue(
			`INSERT INTO filing_effects (filing_id, position, item, before, state) VALUES ($1, $2, '{"kind": "add_tag", "words": "tag", "text": "bench"}', '{}', 'done')`,
			filed,
			i,
		)
	}
	return b
}
