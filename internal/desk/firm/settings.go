package firm

import (
	"context"
	"encoding/json"
	"fmt"
	"sync"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/callerid"
	"trundo/internal/core/datetime"
	"trundo/internal/core/fields"
	"trundo/internal/core/outcome"
	"trundo/internal/core/phone"
	"trundo/internal/core/recording"
	"trundo/internal/core/slip"
	"trundo/internal/core/workday"
	"trundo/internal/optional"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

func customField(c db.CustomFieldsRow) fields.Field {
	return fields.Field{Key: fields.Custom + c.Key, Label: c.Label, Type: fields.Type(c.Type), Choices: c.Choices}
}

func joined(a, b []string) []string {
	out := append([]string{}, a...)
	for _, x := range b {
		there := false
		for _, y := range a {
			there = there || x == y
		}
		if !there {
			out = append(out, x)
		}
	}
	return out
}

// Home is what is taken where a text leaves it open.
func (f *Settings) Home(a Actor) fields.Home {
	return fields.Home{Currency: f.Currency, Zone: a.Zone, CountryCode: phone.CountryCode(f.Region)}
}

// BookChanged lets everybody read the set-up of the book anew.
func (k *Firm) BookChanged() {
	k.settings.Mu.Lock()
	k.settings.Value = nil
	k.settings.Mu.Unlock()
	k.Hub.Publish(contract.LiveEvent{Kind: contract.LiveEventKindBook})
}

// Outcome is an outcome with what it does.
type Outcome struct {
	db.Outcome
	Effects []outcome.Effect
}

// Offer is for which calls the outcome is there.
func (o *Outcome) Offer() outcome.Offer {
	offer := outcome.Offer{ID: o.ID.String(), Active: o.Active, Directions: o.Directions, Teams: o.Teams}
	for _, id := range o.CallTypeIds {
		offer.Types = append(offer.Types, id.String())
	}
	return offer
}

// Offered are the outcomes that can be chosen for a call, each with the place that decides its key.
func (f *Settings) Offered(direction string, callType, chosen *uuid.UUID, team string) []contract.OfferedOutcome {
	all := make([]outcome.Offer, len(f.Outcomes))
	for i := range f.Outcomes {
		all[i] = f.Outcomes[i].Offer()
	}
	offered := []contract.OfferedOutcome{}
	for _, o := range outcome.OfferedFor(all, direction, optional.ID(callType), team, optional.ID(chosen)) {
		offered = append(offered, contract.OfferedOutcome{ID: uuid.MustParse(o.ID), Place: o.Place})
	}
	return offered
}

// View is the outcome as reps choose it.
func (o *Outcome) View() contract.Outcome {
	view := contract.Outcome{ID: o.ID, Label: o.Label, Reached: o.Reached, NeedsNotes: o.NeedsNotes,
		NeedsFollowUp: o.NeedsFollowUp, CallTypeIds: o.CallTypeIds, Acts: len(o.Effects) > 0,
		Directions: []contract.OutcomeDirections{}}
	for _, way := range o.Directions {
		view.Directions = append(view.Directions, contract.OutcomeDirections(way))
	}
	return view
}

// readOutcomes reads the firm's outcomes and the days on which it does not work.
func (k *Firm) readOutcomes(ctx context.Context, f *Settings) error {
	rows, err := k.Store.Outcomes(ctx)
	if err != nil {
		return err
	}
	f.Outcomes = make([]Outcome, len(rows))
	for i, r := range rows {
		f.Outcomes[i].Outcome = db.Outcome{ID: r.ID, Label: r.Label, Position: r.Position, Reached: r.Reached,
			LeftMessage: r.LeftMessage, NeedsNotes: r.NeedsNotes, Active: r.Active, NeedsFollowUp: r.NeedsFollowUp,
			Directions: r.Directions, Teams: r.Teams, CallTypeIds: r.CallTypeIds, Effects: r.Effects}
		if err := json.Unmarshal(r.Effects, &f.Outcomes[i].Effects); err != nil {
			return fmt.Errorf("effects of the outcome %s: %w", r.Label, err)
		}
	}
	if err := k.Setting(ctx, "holidays", &f.Holidays); err != nil {
		return err
	}
	f.Workdays = workday.New(f.Holidays)
	return nil
}

// Cache is a value that is read anew after a while; whoever reads it holds Mu.
type Cache[T any] struct {
	Mu    sync.Mutex
	Value T
	At    time.Time
}

// Settings is what every request needs of the firm's set-up.
type Settings struct {
	Name, Region string
	Zone         *time.Location // where it is at home
	Currency     string
	Meeting      string                 // template of a meeting room's address; empty: there are none
	SecondFactor []Role                 // of whom one is asked
	absences     []absent               // that are not over
	TeamsOf      map[uuid.UUID][]string // of whoever is or was of the firm and in a team
	Book         BookFields
	Rules        slip.Rules
	Wrap         time.Duration
	States       []db.AvailabilityState // all, also those no longer offered
	Lines        []callerid.Line        // active ones
	Outcomes     []Outcome              // all, also those no longer offered
	Holidays     []workday.Holiday
	Workdays     workday.Calendar
	Webhooks     []db.WebhooksRow
	CallTypes    []db.CallType // likewise
	LineLabels   map[uuid.UUID]string
	LineSources  map[uuid.UUID]string
	Recorded     map[uuid.UUID]lineRecording
	Keeping      RecordingSettings
}

// usualCurrency is a firm's that has never said which.
const usualCurrency = "USD"

// FirmSettings is the value of the setting "firm".
type FirmSettings struct {
	Name          string `json:"name"`
	Region        string `json:"region"`
	Currency      string `json:"currency"`
	Zone          string `json:"zone,omitempty"`
	Meeting       string `json:"meeting,omitempty"`       // template of a meeting room's address
	SecondFactor  []Role `json:"second_factor,omitempty"` // of whom one is asked
	OutcomeNeeded bool   `json:"outcome_needed"`
	TypeNeeded    bool   `json:"type_needed"`
	WrapSeconds   int    `json:"wrap_seconds"` // for how long an unfiled slip keeps further calls away
}

// Wrap is for how long an unfiled slip keeps further calls away.
func (s FirmSettings) Wrap() time.Duration { return time.Duration(s.WrapSeconds) * time.Second }

// Settings are the firm's settings, at most five seconds old; while the database is away, as they were last read.
func (k *Firm) Settings(ctx context.Context) (*Settings, error) {
	k.settings.Mu.Lock()
	defer k.settings.Mu.Unlock()
	c := &k.settings
	if c.Value != nil && k.Clock.Since(c.At) < fresh {
		return c.Value, nil
	}
	asked := k.Clock.Now() // what changes while it is read is read again
	f, err := k.readFirm(ctx)
	if err != nil {
		if c.Value != nil && store.Away(err) {
			return c.Value, nil
		}
		return nil, err
	}
	c.Value, c.At = f, asked
	k.lastSettings.Store(f)
	return f, nil
}

// SettingsWithin is the firm as it was last read, for use within a transaction: a second connection is not asked for
// there.
func (k *Firm) SettingsWithin(ctx context.Context) (*Settings, error) {
	if f := k.lastSettings.Load(); f != nil {
		return f, nil
	}
	return k.Settings(ctx)
}

// Setting reads a setting into value; one that was never made leaves it as it is.
func (k *Firm) Setting(ctx context.Context, key string, value any) error {
	return ReadSetting(ctx, k.Store.Queries, key, value)
}

// ReadSetting is Setting within a transaction.
func ReadSetting(ctx context.Context, q *db.Queries, key string, value any) error {
	text, err := q.Setting(ctx, key)
	if store.NotFound(err) {
		return nil
	} else if err != nil {
		return err
	}
	if err := json.Unmarshal(text, value); err != nil {
		return fmt.Errorf("setting %s: %w", key, err)
	}
	return nil
}

func (k *Firm) readFirm(ctx context.Context) (*Settings, error) {
	var s FirmSettings
	if err := k.Setting(ctx, "firm", &s); err != nil {
		return nil, err
	}
	f := &Settings{Name: s.Name, Region: s.Region, Wrap: s.Wrap(),
		SecondFactor: s.SecondFactor, Meeting: s.Meeting,
		Rules: slip.Rules{OutcomeNeeded: s.OutcomeNeeded, TypeNeeded: s.TypeNeeded}}
	f.Zone = time.UTC
	if zone, err := time.LoadLocation(s.Zone); err == nil {
		f.Zone = zone
	}
	if f.Region == "" {
		f.Region = "US"
	}
	if f.Currency = s.Currency; f.Currency == "" {
		f.Currency = usualCurrency
	}
	lines, err := k.Store.Lines(ctx)
	if err != nil {
		return nil, err
	}
	f.LineLabels, f.LineSources, f.Recorded = map[uuid.UUID]string{}, map[uuid.UUID]string{}, map[uuid.UUID]lineRecording{}
	for _, l := range lines {
		f.LineLabels[l.ID], f.LineSources[l.ID] = l.Label, l.Source
		region, state := phone.Place(l.E164)
		f.Recorded[l.ID] = lineRecording{recording.Rule(l.Recording), recording.Rule(l.RecordingIn),
			recording.Place{Region: region, State: state}}
		if !l.Active {
			continue
		}
		f.Lines = append(f.Lines, callerid.Line{ID: l.ID.String(), E164: l.E164, Label: l.Label, Region: l.Region,
			Main: l.Main, RestsUntil: l.RestsUntil,
			Rests: l.RestsUntil != nil && l.RestsUntil.After(k.Clock.Now())})
	}
	f.Keeping = usualRecording
	if err := k.Setting(ctx, "recording", &f.Keeping); err != nil {
		return nil, err
	}
	if err = k.readOutcomes(ctx, f); err != nil {
		return nil, err
	}
	if f.Webhooks, err = k.Store.Webhooks(ctx); err != nil {
		return nil, err
	}
	if f.CallTypes, err = k.Store.CallTypes(ctx); err != nil {
		return nil, err
	}
	if f.States, err = k.Store.AvailabilityStates(ctx); err != nil {
		return nil, err
	}
	teams, err := k.Store.TeamsOfAll(ctx)
	if err != nil {
		return nil, err
	}
	f.TeamsOf = map[uuid.UUID][]string{}
	for _, m := range teams {
		f.TeamsOf[m.ID] = m.Teams
	}
	if err := k.readAbsences(ctx, f); err != nil {
		return nil, err
	}
	f.Book, err = k.readBook(ctx)
	return f, err
}

// MainLine is the number by which the firm calls its own people.
func (f *Settings) MainLine() string {
	first := ""
	for _, l := range f.Lines {
		if first == "" || l.Main {
			first = l.E164
		}
	}
	return first
}

// Outcome is an outcome by its id; false: there is none.
func (f *Settings) Outcome(id uuid.UUID) (*Outcome, bool) {
	for i := range f.Outcomes {
		if f.Outcomes[i].ID == id {
			return &f.Outcomes[i], true
		}
	}
	return &Outcome{}, false
}

// CallType is a call type by its id; false: there is none.
func (f *Settings) CallType(id uuid.UUID) (db.CallType, bool) {
	for _, t := range f.CallTypes {
		if t.ID == id {
			return t, true
		}
	}
	return db.CallType{}, false
}

// LineOf is the firm's line with a number; nil where there is none.
func (f *Settings) LineOf(number string) *uuid.UUID {
	n, err := phone.Parse(number, f.Region)
	if err != nil {
		return nil
	}
	for _, l := range f.Lines {
		if l.E164 == n.E164 {
			id := uuid.MustParse(l.ID)
			return &id
		}
	}
	return nil
}

// lineRecording is what a line says of recording, and where it is.
type lineRecording struct {
	Out, In recording.Rule
	Place   recording.Place
}

// RecordingSettings is the value of the setting "recording".
type RecordingSettings struct {
	Everybody   recording.Rule `json:"everybody"`
	CallDays    int            `json:"call_days"`
	MessageDays int            `json:"message_days"`
	// PreparedConsent: a prepared message is left only for who agreed to it.
	PreparedConsent bool `json:"prepared_consent"`
	// ListenUntold: a rep is not told that somebody listens to them, where no law of either place asks for it.
	ListenUntold bool `json:"listen_untold"`
	// Consultations: what a rep and whom they ask say to each other is recorded, by itself.
	Consultations bool `json:"consultations"`
}

// usualRecording holds until an admin decides: both sides are told where all must agree, and nothing is deleted by
// itself.
var usualRecording = RecordingSettings{Everybody: recording.Announce}

// Policy is for how long recordings are kept.
func (s RecordingSettings) Policy() recording.Policy {
	return recording.Policy{CallDays: s.CallDays, MessageDays: s.MessageDays}
}

// OrEmpty is a list, never nil.
func OrEmpty[T any](list []T) []T {
	if list == nil {
		return []T{}
	}
	return list
}

// Dates is how times and days are written where the firm is.
func (k *Firm) Dates() datetime.Style {
	if f := k.LastSettings(); f != nil {
		return datetime.In(f.Region)
	}
	return datetime.Style{}
}

// LastSettings are the settings as they were last read, however long ago; nil: not yet.
func (k *Firm) LastSettings() *Settings { return k.lastSettings.Load() }
