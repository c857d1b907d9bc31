package calls

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/audio"
	"trundo/internal/core/call"
	"trundo/internal/core/recording"
	"trundo/internal/desk/firm"
	"trundo/internal/journal"
	"trundo/internal/media"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// recorded is said to both sides where a line announces that it records.
const recorded = "This call is recorded."

// writePatience is for how long a recording is written down at once; after that it is tried again later.
const writePatience = time.Minute

// shownHeights is how many heights of a voice trace a list shows.
const shownHeights = 120

// Errors about recordings.
var (
	ErrNotRecorded = errors.New("this call is not recorded")
	// ErrMayNotRecord: the law of a place asks for everybody's consent, and the firm does not record there.
	ErrMayNotRecord = errors.New("everybody must agree there, and this firm does not record such calls")
	// ErrNotAgreed: they have said so, whatever the rules are.
	ErrNotAgreed = errors.New("they do not agree to recordings")
	ErrRecorded  = errors.New("this call is recorded already")
	ErrNoSound   = errors.New("this recording is on another server, or its file is gone")
)

// RecordingsDir is the folder of recordings within a server's own.
const RecordingsDir = "recordings"

// recordingFile is where a recording's sound is.
func (rc *Recordings) recordingFile(name string) string {
	return filepath.Join(rc.FilesDir, RecordingsDir, name)
}

// recordingName says of what a file is: with the database away that stands nowhere else.
func recordingName(kind contract.CallRecordingKind, callID, id uuid.UUID) string {
	return fmt.Sprintf("%s_%s_%s.wav", kind, callID, id)
}

// readRecordingName is the opposite; false for a file of another kind.
func readRecordingName(name string) (kind string, callID, id uuid.UUID, ok bool) {
	parts := strings.Split(strings.TrimSuffix(name, ".wav"), "_")
	if len(parts) != 3 || !strings.HasSuffix(name, ".wav") {
		return "", callID, id, false
	}
	callID, err := uuid.Parse(parts[1])
	id, again := uuid.Parse(parts[2])
	return parts[0], callID, id, err == nil && again == nil && contract.RecordingKind(parts[0]).Valid()
}

// record follows a call: it begins a recording when somebody speaks, or a message is left, and completes it at the end.
// It is called from the call's goroutine, and does not wait.
func (rc *Recordings) record(id uuid.UUID, facts []call.Fact, state call.State) {
	switch {
	case state.Phase() == call.PhaseEnded:
		rc.stop(id)
	case has(facts, call.Beeped) && rc.firstTime(id):
		rc.InBackground(func(context.Context) { rc.begin(id, contract.CallRecordingKindMessage, "") })
	case state.Internal: // what colleagues say to each other is not recorded
	case state.Phase() == call.PhaseSpeaking && has(facts, call.Bridged) && rc.firstTime(id):
		rc.InBackground(func(ctx context.Context) { rc.beginByRule(ctx, id) })
	default:
		for _, no := range call.Came(facts, &state) {
			rc.InBackground(func(ctx context.Context) { rc.another(ctx, id, no) })
		}
		for _, no := range call.AskedNow(facts, &state) {
			rc.InBackground(func(ctx context.Context) { rc.consultation(ctx, id, no) })
		}
		if !state.Consulting() {
			rc.stopAside(id)
		}
	}
}

// stop completes what is recorded of a call.
func (rc *Recordings) stop(id uuid.UUID) {
	room := rc.Studio.Room(id)
	if room == nil {
		return
	}
	if rec := room.Record(nil); rec != nil {
		rc.complete(id, rec)
	}
	rc.stopAside(id)
}

// stopAside completes the recording of a consultation.
func (rc *Recordings) stopAside(id uuid.UUID) {
	if room := rc.Studio.Room(id); room != nil {
		if rec := room.RecordAside(nil); rec != nil {
			rc.complete(id, rec)
		}
	}
}

// firstTime tells, once for a call, that its recording is to be begun by rule: what follows a hold or a pause is not a
// beginning.
func (rc *Recordings) firstTime(id uuid.UUID) bool {
	first := false
	rc.registry.change(id, func(c *liveCall) { first, c.begun = !c.begun, true })
	return first
}

func has(facts []call.Fact, kind call.FactKind) bool {
	for _, f := range facts {
		if f.Kind == kind {
			return true
		}
	}
	return false
}

// begin writes what is heard in a call from now on, and then that it does.
func (rc *Recordings) begin(callID uuid.UUID, kind contract.CallRecordingKind, why string) {
	room := rc.Studio.Room(callID)
	if room == nil {
		return // over already
	}
	id := store.NewID()
	name := recordingName(kind, callID, id)
	rec, err := media.NewRecorder(rc.recordingFile(name))
	if err != nil {
		rc.Log.Error("a call is not recorded", "call", callID, "error", err)
		return
	}
	put, voice := room.Record, room.Outside()
	if kind == contract.CallRecordingKindConsultation {
		put, voice = room.RecordAside, nil
	}
	if before := put(rec); before != nil {
		rc.complete(callID, before)
	}
	if rc.Studio.Room(callID) == nil { // it ended meanwhile
		rec.Close()
		_ = os.Remove(rc.recordingFile(name))
		return
	}
	rc.mu.Lock()
	began := rc.Clock.Now()
	rc.recording[rec] = going{id, kind, began, voice}
	rc.mu.Unlock()
	rc.Journal.Add(journal.Entry{Kind: kindRecording, Value: recordingEntry{Call: callID,
		Began: &db.InsertRecordingParams{ID: id, CallID: callID, Kind: string(kind), Server: rc.Server, File: name,
			BeganAt: began, Why: why}}})
}

// tellParts tells the windows of everybody in a call that it has changed.
func (rc *Recordings) tellParts(callID uuid.UUID) {
	c := rc.registry.call(callID)
	if c == nil {
		return
	}
	for rep := range c.parts {
		rc.PublishSlip(rep, callID, "")
	}
}

// complete closes a recording and stores what it holds, beside the call.
func (rc *Recordings) complete(callID uuid.UUID, rec *media.Recorder) {
	rc.completing.Add(1)
	go func() {
		defer rc.completing.Done()
		take := rec.Close()
		rc.mu.Lock()
		g, there := rc.recording[rec]
		delete(rc.recording, rec)
		rc.mu.Unlock()
		if !there {
			return
		}
		if take.Trouble != nil {
			rc.Log.Error("a recording has a hole", "call", callID, "error", take.Trouble)
		}
		kept, err := kept(g.id, take)
		if err != nil {
			rc.Log.Error("what a recording holds", "call", callID, "error", err)
			return
		}
		rc.Journal.Add(journal.Entry{Kind: kindRecording, Value: recordingEntry{Call: callID, Kept: &kept}})
		if g.voice == nil && rc.Transcriber == nil {
			return
		}
		ctx, cancel := context.WithTimeout(context.WithoutCancel(rc.Background()), writePatience)
		defer cancel()
		if rc.Journal.Flush(ctx) == nil { // it stands in the database now
			name := recordingName(g.kind, callID, g.id)
			rc.writeWords(ctx, g.id, 0, firm.Heard{Began: g.began, Long: take.Figures.Total, Gaps: take.Gaps,
				Voice: g.voice,
				Sound: func(ctx context.Context) (firm.Sound, error) { return rc.openSound(ctx, name, "") }})
			rc.PublishHistory(&callID)
		}
	}()
}

// EnterRecording stores that a recording goes on.
func EnterRecording(ctx context.Context, q *db.Queries, p db.InsertRecordingParams) error {
	return firm.Every(q.InsertRecording(ctx, []db.InsertRecordingParams{p}).Exec)
}

// KeepTake stores what a recording that goes on holds, which is then complete.
func KeepTake(ctx context.Context, q *db.Queries, id uuid.UUID, t media.Take) error {
	p, err := kept(id, t)
	if err != nil {
		return err
	}
	return firm.Every(q.KeepRecording(ctx, []db.KeepRecordingParams{p}).Exec)
}

// kept is a take as it is stored.
func kept(id uuid.UUID, t media.Take) (db.KeepRecordingParams, error) {
	gaps := []contract.Gap{}
	for _, g := range t.Gaps {
		gaps = append(gaps, contract.Gap{FromMs: ms(g.From), ToMs: ms(g.To), Reason: g.Reason})
	}
	text, err := json.Marshal(gaps)
	if err != nil {
		return db.KeepRecordingParams{}, err
	}
	trouble := ""
	if t.Trouble != nil {
		trouble = t.Trouble.Error()
	}
	f := t.Figures
	return db.KeepRecordingParams{ID: id, TotalMs: ms(f.Total), OursMs: ms(f.Ours), TheirsMs: ms(f.Theirs),
		OverlapMs: ms(f.Overlap),
		SilenceMs: ms(f.Silence), LongestOursMs: ms(f.LongestOurs), LongestTheirsMs: ms(f.LongestTheirs),
		InterruptedThem: f.InterruptedThem,
		InterruptedUs:   f.InterruptedUs, FirstAnswerMs: ms(f.FirstAnswer), GainOurs: float32(t.GainOurs),
		GainTheirs: float32(t.GainTheirs),
		TraceOurs:  notNil(t.Ours), TraceTheirs: notNil(t.Theirs), Gaps: text, Trouble: trouble}, nil
}

func notNil(b []byte) []byte {
	if b == nil {
		return []byte{}
	}
	return b
}

func ms(d time.Duration) int { return int(d.Milliseconds()) }

// recoverRecordings completes what an earlier run of this server was recording when it ended.
func (rc *Recordings) recoverRecordings(ctx context.Context) error {
	if err := rc.enterRecordings(ctx); err != nil {
		return fmt.Errorf("entering recordings that the database does not know: %w", err)
	}
	rows, err := rc.Store.RecordingsGoing(ctx, rc.Server)
	if err != nil {
		return fmt.Errorf("reading the recordings that were cut off: %w", err)
	}
	for _, r := range rows {
		take, err := media.Recover(rc.recordingFile(r.File))
		if err != nil {
			take.Trouble = err
			rc.Log.Error("a recording that was cut off could not be completed", "call", r.CallID, "error", err)
		}
		if err := KeepTake(ctx, rc.Store.Queries, r.ID, take); err != nil {
			return err
		}
	}
	return nil
}

// enterRecordings enters files that were begun while the database was away.
func (rc *Recordings) enterRecordings(ctx context.Context) error {
	files, err := os.ReadDir(rc.recordingFile(""))
	if err != nil {
		return err
	}
	var names []string
	for _, f := range files {
		if _, _, _, ok := readRecordingName(f.Name()); ok {
			names = append(names, f.Name())
		}
	}
	unknown, err := rc.Store.UnknownRecordings(ctx, names)
	if err != nil {
		return err
	}
	for _, name := range unknown {
		kind, callID, id, _ := readRecordingName(name)
		if _, err := rc.Store.CallByID(ctx, db.CallByIDParams{ID: callID}); store.NotFound(err) {
			continue // of another firm's database, or thrown away with its call
		} else if err != nil {
			return err
		}
		began := rc.Clock.Now()
		if info, err := os.Stat(rc.recordingFile(name)); err == nil {
			began = info.ModTime().Add(-time.Duration(info.Size()) * time.Second / (2 * audio.Rate))
		}
		if err := EnterRecording(ctx, rc.Store.Queries,
			db.InsertRecordingParams{ID: id, CallID: callID, Kind: kind, Server: rc.Server, File: name,
				BeganAt: began}); err != nil {
			return err
		}
	}
	return nil
}

// ActOnRecording pauses, resumes, stops or begins the recording of a call in which a is. Errors: ErrNotRecorded,
// ErrRecorded, call.ErrOver, call.ErrNotThere.
func (rc *Recordings) ActOnRecording(ctx context.Context, a firm.Actor, id uuid.UUID,
	act contract.RecordingAct) (contract.Call, error) {
	c := rc.registry.call(id)
	room := rc.Studio.Room(id)
	switch {
	case c == nil || room == nil:
		return contract.Call{}, call.ErrOver
	case !c.in(a.ID):
		return contract.Call{}, call.ErrNotThere
	}
	rec := room.Recorder()
	reason := ""
	if act.Reason != nil {
		reason = firm.CleanText(*act.Reason)
	}
	switch {
	case act.Action == contract.RecordingActActionStart && rec != nil:
		return contract.Call{}, ErrRecorded
	case act.Action == contract.RecordingActActionStart:
		if c.state.Phase() != call.PhaseSpeaking {
			return contract.Call{}, call.ErrNoSpeech
		}
		if err := rc.beginByHand(ctx, a, id, c); err != nil {
			return contract.Call{}, err
		}
	case act.Action == contract.RecordingActActionRefuse:
		rc.registry.change(id, func(c *liveCall) {
			c.sound = recording.Decision{Rule: recording.Off, Why: "they did not agree"}
		})
		rc.stop(id)
	case len(room.Recorders()) == 0:
		return contract.Call{}, ErrNotRecorded
	case act.Action == contract.RecordingActActionPause:
		for _, each := range room.Recorders() {
			each.Pause(reason)
		}
	case act.Action == contract.RecordingActActionResume:
		for _, each := range room.Recorders() {
			each.Resume()
		}
	default:
		rc.stop(id)
	}
	rc.tellParts(id)
	return rc.CallView(ctx, a, id)
}

// going is a recording in progress.
type going struct {
	id    uuid.UUID
	kind  contract.CallRecordingKind
	began time.Time
	voice media.Voice
}

func (rc *Recordings) kindOf(rec *media.Recorder) contract.CallRecordingKind {
	rc.mu.Lock()
	defer rc.mu.Unlock()
	if g, there := rc.recording[rec]; there {
		return g.kind
	}
	return contract.CallRecordingKindCall
}
