// Package entry is the ways into the firm besides a password: passkeys (W3C Web Authentication), and an identity provider
// that says who somebody is (OpenID Connect Core 1.0).
//
// It knows the firm alone. Who is new, or becomes something else, it asks of Members. It must not know sessions: what a
// browser gets is made by whoever calls.
package entry

import (
	"context"
	"crypto/rand"
	"encoding/base64"
	"encoding/json"
	"errors"
	"sync"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/desk/firm"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// Entry is the ways in. Its methods may be called from any goroutine.
type Entry struct {
	*firm.Firm
	members Members

	mu    sync.Mutex
	asked *provider // as it has answered last; nil: it was not asked yet
}

// Members is what this package asks of who belongs to the firm.
type Members interface {
	// AddProvided adds whom the provider knows and a rule gives a place. Errors: *firm.FieldError.
	AddProvided(ctx context.Context, m contract.MemberEdit) (uuid.UUID, error)
	// Becomes gives somebody the role that a rule says; the last admin stays one.
	Becomes(ctx context.Context, id uuid.UUID, role firm.Role) error
}

// New makes the ways into a firm.
func New(k *firm.Firm, m Members) *Entry { return &Entry{Firm: k, members: m} }

// stepLasts is for how long somebody may take to answer.
const stepLasts = 10 * time.Minute

// ErrTooLate is told where an answer comes to no question of ours: it took too long, or was given already.
var ErrTooLate = errors.New("that took too long, or was answered already: try again")

// begin keeps what a first step has to be answered with, and gives what the browser has to bring along.
func (en *Entry) begin(ctx context.Context, what string, data any) (token string, err error) {
	text, err := json.Marshal(data)
	if err != nil {
		return "", err
	}
	secret := make([]byte, 32)
	_, _ = rand.Read(secret)
	token = base64.RawURLEncoding.EncodeToString(secret)
	now := en.Clock.Now()
	if err := en.Store.DeleteSignInSteps(ctx, now); err != nil {
		return "", err
	}
	return token, en.Store.InsertSignInStep(ctx, db.InsertSignInStepParams{Hash: firm.HashSecret(token), What: what,
		Data: text, EndsAt: now.Add(stepLasts)})
}

// take gives what begin has kept, once. Error: ErrTooLate.
func (en *Entry) take(ctx context.Context, what, token string, data any) error {
	text, err := en.Store.TakeSignInStep(ctx, db.TakeSignInStepParams{Hash: firm.HashSecret(token), What: what,
		Now: en.Clock.Now()})
	switch {
	case store.NotFound(err):
		return ErrTooLate
	case err != nil:
		return err
	}
	return json.Unmarshal(text, data)
}
