package firm

import (
	"context"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/phone"
	"trundo/internal/core/recording"
	"trundo/internal/core/rights"
	"trundo/internal/core/slip"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// Role is what somebody of the firm is, by the key of one of the firm's roles.
type Role string

// The roles that a firm begins with.
const (
	Rep        Role = rights.RoleRep
	Supervisor Role = rights.RoleSupervisor
	Admin      Role = rights.RoleAdmin
)

// Actor is who asks for something.
type Actor struct {
	ID    uuid.UUID
	Login string
	Name  string
	Role  Role
	// RoleName is the role as the firm calls it.
	RoleName string
	// Rights are what a may do.
	Rights rights.Set
	// Team decides which outcomes a is offered; Teams are all that a is in.
	Team  string
	Teams []string
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
	// SecondFactor: a has one.
	SecondFactor bool
	// Strong: this session of a's began with two factors in one, a passkey or the firm's provider.
	Strong bool
	// AddressTemplate is the address, with its blanks, at which records open for a outside; empty where they open here.
	AddressTemplate string
}

// Location is a's own, UTC for nobody.
func (a Actor) Location() *time.Location {
	if a.Zone == nil {
		return time.UTC
	}
	return a.Zone
}

// Reader is a as who reads notes.
func (a Actor) Reader() slip.Reader {
	return slip.Reader{User: a.ID.String(), Teams: a.Teams, Corrects: a.Rights[rights.CorrectSlips]}
}

// LookupPatience is for how long the database is waited for where an older answer would do.
const LookupPatience = 100 * time.Millisecond

// fresh is for how long what seldom changes is not read again. While the database is away it is used however old.
const fresh = 5 * time.Second

type cachedActor struct {
	actor Actor
	at    time.Time
}

// Actor tells who a signed-in user is. Error: ErrSignedOut where there is no such user any more.
func (k *Firm) Actor(ctx context.Context, id uuid.UUID) (Actor, error) {
	cached, hit := k.actors.Load(id)
	if hit && k.Clock.Since(cached.(cachedActor).at) < fresh {
		return cached.(cachedActor).actor, nil
	}
	if hit && k.Journal.Away() {
		return cached.(cachedActor).actor, nil
	}
	quick := ctx
	if hit { // what is known is better than to wait
		var cancel context.CancelFunc
		quick, cancel = context.WithTimeout(ctx, LookupPatience)
		defer cancel()
	}
	u, err := k.Store.User(quick, id)
	switch {
	case store.NotFound(err):
		k.actors.Delete(id)
		return Actor{}, ErrSignedOut
	case err != nil && hit && store.Away(err):
		return cached.(cachedActor).actor, nil
	case err != nil:
		return Actor{}, err
	}
	a := actorOf(u)
	k.actors.Store(id, cachedActor{a, k.Clock.Now()})
	return a, nil
}

// ActorWithin is Actor within a transaction.
func ActorWithin(ctx context.Context, q *db.Queries, id uuid.UUID) (Actor, error) {
	u, err := q.User(ctx, id)
	if store.NotFound(err) {
		err = ErrSignedOut
	}
	return actorOf(u), err
}

func actorOf(u db.UserRow) Actor {
	zone, err := time.LoadLocation(u.Zone)
	if err != nil {
		zone = time.UTC
	}
	return Actor{ID: u.ID, SessionsFrom: u.SessionsFrom, Login: u.Login, Name: u.Name, Role: Role(u.Role), Team: u.Team,
		RoleName: u.RoleName, Rights: RightsOf(u.Role, u.Rights), Teams: u.Teams,
		Zone: zone, Style: phone.Style(u.NumberStyle), Line: u.LineID, Recording: recording.Rule(u.Recording),
		Whisper: u.Whisper, Program: u.Program, ByTelephone: u.ByTelephone,
		SecondFactor: u.SecondFactor, AddressTemplate: addressTemplate(u)}
}

// MayLift tells whether a may let somebody be called again who asked not to be: with the right and a reason. Errors:
// ErrForbidden, *FieldError.
func (a Actor) MayLift(reason *string) error {
	switch {
	case !a.MayDo(rights.LiftDoNotCall):
		return ErrForbidden
	case CleanReason(reason) == "":
		return Wrong("reason", "say why they may be called again")
	}
	return nil
}

// ActorChanged lets what is remembered of a person be read again.
func (k *Firm) ActorChanged(id uuid.UUID) { k.actors.Delete(id) }

// ActorsChanged lets what is remembered of everybody be read again.
func (k *Firm) ActorsChanged() { k.actors.Clear() }

// addressTemplate is the address that a rep's records open at, with its blanks; empty where they open here.
func addressTemplate(u db.UserRow) string {
	if u.Opens != string(contract.PreferencesOpensAddress) {
		return ""
	}
	return u.AddressTemplate
}
