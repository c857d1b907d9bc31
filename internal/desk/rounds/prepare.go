package rounds

import (
	"context"
	"encoding/json"
	"slices"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"trundo/internal/contract"
	"trundo/internal/core/round"
	"trundo/internal/desk/firm"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

const (
	// chunkOfRound is how many people are looked at with one question to the database.
	chunkOfRound = 2_000
	// atOnceOnRound is how many people a round begins with; the rest are put on it behind.
	atOnceOnRound = 500
)

// place is somebody's place on a list.
type place struct {
	position int
	id       uuid.UUID
}

// firstOnRound divides a list into whom a round begins with, which are the first ones by its order, and the rest. By
// the best hour they are the first ones of the list: to know the best of a long list takes longer than somebody wants
// to wait, and in a moment they are ranked among the others.
func (rs *Rounds) firstOnRound(ctx context.Context, s contract.RoundSettings,
	ids []uuid.UUID) (first, rest []place, err error) {
	n := min(len(ids), atOnceOnRound)
	var best []uuid.UUID
	if len(ids) > n {
		if best, err = rs.Store.FirstBy(ctx, string(s.Order), ids, n, rs.Clock.Now()); err != nil {
			return nil, nil, err
		}
	}
	early := make(map[uuid.UUID]bool, n)
	for _, id := range best {
		early[id] = true
	}
	for _, id := range ids {
		if len(early) >= n {
			break
		}
		early[id] = true
	}
	for i, id := range ids {
		if early[id] {
			first = append(first, place{i, id})
		} else {
			rest = append(rest, place{i, id})
		}
	}
	return first, rest, nil
}

// putOnRound puts people on a round, each as free, put off, or not to be called.
func (rs *Rounds) putOnRound(ctx context.Context, q *db.Queries, tx pgx.Tx, a firm.Actor, f *firm.Settings,
	id uuid.UUID, rules round.Settings, places []place) error {
	times := rs.roundTimes(a)
	for chunk := range slices.Chunk(places, chunkOfRound) {
		ids := make([]uuid.UUID, len(chunk))
		for i, x := range chunk {
			ids[i] = x.id
		}
		people, err := rs.roundPeople(ctx, q, a, f, ids)
		if err != nil {
			return err
		}
		var reach round.Reach
		if rules.Order == round.Best {
			if reach, err = rs.reachOf(ctx, q, a, valuesOf(people)...); err != nil {
				return err
			}
		}
		rows := make([][]any, len(chunk))
		for i, x := range chunk {
			p := people[x.id]
			chance := 0.0
			if reach != nil {
				chance = p.chanceNow(reach, times)
			}
			v := round.Judge(p.person, rules, times, "", nil)
			state, bead, ready := "waiting", round.Waiting, (*time.Time)(nil)
			switch {
			case v.Reason == round.None:
			case v.At.IsZero():
				state, bead = "done", doneBead(v.Reason)
			default:
				state, bead, ready = "later", round.Later, &v.At
			}
			rows[i] = []any{id, x.position, x.id, state, round.Rank(rules.Order, x.position, p.person, chance), ready,
				string(bead), round.Words(v.Reason)}
		}
		if _, err := tx.CopyFrom(ctx, pgx.Identifier{"round_people"},
			[]string{"round_id", "position", "record_id", "state", "rank", "ready_at", "bead", "why"},
			pgx.CopyFromRows(rows)); err != nil {
			return err
		}
	}
	return nil
}

func valuesOf(people map[uuid.UUID]onRound) []onRound {
	all := make([]onRound, 0, len(people))
	for _, p := range people {
		all = append(all, p)
	}
	return all
}

// doneBead shows why somebody is not called any more.
func doneBead(r round.Reason) round.Bead {
	switch r {
	case round.AskedNot:
		return round.Refused
	case round.Tried:
		return round.NoReply
	}
	return round.Cannot
}

// prepareRound puts the rest of a list on a round.
func (rs *Rounds) prepareRound(ctx context.Context, a firm.Actor, id uuid.UUID, s contract.RoundSettings, total int,
	rest []place) {
	rules := roundRules(s)
	for chunk := range slices.Chunk(rest, chunkOfRound) {
		f, err := rs.Settings(ctx)
		if err == nil {
			total += len(chunk)
			err = rs.Store.TxBoth(ctx, func(q *db.Queries, tx pgx.Tx) error {
				if err := rs.putOnRound(ctx, q, tx, a, f, id, rules, chunk); err != nil {
					return err
				}
				return q.SetRoundPrepared(ctx,
					db.SetRoundPreparedParams{ID: id, Total: total, Finished: chunk[len(chunk)-1] == rest[len(rest)-1]})
			})
		}
		if err != nil {
			if ctx.Err() == nil {
				rs.Log.Error("putting people on a round", "round", id, "error", err)
			}
			return // it is gone on with when the server starts again
		}
		rs.roundChanged(id)
	}
}

// resumeRounds goes on with rounds that were being prepared when a server stopped.
func (rs *Rounds) resumeRounds(ctx context.Context) {
	ids, err := rs.Store.UnpreparedRounds(ctx)
	for _, id := range ids {
		if err == nil {
			err = rs.resumeRound(ctx, id)
		}
	}
	if err != nil && ctx.Err() == nil && !store.Away(err) {
		rs.Log.Error("going on with rounds", "error", err)
	}
}

func (rs *Rounds) resumeRound(ctx context.Context, id uuid.UUID) error {
	r, err := rs.Store.Round(ctx, id)
	if err != nil {
		return err
	}
	var s contract.RoundStart
	if err := json.Unmarshal(r.Source, &s); err != nil {
		return err
	}
	by := r.StartedBy
	if s.RepID != nil {
		by = *s.RepID
	}
	a, err := rs.Actor(ctx, by)
	if err != nil {
		return err
	}
	f, err := rs.Settings(ctx)
	if err != nil {
		return err
	}
	src, err := rs.sourceOf(ctx, a, f, s)
	if err != nil {
		// its list is gone: those who are on it stay
		return rs.Store.SetRoundPrepared(ctx, db.SetRoundPreparedParams{ID: id, Total: r.Total, Finished: true})
	}
	on, err := rs.Store.OnRound(ctx, id)
	if err != nil {
		return err
	}
	known, next := map[uuid.UUID]bool{}, 0
	for _, x := range on {
		known[x.RecordID] = true
		next = max(next, x.Position+1)
	}
	var rest []place
	for i, x := range src.ids {
		if !known[x] {
			rest = append(rest, place{max(i, next), x})
			next = max(i, next) + 1
		}
	}
	if len(rest) == 0 {
		return rs.Store.SetRoundPrepared(ctx, db.SetRoundPreparedParams{ID: id, Total: len(on), Finished: true})
	}
	rs.prepareRound(ctx, a, id, s.Settings, len(on), rest)
	return nil
}

// rankRound looks again who can best be reached now, or what else its order asks for.
func (rs *Rounds) rankRound(ctx context.Context, a firm.Actor, id uuid.UUID) {
	err := func() error {
		r, err := rs.round(ctx, a, id)
		if err != nil {
			return err
		}
		f, err := rs.Settings(ctx)
		if err != nil {
			return err
		}
		times := rs.roundTimes(a)
		for after := -1; ; {
			rows, err := rs.Store.WaitingOfRound(ctx,
				db.WaitingOfRoundParams{RoundID: id, After: after, Count: chunkOfRound})
			if err != nil || len(rows) == 0 {
				return err
			}
			ids := make([]uuid.UUID, len(rows))
			for i, x := range rows {
				ids[i] = x.RecordID
			}
			people, err := rs.roundPeople(ctx, rs.Store.Queries, a, f, ids)
			if err != nil {
				return err
			}
			var reach round.Reach
			if r.rules.Order == round.Best {
				if reach, err = rs.reachOf(ctx, rs.Store.Queries, a, valuesOf(people)...); err != nil {
					return err
				}
			}
			p := db.SetRanksParams{RoundID: id}
			for _, x := range rows {
				chance := 0.0
				if reach != nil {
					chance = people[x.RecordID].chanceNow(reach, times)
				}
				p.Positions, p.Ranks = append(p.Positions, x.Position), append(p.Ranks,
					round.Rank(r.rules.Order, x.Position, people[x.RecordID].person, chance))
			}
			if err := rs.Store.SetRanks(ctx, p); err != nil {
				return err
			}
			after = rows[len(rows)-1].Position
		}
	}()
	if err != nil && ctx.Err() == nil {
		rs.Log.Error("the order of a round", "round", id, "error", err)
	}
}
