package queues

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"
	"unicode"
	"unicode/utf8"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/phone"
	"trundo/internal/core/rights"
	"trundo/internal/core/route"
	"trundo/internal/core/routing"
	"trundo/internal/desk/firm"
	"trundo/internal/optional"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// played is a caller as it is kept with a route.
type played struct {
	Line   uuid.UUID  `json:"line"`
	Record *uuid.UUID `json:"record,omitempty"`
	Number string     `json:"number,omitempty"`
	At     string     `json:"at"`
	Events []event    `json:"events"`
}

type event struct {
	Does string `json:"does"`
	Keys string `json:"keys,omitempty"`
}

func playedOf(t contract.RouteTry) played {
	p := played{Line: t.LineID, Record: t.RecordID, Number: optional.Value(t.Number), At: t.At, Events: []event{}}
	for _, e := range t.Events {
		p.Events = append(p.Events, event{string(e.Does), optional.Value(e.Keys)})
	}
	return p
}

// wallClock is how a date and time of a try is written, on the line's clock.
const wallClock = "2006-01-02T15:04"

// Try plays a caller against the draft of a route. Nobody is rung, and nothing is written down. Errors:
// firm.ErrForbidden, firm.ErrNotFound, *firm.FieldError.
func (qs *Queues) Try(
	ctx context.Context,
	a firm.Actor,
	id uuid.UUID,
	t contract.RouteTry,
) (contract.RouteTried, error) {
	if !a.MayDo(rights.Telephony) {
		return contract.RouteTried{}, firm.ErrForbidden
	}
	set, err := qs.readSetUp(ctx)
	if err != nil {
		return contract.RouteTried{}, err
	}
	_, doc, err := set.draft(id)
	if err != nil {
		return contract.RouteTried{}, err
	}
	return qs.play(ctx, a, set, doc, playedOf(t))
}

// player is a caller who is played.
type player struct {
	qs     *Queues
	line   lineOf
	caller caller
	now    time.Time
	began  time.Time
	names  route.Names
	tried  contract.RouteTried
	waits  []string // what can happen next
	long   time.Duration
}

func (qs *Queues) play(
	ctx context.Context,
	a firm.Actor,
	set *setUp,
	doc route.Route,
	p played,
) (contract.RouteTried, error) {
	line, there := set.lines[p.Line]
	if !there {
		return contract.RouteTried{}, firm.About("line_id", firm.ErrNotFound)
	}
	at, err := time.ParseInLocation(wallClock, p.At, line.at())
	if err != nil {
		return contract.RouteTried{}, firm.Wrong("at", "say a day and a time, like 2026-12-01T14:30")
	}
	n, err := qs.named(ctx, a, set, doc)
	if err != nil {
		return contract.RouteTried{}, err
	}
	x := player{qs: qs, line: line, now: at, began: at, names: n.names,
		tried: contract.RouteTried{
			Lines:   []contract.RouteTriedLine{},
			Choices: []contract.RouteTriedChoices{},
			Keys:    []string{},
			Path:    []string{},
		}}
	if err := x.calls(ctx, p); err != nil {
		return contract.RouteTried{}, err
	}
	var s route.State
	events := []route.Event{route.Begin{}}
	rest := p.Events
	for {
		for len(events) > 0 {
			var effects []route.Effect
			before := s.At
			s, effects = doc.Next(s, events[0], set.others)
			events = events[1:]
			for _, e := range effects {
				if e := x.perform(ctx, e, cmp.Or(s.At, before)); e != nil {
					events = append(events, e)
				}
			}
		}
		if x.tried.Over = x.tried.Over || s.Done; x.tried.Over || len(rest) == 0 {
			break
		}
		e := x.event(rest[0])
		rest = rest[1:]
		if e != nil {
			events = append(events, e)
		}
	}
	if !x.tried.Over {
		for _, w := range x.waits {
			x.tried.Choices = append(x.tried.Choices, contract.RouteTriedChoices(w))
		}
		x.tried.Keys = append(x.tried.Keys, s.Keys()...)
	}
	x.tried.Path = append(x.tried.Path, s.Path...)
	return x.tried, nil
}

// calls finds out who is played. Error: *firm.FieldError.
func (x *player) calls(ctx context.Context, p played) error {
	f, err := x.qs.Settings(ctx)
	if err != nil {
		return err
	}
	if p.Number != "" {
		n, err := phone.Parse(p.Number, f.Region)
		if err != nil {
			return firm.About("number", err)
		}
		x.caller.e164, x.caller.ext = n.E164, n.Ext
	}
	if p.Record == nil {
		return nil
	}
	x.qs.knows(ctx, &x.caller, *p.Record, uuid.Nil)
	if x.caller.record == nil {
		return firm.About("record_id", firm.ErrNotFound)
	}
	if x.caller.e164 == "" {
		numbers, err := x.qs.Store.NumbersOf(ctx, []uuid.UUID{*p.Record})
		if err != nil {
			return err
		}
		for _, n := range numbers {
			if x.caller.e164 == "" {
				x.caller.e164, x.caller.ext = n.E164, n.Ext
			}
		}
	}
	return nil
}

func (x *player) add(step, text, says, language, sound string) {
	l := contract.RouteTriedLine{Step: step, Text: text, Says: says, Seconds: int(x.now.Sub(x.began).Seconds())}
	if language != "" {
		l.Language = &language
	}
	if sound != "" {
		l.Sound = &sound
	}
	x.tried.Lines = append(x.tried.Lines, l)
}

// event is what somebody who plays a caller lets happen; nil ends the play.
func (x *player) event(e event) route.Event {
	switch e.Does {
	case "presses":
		x.add("", "They press "+e.Keys+".", "", "", "")
		return route.Keyed{Digits: e.Keys}
	case "listens":
		x.now = x.now.Add(x.long)
		return route.Spoken{}
	case "waits":
		x.now = x.now.Add(x.long)
		x.add("", "They press nothing.", "", "", "")
		return route.Elapsed{}
	case "nobody":
		x.now = x.now.Add(x.long)
		x.add("", "Nobody takes the call.", "", "", "")
		return route.Nobody{}
	case "somebody":
		x.add("", "Somebody takes the call.", "", "", "")
	default:
		x.add("", "They hang up.", "", "", "")
	}
	x.tried.Over = true
	return nil
}

// perform says what is done for a caller who is played; an event where its outcome is known at once.
func (x *player) perform(ctx context.Context, e route.Effect, step string) route.Event {
	names := func(id, other string, of map[string]string) string { return cmp.Or(of[id], other) }
	switch e := e.(type) {
	case route.Speak:
		x.says(step, "They hear", e.Text, e.Sound, e.Language)
	case route.Inform:
		text, _ := x.qs.informsAt(ctx, e, x.line, &x.caller, x.now)
		x.says(step, "They hear", text, "", e.Language)
	case route.Wait:
		x.waits, x.long = []string{"presses", "waits", "hangs_up"}, e.For
	case route.LookUp:
		holds := x.qs.holds(ctx, e.Test, x.line, &x.caller, x.now)
		shown := e.Test
		shown.Not = !holds
		x.add(step, sentence(shown.Words(x.names)), "", "", "")
		return route.Found{Holds: holds}
	case route.RingOwner:
		if x.caller.owner == nil {
			x.add(step, "Nobody owns their record.", "", "", "")
			return route.Nobody{}
		}
		x.rings(step, "It rings for "+names(x.caller.owner.String(), "the owner", x.names.People)+".", e.For)
	case route.RingPeople:
		var people []string
		for _, id := range e.People {
			people = append(people, names(id, "somebody", x.names.People))
		}
		x.rings(step, "It rings for "+strings.Join(people, ", ")+".", e.For)
	case route.JoinQueue:
		x.add(step, "They wait in “"+names(e.Queue, "a queue", x.names.Queues)+"” and hear music.", "", "", "")
		x.waits, x.long = []string{"somebody", "nobody", "hangs_up"}, 0
		if len(e.Keys) > 0 {
			x.waits = append(x.waits, "presses")
		}
	case route.TakeCallback:
		if x.caller.e164 == "" {
			x.add(step, "They withhold their number, and cannot be called back.", "", "", "")
			return route.Nobody{}
		}
		x.callsBack(ctx, e, step)
	case route.OfferTimes:
		x.says(step, "They hear", in(e.Language).offer, "", e.Language)
	case route.AskTime:
		text := in(e.Language).askTime
		if e.Again {
			text = in(e.Language).again
		}
		x.says(step, "They hear", text, "", e.Language)
	case route.CheckTime:
		return route.Found{Holds: x.qs.mayCall(ctx, e.Queue, e.Typed, x.caller.e164, x.now)}
	case route.AskSurvey:
		x.says(step, "They are asked what they thought of it", "", "", e.Language)
	case route.TakeMessage:
		x.add(step, "A voicemail is taken for "+names(e.User, "everybody whom it concerns", x.names.People)+".", "",
			"", "")
	case route.Dial:
		x.rings(step, "It rings at "+x.names.Number(e.Number)+".", e.For)
	case route.Finish:
		x.add(step, "The call ends: "+e.Why+".", "", "", "")
	}
	return nil
}

// callsBack says when somebody who is played will be called back.
func (x *player) callsBack(ctx context.Context, e route.TakeCallback, step string) {
	x.tried.Over = true
	set, err := x.qs.setUp(ctx)
	id, wrong := uuid.Parse(e.Queue)
	if err == nil && wrong == nil && set.queues[id] != nil && e.Typed != "" {
		q := set.queues[id]
		if at, ok := q.chosen(e.Typed, x.caller.e164, x.now); ok {
			x.add(step, "They will be called back at the time that they chose.",
				in(route.UsualLanguage).calledAt(at, q.clockOf(x.caller.e164, x.now)), route.UsualLanguage, "")
			return
		}
	}
	x.add(step, "They will be called back, in the place that they had.", in(route.UsualLanguage).callback,
		route.UsualLanguage, "")
}

// sentence makes a sentence of words.
func sentence(words string) string {
	first, size := utf8.DecodeRuneInString(words)
	return string(unicode.ToUpper(first)) + words[size:] + "."
}

func (x *player) says(step, what, text, sound, language string) {
	if sound != "" {
		x.add(step, what+" a recording.", "", language, sound)
	} else {
		x.add(step, what+":", text, language, "")
	}
	x.waits, x.long = []string{"listens", "presses", "hangs_up"}, routing.Speaking(text)
}

func (x *player) rings(step, text string, long time.Duration) {
	x.add(step, text, "", "", "")
	x.waits, x.long = []string{"somebody", "nobody", "hangs_up"}, long
}

// trials plays the callers that were kept with a route against a draft.
func (qs *Queues) trials(
	ctx context.Context,
	a firm.Actor,
	set *setUp,
	id uuid.UUID,
	doc route.Route,
) ([]contract.RouteTrial, error) {
	rows, err := qs.Store.RouteTrials(ctx, id)
	if err != nil {
		return nil, err
	}
	list := []contract.RouteTrial{}
	for _, r := range rows {
		var p played
		var expects []string
		if err := json.Unmarshal(r.Played, &p); err != nil {
			return nil, fmt.Errorf("the test %s: %w", r.Name, err)
		}
		if err := json.Unmarshal(r.Expects, &expects); err != nil {
			return nil, fmt.Errorf("the test %s: %w", r.Name, err)
		}
		got, err := qs.play(ctx, a, set, doc, p)
		if err != nil && store.Failed(err) {
			return nil, err
		}
		list = append(
			list,
			contract.RouteTrial{
				ID:     r.ID,
				Name:   r.Name,
				Path:   expects,
				Passes: err == nil && slices.Equal(got.Path, expects),
			},
		)
	}
	return list, nil
}

// KeepTrial keeps a caller who was played, to be played again before a version goes live. Errors: those of Try.
func (qs *Queues) KeepTrial(
	ctx context.Context,
	a firm.Actor,
	id uuid.UUID,
	n contract.NewTrial,
) (contract.RoutePage, error) {
	tried, err := qs.Try(ctx, a, id, n.Try)
	if err != nil {
		return contract.RoutePage{}, err
	}
	name := firm.CleanText(n.Name)
	if name == "" {
		return contract.RoutePage{}, firm.Wrong("name", "say who calls, and what has to come of it")
	}
	text, err := json.Marshal(playedOf(n.Try))
	if err != nil {
		return contract.RoutePage{}, err
	}
	path, err := json.Marshal(tried.Path)
	if err != nil {
		return contract.RoutePage{}, err
	}
	if err := qs.Store.InsertRouteTrial(ctx, db.InsertRouteTrialParams{ID: store.NewID(), RouteID: id, Name: name,
		Played: text, Expects: path}); err != nil {
		return contract.RoutePage{}, err
	}
	return qs.Route(ctx, a, id)
}

// DropTrial forgets a caller that was kept as a test. Errors: firm.ErrForbidden, firm.ErrNotFound.
func (qs *Queues) DropTrial(ctx context.Context, a firm.Actor, id, trial uuid.UUID) (contract.RoutePage, error) {
	if !a.MayDo(rights.Telephony) {
		return contract.RoutePage{}, firm.ErrForbidden
	}
	if n, err := qs.Store.DeleteRouteTrial(ctx, db.DeleteRouteTrialParams{ID: trial, RouteID: id}); err != nil {
		return contract.RoutePage{}, err
	} else if n == 0 {
		return contract.RoutePage{}, firm.ErrNotFound
	}
	return qs.Route(ctx, a, id)
}
