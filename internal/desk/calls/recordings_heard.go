package calls

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/audio"
	"trundo/internal/core/call"
	"trundo/internal/core/recording"
	"trundo/internal/core/rights"
	"trundo/internal/desk/firm"
	"trundo/internal/optional"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// recordingView is how a call's newest recording stands, for lists and slips.
func (rc *Recordings) recordingView(r db.CallsByIDsRow) *contract.CallRecording {
	if room := rc.Studio.Room(r.ID); room != nil {
		if rec := room.Recorder(); rec != nil {
			v := contract.CallRecording{State: contract.CallRecordingStateGoing, Kind: rc.kindOf(rec), Ms: ms(rec.At()),
				Trace: traceOf(nil, nil)}
			if c := rc.registry.call(r.ID); c != nil {
				v.Why = c.sound.Why
			}
			if rec.Paused() {
				v.State = contract.CallRecordingStatePaused
			}
			return &v
		}
	}
	if c := rc.registry.call(r.ID); c != nil && c.state.Phase() == call.PhaseSpeaking && !c.state.Internal {
		switch {
		case c.sound.Rule == recording.Ask && r.RecordingID == uuid.Nil:
			return &contract.CallRecording{State: contract.CallRecordingStateAsking,
				Kind: contract.CallRecordingKindCall, Why: c.sound.Why, Trace: traceOf(nil, nil)}
		case c.sound.Rule == recording.Off && c.sound.Why != "":
			return &contract.CallRecording{State: contract.CallRecordingStateOff, Kind: contract.CallRecordingKindCall,
				Why: c.sound.Why, Trace: traceOf(nil, nil)}
		}
	}
	if r.RecordingID == uuid.Nil || r.RecordingState == "going" {
		return nil
	}
	return &contract.CallRecording{ID: &r.RecordingID, State: contract.CallRecordingState(r.RecordingState),
		Kind: contract.CallRecordingKind(r.RecordingKind),
		Ms:   r.RecordingMs, Trace: traceOf(audio.Thin(r.TraceOurs, shownHeights),
			audio.Thin(r.TraceTheirs, shownHeights))}
}

func traceOf(ours, theirs []byte) contract.VoiceTrace {
	ints := func(b []byte) []int {
		v := make([]int, len(b))
		for i, x := range b {
			v[i] = int(x)
		}
		return v
	}
	return contract.VoiceTrace{Ours: ints(ours), Theirs: ints(theirs)}
}

// OfCall are all of a call, with what they hold and what was remarked.
func (rc *Recordings) OfCall(ctx context.Context, a firm.Actor, callID uuid.UUID) ([]contract.Recording, error) {
	views := []contract.Recording{}
	rows, err := rc.Store.RecordingsOfCall(ctx, callID)
	if err != nil || len(rows) == 0 {
		return views, err
	}
	remarks, err := rc.Store.RemarksOfCall(ctx, db.RemarksOfCallParams{CallID: callID, Me: a.ID})
	if err != nil {
		return nil, err
	}
	hears, err := rc.reaches(ctx, a, rights.HearRecordings, callID)
	if err != nil {
		return nil, err
	}
	deletes, err := rc.reaches(ctx, a, rights.DeleteRecordings, callID)
	if err != nil {
		return nil, err
	}
	for _, row := range rows {
		r := row.Recording
		v := contract.Recording{ID: r.ID, State: contract.RecordingState(r.State), Kind: contract.RecordingKind(r.Kind),
			BeganAt: r.BeganAt, Ms: r.TotalMs,
			Trace: traceOf(r.TraceOurs, r.TraceTheirs), GainOurs: r.GainOurs, GainTheirs: r.GainTheirs,
			Trouble: r.Trouble, Gaps: []contract.Gap{},
			Remarks: []contract.Remark{}, MayHear: hears && r.State == "kept", MayDelete: deletes &&
				r.State == "kept", Figures: figuresOf(r)}
		if err := json.Unmarshal(r.Gaps, &v.Gaps); err != nil {
			return nil, fmt.Errorf("gaps of recording %s: %w", r.ID, err)
		}
		v.Why, v.ExpiresAt = r.Why, r.ExpiresAt
		if r.HeldAt != nil {
			v.Held = fmt.Sprintf("Held by %s since %s: %s", row.HeldName,
				rc.Dates().LongDate(r.HeldAt.In(a.Location())), r.HeldWhy)
		}
		if r.HeardAt != nil && r.Kind == "message" {
			v.Heard = fmt.Sprintf("Heard by %s on %s", row.HeardName,
				rc.moment(a, *r.HeardAt))
		}
		if r.DeletedAt != nil {
			v.Deleted = fmt.Sprintf("Deleted by %s on %s: %s", row.DeletedName,
				rc.moment(a, *r.DeletedAt), r.DeletedWhy)
			if r.DeletedBy == nil {
				v.Deleted = fmt.Sprintf("Deleted by itself on %s: %s", rc.Dates().LongDay(r.DeletedAt.In(a.Location())),
					r.DeletedWhy)
			}
		}
		for _, m := range remarks {
			if m.RecordingID == r.ID && hears {
				v.Remarks = append(v.Remarks, contract.Remark{ID: m.ID, AtMs: m.AtMs, Text: m.Text, By: m.Name,
					For: new(contract.RemarkFor(m.ForWhom)),
					At:  m.CreatedAt})
			}
		}
		views = append(views, v)
	}
	return views, nil
}

func figuresOf(r db.Recording) contract.TalkFigures {
	share := audio.Figures{Ours: time.Duration(r.OursMs), Theirs: time.Duration(r.TheirsMs)}.OursShare()
	return contract.TalkFigures{OursShare: float32(share), OursMs: r.OursMs, TheirsMs: r.TheirsMs,
		OverlapMs: r.OverlapMs, SilenceMs: r.SilenceMs,
		LongestOursMs: r.LongestOursMs, LongestTheirsMs: r.LongestTheirsMs, InterruptedThem: r.InterruptedThem,
		InterruptedUs: r.InterruptedUs,
		FirstAnswerMs: r.FirstAnswerMs}
}

// reaches tells whether a right of a's goes as far as the recordings of a call: one's own are those of one's own calls,
// and messages that are for everybody or for oneself; a team's those of its members.
func (rc *Recordings) reaches(ctx context.Context, a firm.Actor, right rights.Right, callID uuid.UUID) (bool, error) {
	p := db.MayHearParams{CallID: callID, UserID: a.ID, Teams: []string{}}
	switch a.Rights[right] {
	case rights.All:
		return true, nil
	case rights.Team:
		p.Teams = a.Teams
	case rights.None:
		return false, nil
	}
	return rc.Store.MayHear(ctx, p)
}

// heardOnce is for how long somebody who hears a recording in parts hears it once.
const heardOnce = 10 * time.Minute

// hearing is somebody who hears, takes or reads a recording.
type hearing struct {
	user, recording uuid.UUID
	what            string // was done with it
}

// OpenRecording opens a recording's sound for a, and keeps in the audit trail that a heard it, or took it away. Errors:
// ErrNotFound, ErrForbidden, ErrNoSound.
func (rc *Recordings) OpenRecording(ctx context.Context, a firm.Actor, id uuid.UUID,
	download bool) (firm.Sound, error) {
	r, err := rc.hearable(ctx, a, id)
	if err != nil {
		return firm.Sound{}, err
	}
	f, err := rc.openSound(ctx, r.File, r.Stored)
	if err != nil {
		return f, err
	}
	what := "heard the recording"
	if download {
		what = "downloaded the recording"
	}
	err = rc.keepInTrail(ctx, a, r, what, func(q *db.Queries, now time.Time) error {
		if r.Kind != "message" {
			return nil
		}
		_, err := q.HeardMessage(ctx, db.HeardMessageParams{ID: id, At: &now, UserID: &a.ID})
		return err
	})
	if err != nil {
		return firm.Sound{}, errors.Join(err, f.Close())
	}
	return f, nil
}

// keepInTrail keeps in the audit trail that a heard, took or read a recording, with what is done beside; a player asks for
// a part at a time, and that is one hearing.
func (rc *Recordings) keepInTrail(ctx context.Context, a firm.Actor, r db.RecordingRow, what string,
	beside func(*db.Queries, time.Time) error) error {
	h, now := hearing{a.ID, r.ID, what}, rc.Clock.Now()
	if last, there := rc.heard.Load(h); there && now.Sub(last.(time.Time)) < heardOnce {
		return nil
	}
	if err := rc.Store.Tx(ctx, func(q *db.Queries) error {
		if err := beside(q, now); err != nil {
			return err
		}
		return rc.Audited(ctx, q, a, "call", r.CallID, what, map[string]string{}, map[string]string{})
	}); err != nil {
		return err
	}
	rc.heard.Store(h, now)
	rc.heard.Range(func(key, at any) bool { // what is over is forgotten
		if now.Sub(at.(time.Time)) >= heardOnce {
			rc.heard.Delete(key)
		}
		return true
	})
	return nil
}

// hearable finds a recording that is kept and that a may hear.
func (rc *Recordings) hearable(ctx context.Context, a firm.Actor, id uuid.UUID) (db.RecordingRow, error) {
	return rc.within(ctx, a, rights.HearRecordings, id)
}

// within finds a recording that is kept and as far as which a right of a's goes.
func (rc *Recordings) within(ctx context.Context, a firm.Actor, right rights.Right,
	id uuid.UUID) (db.RecordingRow, error) {
	r, err := rc.Store.Recording(ctx, id)
	if store.NotFound(err) || err == nil && r.State != "kept" {
		return r, firm.ErrNotFound
	} else if err != nil {
		return r, err
	}
	may, err := rc.reaches(ctx, a, right, r.CallID)
	if err == nil && !may {
		err = firm.ErrForbidden
	}
	return r, err
}

// DeleteRecording deletes the sound of a recording for good, and keeps that there was one, and why it is gone. Errors:
// *FieldError, ErrNotFound, ErrForbidden.
func (rc *Recordings) DeleteRecording(ctx context.Context, a firm.Actor, id uuid.UUID, reason string) error {
	if reason = firm.CleanText(reason); reason == "" {
		return firm.Wrong("reason", "say why it is deleted")
	}
	r, err := rc.within(ctx, a, rights.DeleteRecordings, id)
	if err != nil {
		return err
	}
	if r.HeldAt != nil {
		return firm.Wrong("reason", "this recording is held: let it go before it is deleted")
	}
	if err := rc.Store.Tx(ctx, func(q *db.Queries) error {
		if n, err := q.DeleteRecording(ctx,
			db.DeleteRecordingParams{ID: id, At: optional.Time(rc.Clock.Now()), UserID: &a.ID,
				Why: reason}); err != nil || n == 0 {
			return errors.Join(err, firm.ErrNotFound)
		}
		return rc.Audited(ctx, q, a, "call", r.CallID, "deleted the recording", map[string]string{},
			map[string]string{"deleted the recording": reason})
	}); err != nil {
		return err
	}
	if err := rc.RemoveSound(ctx, r.File, r.Stored); err != nil {
		return err
	}
	rc.PublishHistory(&r.CallID)
	return nil
}

// AddRemark fixes a remark of a's to a moment of a recording. Errors: *FieldError, ErrNotFound, ErrForbidden.
func (rc *Recordings) AddRemark(ctx context.Context, a firm.Actor, id uuid.UUID,
	n contract.NewRemark) (contract.Remark, error) {
	text := firm.CleanText(n.Text)
	if text == "" {
		return contract.Remark{}, firm.Wrong("text", "say what is to be remarked")
	}
	r, err := rc.hearable(ctx, a, id)
	if err != nil {
		return contract.Remark{}, err
	}
	if n.AtMs > r.TotalMs {
		return contract.Remark{}, firm.Wrong("at_ms", "the recording is shorter than that")
	}
	whom := contract.RemarkFor(cmp.Or(string(optional.Value(n.For)), string(contract.RemarkForTeam)))
	m := contract.Remark{ID: store.NewID(), AtMs: n.AtMs, Text: text, By: a.Name, At: rc.Clock.Now(), For: &whom}
	err = rc.Store.InsertRemark(ctx,
		db.InsertRemarkParams{ID: m.ID, RecordingID: id, AtMs: m.AtMs, Text: text, UserID: a.ID, CreatedAt: m.At,
			ForWhom: string(whom)})
	if err == nil {
		rc.PublishHistory(&r.CallID)
	}
	return m, err
}

// moment is a time of a day, as a reads it.
func (rc *Recordings) moment(a firm.Actor, t time.Time) string {
	t = t.In(a.Location())
	return rc.Dates().LongDay(t) + ", " + rc.Dates().Time(t)
}

// MayHear tells whether a may hear what is recorded of a call.
func (rc *Recordings) MayHear(ctx context.Context, a firm.Actor, id uuid.UUID) (bool, error) {
	return rc.reaches(ctx, a, rights.HearRecordings, id)
}
