package desk

import (
	"context"
	"encoding/json"
	"slices"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/phone"
	"trundo/internal/core/routing"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// Lines are the firm's lines with how they ring. Error: ErrForbidden.
func (d *Desk) Lines(ctx context.Context, a Actor) ([]contract.FirmLine, error) {
	if !a.mayDo(SetUp) {
		return nil, ErrForbidden
	}
	f, err := d.firm(ctx)
	if err != nil {
		return nil, err
	}
	rows, err := d.Store.LinesFully(ctx)
	if err != nil {
		return nil, err
	}
	reps, err := d.Store.LineReps(ctx)
	if err != nil {
		return nil, err
	}
	lines := []contract.FirmLine{}
	for _, r := range rows {
		h := hoursOf(r.Hours)
		l := contract.FirmLine{ID: r.ID, E164: r.E164, Display: phone.Format(r.E164, "", f.region, a.Style), Label: r.Label, Source: r.Source, Zone: r.Zone, Active: r.Active,
			RingMode: contract.FirmLineRingMode(r.RingMode), RingSeconds: r.RingSeconds, LimitSeconds: r.LimitSeconds, Hours: routing.SpansText(h.Spans), Off: orEmpty(h.Off),
			Unanswered: contract.FirmLineUnanswered(r.Unanswered), Closed: contract.FirmLineClosed(r.Closed), Greeting: r.Greeting, ClosedText: r.ClosedText, Recording: contract.RecordingRule(r.Recording), RecordingIn: contract.RecordingRule(r.RecordingIn), Texting: approval(r.Texting), GreetingSoundID: r.GreetingSound,
			Reps: []uuid.UUID{}, Open: h.Open(d.Clock.Now().In(zoneNamed(r.Zone))), Version: r.Version}
		for _, x := range reps {
			if x.LineID == r.ID {
				l.Reps = append(l.Reps, x.UserID)
			}
		}
		lines = append(lines, l)
	}
	return lines, nil
}

func (d *Desk) line(ctx context.Context, a Actor, id uuid.UUID) (contract.FirmLine, error) {
	lines, err := d.Lines(ctx, a)
	for _, l := range lines {
		if l.ID == id {
			return l, nil
		}
	}
	if err == nil {
		err = ErrNotFound
	}
	return contract.FirmLine{}, err
}

// UpdateLine sets how a line rings, when it is open and what follows. Errors: ErrForbidden, ErrNotFound, ErrChangedElse, *FieldError.
func (d *Desk) UpdateLine(ctx context.Context, a Actor, id uuid.UUID, l contract.FirmLine) (contract.FirmLine, error) {
	before, err := d.line(ctx, a, id)
	if err != nil {
		return l, err
	}
	h := routing.Hours{Off: l.Off}
	if h.Spans, err = routing.ParseSpans(l.Hours); err != nil {
		return l, &FieldError{"hours", err}
	}
	if err := h.Check(); err != nil {
		return l, &FieldError{"off", err}
	}
	l.Label, l.Source = cleanText(l.Label), cleanText(l.Source)
	if l.Label == "" {
		return l, wrong("label", "a line needs a name")
	}
	if _, err := time.LoadLocation(l.Zone); err != nil || l.Zone == "" {
		return l, wrong("zone", "the zone is a name such as America/New_York")
	}
	if err := d.soundCheck(ctx, "greeting_sound_id", l.GreetingSoundID); err != nil {
		return l, err
	}
	if l.LimitSeconds < l.RingSeconds {
		return l, wrong("limit_seconds", "the whole cannot ring for less than one rep does")
	}
	hours, err := json.Marshal(h)
	if err != nil {
		return l, err
	}
	err = d.Store.Tx(ctx, func(q *db.Queries) error {
		n, err := q.UpdateLine(ctx, db.UpdateLineParams{ID: id, Version: l.Version, Label: l.Label, Source: l.Source, Zone: l.Zone, Active: l.Active, RingMode: string(l.RingMode),
			RingSeconds: l.RingSeconds, LimitSeconds: l.LimitSeconds, Hours: hours, Unanswered: string(l.Unanswered), Closed: string(l.Closed),
			Greeting: cleanText(l.Greeting), ClosedText: cleanText(l.ClosedText), Recording: string(l.Recording), RecordingIn: string(l.RecordingIn), GreetingSound: l.GreetingSoundID})
		switch {
		case err != nil:
			return err
		case n == 0:
			return ErrChangedElse
		}
		if l.Texting != nil && *l.Texting != value(before.Texting) {
			if _, err := q.SetLineTexting(ctx, db.SetLineTextingParams{ID: id, Texting: string(*l.Texting)}); err != nil {
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
			return wrong("reps", "one of these is nobody of the firm")
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
		return d.audited(ctx, q, a, "line", id, "line changed", words(before), words(l))
	})
	if err != nil {
		return l, err
	}
	d.bookChanged()
	return d.line(ctx, a, id)
}

// AddLine adds a number that the carrier has given the firm. Errors: ErrForbidden, *FieldError.
func (d *Desk) AddLine(ctx context.Context, a Actor, n contract.NewLine) (contract.FirmLine, error) {
	if !a.mayDo(SetUp) {
		return contract.FirmLine{}, ErrForbidden
	}
	f, err := d.firm(ctx)
	if err != nil {
		return contract.FirmLine{}, err
	}
	number, err := phone.Parse(n.Number, f.region)
	if err != nil {
		return contract.FirmLine{}, &FieldError{"number", err}
	}
	if cleanText(n.Label) == "" {
		return contract.FirmLine{}, wrong("label", "a line needs a name")
	}
	zone := a.zone().String()
	if zones := phone.Zones(number.E164); len(zones) > 0 && !slices.Contains(zones, zone) {
		zone = zones[0]
	}
	id := store.NewID()
	p := db.InsertLineParams{ID: id, E164: number.E164, Label: cleanText(n.Label), Region: number.Region, Zone: zone}
	if n.Source != nil {
		p.Source = cleanText(*n.Source)
	}
	if err := d.Store.InsertLine(ctx, p); store.Duplicate(err) {
		return contract.FirmLine{}, wrong("number", "the firm has this line already")
	} else if err != nil {
		return contract.FirmLine{}, err
	}
	d.bookChanged()
	return d.line(ctx, a, id)
}

func approval(state string) *contract.FirmLineTexting {
	t := contract.FirmLineTexting(state)
	return &t
}
