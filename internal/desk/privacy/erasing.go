package privacy

import (
	"bufio"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"maps"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"trundo/internal/contract"
	"trundo/internal/core/erasure"
	"trundo/internal/core/phone"
	"trundo/internal/core/rights"
	"trundo/internal/desk/firm"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// Errors of Erase and Preview.
var (
	ErrHeld   = errors.New("they are on a legal hold and must not be erased")
	ErrInCall = errors.New("they are on the phone right now: erase them when the call is over")
)

// person is somebody with all that is known to be theirs.
type person struct {
	ids, calls []uuid.UUID
	traces     erasure.Traces
	inCall     bool
	sharedName bool     // somebody else is called so
	shared     []string // numbers that others have, too
}

// find reads what is somebody's. Errors: firm.ErrNotFound, *firm.FieldError where it is no person.
func (pv *Privacy) find(ctx context.Context, q *db.Queries, id uuid.UUID) (person, error) {
	var p person
	rows, err := q.PersonRecords(ctx, id)
	if err != nil {
		return p, err
	}
	names, mails := []string{}, []string{}
	for _, r := range rows {
		if r.ID == id && r.Kind != "contact" && r.Kind != "lead" {
			return p, firm.Wrong("id", "only a person can be erased")
		}
		if r.ID == id && r.MergedInto != nil {
			return p, firm.Wrong("id", "this record was merged into another one: erase that one")
		}
		p.ids = append(p.ids, r.ID)
		if r.Name != erasure.Mark {
			names = append(names, strings.ToLower(r.Name))
		}
		if r.Email != "" {
			mails = append(mails, strings.ToLower(r.Email))
		}
	}
	if len(p.ids) == 0 {
		return p, firm.ErrNotFound
	}
	f, err := pv.SettingsWithin(ctx)
	if err != nil {
		return p, err
	}
	p.traces.CountryCode = phone.CountryCode(f.Region)
	numbers, err := q.PersonNumbers(ctx, p.ids)
	if err != nil {
		return p, err
	}
	for _, n := range numbers {
		if n.Shared {
			p.shared = append(p.shared, n.E164)
		} else {
			p.traces.Numbers = append(p.traces.Numbers, n.E164)
		}
	}
	others, err := q.Namesakes(ctx, db.NamesakesParams{Names: names, Mails: mails, Ids: p.ids})
	if err != nil {
		return p, err
	}
	if p.sharedName = others.Names > 0; !p.sharedName {
		p.traces.Names = names
	}
	if others.Mails == 0 {
		p.traces.Mails = mails
	}
	calls, err := q.PersonCalls(ctx, db.PersonCallsParams{Ids: p.ids, Numbers: firm.OrEmpty(p.traces.Numbers)})
	p.calls = []uuid.UUID{}
	for _, c := range calls {
		p.calls = append(p.calls, c.ID)
		p.inCall = p.inCall || c.Going
	}
	return p, err
}

// Preview tells what would be erased with somebody, and what stands against it. Errors: firm.ErrForbidden,
// firm.ErrNotFound, *firm.FieldError.
func (pv *Privacy) Preview(ctx context.Context, a firm.Actor, id uuid.UUID) (contract.ErasurePreview, error) {
	if !a.MayDo(rights.Privacy) {
		return contract.ErasurePreview{}, firm.ErrForbidden
	}
	return pv.preview(ctx, pv.Store.Queries, id)
}

func (pv *Privacy) preview(ctx context.Context, q *db.Queries, id uuid.UUID) (contract.ErasurePreview, error) {
	var v contract.ErasurePreview
	p, err := pv.find(ctx, q, id)
	if err != nil {
		return v, err
	}
	n, err := q.PersonCounts(ctx, db.PersonCountsParams{Ids: p.ids, Calls: p.calls})
	if err != nil {
		return v, err
	}
	v = contract.ErasurePreview{
		Calls:         len(p.calls),
		Messages:      n.Messages,
		FollowUps:     n.FollowUps,
		Recordings:    n.Recordings,
		Notes:         n.Notes,
		InCall:        p.inCall,
		SharedName:    p.sharedName,
		SharedNumbers: len(p.shared),
	}
	hold, err := q.LegalHold(ctx, p.ids)
	switch {
	case err == nil:
		v.Held = new(hold.Reason + " (" + hold.HeldBy + ")")
	case !store.NotFound(err):
		return v, err
	case n.HeldRecordings > 0:
		v.Held = new("a recording of theirs is held")
	}
	return v, nil
}

// against is what stands against erasing somebody. Errors: ErrHeld, ErrInCall.
func against(v contract.ErasurePreview) error {
	switch {
	case v.Held != nil:
		return fmt.Errorf("%w: %s", ErrHeld, *v.Held)
	case v.InCall:
		return ErrInCall
	}
	return nil
}

// Erase erases somebody for good, behind the request: what can tell who they were is gone or blank, wherever it stands,
// and the figures stay. The same key erases once. Errors: firm.ErrForbidden, firm.ErrNotFound, *firm.FieldError,
// ErrHeld,
// ErrInCall.
func (pv *Privacy) Erase(ctx context.Context, a firm.Actor, key string, id uuid.UUID,
	n contract.NewErasure) (contract.Erasure, error) {
	if !a.MayDo(rights.Privacy) {
		return contract.Erasure{}, firm.ErrForbidden
	}
	reason := firm.CleanText(n.Reason)
	if reason == "" {
		return contract.Erasure{}, firm.Wrong("reason", "say why they are erased: that they asked, say")
	}
	made, err := pv.Once(ctx, a, key, "erase", []any{id, n}, func(q *db.Queries, made uuid.UUID) error {
		v, err := pv.preview(ctx, q, id)
		if err != nil {
			return err
		}
		if err := against(v); err != nil {
			return err
		}
		if err := q.InsertErasure(ctx, db.InsertErasureParams{ID: made, RecordID: id, Reason: reason, AskedBy: a.ID,
			AskedAt: pv.Clock.Now(), Server: pv.Server}); err != nil {
			return err
		}
		return pv.Audited(ctx, q, a, "erasure", made, "asked to erase a person", map[string]string{},
			map[string]string{"reason": reason})
	})
	if err != nil {
		return contract.Erasure{}, err
	}
	pv.InBackground(func(ctx context.Context) { pv.carryOut(ctx, made) })
	return pv.erasure(ctx, made)
}

// resume goes on with what an earlier run of this server had begun.
func (pv *Privacy) resume(ctx context.Context) {
	ids, err := pv.Store.RunningErasures(ctx, pv.Server)
	if err != nil && ctx.Err() == nil {
		pv.Log.Error("which erasures go on", "error", err)
	}
	for _, id := range ids {
		pv.carryOut(ctx, id)
	}
}

// carryOut erases somebody, all or nothing. Where it fails the erasure says why, and can be asked for again.
func (pv *Privacy) carryOut(ctx context.Context, id uuid.UUID) {
	e, err := pv.Store.Erasure(ctx, id)
	if err != nil || e.State != "running" {
		return
	}
	err = pv.erase(ctx, e)
	if err == nil || ctx.Err() != nil {
		return // or the next start goes on with it
	}
	pv.Log.Error("erasing a person", "erasure", id, "error", err)
	now := pv.Clock.Now()
	if err := pv.Store.EndErasure(ctx, db.EndErasureParams{ID: id, State: "failed", At: &now,
		Problem: "it could not be carried out; nothing was erased: ask for it again", Report: []byte("{}")}); err != nil {
		pv.Log.Error("an erasure that failed", "erasure", id, "error", err)
	}
}

func (pv *Privacy) erase(ctx context.Context, e db.ErasureRow) error {
	if _, err := pv.SealTrail(ctx); err != nil { // what is erased of the trail was sealed before
		return err
	}
	now := pv.Clock.Now()
	err := pv.Store.TxBoth(ctx, func(q *db.Queries, tx pgx.Tx) error {
		if _, err := q.LockRecord(ctx, e.RecordID); err != nil {
			return err
		}
		v, err := pv.preview(ctx, q, e.RecordID)
		if err != nil {
			return err
		}
		if err := against(v); err != nil {
			return err
		}
		p, err := pv.find(ctx, q, e.RecordID)
		if err != nil {
			return err
		}
		files, err := q.RecordingFiles(ctx, p.calls)
		if err != nil {
			return err
		}
		if err := q.LockTrail(ctx); err != nil {
			return err
		}
		if err := q.TouchTrail(ctx, "erase"); err != nil {
			return err
		}
		report, err := store.ErasePerson(ctx, tx, p.ids, p.calls, now)
		if err != nil {
			return err
		}
		if err := pv.sweep(ctx, q, tx, p.traces, report); err != nil {
			return err
		}
		for _, f := range files { // before it is committed: a kill in between goes on at the next start
			if err := pv.sounds.RemoveSound(ctx, f.File, f.Stored); err != nil {
				return err
			}
		}
		text, err := json.Marshal(report)
		if err != nil {
			return err
		}
		return q.EndErasure(ctx, db.EndErasureParams{ID: e.ID, State: "done", At: &now, Report: text})
	})
	if err != nil {
		return err
	}
	pv.PublishRecord(e.RecordID)
	pv.BookChanged()
	pv.PublishLane(e.AskedBy)
	return nil
}

// sweep erases the traces that are left anywhere else, in the database and in the files of imports.
func (pv *Privacy) sweep(ctx context.Context, q *db.Queries, tx pgx.Tx, t erasure.Traces,
	report map[string]int64) error {
	pattern := t.Pattern(`\y`)
	if pattern == "" {
		return nil
	}
	if err := q.DropImportRowsWith(ctx, pattern); err != nil {
		return err
	}
	left, err := store.Sweep(ctx, tx, pattern, pv.Clock.Now())
	if err != nil {
		return err
	}
	for table, n := range left {
		report["traces in "+strings.ReplaceAll(table, "_", " ")] = n
	}
	find, err := regexp.Compile("(?i)" + t.Pattern(`\b`))
	if err != nil {
		return err
	}
	if n, err := pv.Journal.Forget(find.Match); err != nil {
		return err
	} else if n > 0 {
		report["entries that were put aside"] = int64(n)
	}
	files, err := filepath.Glob(filepath.Join(pv.FilesDir, "imports", "*"))
	if err != nil {
		return err
	}
	for _, name := range files {
		there, err := holds(name, find)
		if err == nil && there {
			if err = os.Remove(name); err == nil {
				report["files of imports"]++
			}
		}
		if err != nil && !errors.Is(err, os.ErrNotExist) {
			return err
		}
	}
	return nil
}

// holds tells whether a file holds what is sought.
func holds(name string, find *regexp.Regexp) (bool, error) {
	f, err := os.Open(name)
	if err != nil {
		return false, err
	}
	defer f.Close()
	// In pieces that overlap by more than a trace is long.
	const piece, overlap = 1 << 20, 1 << 10
	in := bufio.NewReaderSize(f, piece)
	buffer := make([]byte, 0, piece+overlap)
	for {
		n, err := io.ReadFull(in, buffer[len(buffer):cap(buffer)])
		buffer = buffer[:len(buffer)+n]
		if find.Match(buffer) {
			return true, nil
		}
		if errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF) {
			return false, nil
		} else if err != nil {
			return false, err
		}
		keep := buffer[len(buffer)-overlap:]
		buffer = append(buffer[:0], keep...)
	}
}

// Erasure is one with what came of it. Errors: firm.ErrForbidden, firm.ErrNotFound.
func (pv *Privacy) Erasure(ctx context.Context, a firm.Actor, id uuid.UUID) (contract.Erasure, error) {
	if !a.MayDo(rights.Privacy) {
		return contract.Erasure{}, firm.ErrForbidden
	}
	return pv.erasure(ctx, id)
}

func (pv *Privacy) erasure(ctx context.Context, id uuid.UUID) (contract.Erasure, error) {
	e, err := pv.Store.Erasure(ctx, id)
	if store.NotFound(err) {
		err = firm.ErrNotFound
	}
	if err != nil {
		return contract.Erasure{}, err
	}
	return erasureView(e), nil
}

func erasureView(e db.ErasureRow) contract.Erasure {
	v := contract.Erasure{ID: e.ID, AskedAt: e.AskedAt, AskedBy: e.Asker, Reason: e.Reason,
		State: contract.ErasureState(e.State), DoneAt: e.DoneAt, Problem: e.Problem, Report: []contract.ErasedCount{}}
	var report map[string]int64
	if json.Unmarshal(e.Report, &report) == nil {
		for _, k := range slices.Sorted(maps.Keys(report)) {
			v.Report = append(v.Report, contract.ErasedCount{What: k, Count: int(report[k])})
		}
	}
	return v
}
