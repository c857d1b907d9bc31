package firm

import (
	"context"
	"crypto/sha256"
	"encoding/json"
	"time"

	"github.com/google/uuid"

	"trundo/internal/store"
	"trundo/internal/store/db"
)

// carryPatience is for how long what is committed and then done outside goes on without its asker.
const carryPatience = 8 * time.Second

// CarriedOut is ctx for what must not end halfway because whoever asked for it has gone.
func CarriedOut(ctx context.Context) (context.Context, context.CancelFunc) {
	return context.WithTimeout(context.WithoutCancel(ctx), carryPatience)
}

// CommandAnswer is what is remembered with an idempotency key.
type CommandAnswer struct {
	ID uuid.UUID `json:"id"`
}

// Remember keeps with an idempotency key what a request has made. A key that was used is store.Duplicate.
func (k *Firm) Remember(ctx context.Context, q *db.Queries, a Actor, key, action string, hash []byte,
	made uuid.UUID) error {
	answer, err := json.Marshal(CommandAnswer{ID: made})
	if err != nil {
		return err
	}
	return q.InsertCommand(ctx, db.InsertCommandParams{UserID: a.ID, Key: key, Action: action, RequestHash: hash,
		Response: answer, At: k.Clock.Now()})
}

// HashRequest is the SHA-256 of all that a request asks for, by which one that comes again under its key is known.
func HashRequest(r any) []byte {
	text, err := json.Marshal(r)
	if err != nil {
		panic(err) // requests are plain data
	}
	sum := sha256.Sum256(text)
	return sum[:]
}

// EarlierAnswer finds what the same request with the same key made. Error: ErrKeyReused for another request.
func (k *Firm) EarlierAnswer(ctx context.Context, a Actor, key, action string, hash []byte) (uuid.UUID, bool, error) {
	c, err := k.Store.GetCommand(ctx, db.GetCommandParams{UserID: a.ID, Key: key})
	if err != nil {
		return uuid.Nil, false, nil // the first error says more
	}
	if c.Action != action || string(c.RequestHash) != string(hash) {
		return uuid.Nil, false, ErrKeyReused
	}
	var answer CommandAnswer
	if err := json.Unmarshal(c.Response, &answer); err != nil {
		return uuid.Nil, false, err
	}
	return answer.ID, true, nil
}

// Once does something that makes one thing, in one transaction with the memory of its key.
func (k *Firm) Once(ctx context.Context, a Actor, key, action string, request any,
	do func(*db.Queries, uuid.UUID) error) (uuid.UUID, error) {
	id, hash := store.NewID(), HashRequest(request)
	err := k.Store.Tx(ctx, func(q *db.Queries) error {
		if err := k.Remember(ctx, q, a, key, action, hash, id); err != nil {
			return err
		}
		return do(q, id)
	})
	if store.Duplicate(err) {
		earlier, found, again := k.EarlierAnswer(ctx, a, key, action, hash)
		if again != nil {
			return uuid.Nil, again
		} else if found {
			return earlier, nil
		}
	}
	return id, err
}
