package insight

import (
	"context"
	"encoding/json"
	"strconv"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/phone"
	"trundo/internal/core/presence"
	"trundo/internal/core/report"
	"trundo/internal/core/rights"
	"trundo/internal/core/wall"
	"trundo/internal/desk/calls"
	"trundo/internal/desk/firm"
	"trundo/internal/store/db"
)

// wallFigures are those of today beside a usual day of its weekday.
var wallFigures = []string{
	"inbound",
	"answered_share",
	"wait",
	"service_level",
	"outbound",
	"conversations",
	"reached_share",
	"talk_average",
}

// Wall is what the team does now. Whoever may see nobody's day but their own may not look at it. Error:
// firm.ErrForbidden.
func (in *Insight) Wall(ctx context.Context, a firm.Actor) (contract.Wall, error) {
	w := contract.Wall{Rows: []contract.WallRow{}, Queues: []contract.QueueNow{}, Rounds: []contract.WallRound{},
		Figures: []contract.WallFigure{}, Late: []contract.WallLate{}, At: in.Clock.Now()}
	if !a.Rights[rights.SeeDays].Covers(rights.Team) {
		return w, firm.ErrForbidden
	}
	limits, sound, err := in.wallLimits(ctx, a)
	if err != nil {
		return w, err
	}
	w.Limits = limitsView(limits, sound)
	reps, err := in.wallRows(ctx, a, limits, &w)
	if err != nil {
		return w, err
	}
	if w.Queues, err = in.queues.Now(ctx, a); err != nil {
		return w, err
	}
	rounds, err := in.Store.WallRounds(ctx, reps)
	if err != nil {
		return w, err
	}
	for _, r := range rounds {
		w.Rounds = append(
			w.Rounds,
			contract.WallRound{ID: r.ID, Name: r.Name, Rep: join(r.Reps), Done: r.Done, Total: r.Total},
		)
	}
	if err := in.wallLate(ctx, reps, &w); err != nil {
		return w, err
	}
	return w, in.wallToday(ctx, a, &w)
}

// wallRows adds those whose day a may see, and tells who they are.
func (in *Insight) wallRows(
	ctx context.Context,
	a firm.Actor,
	limits wall.Limits,
	w *contract.Wall,
) (reps []uuid.UUID, err error) {
	team, err := in.calls.Team.Colleagues(ctx)
	if err != nil {
		return nil, err
	}
	watched := in.calls.Parties.Watch(ctx, a)
	with, err := in.wallCalls(ctx, a, watched)
	if err != nil {
		return nil, err
	}
	var rows []wall.Row
	var views []contract.WallRow
	for _, c := range team {
		if c.ID != a.ID && !in.MayOf(ctx, a, rights.SeeDays, &c.ID) {
			continue
		}
		reps = append(reps, c.ID)
		now, calls := watched[c.ID]
		r := wall.Row{Name: c.Name, Kind: kindOf(c, now, calls), Held: now.HeldSince, Asks: now.Asks}
		if c.Since != nil && r.Kind != wall.Gone {
			r.Since = *c.Since
		}
		v := contract.WallRow{ID: c.ID, Name: c.Name, Team: c.Team, Doing: c.Availability, Since: r.Since,
			Kind: contract.WallRowKind(r.Kind), Needs: limits.Needs(r, w.At)}
		v.MaySet = new(in.MayOf(ctx, a, rights.LeadQueues, &c.ID))
		if v.Needs == nil {
			v.Needs = []string{}
		}
		if calls {
			v.CallID, v.Listen, v.Trace = &now.Call, &now.Listen, now.Trace
			if d, there := with[now.Call]; there {
				v.With, v.Line, v.Direction = &d.Name, &d.Line, &d.Direction
			}
			if !now.HeldSince.IsZero() {
				v.OnHoldSince = &now.HeldSince
			}
		}
		rows, views = append(rows, r), append(views, v)
	}
	for _, i := range limits.Order(rows, w.At) {
		w.Rows = append(w.Rows, views[i])
	}
	return reps, nil
}

// kindOf says what somebody does in one word.
func kindOf(c contract.Colleague, now calls.Watched, inCall bool) wall.Kind {
	switch {
	case inCall && now.Speaking, c.Availability == presence.Speaking:
		return wall.Speaking
	case inCall:
		return wall.Ringing
	case c.Availability == presence.WrappingUp:
		return wall.Wrapping
	case !c.Reached:
		return wall.Gone
	case c.Free:
		return wall.Free
	}
	return wall.Away
}

// wallCalls says whom calls are with.
func (in *Insight) wallCalls(
	ctx context.Context,
	a firm.Actor,
	watched map[uuid.UUID]calls.Watched,
) (map[uuid.UUID]db.WallCallsRow, error) {
	ids := make([]uuid.UUID, 0, len(watched))
	for _, w := range watched {
		ids = append(ids, w.Call)
	}
	of := map[uuid.UUID]db.WallCallsRow{}
	if len(ids) == 0 {
		return of, nil
	}
	rows, err := in.Store.WallCalls(ctx, ids)
	f := in.LastSettings()
	for _, r := range rows {
		if r.Name == "" {
			r.Name = r.RemoteTyped
			if r.RemoteE164 != "" && f != nil {
				r.Name = phone.Format(r.RemoteE164, "", f.Region, a.Style)
			}
		}
		of[r.ID] = r
	}
	return of, err
}

// wallLate says what is late.
func (in *Insight) wallLate(ctx context.Context, reps []uuid.UUID, w *contract.Wall) error {
	late, err := in.Store.WallLate(ctx, db.WallLateParams{HourAgo: w.At.Add(-time.Hour), Now: &w.At, Reps: reps})
	if err != nil {
		return err
	}
	for _, x := range []struct {
		n              int
		single, plural string
	}{
		{late.Unreturned, "call unreturned for more than an hour", "calls unreturned for more than an hour"},
		{late.Promises, "promise is overdue", "promises are overdue"},
		{late.Slips, "slip of more than an hour ago is not filed", "slips of more than an hour ago are not filed"},
	} {
		if x.n == 1 {
			w.Late = append(w.Late, contract.WallLate{Text: "1 " + x.single, Count: &x.n})
		} else if x.n > 1 {
			w.Late = append(w.Late, contract.WallLate{Text: strconv.Itoa(x.n) + " " + x.plural, Count: &x.n})
		}
	}
	return nil
}

// wallToday adds the figures of today beside what is usual up to this time of the day, and each rep's.
func (in *Insight) wallToday(ctx context.Context, a firm.Actor, w *contract.Wall) error {
	q, err := in.ask(ctx, a, "today", nil)
	if err == firm.ErrForbidden { // no right to figures: the wall goes without them
		return nil
	} else if err != nil {
		return err
	}
	// A day that is not over is held against days up to the same time.
	so := w.At.Sub(q.window.From)
	q.asked.To = w.At.Unix() + 1
	in.mu.RLock()
	defer in.mu.RUnlock()
	usual := q.window.Usual(in.book.FirstCall())
	for i := range usual {
		usual[i].To = usual[i].From.Add(so)
	}
	all := report.Query{Figures: wallFigures}
	r := in.book.Run(all, q.asked)
	_, beside := in.book.Beside(r, all, q.asked, usual)
	for i, key := range wallFigures {
		f, _ := report.FigureOf(key)
		w.Figures = append(
			w.Figures,
			contract.WallFigure{Figure: figureView(f), Value: r.All[i].Value, Usual: beside[i],
				Calls: &r.All[i].Calls},
		)
	}
	byRep := report.Query{Figures: []string{"conversations", "talk"}, By: "rep"}
	day := in.book.Run(byRep, q.asked)
	groups, _ := in.book.Beside(day, byRep, q.asked, usual)
	for i := range w.Rows {
		row := &w.Rows[i]
		for _, g := range day.Groups {
			if g.Key == row.ID.String() {
				row.Conversations, row.TalkSeconds = whole(g.Cells[0].Value), whole(g.Cells[1].Value)
				row.UsualConversations = groups[g.Key][0]
			}
		}
	}
	return nil
}

func whole(v *float64) *int {
	if v == nil {
		return nil
	}
	return new(int(*v))
}

func join(names []string) string {
	switch len(names) {
	case 0:
		return ""
	case 1:
		return names[0]
	}
	return names[0] + " and " + strconv.Itoa(len(names)-1) + " more"
}

// wallSetting is where somebody's own limits are kept.
func wallSetting(a firm.Actor) string { return "wall:" + a.ID.String() }

// ownLimits are somebody's limits as they are kept.
type ownLimits struct {
	wall.Limits
	Sound bool `json:"sound"`
}

func (in *Insight) wallLimits(ctx context.Context, a firm.Actor) (wall.Limits, bool, error) {
	own := ownLimits{Limits: wall.Usual}
	err := in.Setting(ctx, wallSetting(a), &own)
	return own.Limits, own.Sound, err
}

func limitsView(l wall.Limits, sound bool) contract.WallLimits {
	return contract.WallLimits{TalkMinutes: int(l.Talk.Minutes()), HoldSeconds: int(l.Hold.Seconds()),
		WrapMinutes: int(
			l.Wrap.Minutes(),
		), WaitSeconds: int(l.Wait.Seconds()), AwayMinutes: int(l.Away.Minutes()), Sound: sound}
}

// SetWallLimits sets from when something calls for a's attention.
func (in *Insight) SetWallLimits(
	ctx context.Context,
	a firm.Actor,
	v contract.WallLimits,
) (contract.WallLimits, error) {
	if !a.Rights[rights.SeeDays].Covers(rights.Team) {
		return v, firm.ErrForbidden
	}
	minutes := func(n int) time.Duration { return time.Duration(n) * time.Minute }
	seconds := func(n int) time.Duration { return time.Duration(n) * time.Second }
	own := ownLimits{
		Limits: wall.Limits{Talk: minutes(v.TalkMinutes), Hold: seconds(v.HoldSeconds), Wrap: minutes(v.WrapMinutes),
			Wait: seconds(v.WaitSeconds), Away: minutes(v.AwayMinutes)},
		Sound: v.Sound,
	}
	return v, in.putLimits(ctx, a, own)
}

func (in *Insight) putLimits(ctx context.Context, a firm.Actor, own ownLimits) error {
	value, err := json.Marshal(own)
	if err != nil {
		return err
	}
	return in.Store.PutSetting(ctx, db.PutSettingParams{Key: wallSetting(a), Value: value})
}
