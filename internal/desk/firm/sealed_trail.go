package firm

import (
	"context"
	"fmt"
	"slices"
	"time"

	"github.com/google/uuid"

	"trundo/internal/core/chain"
	"trundo/internal/optional"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// sealEvery is how long an entry of the trail stays unsealed at most, and sealedAtOnce how many are sealed together.
const (
	sealEvery    = 2 * time.Second
	sealedAtOnce = 1000
	pruneEvery   = time.Hour
)

// StartTrail seals what is written into the trail, and deletes what is older than the firm keeps it, until the desk
// closes.
func (k *Firm) StartTrail() {
	k.InBackground(func(ctx context.Context) {
		tick := k.Clock.NewTicker(sealEvery)
		defer tick.Stop()
		var pruned time.Time
		told := int64(-1) // the number of the entry that the log has heard of last
		for {
			select {
			case <-ctx.Done():
				return
			case <-tick.Chan():
			}
			if _, err := k.SealTrail(ctx); err != nil && ctx.Err() == nil && !store.Away(err) {
				k.Log.Error("sealing the trail", "error", err)
			}
			if k.Clock.Since(pruned) < pruneEvery {
				continue
			}
			pruned = k.Clock.Now()
			told = k.logTrail(ctx, told)
			if _, err := k.PruneTrail(ctx); err != nil && ctx.Err() == nil && !store.Away(err) {
				k.Log.Error("shortening the trail", "error", err)
			}
		}
	})
}

// logTrail writes the head of the trail into the log, where it is another one than told: a log is kept elsewhere, and a
// trail that was made up anew has another head. It gives the number of the entry that was told.
func (k *Firm) logTrail(ctx context.Context, told int64) int64 {
	head, err := k.Store.TrailHead(ctx)
	if err != nil || head.N == told {
		return told
	}
	k.Log.Info("the head of the trail", "entry", head.N, "hash", fmt.Sprintf("%x", head.Hash))
	return head.N
}

// SealTrail seals what is not sealed yet, and tells how many entries that were.
func (k *Firm) SealTrail(ctx context.Context) (int, error) {
	if n, err := k.Store.CountUnsealed(ctx); err != nil || n == 0 {
		return 0, err
	}
	sealed := 0
	err := k.Store.Tx(ctx, func(q *db.Queries) error {
		if err := q.LockTrail(ctx); err != nil {
			return err
		}
		if err := q.TouchTrail(ctx, "seal"); err != nil {
			return err
		}
		head, err := q.TrailHead(ctx)
		if err != nil && !store.NotFound(err) {
			return err
		}
		last, n := sealOf(head.Hash), head.N
		entries, err := q.UnsealedTrail(ctx, sealedAtOnce)
		if err != nil {
			return err
		}
		var seals []db.SealTrailParams
		for _, e := range entries {
			n++
			before, after := chain.Text(e.Before), chain.Text(e.After)
			last = chain.Link(last, n, trailParts(e.ID, e.At, e.ActorID, e.SubjectKind, e.SubjectID, e.Action, before,
				after)...)
			seals = append(seals, db.SealTrailParams{ID: e.ID, N: n, Hash: slices.Clone(last[:]), BeforeHash: before[:],
				AfterHash: after[:]})
		}
		sealed = len(seals)
		return Every(q.SealTrail(ctx, seals).Exec)
	})
	return sealed, err
}

func sealOf(b []byte) chain.Hash {
	var h chain.Hash
	copy(h[:], b)
	return h
}

// trailParts are what an entry is sealed with.
func trailParts(id uuid.UUID, at time.Time, actor *uuid.UUID, kind string, subject uuid.UUID, action string,
	before, after chain.Hash) []string {
	return []string{id.String(), at.UTC().Format(time.RFC3339Nano), optional.ID(actor), kind, subject.String(), action,
		string(before[:]), string(after[:])}
}

// Retention is the value of the setting "retention": for how many days things are kept; 0: for ever.
type Retention struct {
	TrailDays   int `json:"trail_days,omitempty"`
	NoteDays    int `json:"note_days,omitempty"`
	MessageDays int `json:"message_days,omitempty"`
	CallDays    int `json:"call_days,omitempty"`
	ImportDays  int `json:"import_days,omitempty"`
}

// PruneTrail deletes entries that are older than the firm keeps them, and tells how many; the chain begins behind them.
func (k *Firm) PruneTrail(ctx context.Context) (int64, error) {
	var r Retention
	if err := k.Setting(ctx, "retention", &r); err != nil || r.TrailDays == 0 {
		return 0, err
	}
	now, deleted := k.Clock.Now(), int64(0)
	err := k.Store.Tx(ctx, func(q *db.Queries) error {
		if err := q.LockTrail(ctx); err != nil {
			return err
		}
		last, err := q.PrunableTrail(ctx, now.AddDate(0, 0, -r.TrailDays))
		if store.NotFound(err) {
			return nil
		} else if err != nil {
			return err
		}
		if err := q.TouchTrail(ctx, "prune"); err != nil {
			return err
		}
		if err := q.BeginTrailAt(ctx, db.BeginTrailAtParams{N: last.N, Hash: last.Hash, At: now}); err != nil {
			return err
		}
		deleted, err = q.PruneTrail(ctx, last.N)
		return err
	})
	return deleted, err
}

// CheckedTrail is what was found by going along the trail.
type CheckedTrail struct {
	Sealed   int64  // entries whose seal fits
	Unsealed int64  // entries that were written a moment ago
	Erased   int64  // entries whose texts were erased with a person
	Last     int64  // the number of the last one
	Head     string // its hash, to be written down elsewhere: a trail that was made up anew has another one
	Known    bool   // the head that was asked for is in it
}

// CheckTrail goes along the whole trail. known is the hash of an entry that was written down before, or empty. Errors:
// chain.ErrChanged and chain.ErrMissing, with the number of the entry.
func CheckTrail(ctx context.Context, q *db.Queries, known string) (CheckedTrail, error) {
	var found CheckedTrail
	begin, err := q.TrailBeginning(ctx)
	if err != nil && !store.NotFound(err) {
		return found, err
	}
	c := chain.From(begin.N, sealOf(begin.Hash))
	found.Known = known == "" || known == fmt.Sprintf("%x", begin.Hash)
	for after := begin.N; ; {
		entries, err := q.SealedTrail(ctx, db.SealedTrailParams{AfterN: after, Many: 5000})
		if err != nil {
			return found, err
		}
		for _, e := range entries {
			before, now := sealOf(e.BeforeHash), sealOf(e.AfterHash)
			if e.ErasedAt != nil {
				found.Erased++
			} else if chain.Text(e.Before) != before || chain.Text(e.After) != now {
				return found, fmt.Errorf("entry %d %w", e.N, chain.ErrChanged)
			}
			if err := c.Check(e.N, sealOf(e.Hash), trailParts(e.ID, e.At, e.ActorID, e.SubjectKind, e.SubjectID, e.Action,
				before, now)...); err != nil {
				return found, err
			}
			found.Known = found.Known || known == fmt.Sprintf("%x", e.Hash)
			found.Sealed++
		}
		if len(entries) == 0 {
			break
		}
		after = entries[len(entries)-1].N
	}
	if found.Unsealed, err = q.CountUnsealed(ctx); err != nil {
		return found, err
	}
	n, head := c.Head()
	found.Last, found.Head = n, fmt.Sprintf("%x", head)
	return found, nil
}
