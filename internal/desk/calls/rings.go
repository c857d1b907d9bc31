package calls

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/yosida95/uritemplate/v3"
	"golang.org/x/sync/errgroup"

	"trundo/internal/contract"
	"trundo/internal/core/briefing"
	"trundo/internal/core/call"
	"trundo/internal/core/match"
	"trundo/internal/core/phone"
	"trundo/internal/core/promise"
	"trundo/internal/core/survey"
	"trundo/internal/desk/book"
	"trundo/internal/desk/firm"
	"trundo/internal/optional"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// Rings are the calls that ring for a, each with who it probably is and what matters before the first word.
func (ar *Arrivals) Rings(ctx context.Context, a firm.Actor) ([]contract.Ring, error) {
	rings := []contract.Ring{}
	f, err := ar.Settings(ctx)
	if err != nil {
		return nil, err
	}
	for _, id := range ar.RingingFor(a.ID) {
		c, err := ar.ringing(ctx, id)
		if err != nil {
			return nil, err
		}
		r, err := ar.ringView(ctx, a, f, db.CallsByIDsRow(c))
		if err != nil {
			return nil, err
		}
		rings = append(rings, r)
	}
	return rings, nil
}

// toldAtOnce is for how many reps it is found out at a time what rings for them.
const toldAtOnce = 8

// tell lets the windows of reps know what rings for them now. It does not block.
func (ar *Arrivals) tell(reps ...uuid.UUID) {
	ar.mu.Lock()
	defer ar.mu.Unlock()
	for _, rep := range reps {
		ar.changed[rep] = true
	}
	select {
	case ar.woken <- struct{}{}:
	default: // it has not begun with the last ones yet
	}
}

// tellOn tells the windows of those for whom something has begun or stopped ringing what rings for them, as an event
// that carries it: they need not ask back. One after the other for each of them, so that what was found out later comes
// later.
func (ar *Arrivals) tellOn(ctx context.Context) {
	for {
		select {
		case <-ctx.Done():
			return
		case <-ar.woken:
		}
		ar.mu.Lock()
		reps := ar.changed
		ar.changed = map[uuid.UUID]bool{}
		after := ar.after
		ar.after = nil
		ar.mu.Unlock()
		var group errgroup.Group
		group.SetLimit(toldAtOnce)
		for rep := range reps {
			if !ar.Hub.Reached(rep) {
				continue // a window that opens now asks for itself
			}
			group.Go(func() error {
				event := contract.LiveEvent{Kind: contract.LiveEventKindRing}
				if a, err := ar.Actor(ctx, rep); err == nil {
					if rings, err := ar.Rings(ctx, a); err == nil { // else they ask, and are told why
						event.Rings = &rings
					}
				}
				ar.Hub.Publish(event, rep)
				return nil
			})
		}
		_ = group.Wait()
		for _, do := range after {
			do()
		}
	}
}

// onceTold does something when the reps who are to be told by now have been told.
func (ar *Arrivals) onceTold(do func()) {
	ar.mu.Lock()
	ar.after = append(ar.after, do)
	ar.mu.Unlock()
	ar.tell()
}

// readAhead reads what every window will show of a call, while it is still being found out whom it rings.
func (ar *Arrivals) readAhead(ctx context.Context, id uuid.UUID) {
	c, err := ar.ringing(ctx, id)
	if err != nil || c.RemoteE164 == "" {
		return
	}
	matches, rows, err := ar.Book.WhoseRing(ctx, firm.Actor{}, id, c.RemoteE164, c.RemoteExt)
	if err != nil {
		return
	}
	if offers := offersOf(matches, rows); len(offers) > 0 {
		_, _ = ar.beforeTheFirstWord(ctx, firm.Actor{}, id, offers[0].Record) // what fails is read again, and told then
	}
}

// ringing is a call that rings, the same for whoever it rings for.
func (ar *Arrivals) ringing(ctx context.Context, id uuid.UUID) (db.CallByIDRow, error) {
	return firm.SharedAnswer(ctx, ar.Firm, "rings "+id.String(),
		func(ctx context.Context) (db.CallByIDRow, error) {
			return ar.Store.CallByID(ctx, db.CallByIDParams{ID: id})
		})
}

func (ar *Arrivals) ringView(ctx context.Context, a firm.Actor, f *firm.Settings,
	c db.CallsByIDsRow) (contract.Ring, error) {
	r := contract.Ring{CallID: c.ID, Since: c.StartedAt, Withheld: c.Withheld, Display: c.RemoteTyped,
		Candidates: []contract.Candidate{}, Facts: []string{}}
	if c.ColleagueID != nil {
		r.Internal, r.Display = true, c.PlacedName
		return r, nil
	}
	if c.LineID != nil {
		r.Line, r.Source = f.LineLabels[*c.LineID], f.LineSources[*c.LineID]
	}
	if c.RemoteE164 != "" {
		r.Display = phone.Format(c.RemoteE164, c.RemoteExt, f.Region, a.Style)
		matches, rows, err := ar.Book.WhoseRing(ctx, a, c.ID, c.RemoteE164, c.RemoteExt)
		if err != nil {
			return r, err
		}
		_, r.Clear = match.Winner(matches)
		r.Candidates = offersOf(matches, rows)
		if err := ar.nameCompanies(ctx, r.Candidates, rows); err != nil {
			return r, err
		}
		if len(r.Candidates) > 0 {
			r.Company = r.Candidates[0].Company
		}
	}
	if s, live := ar.board.Snapshot(c.ID); live && s.More() {
		var err error
		if r.Asked, err = ar.handedFrom(ctx, a, c.ID, &s); err != nil {
			return r, err
		}
	}
	if len(r.Candidates) > 0 {
		var err error
		if r.Facts, err = ar.beforeTheFirstWord(ctx, a, c.ID, r.Candidates[0].Record); err != nil {
			return r, err
		}
	}
	if a.AddressTemplate != "" {
		r.Address = addressOf(a.AddressTemplate, r, c.RemoteE164)
	}
	return r, nil
}

// nameCompanies names the company of each candidate who has one.
func (ar *Arrivals) nameCompanies(ctx context.Context, candidates []contract.Candidate,
	rows []db.NumberCandidatesRow) error {
	of := map[uuid.UUID]uuid.UUID{}
	var ids []uuid.UUID
	for _, row := range rows {
		if row.CompanyID != nil {
			of[row.RecordID] = *row.CompanyID
			ids = append(ids, *row.CompanyID)
		}
	}
	if len(ids) == 0 {
		return nil
	}
	named, err := ar.Store.RecordNames(ctx, ids)
	if err != nil {
		return err
	}
	names := map[uuid.UUID]string{}
	for _, r := range named {
		names[r.ID] = r.Name
	}
	for i := range candidates {
		candidates[i].Company = names[of[candidates[i].Record.ID]]
	}
	return nil
}

// addressOf fills an address template (RFC 6570) in for a call; "" where it cannot be.
func addressOf(template string, r contract.Ring, number string) string {
	t, err := uritemplate.New(template)
	if err != nil {
		return "" // it was checked when it was saved
	}
	values := uritemplate.Values{}
	values.Set("number", uritemplate.String(number))
	values.Set("call_id", uritemplate.String(r.CallID.String()))
	if r.Clear && len(r.Candidates) > 0 {
		values.Set("name", uritemplate.String(r.Candidates[0].Record.Name))
		values.Set("contact_id", uritemplate.String(r.Candidates[0].Record.ID.String()))
	}
	address, err := t.Expand(values)
	if err != nil {
		return ""
	}
	return address
}

// checkTemplate tells what is wrong with an address template: it must be one of RFC 6570, lead to a web page, and use
// only the names that we fill in.
func checkTemplate(template string) error {
	t, err := uritemplate.New(template)
	if err != nil {
		return fmt.Errorf("this is not an address template: %w", err)
	}
	for _, name := range t.Varnames() {
		switch name {
		case "number", "name", "contact_id", "call_id":
		default:
			return fmt.Errorf("“%s” is not filled in: number, name, contact_id and call_id are", name)
		}
	}
	if !strings.HasPrefix(template, "https://") && !strings.HasPrefix(template, "http://") {
		return fmt.Errorf("the address begins with https:// or http://")
	}
	return nil
}

// Preferences are how a wants records to open.
func (ar *Arrivals) Preferences(ctx context.Context, a firm.Actor) (contract.Preferences, error) {
	p, err := ar.Store.Preferences(ctx, a.ID)
	return contract.Preferences{Opens: contract.PreferencesOpens(p.Opens), AddressTemplate: p.AddressTemplate,
		Greeting: p.Greeting, GreetingSoundID: p.GreetingSound, Whisper: &p.Whisper, Program: &p.Program}, err
}

// SetPreferences keeps how a wants records to open, and a's greeting. Error: *FieldError.
func (ar *Arrivals) SetPreferences(ctx context.Context, a firm.Actor,
	p contract.Preferences) (contract.Preferences, error) {
	p.AddressTemplate, p.Greeting = strings.TrimSpace(p.AddressTemplate), firm.CleanText(p.Greeting)
	if p.AddressTemplate != "" || p.Opens == contract.PreferencesOpensAddress {
		if err := checkTemplate(p.AddressTemplate); err != nil {
			return p, firm.About("address_template", err)
		}
	}
	if err := ar.Voices.soundCheck(ctx, "greeting_sound_id", p.GreetingSoundID); err != nil {
		return p, err
	}
	err := ar.Store.SetPreferences(ctx,
		db.SetPreferencesParams{ID: a.ID, Opens: string(p.Opens), AddressTemplate: p.AddressTemplate,
			Greeting: p.Greeting, GreetingSound: p.GreetingSoundID, Whisper: p.Whisper != nil && *p.Whisper,
			Program: p.Program != nil && *p.Program})
	ar.ActorChanged(a.ID)
	return p, err
}

// beforeTheFirstWord is what a rep wants to know of a caller.
func (ar *Arrivals) beforeTheFirstWord(ctx context.Context, a firm.Actor, callID uuid.UUID,
	r contract.RecordRef) ([]string, error) {
	c, err := firm.SharedAnswer(ctx, ar.Firm, "before "+callID.String()+" "+r.ID.String(),
		func(ctx context.Context) (briefing.Caller, error) {
			return ar.knownOf(ctx, callID, r.ID)
		})
	if err != nil {
		return nil, err
	}
	spoke, err := firm.SharedAnswer(ctx, ar.Firm, "spoke "+callID.String()+" "+r.ID.String(),
		func(ctx context.Context) (map[uuid.UUID]time.Time, error) {
			rows, err := ar.Store.LastSpoken(ctx, db.LastSpokenParams{RecordID: r.ID, Without: callID})
			last := map[uuid.UUID]time.Time{}
			for _, x := range rows {
				last[x.UserID] = x.At
			}
			return last, err
		})
	if err != nil {
		return nil, err
	}
	if at, ever := spoke[a.ID]; ever {
		c.Spoke = at
		since, err := ar.Store.SinceSpoken(ctx,
			db.SinceSpokenParams{RecordID: r.ID, Since: c.Spoke, Without: callID, ReaderID: a.ID})
		if err != nil {
			return nil, err
		}
		for _, x := range since {
			c.Since = append(c.Since, briefing.Happening{Call: x.Kind == "call", Wrote: x.Kind == "message",
				Theirs: x.Incoming, By: x.ByName, Outcome: x.Outcome})
		}
	}
	return briefing.Facts(c, ar.Clock.Now().In(a.Location()), ar.Dates()), nil
}

// shownPromises is how many of what was promised to somebody are told while they ring.
const shownPromises = 2

// lastOfAll is behind every date that can be promised.
var lastOfAll = time.Date(9999, 1, 1, 0, 0, 0, 0, time.UTC)

// knownOf is what is known of somebody besides what has happened since one spoke with them, whoever asks.
func (ar *Arrivals) knownOf(ctx context.Context, callID, record uuid.UUID) (briefing.Caller, error) {
	var c briefing.Caller
	promises, err := ar.Store.Promises(ctx, db.PromisesParams{RecordID: &record})
	if err != nil {
		return c, err
	}
	c.Ledger = book.LedgerOf(promises, ar.Clock.Now())
	due := func(p db.PromisesRow) time.Time {
		if p.DueAt == nil {
			return lastOfAll
		}
		return *p.DueAt
	}
	slices.SortStableFunc(promises, func(x, y db.PromisesRow) int { return due(x).Compare(due(y)) })
	for _, p := range promises {
		if p.State != "open" || len(c.Promises) == shownPromises {
			continue
		}
		made := briefing.Promise{Text: p.Text,
			Promise: promise.Promise{DayOnly: p.DayOnly, Patience: book.PromisePatience}}
		if p.DueAt != nil {
			made.Due = *p.DueAt
		}
		c.Promises = append(c.Promises, made)
	}
	scores, err := ar.Store.LastScore(ctx, record)
	if err != nil {
		return c, err
	}
	for _, x := range scores {
		c.Score = &briefing.Score{Value: x.Value, Class: string(survey.ClassOf(x.Value)), At: x.At}
	}
	matters, err := ar.Store.OpenMatters(ctx, &record)
	if err != nil {
		return c, err
	}
	for _, m := range matters {
		c.Matters = append(c.Matters, briefing.Matter(m))
	}
	last, err := ar.Store.LastContact(ctx, db.LastContactParams{RecordID: record, Without: callID})
	if err != nil {
		return c, err
	}
	for _, x := range last {
		c.Last = &briefing.Contact{At: x.StartedAt, Answered: x.AnsweredAt != nil, Outcome: x.Outcome}
	}
	return c, nil
}

// Briefing is what mattered about whom a speaks with in a call, as it was said while it rang; nothing of a call with
// nobody of the book. Errors: ErrNotFound, ErrForbidden.
func (ar *Arrivals) Briefing(ctx context.Context, a firm.Actor, id uuid.UUID) (contract.Briefing, error) {
	b := contract.Briefing{Facts: []string{}}
	c, err := ar.CallView(ctx, a, id)
	if err != nil {
		return b, err
	}
	if !c.Slip.Mine {
		return b, firm.ErrForbidden
	}
	for _, l := range c.Links {
		if l.Role != contract.CallLinkRoleAbout {
			b.Facts, err = ar.beforeTheFirstWord(ctx, a, id, l.Record)
			return b, err
		}
	}
	return b, nil
}

// offersOf puts ranked records with their reasons into the reader's form.
func offersOf(matches []match.Match, rows []db.NumberCandidatesRow) []contract.Candidate {
	offers := []contract.Candidate{}
	for _, m := range matches {
		for _, row := range rows {
			if row.RecordID.String() == m.Record {
				offers = append(offers, contract.Candidate{Reason: m.Reason,
					Record: contract.RecordRef{ID: row.RecordID, Kind: contract.RecordKind(row.Kind), Name: row.Name}})
				break
			}
		}
	}
	return offers
}

// SendToVoicemail takes a call that rings for a to voicemail. Errors: call.ErrNoRing, call.ErrTaken, call.ErrOver,
// ErrNotFound.
func (ar *Arrivals) SendToVoicemail(ctx context.Context, a firm.Actor, id uuid.UUID) error {
	c, err := ar.Store.CallByID(ctx, db.CallByIDParams{Me: a.ID, ID: id})
	if store.NotFound(err) {
		return firm.ErrNotFound
	} else if err != nil {
		return err
	}
	box := &a.ID
	var line db.LineByNumberRow
	if c.LineID != nil {
		if line, err = ar.Store.LineByNumber(ctx, c.CallerID); err != nil && !store.NotFound(err) {
			return err
		}
		reps, err := ar.repsOf(ctx, *c.LineID)
		if err != nil {
			return err
		}
		box = boxOf(reps)
	}
	// The call machine says whether it rings for a: nothing is written before that.
	if err := ar.board.Do(ctx, id,
		call.MachineTakes{Device: call.Voicemail, Box: optional.ID(box), By: a.ID.String()}); err != nil {
		return err
	}
	if err := ar.Store.SetMissedWhy(ctx,
		db.SetMissedWhyParams{ID: id, Why: a.Name + " sent it to voicemail", BoxUserID: box}); err != nil {
		ar.Log.Warn("why a call was missed", "call", id, "error", err)
	}
	ar.InBackground(func(ctx context.Context) { ar.greet(ctx, id, box, line) })
	return nil
}
