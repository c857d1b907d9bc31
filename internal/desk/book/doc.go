// Package book is the customer book: records of every kind with their numbers and fields, lists and rows, duplicates
// and merges, changes of many records at once, do-not-call, follow-ups, the calendar; and Files, which bring records in
// and take them out.
//
// It knows the firm alone. It must not know calls, messages or rounds: what a settled follow-up lets go on, and who the
// people of the firm are, is handed in (FollowUpDone, People).
package book

import (
	"sync/atomic"

	"trundo/internal/desk/firm"
)

// Book is the customer book. Its methods may be called from any goroutine.
type Book struct {
	*firm.Firm
	Files        *Files
	followUpDone FollowUpDone
	people       People
	sweeping     atomic.Bool // duplicates are being looked for
}

// Files are those that records come in by and go out by.
type Files struct{ *Book }

// New makes the book of a firm. Use must be called before anything else is.
func New(f *firm.Firm) *Book {
	bk := &Book{Firm: f}
	bk.Files = &Files{bk}
	return bk
}

// Use hands in what stands above the book.
func (bk *Book) Use(done FollowUpDone, people People) { bk.followUpDone, bk.people = done, people }

// Start goes on with the changes of many records that an earlier run of the server left half done.
func (bk *Book) Start() { bk.InBackground(bk.resumeBulks) }
