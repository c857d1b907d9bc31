package desk

import (
	"context"
	"errors"
	"strconv"
	"strings"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/card"
	"trundo/internal/core/outcome"
	"trundo/internal/core/slip"
	"trundo/internal/journal"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// publishSlip tells user's windows that a slip changed; writer names the window that did it, or is empty. Somebody
// looking at the call elsewhere learns it with publishHistory.
func (d *Desk) publishSlip(user, callID uuid.UUID, writer string) {
	e := contract.LiveEvent{Kind: contract.LiveEventKindSlip, CallID: &callID}
	if writer != "" {
		e.Writer = &writer
	}
	d.Hub.Publish(e, user)
}

// notesPatience is for how long saving notes waits for the database before they go to the journal.
const notesPatience = 150 * time.Millisecond

// SaveNotes saves a slip's notes as they are typed. While the database is away they are kept in the journal, and the
// answer says saved: false. Errors: *NotesConflictError, *FieldError, ErrNotFound, ErrForbidden.
func (d *Desk) SaveNotes(ctx context.Context, a Actor, id uuid.UUID, e contract.NotesEdit) (contract.Notes, error) {
	if len(e.Body) > slip.MaxNotes {
		return contract.Notes{}, wrong("body", "notes can be as long as 262,144 characters; this text is longer and was not saved")
	}
	if strings.ContainsRune(e.Body, 0) {
		return contract.Notes{}, wrong("body", "notes cannot hold a NUL character")
	}
	masked := hidden(&e.Body, e.Insist)
	edit := slip.Edit{Body: e.Body, Base: e.Base, Writer: e.Writer, At: d.Clock.Now()}
	saved, err := d.saveOrKeep(ctx, a, id, edit)
	saved.Masked = masked
	return saved, err
}

// saveOrKeep saves notes, or keeps them beside the server while the database is away.
func (d *Desk) saveOrKeep(ctx context.Context, a Actor, id uuid.UUID, edit slip.Edit) (contract.Notes, error) {
	if d.journal.Away() {
		return d.keepNotesAside(ctx, a, id, edit)
	}
	quick, cancel := context.WithTimeout(ctx, notesPatience)
	defer cancel()
	saved, err := d.saveNotes(quick, a, id, edit)
	if store.Away(err) && ctx.Err() == nil {
		return d.keepNotesAside(ctx, a, id, edit)
	}
	return saved, err
}

func (d *Desk) saveNotes(ctx context.Context, a Actor, id uuid.UUID, edit slip.Edit) (contract.Notes, error) {
	var next slip.Notes
	var s db.LockSlipRow
	err := d.Store.Tx(ctx, func(q *db.Queries) error {
		var err error
		if s, err = lockSlip(ctx, q, a, id); err != nil {
			return err
		}
		now, err := lockNotes(ctx, q, id)
		if err != nil {
			return err
		}
		if next, err = slip.Save(now, edit); err != nil {
			var conflict *slip.ConflictError
			if errors.As(err, &conflict) {
				return &NotesConflictError{contract.Notes{Body: now.Body, Version: now.Version, Saved: true}}
			}
			return err
		}
		if next == now {
			return nil
		}
		if s.State == string(slip.Filed) {
			if err := d.audited(ctx, q, a, "slip", id, "notes", map[string]string{"notes": now.Body}, map[string]string{"notes": next.Body}); err != nil {
				return err
			}
		}
		return q.PutNotes(ctx, db.PutNotesParams{SlipID: id, Body: next.Body, Version: next.Version, Writer: next.Writer, SavedAt: edit.At})
	})
	if err != nil {
		return contract.Notes{}, err
	}
	d.publishSlip(s.UserID, s.CallID, edit.Writer)
	if s.State == string(slip.Filed) {
		if _, err := d.tellAndView(ctx, a, s.CallID); err != nil {
			d.Log.Error("whom to tell of a call", "call", s.CallID, "error", err)
		}
	}
	return contract.Notes{Body: next.Body, Version: next.Version, Saved: true, SavedAt: &edit.At}, nil
}

func (d *Desk) keepNotesAside(ctx context.Context, a Actor, id uuid.UUID, edit slip.Edit) (contract.Notes, error) {
	owner, known := d.calls.owner(id)
	switch {
	case !known:
		return contract.Notes{}, ErrAway // a filed slip: it can be corrected later, and the browser keeps the text
	case owner.user != a.ID:
		return contract.Notes{}, ErrForbidden
	}
	if err := d.journal.Keep(ctx, journal.Entry{Kind: kindNotes, Value: notesEntry{id, a.ID, edit}}); err != nil {
		return contract.Notes{}, err
	}
	return contract.Notes{Body: edit.Body, Version: edit.Base, Saved: false}, nil
}

// hidden hides what looks like a payment card number in a text before it is kept, unless who wrote it insists, and tells what it hid.
func hidden(text *string, insist *bool) *[]contract.Masked {
	if value(insist) {
		return nil
	}
	found := card.Find(*text)
	if len(found) == 0 {
		return nil
	}
	masked := make([]contract.Masked, len(found))
	for i, f := range found {
		masked[i] = contract.Masked{Text: f.Text, Mask: f.Mask}
	}
	*text = card.Mask(*text)
	return &masked
}

// lockSlip reads a slip for a change. Its rep may change it, and those who lead.
func lockSlip(ctx context.Context, q *db.Queries, a Actor, id uuid.UUID) (db.LockSlipRow, error) {
	s, err := q.LockSlip(ctx, id)
	if store.NotFound(err) {
		return s, ErrNotFound
	} else if err != nil {
		return s, err
	}
	if !slip.MayChange(a.reader(), s.UserID.String(), slip.Visible(s.Visible)) {
		return s, ErrForbidden
	}
	return s, nil
}

// ChangeSlip sets subject, type and outcome. After filing, what was before is kept in the audit trail.
// Errors: *FieldError, ErrNotFound, ErrForbidden, ErrChangedElse.
func (d *Desk) ChangeSlip(ctx context.Context, a Actor, id uuid.UUID, c contract.SlipChange) (contract.Call, error) {
	f, err := d.firm(ctx)
	if err != nil {
		return contract.Call{}, err
	}
	var s db.LockSlipRow
	var doing filing
	err = d.Store.Tx(ctx, func(q *db.Queries) error {
		if s, err = lockSlip(ctx, q, a, id); err != nil {
			return err
		}
		before, former := slipWords(f, s), s.OutcomeID
		p := db.UpdateSlipParams{ID: id, Subject: s.Subject, CallTypeID: s.CallTypeID, OutcomeID: s.OutcomeID, Visible: s.Visible}
		if err := applySlipChange(f, c, &p); err != nil {
			return err
		}
		if s.Version != c.Version {
			if p.Subject == s.Subject && sameID(p.CallTypeID, s.CallTypeID) && sameID(p.OutcomeID, s.OutcomeID) && p.Visible == s.Visible {
				return nil // it is so already: the answer to the same wish was lost
			}
			return ErrChangedElse
		}
		s.Subject, s.CallTypeID, s.OutcomeID, s.Visible = p.Subject, p.CallTypeID, p.OutcomeID, p.Visible
		if err := q.UpdateSlip(ctx, p); err != nil {
			return err
		}
		if s.State != string(slip.Filed) {
			return nil
		}
		b, after := onlyChanged(before, slipWords(f, s))
		if len(after) == 0 && len(b) == 0 {
			return nil
		}
		if err := d.audited(ctx, q, a, "slip", id, "corrected", b, after); err != nil || sameID(former, s.OutcomeID) {
			return err
		}
		doing = filing{desk: d, q: q, a: a, f: f, slip: s, id: store.NewID(), at: d.Clock.Now()}
		return doing.correct(ctx, c)
	})
	if err != nil {
		return contract.Call{}, err
	}
	d.tellOfFiling(doing)
	d.publishSlip(s.UserID, s.CallID, "")
	if s.State == string(slip.Filed) {
		d.publishLane(s.UserID)
		return d.tellAndView(ctx, a, s.CallID)
	}
	return d.callView(ctx, a, s.CallID)
}

func applySlipChange(f *firm, c contract.SlipChange, p *db.UpdateSlipParams) error {
	if c.Subject != nil {
		if len(*c.Subject) > slip.MaxSubject {
			return wrong("subject", "a subject has at most "+strconv.Itoa(slip.MaxSubject)+" characters")
		}
		p.Subject = cleanText(*c.Subject)
	}
	if c.CallTypeID != nil {
		if t, ok := f.callType(*c.CallTypeID); !ok || !t.Active {
			return wrong("call_type_id", "there is no such call type")
		}
		p.CallTypeID = c.CallTypeID
	}
	if c.OutcomeID != nil {
		if o, ok := f.outcome(*c.OutcomeID); !ok || !o.Active {
			return wrong("outcome_id", "there is no such outcome")
		}
		p.OutcomeID = c.OutcomeID
	}
	if c.Visible != nil {
		p.Visible = string(*c.Visible)
	}
	if c.Clear != nil {
		for _, field := range *c.Clear {
			switch field {
			case contract.OutcomeID:
				p.OutcomeID = nil
			case contract.CallTypeID:
				p.CallTypeID = nil
			}
		}
	}
	return nil
}

// slipWords is what a slip says, in the words that the audit trail shows.
func slipWords(f *firm, s db.LockSlipRow) map[string]string {
	words := map[string]string{"subject": s.Subject, "notes for": map[string]string{"all": "everybody", "team": "the team", "me": "the rep alone"}[s.Visible]}
	if s.OutcomeID != nil {
		o, _ := f.outcome(*s.OutcomeID)
		words["outcome"] = o.Label
	}
	if s.CallTypeID != nil {
		t, _ := f.callType(*s.CallTypeID)
		words["type"] = t.Label
	}
	return words
}

// onlyChanged leaves out of both what is the same.
func onlyChanged(before, after map[string]string) (b, a map[string]string) {
	b, a = map[string]string{}, map[string]string{}
	for k, v := range before {
		if after[k] != v {
			b[k] = v
		}
	}
	for k, v := range after {
		if before[k] != v {
			a[k] = v
		}
	}
	return b, a
}

// File finishes a slip, and in the same transaction does what its outcome does, as it was shown (nil: as it is planned now). Everything that happened in the
// call is committed before. The same key gets the same answer. Errors: those of slip.CanFile, *FieldError, ErrNotFound, ErrForbidden, ErrAway, ErrKeyReused.
func (d *Desk) File(ctx context.Context, a Actor, id uuid.UUID, key string, shown *[]contract.PlanItem) (contract.Call, error) {
	callID, err := d.fileOnce(ctx, a, id, key, shown, nil)
	if err != nil {
		return contract.Call{}, err
	}
	return d.tellAndView(ctx, a, callID)
}

// fileOnce files a slip, as one of an attempt without an outcome where how says so; the same key gets the same call.
func (d *Desk) fileOnce(ctx context.Context, a Actor, id uuid.UUID, key string, shown *[]contract.PlanItem, how *Ending) (uuid.UUID, error) {
	hash := hashRequest([]any{id, shown, how.parts()})
	callID, err := d.file(ctx, a, id, key, hash, shown, how)
	if err != nil {
		if earlier, found, again := d.earlierAnswer(ctx, a, key, "file_slip", hash); again != nil {
			return uuid.Nil, again
		} else if found {
			return earlier, nil
		}
	}
	return callID, err
}

// tellAndView reads a call and tells everybody who looks at a record on which it stands.
func (d *Desk) tellAndView(ctx context.Context, a Actor, callID uuid.UUID) (contract.Call, error) {
	view, err := d.callView(ctx, a, callID)
	if err != nil {
		return view, err
	}
	records := make([]uuid.UUID, len(view.Links))
	for i, l := range view.Links {
		records[i] = l.Record.ID
	}
	d.publishHistory(&callID, records...)
	return view, nil
}

// promiseNear is how much before its time a promised call may be made and still keeps the promise.
const promiseNear = 10 * time.Minute

func (d *Desk) file(ctx context.Context, a Actor, id uuid.UUID, key string, hash []byte, shown *[]contract.PlanItem, how *Ending) (uuid.UUID, error) {
	f, err := d.firm(ctx)
	if err != nil {
		return uuid.Nil, err
	}
	if err := d.journal.Flush(ctx); err != nil {
		if errors.Is(err, journal.ErrAway) {
			return uuid.Nil, ErrAway
		}
		return uuid.Nil, err
	}
	var s db.LockSlipRow
	var doing filing
	err = d.Store.Tx(ctx, func(q *db.Queries) error {
		if s, err = lockSlip(ctx, q, a, id); err != nil {
			return err
		}
		state, err := d.stateOfSlip(ctx, q, s)
		if err != nil {
			return err
		}
		look := slip.Slip{State: slip.State(s.State), User: s.UserID.String(), HasOutcome: s.OutcomeID != nil, HasType: s.CallTypeID != nil, Notes: s.NotesBody}
		var plan []outcome.Item
		reached := false
		if s.OutcomeID != nil && how == nil {
			o, _ := f.outcome(*s.OutcomeID)
			reached = o.Reached
			look.NotesNeeded, look.OutcomeLabel = o.NeedsNotes, o.Label
			if plan, err = d.settled(ctx, q, a, f, id, o, shown); err != nil {
				return err
			}
			if o.NeedsFollowUp {
				look.FollowUpNeeded = true
				if look.HasFollowUp, err = d.hasFollowUp(ctx, q, s.CallID, plan); err != nil {
					return err
				}
			}
		}
		rules := f.rules
		if s.Internal || how != nil {
			rules = slip.Rules{} // among colleagues, and of a number that was left for another, nothing is compulsory
		}
		if err := slip.CanFile(look, &state, rules); err != nil {
			return err
		}
		now := d.Clock.Now()
		if err := q.FileSlip(ctx, db.FileSlipParams{ID: id, At: &now}); err != nil {
			return err
		}
		worth, err := d.weigh(ctx, q, s.CallID)
		if err != nil {
			return err
		}
		if worth.Conversation() {
			until := now.Add(promiseNear)
			if _, err := q.SettlePromises(ctx, db.SettlePromisesParams{At: &now, Until: &until, OwnerID: s.UserID, CallID: s.CallID}); err != nil {
				return err
			}
		}
		if worth.Conversation() && reached {
			if err := d.spoke(ctx, q, s.CallID); err != nil {
				return err
			}
		}
		if doing = (filing{desk: d, q: q, a: a, f: f, slip: s, id: store.NewID(), at: now}); len(plan) > 0 {
			if err := doing.carryOut(ctx, plan); err != nil {
				return err
			}
		}
		if s.InRound {
			if err := doing.settleAttempt(ctx, plan, reached, how); err != nil {
				return err
			}
		}
		if err := d.emitFiled(ctx, q, id); err != nil {
			return err
		}
		return d.remember(ctx, q, a, key, "file_slip", hash, s.CallID)
	})
	if err != nil {
		if store.Duplicate(err) {
			return uuid.Nil, ErrKeyReused
		}
		return uuid.Nil, err
	}
	d.SlipFiled(id)
	d.publishSlip(s.UserID, s.CallID, "")
	d.publishLane(s.UserID)
	d.tellOfFiling(doing)
	return s.CallID, nil
}
