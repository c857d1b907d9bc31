package filing

import (
	"context"
	"strconv"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/slip"
	"trundo/internal/desk/firm"
	"trundo/internal/optional"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// ChangeSlip sets subject, type and outcome. After filing, what was before is kept in the audit trail.
// Errors: *FieldError, ErrNotFound, ErrForbidden, ErrChangedElse.
func (fg *Filing) ChangeSlip(ctx context.Context, a firm.Actor, id uuid.UUID,
	c contract.SlipChange) (contract.Call, error) {
	f, err := fg.Settings(ctx)
	if err != nil {
		return contract.Call{}, err
	}
	var s db.LockSlipRow
	var doing filing
	err = fg.Store.TxPiped(ctx, func(q *db.Queries) error {
		if s, err = firm.LockSlip(ctx, q, a, id); err != nil {
			return err
		}
		before, former := slipWords(f, s), s.OutcomeID
		p := db.UpdateSlipParams{ID: id, Subject: s.Subject, CallTypeID: s.CallTypeID, OutcomeID: s.OutcomeID,
			Visible: s.Visible}
		if err := applySlipChange(f, s.Direction, c, &p); err != nil {
			return err
		}
		if s.Version != c.Version {
			if p.Subject == s.Subject && optional.Same(p.CallTypeID, s.CallTypeID) &&
				optional.Same(p.OutcomeID, s.OutcomeID) && p.Visible == s.Visible {
				return nil // it is so already: the answer to the same wish was lost
			}
			return firm.ErrChangedElse
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
		if err := fg.Audited(ctx, q, a, "slip", id, "corrected", b, after); err != nil ||
			optional.Same(former, s.OutcomeID) {
			return err
		}
		doing = filing{fg: fg, q: q, a: a, f: f, slip: s, id: store.NewID(), at: fg.Clock.Now()}
		return doing.correct(ctx, c)
	})
	if err != nil {
		return contract.Call{}, err
	}
	fg.tellOfFiling(doing)
	fg.Calls.PublishSlip(s.UserID, s.CallID, "")
	if s.State == string(slip.Filed) {
		fg.PublishLane(s.UserID)
		return fg.Calls.TellAndView(ctx, a, s.CallID)
	}
	return fg.Calls.CallView(ctx, a, s.CallID)
}

func applySlipChange(f *firm.Settings, direction string, c contract.SlipChange, p *db.UpdateSlipParams) error {
	if c.Subject != nil {
		if len(*c.Subject) > slip.MaxSubject {
			return firm.Wrong("subject", "a subject has at most "+strconv.Itoa(slip.MaxSubject)+" characters")
		}
		p.Subject = firm.CleanText(*c.Subject)
	}
	if c.CallTypeID != nil {
		if t, ok := f.CallType(*c.CallTypeID); !ok || !t.Active {
			return firm.Wrong("call_type_id", "there is no such call type")
		}
		p.CallTypeID = c.CallTypeID
	}
	if c.OutcomeID != nil {
		o, ok := f.Outcome(*c.OutcomeID)
		switch {
		case !ok || !o.Active:
			return firm.Wrong("outcome_id", "there is no such outcome")
		case !optional.Same(c.OutcomeID, p.OutcomeID) && !o.Offer().Fits(direction, optional.ID(p.CallTypeID)):
			return firm.Wrong("outcome_id", "“"+o.Label+"” is not offered for such calls")
		}
		p.OutcomeID = c.OutcomeID
	}
	if c.Visible != nil {
		p.Visible = string(*c.Visible)
	}
	if c.Clear != nil {
		for _, field := range *c.Clear {
			switch field {
			case contract.SlipChangeClearOutcomeID:
				p.OutcomeID = nil
			case contract.SlipChangeClearCallTypeID:
				p.CallTypeID = nil
			}
		}
	}
	return nil
}

// slipWords is what a slip says, in the words that the audit trail shows.
func slipWords(f *firm.Settings, s db.LockSlipRow) map[string]string {
	words := map[string]string{"subject": s.Subject,
		"notes for": map[string]string{"all": "everybody", "team": "the team", "me": "the rep alone"}[s.Visible]}
	if s.OutcomeID != nil {
		o, _ := f.Outcome(*s.OutcomeID)
		words["outcome"] = o.Label
	}
	if s.CallTypeID != nil {
		t, _ := f.CallType(*s.CallTypeID)
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
