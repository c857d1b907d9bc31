// Package webforms is forms that a firm shows on its own pages: whoever fills one in is called back by a queue, or has
// written to it. settings are the forms as an admin sets them up, filled_in what strangers make of them.
//
// It knows queues, messages and the book. It must not know HTTP, nor how a form looks.
package webforms

import (
	"trundo/internal/desk/firm"
	"trundo/internal/desk/outreach"
	"trundo/internal/desk/queues"
)

// Forms are the forms of a firm. Its methods may be called from any goroutine.
type Forms struct {
	*firm.Firm
	Queues   *queues.Queues
	Outreach *outreach.Outreach
}

// New makes the forms of a firm.
func New(qs *queues.Queues, o *outreach.Outreach) *Forms {
	return &Forms{Firm: qs.Firm, Queues: qs, Outreach: o}
}
