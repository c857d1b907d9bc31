package privacy

import (
	"context"
	"encoding/json"
	"errors"
	"os"
	"path/filepath"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/rights"
	"trundo/internal/desk/firm"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// retention is for how long the firm keeps things.
func (pv *Privacy) retention(ctx context.Context) (r firm.Retention, err error) {
	return r, pv.Setting(ctx, "retention", &r)
}

// Overview is for how long things are kept, whom the law holds, and who was erased. Error: firm.ErrForbidden.
func (pv *Privacy) Overview(ctx context.Context, a firm.Actor) (contract.Privacy, error) {
	v := contract.Privacy{Holds: []contract.LegalHold{}, Erasures: []contract.Erasure{}}
	if !a.MayDo(rights.Privacy) {
		return v, firm.ErrForbidden
	}
	r, err := pv.retention(ctx)
	if err != nil {
		return v, err
	}
	v.Retention = contract.Retention{TrailDays: r.TrailDays, NoteDays: r.NoteDays, MessageDays: r.MessageDays,
		CallDays: r.CallDays, ImportDays: r.ImportDays}
	holds, err := pv.Store.LegalHolds(ctx)
	if err != nil {
		return v, err
	}
	for _, h := range holds {
		v.Holds = append(v.Holds, contract.LegalHold{RecordID: h.RecordID, Name: h.Name, Reason: h.Reason, By: h.HeldBy,
			At: h.HeldAt})
	}
	erasures, err := pv.Store.Erasures(ctx)
	for _, e := range erasures {
		v.Erasures = append(v.Erasures, erasureView(db.ErasureRow(e)))
	}
	return v, err
}

// SetRetention sets for how long things are kept; 0: for ever. Errors: firm.ErrForbidden.
func (pv *Privacy) SetRetention(ctx context.Context, a firm.Actor, r contract.Retention) (contract.Privacy, error) {
	if !a.MayDo(rights.Privacy) {
		return contract.Privacy{}, firm.ErrForbidden
	}
	err := pv.Store.Tx(ctx, func(q *db.Queries) error {
		var before firm.Retention
		if err := firm.ReadSetting(ctx, q, "retention", &before); err != nil {
			return err
		}
		after := firm.Retention{TrailDays: r.TrailDays, NoteDays: r.NoteDays, MessageDays: r.MessageDays,
			CallDays: r.CallDays, ImportDays: r.ImportDays}
		value, err := json.Marshal(after)
		if err != nil {
			return err
		}
		if err := q.PutSetting(ctx, db.PutSettingParams{Key: "retention", Value: value}); err != nil {
			return err
		}
		return pv.Audited(ctx, q, a, "settings", uuid.Nil, "how long things are kept", before, after)
	})
	if err != nil {
		return contract.Privacy{}, err
	}
	return pv.Overview(ctx, a)
}

// Forgotten is what was deleted because it was kept for long enough.
type Forgotten struct{ Notes, Messages, Calls, Imports int64 }

// Forget deletes what is older than the firm keeps it. What belongs to somebody whom the law holds stays.
func (pv *Privacy) Forget(ctx context.Context) (Forgotten, error) {
	var done Forgotten
	r, err := pv.retention(ctx)
	if err != nil {
		return done, err
	}
	now := pv.Clock.Now()
	if r.NoteDays > 0 {
		if done.Notes, err = pv.Store.ForgetNotes(ctx, new(now.AddDate(0, 0, -r.NoteDays))); err != nil {
			return done, err
		}
	}
	if r.MessageDays > 0 {
		if done.Messages, err = pv.Store.ForgetMessages(ctx, now.AddDate(0, 0, -r.MessageDays)); err != nil {
			return done, err
		}
	}
	if r.CallDays > 0 {
		if done.Calls, err = pv.Store.ForgetCalls(ctx, new(now.AddDate(0, 0, -r.CallDays))); err != nil {
			return done, err
		}
	}
	if r.ImportDays > 0 {
		old, err := pv.Store.OldImports(ctx, now.AddDate(0, 0, -r.ImportDays))
		if err != nil {
			return done, err
		}
		for _, id := range old {
			if err := os.Remove(filepath.Join(pv.FilesDir, "imports", id.String())); err == nil {
				done.Imports++
			} else if !errors.Is(err, os.ErrNotExist) {
				return done, err
			}
			if err := pv.Store.ForgetImport(ctx, id); err != nil {
				return done, err
			}
		}
	}
	return done, nil
}

// Hold keeps somebody from being erased and their things from being deleted in their time. Errors: firm.ErrForbidden,
// firm.ErrNotFound, firm.ErrGone, *firm.FieldError.
func (pv *Privacy) Hold(ctx context.Context, a firm.Actor, id uuid.UUID, h contract.NewLegalHold) error {
	if !a.MayDo(rights.Privacy) {
		return firm.ErrForbidden
	}
	reason := firm.CleanText(h.Reason)
	if reason == "" {
		return firm.Wrong("reason", "say why everything about them has to be kept")
	}
	if err := pv.Readable(ctx, id); err != nil {
		return err
	}
	return pv.Store.Tx(ctx, func(q *db.Queries) error {
		if err := q.PutLegalHold(ctx, db.PutLegalHoldParams{RecordID: id, Reason: reason, HeldBy: a.ID,
			HeldAt: pv.Clock.Now()}); err != nil {
			return err
		}
		return pv.Audited(
			ctx,
			q,
			a,
			"record",
			id,
			"legal hold",
			map[string]string{},
			map[string]string{"legal hold": reason},
		)
	})
}

// Release lets somebody go whom the law does not hold any more. Errors: firm.ErrForbidden, firm.ErrNotFound.
func (pv *Privacy) Release(ctx context.Context, a firm.Actor, id uuid.UUID) error {
	if !a.MayDo(rights.Privacy) {
		return firm.ErrForbidden
	}
	return pv.Store.Tx(ctx, func(q *db.Queries) error {
		n, err := q.DropLegalHold(ctx, id)
		switch {
		case err != nil:
			return err
		case n == 0:
			return firm.ErrNotFound
		}
		return pv.Audited(ctx, q, a, "record", id, "legal hold ended", map[string]string{"legal hold": "yes"},
			map[string]string{"legal hold": ""})
	})
}

const aMinute = time.Minute // by how much clocks may differ

// Consents are what somebody agreed to or no longer does, newest first. Errors: firm.ErrNotFound, firm.ErrGone.
func (pv *Privacy) Consents(ctx context.Context, id uuid.UUID) ([]contract.Consent, error) {
	if err := pv.Readable(ctx, id); err != nil {
		return nil, err
	}
	rows, err := pv.Store.ConsentsOf(ctx, id)
	all := []contract.Consent{}
	for _, r := range rows {
		all = append(all, contract.Consent{ID: r.ID, What: contract.ConsentWhat(r.What), Given: r.Given, At: r.At,
			How: r.How, NotedBy: r.NotedBy})
	}
	return all, err
}

// obeyCalls lets the newest word about calls hold: who no longer agrees has the mark that keeps everybody from calling, who
// agrees again has it no more, unless it stands there for another reason.
func obeyCalls(ctx context.Context, q *db.Queries, id uuid.UUID, at time.Time, how string) error {
	withdrawn, err := q.Withdrawn(ctx, db.WithdrawnParams{RecordID: id, What: string(contract.ConsentWhatCalls)})
	if err != nil {
		return err
	}
	return q.MarkByConsent(ctx, db.MarkByConsentParams{RecordID: id, Withdrawn: withdrawn, At: at,
		Reason: "no longer agrees to calls: " + how})
}

// NoteConsent writes down that somebody agreed to something, or no longer does, with when and how. Errors:
// firm.ErrNotFound, firm.ErrGone, *firm.FieldError.
func (pv *Privacy) NoteConsent(ctx context.Context, a firm.Actor, id uuid.UUID,
	n contract.NewConsent) ([]contract.Consent, error) {
	how, now := firm.CleanText(n.How), pv.Clock.Now()
	if how == "" {
		return nil, firm.Wrong("how", "say how they told us: by phone, in a form, in a mail")
	}
	at := now
	if n.At != nil {
		if at = *n.At; at.After(now.Add(aMinute)) {
			return nil, firm.Wrong("at", "that is in the future")
		}
	}
	err := pv.Store.Tx(ctx, func(q *db.Queries) error {
		if _, err := firm.LockRecord(ctx, q, id); err != nil {
			return err
		}
		if err := q.InsertConsent(ctx, db.InsertConsentParams{ID: store.NewID(), RecordID: id, What: string(n.What),
			Given: n.Given, At: at, How: how, NotedBy: a.ID}); err != nil {
			return err
		}
		if n.What == contract.ConsentWhatCalls {
			if err := obeyCalls(ctx, q, id, at, how); err != nil {
				return err
			}
		}
		word := map[bool]string{true: "agreed", false: "withdrawn"}[n.Given]
		return pv.Audited(ctx, q, a, "record", id, "consent", map[string]string{},
			map[string]string{"consent to " + string(n.What): word + ": " + how})
	})
	if err != nil {
		return nil, err
	}
	pv.PublishRecord(id)
	return pv.Consents(ctx, id)
}
