package desk

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"github.com/alexedwards/argon2id"
	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/callerid"
	"trundo/internal/core/phone"
	"trundo/internal/core/recording"
	"trundo/internal/core/slip"
	"trundo/internal/core/workday"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// Role is what somebody of the firm may do.
type Role string

// The roles. A supervisor may do what a rep may, an admin what a supervisor may.
const (
	Rep        Role = "rep"
	Supervisor Role = "supervisor"
	Admin      Role = "admin"
)

// Actor is who asks for something.
type Actor struct {
	ID    uuid.UUID
	Login string
	Name  string
	Role  Role
	Team  string
	Zone  *time.Location
	Style phone.Style
	Line  *uuid.UUID
	// SessionsFrom: sessions of a that began earlier are over.
	SessionsFrom time.Time
	// Recording is the rule of a's calls in place of the line's; empty: as the line.
	Recording recording.Rule
	// Whisper: a wants to be told on which line a call came in.
	Whisper bool
	// Program: a calls by their computer's own calling program.
	Program bool
	// ByTelephone: a's own telephone rings first.
	ByTelephone bool
}

// zone is a's own, UTC for nobody.
func (a Actor) zone() *time.Location {
	if a.Zone == nil {
		return time.UTC
	}
	return a.Zone
}

// reader is a as who reads notes.
func (a Actor) reader() slip.Reader {
	return slip.Reader{User: a.ID.String(), Team: a.Team, Leads: a.leads()}
}

// lookupPatience is for how long the database is waited for where an older answer would do.
const lookupPatience = 100 * time.Millisecond

// fresh is for how long what seldom changes is not read again. While the database is away it is used however old.
const fresh = 5 * time.Second

type cache[T any] struct {
	mu    sync.Mutex
	value T
	at    time.Time
}

type cachedActor struct {
	actor Actor
	at    time.Time
}

// firm is what every request needs of the firm's set-up.
type firm struct {
	name, region string
	currency     string
	book         book
	rules        slip.Rules
	wrap         time.Duration
	states       []db.AvailabilityState // all, also those no longer offered
	lines        []callerid.Line        // active ones
	outcomes     []firmOutcome          // all, also those no longer offered
	holidays     []workday.Holiday
	workdays     workday.Calendar
	webhooks     []db.WebhooksRow
	types        []db.CallType // likewise
	lineLabels   map[uuid.UUID]string
	lineSources  map[uuid.UUID]string
	recorded     map[uuid.UUID]lineRecording
	keeping      recordingSettings
}

// firmSettings is the value of the setting "firm".
type firmSettings struct {
	Name          string `json:"name"`
	Region        string `json:"region"`
	Currency      string `json:"currency"`
	OutcomeNeeded bool   `json:"outcome_needed"`
	TypeNeeded    bool   `json:"type_needed"`
	WrapSeconds   int    `json:"wrap_seconds"` // for how long an unfiled slip keeps further calls away
}

func (d *Desk) firm(ctx context.Context) (*firm, error) {
	d.firmCache.mu.Lock()
	defer d.firmCache.mu.Unlock()
	c := &d.firmCache
	if c.value != nil && d.Clock.Since(c.at) < fresh {
		return c.value, nil
	}
	asked := d.Clock.Now() // what changes while it is read is read again
	f, err := d.readFirm(ctx)
	if err != nil {
		if c.value != nil && store.Away(err) {
			return c.value, nil
		}
		return nil, err
	}
	c.value, c.at = f, asked
	d.lastFirm.Store(f)
	return f, nil
}

// firmWithin is the firm as it was last read, for use within a transaction: a second connection is not asked for there.
func (d *Desk) firmWithin(ctx context.Context) (*firm, error) {
	if f := d.lastFirm.Load(); f != nil {
		return f, nil
	}
	return d.firm(ctx)
}

// setting reads a setting into value; one that was never made leaves it as it is.
func (d *Desk) setting(ctx context.Context, key string, value any) error {
	text, err := d.Store.Setting(ctx, key)
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

func (d *Desk) readFirm(ctx context.Context) (*firm, error) {
	var s firmSettings
	if err := d.setting(ctx, "firm", &s); err != nil {
		return nil, err
	}
	f := &firm{name: s.Name, region: s.Region, wrap: time.Duration(s.WrapSeconds) * time.Second, rules: slip.Rules{OutcomeNeeded: s.OutcomeNeeded, TypeNeeded: s.TypeNeeded}}
	if f.region == "" {
		f.region = "US"
	}
	if f.currency = s.Currency; f.currency == "" {
		f.currency = "USD"
	}
	lines, err := d.Store.Lines(ctx)
	if err != nil {
		return nil, err
	}
	f.lineLabels, f.lineSources, f.recorded = map[uuid.UUID]string{}, map[uuid.UUID]string{}, map[uuid.UUID]lineRecording{}
	for _, l := range lines {
		f.lineLabels[l.ID], f.lineSources[l.ID] = l.Label, l.Source
		region, state := phone.Place(l.E164)
		f.recorded[l.ID] = lineRecording{recording.Rule(l.Recording), recording.Rule(l.RecordingIn), recording.Place{Region: region, State: state}}
		if !l.Active {
			continue
		}
		f.lines = append(f.lines, callerid.Line{ID: l.ID.String(), E164: l.E164, Label: l.Label, Region: l.Region, Main: l.Main})
	}
	f.keeping = usualRecording
	if err := d.setting(ctx, "recording", &f.keeping); err != nil {
		return nil, err
	}
	if err = d.readOutcomes(ctx, f); err != nil {
		return nil, err
	}
	if f.webhooks, err = d.Store.Webhooks(ctx); err != nil {
		return nil, err
	}
	if f.types, err = d.Store.CallTypes(ctx); err != nil {
		return nil, err
	}
	if f.states, err = d.Store.AvailabilityStates(ctx); err != nil {
		return nil, err
	}
	f.book, err = d.readBook(ctx)
	return f, err
}

// mainLine is the number by which the firm calls its own people.
func (f *firm) mainLine() string {
	first := ""
	for _, l := range f.lines {
		if first == "" || l.Main {
			first = l.E164
		}
	}
	return first
}

func (f *firm) outcome(id uuid.UUID) (*firmOutcome, bool) {
	for i := range f.outcomes {
		if f.outcomes[i].ID == id {
			return &f.outcomes[i], true
		}
	}
	return &firmOutcome{}, false
}

func (f *firm) callType(id uuid.UUID) (db.CallType, bool) {
	for _, t := range f.types {
		if t.ID == id {
			return t, true
		}
	}
	return db.CallType{}, false
}

// decoy is checked where there is no such user, so that the answer takes as long.
var decoy = sync.OnceValue(func() string {
	hash, err := argon2id.CreateHash(uuid.NewString(), passwords)
	if err != nil {
		panic(err) // only without a source of randomness
	}
	return hash
})

// passwords are the costs of a password hash: the second choice of RFC 9106, 64 MiB and 3 passes, with one
// lane for a machine of two cores.
var passwords = &argon2id.Params{Memory: 64 * 1024, Iterations: 3, Parallelism: 1, SaltLength: 16, KeyLength: 32}

// FoldLogin is a login as it is stored and compared: the same for every way of typing it.
func FoldLogin(login string) string { return strings.ToLower(strings.TrimSpace(login)) }

// hashing bounds how many passwords are hashed at once, since each takes 64 MiB: the memory of a storm of guesses. Who finds the queue
// full is told to come again.
type hashing struct {
	turns   chan struct{}
	waiting atomic.Int32
}

const (
	hashesAtOnce   = 2
	hashesAwaiting = 16
)

func newHashing() *hashing { return &hashing{turns: make(chan struct{}, hashesAtOnce)} }

// compare checks a password in turn. Errors: ErrBusy, that of ctx.
func (h *hashing) compare(ctx context.Context, password, hash string) (bool, error) {
	if h.waiting.Add(1) > hashesAwaiting {
		h.waiting.Add(-1)
		return false, ErrBusy
	}
	defer h.waiting.Add(-1)
	select {
	case h.turns <- struct{}{}:
	case <-ctx.Done():
		return false, ctx.Err()
	}
	defer func() { <-h.turns }()
	ok, err := argon2id.ComparePasswordAndHash(password, hash)
	return ok, err
}

// SignIn checks a name and a password; from is the address that asks, for the trail. Errors: ErrSignIn, whatever was wrong; ErrBusy.
func (d *Desk) SignIn(ctx context.Context, login, password, from string) (Actor, error) {
	a, user, err := d.signIn(ctx, login, password)
	switch {
	case err == nil:
		d.Log.Info("signed in", "login", a.Login, "from", from)
		err = d.audited(ctx, d.Store.Queries, a, "session", a.ID, "signed in", map[string]string{}, map[string]string{"from": from})
	case errors.Is(err, ErrSignIn):
		shown := []rune(FoldLogin(login))
		shown = shown[:min(len(shown), 100)]
		d.Log.Warn("sign-in failed", "login", string(shown), "from", from)
		if trail := d.auditedNobody(ctx, user, "sign-in failed", map[string]string{"login": string(shown), "from": from}); trail != nil {
			d.Log.Error("a failed sign-in is not in the trail", "error", trail)
		}
	}
	return a, err
}

// auditedNobody writes into the trail what was done by nobody who is known.
func (d *Desk) auditedNobody(ctx context.Context, subject uuid.UUID, action string, what map[string]string) error {
	after, err := json.Marshal(what)
	if err != nil {
		return err
	}
	return d.Store.InsertAudit(ctx, db.InsertAuditParams{ID: store.NewID(), At: d.Clock.Now(), SubjectKind: "session", SubjectID: subject, Action: action,
		Before: []byte("{}"), After: after})
}

// signIn gives who signs in, and whose login it is that was tried.
func (d *Desk) signIn(ctx context.Context, login, password string) (Actor, uuid.UUID, error) {
	u, err := d.Store.UserByLogin(ctx, FoldLogin(login))
	hash := u.PasswordHash
	if err != nil {
		if !store.NotFound(err) {
			return Actor{}, uuid.Nil, err
		}
		hash = decoy()
	}
	ok, hashErr := d.hashing.compare(ctx, password, hash)
	if hashErr != nil {
		return Actor{}, u.ID, fmt.Errorf("checking a password: %w", hashErr)
	}
	if !ok || err != nil {
		return Actor{}, u.ID, ErrSignIn
	}
	d.actors.Delete(u.ID)
	a, err := d.Actor(ctx, u.ID)
	return a, u.ID, err
}

// EndSessions ends every session of a's that began before now.
func (d *Desk) EndSessions(ctx context.Context, a Actor) error {
	now := d.Clock.Now()
	err := d.Store.Tx(ctx, func(q *db.Queries) error {
		if err := q.EndSessions(ctx, db.EndSessionsParams{ID: a.ID, At: now}); err != nil {
			return err
		}
		return d.audited(ctx, q, a, "session", a.ID, "signed out everywhere", map[string]string{}, map[string]string{})
	})
	d.actors.Delete(a.ID)
	return err
}

// Actor tells who a signed-in user is. Error: ErrSignedOut where there is no such user any more.
func (d *Desk) Actor(ctx context.Context, id uuid.UUID) (Actor, error) {
	cached, hit := d.actors.Load(id)
	if hit && d.Clock.Since(cached.(cachedActor).at) < fresh {
		return cached.(cachedActor).actor, nil
	}
	if hit && d.journal.Away() {
		return cached.(cachedActor).actor, nil
	}
	quick := ctx
	if hit { // what is known is better than to wait
		var cancel context.CancelFunc
		quick, cancel = context.WithTimeout(ctx, lookupPatience)
		defer cancel()
	}
	u, err := d.Store.User(quick, id)
	switch {
	case store.NotFound(err):
		d.actors.Delete(id)
		return Actor{}, ErrSignedOut
	case err != nil && hit && store.Away(err):
		return cached.(cachedActor).actor, nil
	case err != nil:
		return Actor{}, err
	}
	zone, err := time.LoadLocation(u.Zone)
	if err != nil {
		zone = time.UTC
	}
	a := Actor{ID: u.ID, SessionsFrom: u.SessionsFrom, Login: u.Login, Name: u.Name, Role: Role(u.Role), Team: u.Team, Zone: zone, Style: phone.Style(u.NumberStyle), Line: u.LineID, Recording: recording.Rule(u.Recording), Whisper: u.Whisper, Program: u.Program, ByTelephone: u.ByTelephone}
	d.actors.Store(id, cachedActor{a, d.Clock.Now()})
	return a, nil
}

// Me is what a's browser needs to begin.
func (d *Desk) Me(ctx context.Context, a Actor) (contract.Me, error) {
	f, err := d.firm(ctx)
	if err != nil {
		return contract.Me{}, err
	}
	me := contract.Me{ID: a.ID, Login: a.Login, Name: a.Name, Role: contract.MeRole(a.Role), Zone: a.Zone.String(), Demo: d.Demo,
		LiveEpoch: d.Hub.Epoch(), Outcomes: []contract.Outcome{}, CallTypes: []contract.CallType{},
		Firm: contract.Firm{Name: f.name, Region: f.region, OutcomeNeeded: f.rules.OutcomeNeeded, TypeNeeded: f.rules.TypeNeeded, WrapSeconds: int(f.wrap.Seconds())}}
	state, err := d.Store.Availability(ctx, a.ID)
	if err != nil && !store.NotFound(err) {
		return me, err
	}
	me.Availability = contract.AvailabilityChoice{ID: state.StateID, Label: state.Label, TakesCalls: state.TakesCalls}
	me.Simulated, me.Sound, me.Availabilities = d.Simulated, d.Browsers != nil, []contract.AvailabilityChoice{}
	for _, s := range f.states {
		if s.Active {
			me.Availabilities = append(me.Availabilities, contract.AvailabilityChoice{ID: s.ID, Label: s.Label, TakesCalls: s.TakesCalls})
		}
	}
	if me.Preferences, err = d.preferences(ctx, a); err != nil {
		return me, err
	}
	if shown, err := callerid.Choose(f.lines, callerid.Request{RepLine: text(a.Line), Region: f.region}); err == nil {
		me.Line = phone.Format(shown.Line.E164, "", f.region, a.Style)
	}
	for _, o := range f.outcomes {
		if o.offered(a.Team) {
			me.Outcomes = append(me.Outcomes, o.view())
		}
	}
	for _, t := range f.types {
		if t.Active {
			me.CallTypes = append(me.CallTypes, contract.CallType{ID: t.ID, Label: t.Label})
		}
	}
	return me, nil
}

// DemoPassword is everybody's password in the demo, where there is nothing to protect.
const DemoPassword = "lindenfall"

// DemoPeople are those who can be signed in with one click. None outside the demo.
func (d *Desk) DemoPeople(ctx context.Context) ([]contract.DemoPerson, error) {
	people := []contract.DemoPerson{}
	if !d.Demo {
		return people, nil
	}
	users, err := d.Store.Users(ctx, db.UsersParams{})
	if err != nil {
		return nil, err
	}
	for _, u := range users {
		people = append(people, contract.DemoPerson{Login: u.Login, Name: u.Name, Role: u.Role, Team: u.Team, Password: DemoPassword})
	}
	return people, nil
}

// NewUser is somebody to be added to the firm.
type NewUser struct {
	Login, Name, Password string
	Role                  Role
	Zone, Team, Extension string
	Line                  *uuid.UUID
}

// AddUser adds somebody to the firm, from the command line or a set-up. Errors: *FieldError.
func AddUser(ctx context.Context, q *db.Queries, u NewUser) (uuid.UUID, error) {
	u.Login = FoldLogin(u.Login)
	switch {
	case u.Login == "" || len(u.Login) > 100 || strings.ContainsAny(u.Login, " \t\n"):
		return uuid.Nil, wrong("login", "a login needs 1 to 100 characters and no spaces")
	case strings.TrimSpace(u.Name) == "" || len(u.Name) > 200:
		return uuid.Nil, wrong("name", "a name needs 1 to 200 characters")
	case len(u.Password) < 10:
		return uuid.Nil, wrong("password", "a password needs at least 10 characters")
	case u.Role != Rep && u.Role != Supervisor && u.Role != Admin:
		return uuid.Nil, wrong("role", "the role is rep, supervisor or admin")
	}
	if _, err := time.LoadLocation(u.Zone); err != nil || u.Zone == "" {
		return uuid.Nil, wrong("zone", "the zone is a name such as America/New_York")
	}
	hash, err := hashOf(u.Password)
	if err != nil {
		return uuid.Nil, err
	}
	id := store.NewID()
	err = q.InsertUser(ctx, db.InsertUserParams{ID: id, Login: u.Login, Name: u.Name, Role: string(u.Role), Team: u.Team,
		PasswordHash: hash, Zone: u.Zone, LineID: u.Line, Extension: u.Extension})
	if store.Duplicate(err) {
		return uuid.Nil, wrong("login", "somebody has this login already")
	} else if err != nil {
		return uuid.Nil, err
	}
	return id, q.InsertRepState(ctx, db.InsertRepStateParams{UserID: id, At: time.Now()})
}

// SetPassword gives somebody another password, from the command line, and ends their sessions. Errors: *FieldError.
func SetPassword(ctx context.Context, q *db.Queries, login, password string) error {
	if len(password) < 10 {
		return wrong("password", "a password needs at least 10 characters")
	}
	hash, err := hashOf(password)
	if err != nil {
		return err
	}
	return nobodyChanged(q.SetPassword(ctx, db.SetPasswordParams{Login: FoldLogin(login), PasswordHash: hash, At: time.Now()}))
}

// SwitchUser lets somebody in no more, or again, from the command line; their sessions end. Error: *FieldError.
func SwitchUser(ctx context.Context, q *db.Queries, login string, on bool) error {
	return nobodyChanged(q.SwitchUser(ctx, db.SwitchUserParams{Login: FoldLogin(login), Active: on, At: time.Now()}))
}

func nobodyChanged(n int64, err error) error {
	if err == nil && n == 0 {
		err = wrong("login", "nobody has this login")
	}
	return err
}

// demoHash is made once: hashing eleven times the same word would cost the demo's start a second.
var demoHash = sync.OnceValues(func() (string, error) { return argon2id.CreateHash(DemoPassword, passwords) })

func hashOf(password string) (string, error) {
	if password == DemoPassword {
		return demoHash()
	}
	return argon2id.CreateHash(password, passwords)
}

func text(id *uuid.UUID) string {
	if id == nil {
		return ""
	}
	return id.String()
}
