// Package filing is what follows a call: a slip is changed, filed and opened again; its outcome is planned
// (core/outcome), shown, held against a fresh plan and carried out with the filing in one transaction (effects.go); a
// call is put on records and what it did goes along (links, relinking); outcomes and scripts are set up.
//
// It knows calls, the book and outreach. It must not know rounds: what becomes of a person who was called in one is
// asked of Attempts. It touches no lock of calls.
package filing

import (
	"trundo/internal/desk/book"
	"trundo/internal/desk/calls"
	"trundo/internal/desk/firm"
	"trundo/internal/desk/outreach"
)

// Filing files slips. Its methods may be called from any goroutine.
type Filing struct {
	*firm.Firm
	Book     *book.Book
	Outreach *outreach.Outreach
	Calls    *calls.Calls
	attempts Attempts
}

// New makes what files the slips of calls. Use must be called before a slip of a round is filed.
func New(b *book.Book, o *outreach.Outreach, c *calls.Calls) *Filing {
	return &Filing{Firm: c.Firm, Book: b, Outreach: o, Calls: c}
}

// Use hands in who knows of rounds.
func (fg *Filing) Use(a Attempts) { fg.attempts = a }
