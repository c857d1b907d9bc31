package calls

import (
	"context"
	"encoding/json"
	"slices"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/phone"
	"trundo/internal/core/rights"
	"trundo/internal/core/routing"
	"trundo/internal/desk/firm"
	"trundo/internal/optional"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// Lines are the firm's lines with how they ring. Error: ErrForbidden.
func (ls *Lines) Lines(ctx context.Context, a firm.Actor) ([]contract.FirmLine, error) {
	if !a.MayDo(rights.Telephony) {
		return nil, firm.ErrForbidden
	}
	f, err := ls.Settings(ctx)
	if err != nil {
		return nil, err
	}
	rows, err := ls.Store.LinesFully(ctx)
	if err != nil {
		return nil, err
	}
	reps, err := ls.Store.LineReps(ctx)
	if err != nil {
		return nil, err
	}
	lines := []contract.FirmLine{}
	for _, r := range rows {
		h := hoursOf(r.Hours)
		l := contract.FirmLine{ID: r.ID, E164: r.E164, Display: phone.Format(r.E164, "", f.Region, a.Style),
			Label: r.Label, Source: r.Source, Zone: r.Zone, Active: r.Active,
			RingMode: contract.FirmLineRingMode(r.RingMode), RingSeconds: r.RingSeconds, LimitSeconds: r.LimitSeconds,
			Hours: routing.SpansText(h.Spans), Off: firm.OrEmpty(h.Off),
			Unanswered: contract.FirmLineUnanswered(r.Unanswered), Closed: contract.FirmLineClosed(r.Closed),
			Greeting: r.Greeting, ClosedText: r.ClosedText, Recording: contract.RecordingRule(r.Recording),
			RecordingIn: contract.RecordingRule(r.RecordingIn), Texting: approval(r.Texting),
			GreetingSoundID: r.GreetingSound, RouteID: r.RouteID,
			Reps: []uuid.UUID{}, Open: h.Open(ls.Clock.Now().In(firm.ZoneNamed(r.Zone))), Version: r.Version}
		for _, x := range reps {
			if x.LineID == r.ID {
				l.Reps = append(l.Reps, x.UserID)
			}
		}
		lines = append(lines, l)
	}
	return lines, nil
}

func (ls *Lines) line(ctx context.Context, a firm.Actor, id uuid.UUID) (contract.FirmLine, error) {
	lines, err := ls.Lines(ctx, a)
	for _, l := range lines {
		if l.ID == id {
			return l, nil
		}
	}
	if err == nil {
		err = firm.ErrNotFound
	}
	return contract.FirmLine{}, err
}

// UpdateLine sets how a line rings, when it is open and what follows. Errors: ErrForbidden, ErrNotFound,
// ErrChangedElse, *FieldError.
func (ls *Lines) UpdateLine(ctx context.Context, a firm.Actor, id uuid.UUID,
	l contract.FirmLine) (contract.FirmLine, error) {
	before, err := ls.line(ctx, a, id)
	if err != nil {
		return l, err
	}
	h := routing.Hours{Off: l.Off}
	if h.Spans, err = routing.ParseSpans(l.Hours); err != nil {
		return l, firm.About("hours", err)
	}
	if err := h.Check(); err != nil {
		return l, firm.About("off", err)
	}
	l.Label, l.Source = firm.CleanText(l.Label), firm.CleanText(l.Source)
	if l.Label == "" {
		return l, firm.Wrong("label", "a line needs a name")
	}
	if !firm.KnownZone(l.Zone) {
		return l, firm.Wrong("zone", "the zone is a name such as America/New_York")
	}
	if err := ls.Voices.soundCheck(ctx, "greeting_sound_id", l.GreetingSoundID); err != nil {
		return l, err
	}
	if l.LimitSeconds < l.RingSeconds {
		return l, firm.Wrong("limit_seconds", "the whole cannot ring for less than one rep does")
	}
	hours, err := json.Marshal(h)
	if err != nil {
		return l, err
	}
	err = ls.Store.Tx(ctx, func(q *db.Queries) error {
		n, err := q.UpdateLine(ctx, db.UpdateLineParams{ID: id, Version: l.Version, Label: l.Label, Source: l.Source,
			Zone: l.Zone, Active: l.Active, RingMode: string(l.RingMode),
			RingSeconds: l.RingSeconds, LimitSeconds: l.LimitSeconds, Hours: hours, Unanswered: string(l.Unanswered),
			Closed:   string(l.Closed),
			Greeting: firm.CleanText(l.Greeting), ClosedText: firm.CleanText(l.ClosedText),
			Recording: string(l.Recording), RecordingIn: string(l.RecordingIn), GreetingSound: l.GreetingSoundID})
		switch {
		case err != nil:
			return err
		case n == 0:
			return firm.ErrChangedElse
		}
		if l.Texting != nil && *l.Texting != optional.Value(before.Texting) {
			if _, err := q.SetLineTexting(ctx,
				db.SetLineTextingParams{ID: id, Texting: string(*l.Texting)}); err != nil {
				return err
			}
		}
		reps := []uuid.UUID{}
		for _, u := range l.Reps {
			if !slices.Contains(reps, u) {
				reps = append(reps, u)
			}
		}
		known, err := q.RepsByID(ctx, reps)
		if err != nil {
			return err
		}
		if len(known) < len(reps) {
			return firm.Wrong("reps", "one of these is nobody of the firm")
		}
		if err := q.ClearLineReps(ctx, id); err != nil {
			return err
		}
		if err := q.PutLineReps(ctx, db.PutLineRepsParams{LineID: id, Users: reps}); err != nil {
			return err
		}
		words := func(l contract.FirmLine) map[string]string {
			text, _ := json.Marshal(l)
			return map[string]string{"line": string(text)}
		}
		return ls.Audited(ctx, q, a, "line", id, "line changed", words(before), words(l))
	})
	if err != nil {
		return l, err
	}
	ls.BookChanged()
	return ls.line(ctx, a, id)
}

// AddLine adds a number that the carrier has given the firm. Errors: ErrForbidden, *FieldError.
func (ls *Lines) AddLine(ctx context.Context, a firm.Actor, n contract.NewLine) (contract.FirmLine, error) {
	if !a.MayDo(rights.Telephony) {
		return contract.FirmLine{}, firm.ErrForbidden
	}
	f, err := ls.Settings(ctx)
	if err != nil {
		return contract.FirmLine{}, err
	}
	number, err := phone.Parse(n.Number, f.Region)
	if err != nil {
		return contract.FirmLine{}, firm.About("number", err)
	}
	if firm.CleanText(n.Label) == "" {
		return contract.FirmLine{}, firm.Wrong("label", "a line needs a name")
	}
	zone := a.Location().String()
	if zones := phone.Zones(number.E164); len(zones) > 0 && !slices.Contains(zones, zone) {
		zone = zones[0]
	}
	id := store.NewID()
	p := db.InsertLineParams{ID: id, E164: number.E164, Label: firm.CleanText(n.Label), Region: number.Region,
		Zone: zone}
	if n.Source != nil {
		p.Source = firm.CleanText(*n.Source)
	}
	if err := ls.Store.InsertLine(ctx, p); store.Duplicate(err) {
		return contract.FirmLine{}, firm.Wrong("number", "the firm has this line already")
	} else if err != nil {
		return contract.FirmLine{}, err
	}
	ls.BookChanged()
	return ls.line(ctx, a, id)
}

func approval(state string) *contract.FirmLineTexting {
	t := contract.FirmLineTexting(state)
	return &t
}
