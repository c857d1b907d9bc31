package calls

import (
	"context"
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/audio"
	"trundo/internal/core/call"
	"trundo/internal/desk/firm"
	"trundo/internal/media"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

const (
	// bufferDelay is what the server adds to a line: the frames that the jitter buffer gathers.
	bufferDelay = 40 * time.Millisecond
	// echoFor is how long an echo test lasts at most.
	echoFor = 30 * time.Second
)

// counted is what had come of a rep's frames when their line was rated last.
type counted struct{ came, lost int64 }

// RateLine rates a's line from what their browser measured and what has come here since the last time.
func (vs *Voices) RateLine(a firm.Actor, f contract.LineFigures) contract.LineQuality {
	came, lost, _, _ := vs.Studio.Seat(a.ID.String()).Counts()
	vs.mu.Lock()
	before := vs.rated[a.ID]
	vs.rated[a.ID] = counted{came, lost}
	vs.mu.Unlock()
	up := 0.0
	if all := came + lost - before.came - before.lost; all > 0 && came >= before.came && lost >= before.lost {
		up = float64(lost-before.lost) / float64(all)
	}
	millis := func(x float32) time.Duration { return time.Duration(float64(x) * float64(time.Millisecond)) }
	line := audio.Line{Delay: millis(f.RoundTripMs)/2 + bufferDelay, Jitter: millis(f.JitterMs), LossUp: up,
		LossDown: float64(f.Loss)}
	mos, verdict, wrong := line.Rate()
	return contract.LineQuality{Mos: float32(mos), Verdict: contract.LineQualityVerdict(verdict),
		Words: strings.Join(wrong, "; "), LossUp: float32(up), LossDown: f.Loss,
		JitterMs: f.JitterMs, DelayMs: float32(line.Delay.Milliseconds())}
}

// EchoTest lets a hear themselves after a second, until it is ended or for echoFor. Error: *InCallError.
func (vs *Voices) EchoTest(a firm.Actor, on bool) error {
	vs.mu.Lock()
	before, there := vs.echoes[a.ID]
	delete(vs.echoes, a.ID)
	vs.mu.Unlock()
	if there {
		vs.Studio.Shut(before)
	}
	if !on {
		return nil
	}
	if calls := vs.registry.of(a.ID); len(calls) > 0 {
		return &firm.InCallError{Call: calls[0]}
	}
	id := uuid.New()
	room := vs.Studio.Open(id, nil)
	room.SetVoice(0, &media.Echo{})
	vs.Studio.Arrange(id, media.Pair(a.ID.String()))
	vs.mu.Lock()
	vs.echoes[a.ID] = id
	vs.mu.Unlock()
	time.AfterFunc(echoFor, func() { vs.Studio.Shut(id) })
	return nil
}

// ReportLine keeps with a call that a's line was bad, and what was measured. Errors: ErrNotFound, call.ErrNotThere.
func (vs *Voices) ReportLine(ctx context.Context, a firm.Actor, id uuid.UUID, r contract.LineReport) error {
	row, err := vs.Store.CallByID(ctx, db.CallByIDParams{ID: id, Me: a.ID})
	switch {
	case store.NotFound(err):
		return firm.ErrNotFound
	case err != nil:
		return err
	case row.RepID != a.ID:
		return call.ErrNotThere
	}
	figures, err := json.Marshal(r.Figures)
	if err != nil {
		return err
	}
	err = vs.Store.InsertLineReport(ctx,
		db.InsertLineReportParams{ID: store.NewID(), CallID: id, UserID: a.ID, At: vs.Clock.Now(),
			Trouble: string(r.Trouble), Figures: figures})
	if err == nil {
		vs.PublishHistory(&id)
	}
	return err
}

// LineReports are the reports of a call as they are read beside its changes.
func (vs *Voices) LineReports(ctx context.Context, id uuid.UUID) ([]contract.Change, error) {
	rows, err := vs.Store.LineReportsOfCall(ctx, id)
	if err != nil {
		return nil, err
	}
	changes := make([]contract.Change, len(rows))
	for i, r := range rows {
		text := "reported a bad line: " + lineTroubles[r.Trouble]
		var q *contract.LineQuality
		if err := json.Unmarshal(r.Figures, &q); err != nil {
			return nil, err
		}
		if q != nil {
			text += fmt.Sprintf(" (measured: MOS %.1f, lost %.0f %% to them and %.0f %% from them, wavering by %.0f "+
				"ms, %.0f ms each way)", q.Mos, 100*q.LossUp, 100*q.LossDown, q.JitterMs, q.DelayMs)
		}
		changes[i] = contract.Change{At: r.At, Actor: r.Name, Text: text}
	}
	return changes, nil
}

// lineTroubles are the troubles of a line as they are read.
var lineTroubles = map[string]string{"noise": "noise", "echo": "an echo", "cut_outs": "cut-outs",
	"volume": "too soft or too loud", "one_way": "only one side was heard"}
