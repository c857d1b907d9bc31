// Package insight makes figures of calls: reports, the calls behind each figure, topics that were said, scorecards, and
// the
// wall on which a team is watched.
//
// What reports know of calls stands in the table call_figures, made anew for each call of which something has changed,
// and
// is read into memory, where core/report counts. Every question first takes in what has changed since the last one.
//
// It reads what the other areas have left and changes none of it; nobody but the desk knows it. It must not know HTTP.
package insight

import (
	"sync"
	"time"

	"trundo/internal/core/report"
	"trundo/internal/desk/book"
	"trundo/internal/desk/calls"
	"trundo/internal/desk/firm"
	"trundo/internal/desk/queues"
)

// Insight makes figures. Its methods may be called from any goroutine.
type Insight struct {
	*firm.Firm
	calls  *calls.Calls
	people *book.Book
	queues *queues.Queues

	mu      sync.RWMutex // of what follows
	book    *report.Book
	changed int64 // up to which change the book has been read

	taking sync.Mutex // one reads what has changed, the others wait for it
}

// New makes it.
func New(c *calls.Calls, qs *queues.Queues, people *book.Book) *Insight {
	return &Insight{
		Firm:   c.Firm,
		calls:  c,
		queues: qs,
		people: people,
		book:   report.NewBook(report.NewCalendar(time.UTC, time.Monday)),
	}
}
