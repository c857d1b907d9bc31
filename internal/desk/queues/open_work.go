package queues

import (
	"context"
	"slices"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/store/db"
)

// openWork is what waits and is kept in the database: callbacks and messages.
type openWork struct {
	backs    []db.OpenCallbacksRow
	messages []db.OpenMessageWaitsRow
}

// openFresh is for how long it is not read again; what this server changes is known at once.
const openFresh = time.Second

// open reads what waits and is kept in the database, once for all who ask within a moment.
func (qs *Queues) open(ctx context.Context) (*openWork, error) {
	qs.opened.Mu.Lock()
	defer qs.opened.Mu.Unlock()
	if qs.opened.Value != nil && qs.Clock.Since(qs.opened.At) < openFresh {
		return qs.opened.Value, nil
	}
	asked := qs.Clock.Now()
	backs, err := qs.Store.OpenCallbacks(ctx)
	if err != nil {
		return nil, err
	}
	messages, err := qs.Store.OpenMessageWaits(ctx)
	if err != nil {
		return nil, err
	}
	qs.opened.Value, qs.opened.At = &openWork{backs, messages}, asked
	return qs.opened.Value, nil
}

// changedOpen lets it be read anew.
func (qs *Queues) changedOpen() {
	qs.opened.Mu.Lock()
	qs.opened.Value = nil
	qs.opened.Mu.Unlock()
}

// message finds a message that waits; false: there is none of that id.
func (o *openWork) message(id uuid.UUID) (db.OpenMessageWaitsRow, bool) {
	at := slices.IndexFunc(o.messages, func(r db.OpenMessageWaitsRow) bool { return r.ID == id })
	if at < 0 {
		return db.OpenMessageWaitsRow{}, false
	}
	return o.messages[at], true
}

// callback finds a callback that is owed; false: there is none of that id.
func (o *openWork) callback(id uuid.UUID) (db.OpenCallbacksRow, bool) {
	at := slices.IndexFunc(o.backs, func(r db.OpenCallbacksRow) bool { return r.ID == id })
	if at < 0 {
		return db.OpenCallbacksRow{}, false
	}
	return o.backs[at], true
}

// tell lets those who are members of queues, or may lead some, know that something has changed among what waits.
func (qs *Queues) tell() {
	qs.changedOpen()
	qs.set.Mu.Lock()
	set := qs.last
	qs.set.Mu.Unlock()
	e := contract.LiveEvent{Kind: contract.LiveEventKindWaiting}
	if set == nil || len(set.concerned) == 0 {
		qs.Hub.Publish(e)
		return
	}
	qs.Hub.Publish(e, set.concerned...)
}

// skillsFresh is for how long what people know is not read again.
const skillsFresh = 10 * time.Second

// skills are what everybody of the firm knows.
func (qs *Queues) skills(ctx context.Context) (map[uuid.UUID]map[string]int, error) {
	qs.known.Mu.Lock()
	defer qs.known.Mu.Unlock()
	if qs.known.Value != nil && qs.Clock.Since(qs.known.At) < skillsFresh {
		return qs.known.Value, nil
	}
	asked := qs.Clock.Now()
	all, err := qs.Calls.Team.Skills(ctx)
	if err != nil {
		return nil, err
	}
	qs.known.Value, qs.known.At = all, asked
	return all, nil
}
