package calls

import (
	"context"
	"encoding/json"
	"errors"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/call"
	"trundo/internal/core/phone"
	"trundo/internal/core/recording"
	"trundo/internal/core/rights"
	"trundo/internal/core/usage"
	"trundo/internal/desk/firm"
	"trundo/internal/media"
	"trundo/internal/store/db"
)

// maxKept is for how many days recordings can be kept by a policy: a hundred years.
const maxKept = 36500

// RecordingSettings are what the firm does where everybody must agree, for how long it keeps what it recorded, what
// that will delete, and whose calls have a rule of their own. Error: ErrForbidden.
func (rc *Recordings) RecordingSettings(ctx context.Context, a firm.Actor) (contract.RecordingSettings, error) {
	if !a.MayDo(rights.Telephony) {
		return contract.RecordingSettings{}, firm.ErrForbidden
	}
	f, err := rc.Settings(ctx)
	if err != nil {
		return contract.RecordingSettings{}, err
	}
	v := contract.RecordingSettings{Everybody: contract.RecordingRule(f.Keeping.Everybody),
		CallDays: f.Keeping.CallDays, MessageDays: f.Keeping.MessageDays,
		PreparedConsent: &f.Keeping.PreparedConsent, ListenUntold: &f.Keeping.ListenUntold,
		Consultations: &f.Keeping.Consultations,
		NoticeDays:    int(recording.Notice / (24 * time.Hour)), Reps: []contract.RepRecording{}}
	expiring, err := rc.Store.RecordingsExpiring(ctx)
	if err != nil {
		return v, err
	}
	if v.Expiring = expiring.Count; v.Expiring > 0 {
		v.ExpiresFirst = &expiring.First
	}
	reps, err := rc.Store.UsersRecording(ctx)
	for _, r := range reps {
		v.Reps = append(v.Reps, contract.RepRecording{ID: r.ID, Name: r.Name, Rule: r.Recording})
	}
	return v, err
}

// SetRecordingSettings sets them. Nothing is deleted sooner than recording.Notice after it was said so. Errors:
// ErrForbidden, *FieldError.
func (rc *Recordings) SetRecordingSettings(ctx context.Context, a firm.Actor,
	s contract.RecordingSettings) (contract.RecordingSettings, error) {
	before, err := rc.RecordingSettings(ctx, a)
	if err != nil {
		return s, err
	}
	switch {
	case s.Everybody == contract.RecordingRuleOn:
		return s, firm.Wrong("everybody", "where everybody must agree, they have to be told, or asked")
	case s.CallDays < 0 || s.CallDays > maxKept:
		return s, firm.Wrong("call_days", "from 1 to 36500 days, or 0 for without end")
	case s.MessageDays < 0 || s.MessageDays > maxKept:
		return s, firm.Wrong("message_days", "from 1 to 36500 days, or 0 for without end")
	}
	yes := func(b *bool) bool { return b != nil && *b }
	text, err := json.Marshal(firm.RecordingSettings{Everybody: recording.Rule(s.Everybody), CallDays: s.CallDays,
		MessageDays:     s.MessageDays,
		PreparedConsent: yes(s.PreparedConsent), ListenUntold: yes(s.ListenUntold),
		Consultations: yes(s.Consultations)})
	if err != nil {
		return s, err
	}
	if err := rc.Store.Tx(ctx, func(q *db.Queries) error {
		if err := q.PutSetting(ctx, db.PutSettingParams{Key: "recording", Value: text}); err != nil {
			return err
		}
		for _, r := range s.Reps {
			if r.Rule != "" && !recording.Known(recording.Rule(r.Rule)) {
				return firm.Wrong("reps", "a rule is yes, told first, asked or no")
			}
			if n, err := q.SetUserRecording(ctx, db.SetUserRecordingParams{ID: r.ID, Recording: r.Rule}); err != nil {
				return err
			} else if n == 0 {
				return firm.Wrong("reps", "one of these is nobody of the firm")
			}
		}
		words := func(s contract.RecordingSettings) map[string]string {
			s.Expiring, s.ExpiresFirst = 0, nil
			text, _ := json.Marshal(s)
			return map[string]string{"recording": string(text)}
		}
		return rc.Audited(ctx, q, a, "settings", uuid.Nil, "rules of recording changed", words(before), words(s))
	}); err != nil {
		return s, err
	}
	rc.BookChanged()
	rc.ActorsChanged()
	if err := rc.tellExpiry(ctx); err != nil {
		return s, err
	}
	return rc.RecordingSettings(ctx, a)
}

// WouldDelete is how many recordings a policy of so many days would delete, if it were set now. Error: ErrForbidden.
func (rc *Recordings) WouldDelete(ctx context.Context, a firm.Actor, callDays, messageDays int) (int, error) {
	if !a.MayDo(rights.Telephony) {
		return 0, firm.ErrForbidden
	}
	calls, messages := rc.limits(recording.Policy{CallDays: callDays, MessageDays: messageDays}, rc.Clock.Now())
	return rc.Store.RecordingsBefore(ctx, db.RecordingsBeforeParams{CallsBefore: calls, MessagesBefore: messages})
}

// limits are the times before which recordings began that have been kept for long enough at a time.
func (rc *Recordings) limits(p recording.Policy, at time.Time) (calls, messages time.Time) {
	never := time.Unix(0, 0)
	calls, messages = never, never
	if p.CallDays > 0 {
		calls = at.AddDate(0, 0, -p.CallDays)
	}
	if p.MessageDays > 0 {
		messages = at.AddDate(0, 0, -p.MessageDays)
	}
	return calls, messages
}

// beginByRule decides whether a conversation is recorded, and begins that, after both sides were told where they have
// to be.
func (rc *Recordings) beginByRule(ctx context.Context, callID uuid.UUID) {
	decided, err := rc.decide(ctx, callID)
	if err != nil {
		rc.Log.Warn("whether a call is recorded", "call", callID, "error", err)
		return // unknown is no
	}
	rc.registry.change(callID, func(c *liveCall) {
		c.sound = decided
	})
	switch decided.Rule {
	case recording.On:
		rc.begin(callID, contract.CallRecordingKindCall, decided.Why)
	case recording.Announce:
		rc.announce(ctx, callID, true)
		rc.begin(callID, contract.CallRecordingKindCall, decided.Why)
	default:
		rc.tellParts(callID)
	}
}

// announce says that the call is recorded: to our side and whom it asks, and, where it is theirs too, to the customers.
func (rc *Recordings) announce(ctx context.Context, callID uuid.UUID, theirs bool) {
	room := rc.Studio.Room(callID)
	if room == nil {
		return
	}
	if codes, err := rc.Voices.spoken(ctx, recorded); err == nil && len(codes) > 0 {
		if theirs {
			room.PlayToThem(media.Codes(codes, false), nil)
		}
		room.PlayToUs(media.Codes(codes, false))
	}
}

// beginByHand begins the recording of one call that its rules leave unrecorded. The law of both places holds for it all
// the same. Errors: ErrMayNotRecord, ErrNotAgreed.
func (rc *Recordings) beginByHand(ctx context.Context, a firm.Actor, callID uuid.UUID, c *liveCall) error {
	f, err := rc.Settings(ctx)
	if err != nil {
		return err
	}
	if err := rc.agreed(ctx, c); err != nil {
		return err
	}
	why := "begun by " + a.Name
	switch recording.Decide(rc.asked(f, c, recording.On)).Rule {
	case recording.Off:
		return ErrMayNotRecord
	case recording.Ask:
		why = "they were asked, and agreed"
	case recording.Announce:
		if c.sound.Rule == recording.Ask {
			why = "they were asked, and agreed"
		} else {
			rc.announce(ctx, callID, true)
		}
	}
	rc.begin(callID, contract.CallRecordingKindCall, why)
	return nil
}

// agreed tells whether nobody with whom a call is has said that they do not agree to recordings. Error: ErrNotAgreed.
func (rc *Recordings) agreed(ctx context.Context, c *liveCall) error {
	refused, err := rc.Store.WithdrawnByAny(ctx, db.WithdrawnByAnyParams{Ids: c.records,
		What: string(contract.ConsentWhatRecordings)})
	if err == nil && refused {
		return ErrNotAgreed
	}
	return err
}

// asked is what is known of a call when it is decided whether it may be recorded, where that is wanted as rule says.
func (rc *Recordings) asked(f *firm.Settings, c *liveCall, rule recording.Rule) recording.Request {
	r := recording.Request{Line: rule, Ours: f.Recorded[c.line].Place, Everybody: f.Keeping.Everybody}
	if r.Theirs = r.Ours; !colleagues(&c.state) {
		r.Theirs.Region, r.Theirs.State = phone.Place(theirNumber(&c.state))
	}
	return r
}

func (rc *Recordings) decide(ctx context.Context, callID uuid.UUID) (recording.Decision, error) {
	c := rc.registry.call(callID)
	if c == nil {
		return recording.Decision{Rule: recording.Off}, nil // over already
	}
	return rc.decideFor(ctx, c)
}

// decideFor decides whether a call may be recorded, by the line, the law of both places and the rules of all its reps.
func (rc *Recordings) decideFor(ctx context.Context, c *liveCall) (recording.Decision, error) {
	f, err := rc.Settings(ctx)
	if err != nil {
		return recording.Decision{}, err
	}
	if c.placed != nil {
		if why := c.placed.Unrecorded(); why != "" {
			return recording.Decision{Rule: recording.Off, Why: why}, nil
		}
	}
	if c.unrecorded {
		return recording.Decision{Rule: recording.Off, Why: "as it was chosen for this call"}, nil
	}
	rule := f.Recorded[c.line].Out
	if c.state.Inbound {
		rule = f.Recorded[c.line].In
	}
	if err := rc.agreed(ctx, c); errors.Is(err, ErrNotAgreed) {
		return recording.Decision{Rule: recording.Off, Why: err.Error()}, nil
	} else if err != nil {
		return recording.Decision{}, err
	}
	r := rc.asked(f, c, rule)
	for rep := range c.parts {
		a, err := rc.Actor(ctx, rep)
		if err != nil {
			return recording.Decision{}, err
		}
		if err := rc.Limits.Refuses(ctx, usage.Recorded, a, &c.line); err != nil {
			return recording.Decision{Rule: recording.Off, Why: err.Error()}, nil
		}
		if a.Recording != "" && (r.Rep == "" || recording.Stricter(a.Recording, r.Rep) == a.Recording) {
			r.Rep = a.Recording
		}
	}
	return recording.Decide(r), nil
}

// another holds the recording of a call against the rules of somebody who has come to it: the strictest holds from then
// on.
func (rc *Recordings) another(ctx context.Context, callID uuid.UUID, no call.LegNo) {
	c, room := rc.registry.call(callID), rc.Studio.Room(callID)
	if c == nil || room == nil || c.state.Leg(no) == nil {
		return
	}
	before := c.sound
	if l := c.state.Leg(no); l.Party == call.Outside {
		c.state.Legs = []call.Leg{*l} // it is their place that counts
	}
	decided, err := rc.decideFor(ctx, c)
	if err != nil {
		rc.Log.Warn("whether a call is recorded", "call", callID, "error", err)
		decided = recording.Decision{Rule: recording.Off, Why: "the rules could not be read"}
	}
	if decided.Rule == before.Rule || recording.Stricter(decided.Rule, before.Rule) == before.Rule {
		return
	}
	rc.registry.change(callID, func(c *liveCall) { c.sound = decided })
	switch {
	case room.Recorder() == nil:
	case decided.Rule == recording.Announce:
		rc.announce(ctx, callID, true)
	default:
		if rec := room.Record(nil); rec != nil {
			rc.complete(callID, rec)
		}
	}
	rc.tellParts(callID)
}

// consultation begins the recording of what a rep and whom they ask say to each other, as one of its own, where the firm
// wants that: under the rules of the call, and of the place of who is asked. It is never begun by asking: who waits must
// not be kept waiting for that.
func (rc *Recordings) consultation(ctx context.Context, callID uuid.UUID, no call.LegNo) {
	f, err := rc.Settings(ctx)
	c := rc.registry.call(callID)
	if err != nil || c == nil || !f.Keeping.Consultations || c.state.Leg(no) == nil {
		return
	}
	l := *c.state.Leg(no)
	c.state.Legs = []call.Leg{l}
	decided, err := rc.decideFor(ctx, c)
	if err != nil {
		rc.Log.Warn("whether a consultation is recorded", "call", callID, "error", err)
		return // unknown is no
	}
	if decided.Rule != recording.On && decided.Rule != recording.Announce {
		return
	}
	if decided.Rule == recording.Announce {
		rc.announce(ctx, callID, false)
	}
	rc.begin(callID, contract.CallRecordingKindConsultation, decided.Why)
	if c := rc.registry.call(callID); c == nil || !c.state.Consulting() {
		rc.stopAside(callID) // it was over before it was begun
	}
}

// theirNumber is the number of the outside; empty where it was withheld.
func theirNumber(s *call.State) string {
	for _, l := range s.Legs {
		if l.Party == call.Outside {
			return l.Address
		}
	}
	return ""
}

// colleagues tells whether nobody else is asked about than one of the firm: they are where the line is.
func colleagues(s *call.State) bool { return len(s.Legs) == 1 && s.Legs[0].Party == call.Rep }
