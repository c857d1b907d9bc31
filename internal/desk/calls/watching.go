package calls

import (
	"context"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/call"
	"trundo/internal/core/rights"
	"trundo/internal/desk/firm"
)

// Watched is a call that a colleague is in, as whoever watches the team sees it.
type Watched struct {
	Call      uuid.UUID
	Speaking  bool      // else it rings
	HeldSince time.Time // since when somebody outside waits; zero: nobody does
	Listen    bool      // the watcher may listen to it
	Asks      bool      // the colleague asks those who lead to listen
	// Trace are the last ten seconds, where the watcher may listen to it.
	Trace *contract.VoiceTrace
}

// Watch are the calls on this server that colleagues are in of whom a may see the day, or may listen to.
func (ps *Parties) Watch(ctx context.Context, a firm.Actor) map[uuid.UUID]Watched {
	watched := map[uuid.UUID]Watched{}
	for rep := range ps.registry.counts() {
		listens := a.MayDo(rights.Listen) && rep != a.ID && ps.MayOf(ctx, a, rights.Listen, &rep)
		if !listens && rep != a.ID && !ps.MayOf(ctx, a, rights.SeeDays, &rep) {
			continue
		}
		for _, id := range ps.registry.of(rep) {
			s, there := ps.board.Snapshot(id)
			if !there {
				continue
			}
			w := Watched{Call: id, Speaking: s.Phase() == call.PhaseSpeaking && s.Speaks(rep.String()),
				HeldSince: heldSince(&s)}
			w.Listen = listens && w.Speaking
			if c := ps.registry.call(id); c != nil {
				w.Asks = c.help == rep
				if w.Listen && len(c.lastOurs) > 0 {
					w.Trace = new(traceOf(c.lastOurs, c.lastTheirs))
				}
			}
			if before, twice := watched[rep]; !twice || w.Speaking && !before.Speaking {
				watched[rep] = w
			}
		}
	}
	return watched
}

// heldSince is since when somebody outside waits in a call; zero where nobody does.
func heldSince(s *call.State) (since time.Time) {
	for i := range s.Legs {
		l := &s.Legs[i]
		if l.Party != call.Outside || !s.Waits(l) {
			continue
		}
		at := l.Answered
		if n := len(l.Spans); n > 0 && !l.Spans[n-1].To.IsZero() {
			at = l.Spans[n-1].To
		}
		if since.IsZero() || at.Before(since) {
			since = at
		}
	}
	return since
}
