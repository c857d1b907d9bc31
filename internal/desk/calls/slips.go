package calls

import (
	"context"
	"errors"
	"strings"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/slip"
	"trundo/internal/desk/firm"
	"trundo/internal/journal"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// PublishSlip tells user's windows that a slip changed; writer names the window that did it, or is empty. Somebody
// looking at the call elsewhere learns it with publishHistory.
func (cs *Calls) PublishSlip(user, callID uuid.UUID, writer string) {
	e := contract.LiveEvent{Kind: contract.LiveEventKindSlip, CallID: &callID}
	if writer != "" {
		e.Writer = &writer
	}
	cs.Hub.Publish(e, user)
}

const (
	// notesPatience is for how long saving notes waits for the database before they go to the journal.
	notesPatience = 150 * time.Millisecond
	// filedPatience is the same for a filed slip's, for which there is no journal: whoever corrects waits a little longer
	// before they are told that it is not saved yet.
	filedPatience = 450 * time.Millisecond
)

// SaveNotes saves a slip's notes as they are typed. While the database is away they are kept in the journal, and the
// answer says saved: false. Errors: *NotesConflictError, *FieldError, ErrNotFound, ErrForbidden.
func (cs *Calls) SaveNotes(ctx context.Context, a firm.Actor, id uuid.UUID,
	e contract.NotesEdit) (contract.Notes, error) {
	if len(e.Body) > slip.MaxNotes {
		return contract.Notes{}, firm.Wrong("body",
			"notes can be as long as 262,144 characters; this text is longer and was not saved")
	}
	if strings.ContainsRune(e.Body, 0) {
		return contract.Notes{}, firm.Wrong("body", "notes cannot hold a NUL character")
	}
	masked := firm.HideCards(&e.Body, e.Insist)
	edit := slip.Edit{Body: e.Body, Base: e.Base, Writer: e.Writer, At: cs.Clock.Now()}
	saved, err := cs.saveOrKeep(ctx, a, id, edit)
	saved.Masked = masked
	return saved, err
}

// saveOrKeep saves notes, or keeps them beside the server while the database is away.
func (cs *Calls) saveOrKeep(ctx context.Context, a firm.Actor, id uuid.UUID, edit slip.Edit) (contract.Notes, error) {
	if cs.Journal.Away() {
		return cs.keepNotesAside(ctx, a, id, edit)
	}
	patience := filedPatience
	if _, open := cs.registry.owner(id); open {
		patience = notesPatience
	}
	if cs.Patience > 0 {
		patience = cs.Patience
	}
	quick, cancel := context.WithTimeout(ctx, patience)
	defer cancel()
	saved, err := cs.saveNotes(quick, a, id, edit)
	if store.Away(err) && ctx.Err() == nil {
		return cs.keepNotesAside(ctx, a, id, edit)
	}
	return saved, err
}

func (cs *Calls) saveNotes(ctx context.Context, a firm.Actor, id uuid.UUID, edit slip.Edit) (contract.Notes, error) {
	var next slip.Notes
	var s db.LockSlipRow
	err := cs.Store.Tx(ctx, func(q *db.Queries) error {
		var err error
		if s, err = firm.LockSlip(ctx, q, a, id); err != nil {
			return err
		}
		now, err := lockNotes(ctx, q, id)
		if err != nil {
			return err
		}
		if next, err = slip.Save(now, edit); err != nil {
			var conflict *slip.ConflictError
			if errors.As(err, &conflict) {
				return &firm.NotesConflictError{Current: contract.Notes{Body: now.Body, Version: now.Version,
					Saved: true}}
			}
			return err
		}
		if next == now {
			return nil
		}
		if s.State == string(slip.Filed) {
			if err := cs.Audited(ctx, q, a, "slip", id, "notes", map[string]string{"notes": now.Body},
				map[string]string{"notes": next.Body}); err != nil {
				return err
			}
		}
		return q.PutNotes(ctx, db.PutNotesParams{SlipID: id, Body: next.Body, Version: next.Version,
			Writer: next.Writer, SavedAt: edit.At})
	})
	if err != nil {
		return contract.Notes{}, err
	}
	cs.PublishSlip(s.UserID, s.CallID, edit.Writer)
	if s.State == string(slip.Filed) {
		if _, err := cs.TellAndView(ctx, a, s.CallID); err != nil {
			cs.Log.Error("whom to tell of a call", "call", s.CallID, "error", err)
		}
	}
	return contract.Notes{Body: next.Body, Version: next.Version, Saved: true, SavedAt: &edit.At}, nil
}

func (cs *Calls) keepNotesAside(ctx context.Context, a firm.Actor, id uuid.UUID,
	edit slip.Edit) (contract.Notes, error) {
	owner, known := cs.registry.owner(id)
	switch {
	case !known:
		return contract.Notes{}, firm.ErrAway // a filed slip: it can be corrected later, and the browser keeps the text
	case owner.user != a.ID:
		return contract.Notes{}, firm.ErrForbidden
	}
	if err := cs.Journal.Keep(ctx, journal.Entry{Kind: kindNotes, Value: notesEntry{id, a.ID, edit}}); err != nil {
		return contract.Notes{}, err
	}
	return contract.Notes{Body: edit.Body, Version: edit.Base, Saved: false}, nil
}

// TellAndView reads a call and tells everybody who looks at a record on which it stands.
func (cs *Calls) TellAndView(ctx context.Context, a firm.Actor, callID uuid.UUID) (contract.Call, error) {
	view, err := cs.CallView(ctx, a, callID)
	if err != nil {
		return view, err
	}
	records := make([]uuid.UUID, len(view.Links))
	for i, l := range view.Links {
		records[i] = l.Record.ID
	}
	cs.PublishHistory(&callID, records...)
	return view, nil
}
