// Package rounds is a list worked through by one rep or many: a round begins (rounds, prepare), gives a rep the next
// person (take, by core/round), goes on as they say (going), learns what became of each (settled), pauses, is handed
// over and ends (pause).
//
// It knows calls, filing and the book, and touches no lock of theirs. Calls know it as a Placement and a Listener,
// filing as Attempts.
package rounds

import (
	"sync"

	"github.com/google/uuid"

	"trundo/internal/desk/book"
	"trundo/internal/desk/calls"
	"trundo/internal/desk/filing"
	"trundo/internal/desk/firm"
)

// Rounds are those of a firm. Its methods may be called from any goroutine.
type Rounds struct {
	*firm.Firm
	Book   *book.Book
	Calls  *calls.Calls
	Filing *filing.Filing
	owed   Owed

	mu            sync.Mutex
	changedRounds map[uuid.UUID]bool // whose reps are to be told
	counts        sync.Map           // of large rounds: uuid.UUID to *counting
	reach         firm.Cache[kindHistories]
}

// New makes the rounds of a firm; owed is what a rep owes, of which one can be made.
func New(f *filing.Filing, owed Owed) *Rounds {
	return &Rounds{Firm: f.Firm, Book: f.Book, Calls: f.Calls, Filing: f, owed: owed,
		changedRounds: map[uuid.UUID]bool{}}
}

// Start goes on with the rounds that an earlier run of the server left half prepared.
func (rs *Rounds) Start() { rs.InBackground(rs.resumeRounds) }
