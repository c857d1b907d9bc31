package firm

import (
	"context"
	"crypto/rand"
	"encoding/base64"
	"strings"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/rights"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// tokenStart is how every key begins, so that one is recognised where it should not be.
const tokenStart = "trundo_"

// Tokens are a's keys for other programs.
func (k *Firm) Tokens(ctx context.Context, a Actor) ([]contract.Token, error) {
	rows, err := k.Store.Tokens(ctx, a.ID)
	views := []contract.Token{}
	for _, r := range rows {
		view := contract.Token{ID: r.ID, Name: r.Name, CreatedAt: r.CreatedAt, ExpiresAt: r.ExpiresAt, UsedAt: r.UsedAt,
			Scopes: []contract.Scope{}}
		for _, s := range r.Scopes {
			view.Scopes = append(view.Scopes, contract.Scope(s))
		}
		views = append(views, view)
	}
	return views, err
}

// MakeToken makes a key by which a program acts as a, within its scopes. Only its hash is kept. Errors: *FieldError,
// ErrForbidden.
func (k *Firm) MakeToken(ctx context.Context, a Actor, n contract.NewToken) (contract.MadeToken, error) {
	name := CleanText(n.Name)
	if name == "" {
		return contract.MadeToken{}, Wrong("name", "say which program it is for")
	}
	secret := make([]byte, 32)
	_, _ = rand.Read(secret)
	token := tokenStart + base64.RawURLEncoding.EncodeToString(secret)
	p := db.InsertTokenParams{ID: store.NewID(), UserID: a.ID, Name: name, Hash: HashSecret(token), At: k.Clock.Now()}
	for _, s := range n.Scopes {
		if s == contract.ScopeSettings && !a.MayDo(rights.Connections) {
			return contract.MadeToken{}, ErrForbidden
		}
		p.Scopes = append(p.Scopes, string(s))
	}
	if n.Days != nil {
		until := p.At.AddDate(0, 0, *n.Days)
		p.ExpiresAt = &until
	}
	err := k.Store.Tx(ctx, func(q *db.Queries) error {
		if err := q.InsertToken(ctx, p); err != nil {
			return err
		}
		return k.Audited(ctx, q, a, "token", p.ID, "made", map[string]string{},
			map[string]string{"name": name, "scopes": strings.Join(p.Scopes, ", ")})
	})
	return contract.MadeToken{Token: token}, err
}

// RevokeToken takes a key back. Error: ErrNotFound.
func (k *Firm) RevokeToken(ctx context.Context, a Actor, id uuid.UUID) error {
	now := k.Clock.Now()
	n, err := k.Store.RevokeToken(ctx, db.RevokeTokenParams{ID: id, UserID: a.ID, At: &now})
	if err == nil && n == 0 {
		err = ErrNotFound
	}
	return err
}

// ByToken tells who acts by a key, and what the key is for. Error: ErrSignedOut for one that opens nothing.
func (k *Firm) ByToken(ctx context.Context, token string) (Actor, []contract.Scope, error) {
	if !strings.HasPrefix(token, tokenStart) || len(token) > 100 {
		return Actor{}, nil, ErrSignedOut
	}
	now := k.Clock.Now()
	row, err := k.Store.UseToken(ctx, db.UseTokenParams{Hash: HashSecret(token), Now: &now})
	if store.NotFound(err) {
		return Actor{}, nil, ErrSignedOut
	} else if err != nil {
		return Actor{}, nil, err
	}
	a, err := k.Actor(ctx, row.UserID)
	scopes := make([]contract.Scope, len(row.Scopes))
	for i, s := range row.Scopes {
		scopes[i] = contract.Scope(s)
	}
	return a, scopes, err
}
