package insight

import (
	"context"
	"errors"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"trundo/internal/core/report"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

const (
	// takeEvery is how often what has changed is taken in where nobody asks.
	takeEvery = 5 * time.Second
	// atOnce is of how many notes of a change figures are made in one transaction.
	atOnce = 2000
	// firstLook is how many changes are taken in before a question is answered; further ones are behind.
	firstLook = 4
)

// Start takes in what changes, also while nobody asks, until the desk closes.
func (in *Insight) Start() {
	in.InBackground(func(ctx context.Context) {
		if err := in.Store.AllFiguresDue(ctx); err != nil && ctx.Err() == nil {
			in.Log.Error("looking whether calls have figures", "error", err)
		}
		tick := in.Clock.NewTicker(takeEvery)
		defer tick.Stop()
		for {
			if err := in.takeAll(ctx); err != nil && ctx.Err() == nil && !store.Away(err) {
				in.Log.Error("counting calls", "error", err)
			}
			if err := in.lookForTopics(ctx); err != nil && ctx.Err() == nil && !store.Away(err) {
				in.Log.Error("looking for topics", "error", err)
			}
			if err := in.MailReports(ctx); err != nil && ctx.Err() == nil && !store.Away(err) {
				in.Log.Error("mailing reports", "error", err)
			}
			select {
			case <-ctx.Done():
				return
			case <-tick.Chan():
			}
		}
	})
}

// takeAll makes the figures of all calls of which something has changed, and reads them.
func (in *Insight) takeAll(ctx context.Context) error {
	for {
		made, err := in.makeFigures(ctx)
		if err != nil {
			return err
		}
		if err := in.read(ctx); err != nil {
			return err
		}
		if made < atOnce || ctx.Err() != nil {
			return ctx.Err()
		}
	}
}

// fresh takes in what has changed before a question is answered, and tells how many changes are left behind.
func (in *Insight) fresh(ctx context.Context) (behind int, err error) {
	if _, err := in.lookThrough(ctx); err != nil {
		return 0, err
	}
	if behind, err = in.Store.CountFiguresDue(ctx); err != nil ||
		behind == 0 { // mostly there is nothing, and no lock to wait for
		return 0, errors.Join(err, in.read(ctx))
	}
	for range firstLook {
		made, err := in.makeFigures(ctx)
		if err != nil {
			return 0, err
		}
		if made < atOnce {
			return 0, in.read(ctx)
		}
	}
	if err := in.read(ctx); err != nil {
		return 0, err
	}
	return in.Store.CountFiguresDue(ctx)
}

// makeFigures makes figures of calls of which something has changed, and tells of how many notes of a change.
func (in *Insight) makeFigures(ctx context.Context) (notes int, err error) {
	f, err := in.Settings(ctx)
	if err != nil {
		return 0, err
	}
	err = in.Store.Tx(ctx, func(q *db.Queries) (err error) {
		notes, err = makeFigures(ctx, q, f.Wrap)
		return err
	})
	return notes, err
}

// makeFigures is Insight.makeFigures within a transaction.
func makeFigures(ctx context.Context, q *db.Queries, wrap time.Duration) (notes int, err error) {
	if err := q.LockFigures(ctx); err != nil {
		return 0, err
	}
	due, err := q.FiguresDue(ctx, atOnce)
	if err != nil || len(due.Notes) == 0 {
		return 0, err
	}
	if _, err := q.RefreshFigures(ctx, db.RefreshFiguresParams{Ids: due.Calls, WrapMs: wrap.Milliseconds()}); err != nil {
		return 0, err
	}
	return len(due.Notes), q.FiguresDone(ctx, due.Notes)
}

// read reads what was made since it last did, by whichever server.
func (in *Insight) read(ctx context.Context) error {
	in.taking.Lock()
	defer in.taking.Unlock()
	newest, err := in.Store.ChangedFigures(ctx)
	if err != nil || newest <= in.changed {
		return err
	}
	found, last, err := in.changedCalls(ctx)
	if err != nil {
		return err
	}
	in.mu.Lock()
	defer in.mu.Unlock()
	for _, c := range found {
		in.book.Put(c.id, c.parts)
	}
	in.changed = last
	return nil
}

// changedCall is a call with the parts it has now.
type changedCall struct {
	id    report.ID
	parts []report.Part
}

// changedCalls are those with a change that was not read yet. The parts of a call follow one another, since they are
// made
// by one statement in this order.
func (in *Insight) changedCalls(ctx context.Context) (found []changedCall, last int64, err error) {
	last = in.changed
	rows, err := in.Store.Pool.Query(ctx, figureColumns+" WHERE changed > $1 ORDER BY changed", in.changed)
	if err != nil {
		return nil, 0, err
	}
	var r figureRow
	_, err = pgx.ForEachRow(rows, r.fields(), func() error {
		if n := len(found); n == 0 || found[n-1].id != report.ID(r.call) {
			found = append(found, changedCall{id: report.ID(r.call)})
		}
		c := &found[len(found)-1]
		c.parts = append(c.parts, r.part())
		last = r.changed
		return nil
	})
	return found, last, err
}

const figureColumns = `SELECT call_id, changed, extract(epoch FROM at)::bigint, way, line_id, queue_id, source, user_id, team, list_id, outcome_id,
	call_type_id, shown, device, ending, flags, ring_ms, wait_ms, talk_ms, hold_ms, consult_ms, wrap_ms, recorded_ms, ours_ms,
	theirs_ms, silence_ms, overlap_ms, monologue_ms, interruptions, transfers, satisfaction, return_ms, tries, quality, topics
	FROM call_figures`

// figureRow is a row of call_figures.
type figureRow struct {
	call                                      uuid.UUID
	changed                                   int64
	line, queue, rep, list, outcome, callType *uuid.UUID
	topics                                    []uuid.UUID
	flags                                     int32
	p                                         report.Part
}

func (r *figureRow) fields() []any {
	p := &r.p
	return []any{&r.call, &r.changed, &p.At, &p.Way, &r.line, &r.queue, &p.Source, &r.rep, &p.Team, &r.list, &r.outcome,
		&r.callType, &p.Shown, &p.Device, &p.Ending, &r.flags, &p.Ring, &p.Wait, &p.Talk, &p.Hold, &p.Consult, &p.Wrap,
		&p.Recorded, &p.Ours, &p.Theirs, &p.Silence, &p.Overlap, &p.Monologue, &p.Interruptions, &p.Transfers,
		&p.Satisfaction, &p.Return, &p.Tries, &p.Score, &r.topics}
}

// part is the row as core/report has it.
func (r *figureRow) part() report.Part {
	p := r.p
	p.Flags = uint32(r.flags)
	p.Line, p.Queue, p.Rep, p.List, p.Outcome, p.Type = key(
		r.line,
	), key(
		r.queue,
	), key(
		r.rep,
	), key(
		r.list,
	), key(
		r.outcome,
	),
		key(
			r.callType,
		)
	p.Topics = nil
	for _, t := range r.topics {
		p.Topics = append(p.Topics, t.String())
	}
	return p
}

func key(id *uuid.UUID) string {
	if id == nil {
		return ""
	}
	return id.String()
}
