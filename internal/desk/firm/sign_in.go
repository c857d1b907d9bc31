package firm

import (
	"context"
	"crypto/sha256"
	"encoding/json"
	"errors"
	"fmt"
	"runtime"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"github.com/alexedwards/argon2id"
	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/password"
	"trundo/internal/core/rights"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// HashSecret is the SHA-256 of a secret that was made by us, and so is too long to be guessed.
func HashSecret(text string) []byte {
	sum := sha256.Sum256([]byte(text))
	return sum[:]
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

// hashing bounds how many passwords are hashed at once, since each takes 64 MiB: the memory of a storm of guesses. Who
// finds the queue full is told to come again.
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
func (h *hashing) compare(ctx context.Context, password, hash string) (ok bool, err error) {
	err = h.inTurn(ctx, func() (err error) {
		ok, err = argon2id.ComparePasswordAndHash(password, hash)
		return err
	})
	return ok, err
}

// inTurn hashes when its turn has come. Errors: ErrBusy, that of ctx, that of hash.
func (h *hashing) inTurn(ctx context.Context, hash func() error) error {
	if h.waiting.Add(1) > hashesAwaiting {
		h.waiting.Add(-1)
		return ErrBusy
	}
	defer h.waiting.Add(-1)
	select {
	case h.turns <- struct{}{}:
	case <-ctx.Done():
		return ctx.Err()
	}
	defer func() { <-h.turns }()
	err := hash()
	// The 64 MiB of this one are given back before the next begins: left to itself the collector lets several of them
	// pile up, half a gigabyte in a storm of guesses.
	runtime.GC()
	return err
}

// Credentials are what somebody signs in with.
type Credentials struct {
	Login, Password string
	Code            string // of the second factor; empty: none was typed
	From            string // the address that asks, for the trail
}

// SignIn checks who somebody says they are. Errors: ErrSignIn, whatever was wrong; ErrSecondFactor; *FieldError about
// the code; ErrBusy.
func (k *Firm) SignIn(ctx context.Context, c Credentials) (Actor, error) {
	login, from := c.Login, c.From
	a, user, err := k.signIn(ctx, c)
	var wrong *FieldError
	switch {
	case err == nil:
		err = k.Entered(ctx, a, "password", from)
	case errors.Is(err, ErrSignIn), errors.As(err, &wrong):
		shown := []rune(FoldLogin(login))
		shown = shown[:min(len(shown), 100)]
		k.Log.Warn("sign-in failed", "login", string(shown), "from", from)
		if trail := k.auditedNobody(ctx, user, "sign-in failed",
			map[string]string{"login": string(shown), "from": from}); trail != nil {
			k.Log.Error("a failed sign-in is not in the trail", "error", trail)
		}
		if user != uuid.Nil {
			if told := k.tellOfGuesses(ctx, user, from); told != nil {
				k.Log.Error("telling of guesses", "error", told)
			}
		}
	}
	return a, err
}

// Entered keeps that a has come in, by which way and from which address.
func (k *Firm) Entered(ctx context.Context, a Actor, way, from string) error {
	k.Log.Info("signed in", "login", a.Login, "by", way, "from", from)
	now := k.Clock.Now()
	if err := k.Store.Seen(ctx, db.SeenParams{ID: a.ID, At: &now}); err != nil {
		return err
	}
	if err := k.tellOfNewPlace(ctx, a, way, from); err != nil {
		return err
	}
	return k.Audited(ctx, k.Store.Queries, a, "session", a.ID, "signed in", map[string]string{},
		map[string]string{"from": from, "by": way})
}

// NotEntered keeps that somebody has tried in vain to come in.
func (k *Firm) NotEntered(ctx context.Context, way, from string) {
	k.Log.Warn("sign-in failed", "by", way, "from", from)
	if trail := k.auditedNobody(ctx, uuid.Nil, "sign-in failed", map[string]string{"by": way, "from": from}); trail != nil {
		k.Log.Error("a failed sign-in is not in the trail", "error", trail)
	}
}

// auditedNobody writes into the trail what was done by nobody who is known.
func (k *Firm) auditedNobody(ctx context.Context, subject uuid.UUID, action string, what map[string]string) error {
	after, err := json.Marshal(what)
	if err != nil {
		return err
	}
	return k.Store.InsertAudit(ctx,
		db.InsertAuditParams{ID: store.NewID(), At: k.Clock.Now(), SubjectKind: "session", SubjectID: subject,
			Action: action,
			Before: []byte("{}"), After: after})
}

// signIn gives who signs in, and whose login it is that was tried.
func (k *Firm) signIn(ctx context.Context, c Credentials) (Actor, uuid.UUID, error) {
	u, err := k.Store.UserByLogin(ctx, FoldLogin(c.Login))
	hash := u.PasswordHash
	if err != nil && !store.NotFound(err) {
		return Actor{}, uuid.Nil, err
	}
	chosen := hash != "" // who was invited and has not chosen a password yet cannot sign in with one
	if !chosen {
		hash = decoy()
	}
	ok, hashErr := k.hashing.compare(ctx, c.Password, hash)
	if hashErr != nil {
		return Actor{}, u.ID, fmt.Errorf("checking a password: %w", hashErr)
	}
	if !ok || !chosen || err != nil {
		return Actor{}, u.ID, ErrSignIn
	}
	if err := k.secondFactor(ctx, u.ID, c.Code); err != nil {
		return Actor{}, u.ID, err
	}
	k.actors.Delete(u.ID)
	a, err := k.Actor(ctx, u.ID)
	return a, u.ID, err
}

// EndSessions ends every session of a's that began before now.
func (k *Firm) EndSessions(ctx context.Context, a Actor) error { return k.endSessions(ctx, a, a.ID) }

// EndSessionsOf signs somebody else out everywhere. Errors: ErrForbidden, ErrNotFound.
func (k *Firm) EndSessionsOf(ctx context.Context, a Actor, id uuid.UUID) error {
	if !a.MayDo(rights.Staff) {
		return ErrForbidden
	}
	u, err := k.Store.User(ctx, id)
	if store.NotFound(err) {
		return ErrNotFound
	} else if err != nil {
		return err
	}
	if err := MayGive(ctx, k.Store.Queries, a, u.Role); err != nil {
		return err
	}
	return k.endSessions(ctx, a, id)
}

func (k *Firm) endSessions(ctx context.Context, a Actor, id uuid.UUID) error {
	now := k.Clock.Now()
	err := k.Store.Tx(ctx, func(q *db.Queries) error {
		if err := q.EndSessions(ctx, db.EndSessionsParams{ID: id, At: now}); err != nil {
			return err
		}
		return k.Audited(ctx, q, a, "session", id, "signed out everywhere", map[string]string{}, map[string]string{})
	})
	k.actors.Delete(id)
	return err
}

// DemoPassword is everybody's password in the demo, where there is nothing to protect.
const DemoPassword = "lindenfall"

// DemoPeople are those who can be signed in with one click. None outside the demo.
func (k *Firm) DemoPeople(ctx context.Context) ([]contract.DemoPerson, error) {
	people := []contract.DemoPerson{}
	if !k.Demo {
		return people, nil
	}
	users, err := k.Store.DemoPeople(ctx)
	if err != nil {
		return nil, err
	}
	for _, u := range users {
		people = append(people, contract.DemoPerson{Login: u.Login, Name: u.Name, Role: u.Role, Team: u.Team,
			Password: DemoPassword})
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
		return uuid.Nil, Wrong("login", "a login needs 1 to 100 characters and no spaces")
	case strings.TrimSpace(u.Name) == "" || len(u.Name) > 200:
		return uuid.Nil, Wrong("name", "a name needs 1 to 200 characters")
	case password.Check(u.Password, u.Login, u.Name) != nil:
		return uuid.Nil, About("password", password.Check(u.Password, u.Login, u.Name))
	case rights.Shipped(string(u.Role)) == nil:
		return uuid.Nil, Wrong("role", "the role is rep, supervisor or admin")
	}
	if !KnownZone(u.Zone) {
		return uuid.Nil, Wrong("zone", "the zone is a name such as America/New_York")
	}
	hash, err := hashOf(u.Password)
	if err != nil {
		return uuid.Nil, err
	}
	id := store.NewID()
	err = q.InsertUser(ctx, db.InsertUserParams{ID: id, Login: u.Login, Name: u.Name, Role: string(u.Role),
		Team:         u.Team,
		PasswordHash: hash, Zone: u.Zone, LineID: u.Line, Extension: u.Extension})
	if store.Duplicate(err) {
		return uuid.Nil, Wrong("login", "somebody has this login already")
	} else if err != nil {
		return uuid.Nil, err
	}
	return id, q.InsertRepState(ctx, db.InsertRepStateParams{UserID: id, At: time.Now()})
}

// SetPassword gives somebody another password, from the command line, and ends their sessions. Errors: *FieldError.
func SetPassword(ctx context.Context, q *db.Queries, login, fresh string) error {
	if err := password.Check(fresh, login); err != nil {
		return About("password", err)
	}
	hash, err := hashOf(fresh)
	if err != nil {
		return err
	}
	return nobodyChanged(q.SetPassword(ctx,
		db.SetPasswordParams{Login: FoldLogin(login), PasswordHash: hash, At: time.Now()}))
}

// SwitchUser lets somebody in no more, or again, from the command line; their sessions end. Error: *FieldError.
func SwitchUser(ctx context.Context, q *db.Queries, login string, on bool) error {
	return nobodyChanged(q.SwitchUser(ctx, db.SwitchUserParams{Login: FoldLogin(login), Active: on, At: time.Now()}))
}

func nobodyChanged(n int64, err error) error {
	if err == nil && n == 0 {
		err = Wrong("login", "nobody has this login")
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
