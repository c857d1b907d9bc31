package desk

import (
	"context"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/call"
	"trundo/internal/optional"
)

// callPath is the picture of a call along its time: each party's lane, and that of each queue in which its caller
// waited.
func (d *Desk) callPath(ctx context.Context, page *contract.CallPageDetail, who func(call.LegNo) string) error {
	id, began := page.Call.ID, page.Call.State.StartedAt
	end := optional.TimeOf(page.Call.State.EndedAt)
	if end.IsZero() {
		end = d.Clock.Now()
	}
	rows, err := d.Store.PathOfCall(ctx, id)
	if err != nil {
		return err
	}
	var legs []call.PathLeg
	kinds := map[call.LegNo]call.Party{}
	for _, r := range rows {
		no := call.LegNo(r.LegNo)
		if n := len(legs); n == 0 || legs[n-1].Leg != no {
			legs = append(legs, call.PathLeg{Leg: no, Party: call.Party(r.Party), Began: r.StartedAt,
				Answered: optional.TimeOf(r.AnsweredAt), Ended: optional.TimeOf(r.EndedAt)})
			kinds[no] = call.Party(r.Party)
		}
		if r.FromAt != nil && r.BridgeNo != nil {
			l := &legs[len(legs)-1]
			l.Talks = append(l.Talks, call.PathTalk{Bridge: call.BridgeNo(*r.BridgeNo), From: *r.FromAt,
				To: optional.TimeOf(r.ToAt)})
		}
	}
	ms := func(t time.Time) int { return int(max(0, t.Sub(began)).Milliseconds()) }
	path := []contract.PathLane{}
	for _, lane := range call.Path(legs, end) {
		v := contract.PathLane{
			Name:  who(lane.Leg),
			Kind:  contract.PathLaneKind(kinds[lane.Leg]),
			Spans: []contract.PathSpan{},
		}
		for _, s := range lane.Spans {
			v.Spans = append(
				v.Spans,
				contract.PathSpan{FromMs: ms(s.From), ToMs: ms(s.To), Mode: contract.PathSpanMode(s.Mode)},
			)
		}
		path = append(path, v)
	}
	waits, err := d.waitLanes(ctx, id, end, ms)
	page.Path, page.LongMs = new(append(waits, path...)), new(ms(end))
	return err
}

// waitLanes are the queues in which a call's caller waited.
func (d *Desk) waitLanes(
	ctx context.Context,
	id uuid.UUID,
	end time.Time,
	ms func(time.Time) int,
) ([]contract.PathLane, error) {
	rows, err := d.Store.WaitsOfCall(ctx, &id)
	lanes := []contract.PathLane{}
	for _, r := range rows {
		until := optional.TimeOf(r.LeftAt)
		if until.IsZero() {
			until = end
		}
		lanes = append(lanes, contract.PathLane{Name: r.Name, Kind: contract.PathLaneKindQueue,
			Spans: []contract.PathSpan{{FromMs: ms(r.Since), ToMs: ms(until), Mode: contract.PathSpanModeWait}}})
	}
	return lanes, err
}
