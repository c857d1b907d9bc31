package firm

import (
	"context"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/usage"
	"trundo/internal/post"
	"trundo/internal/store/db"
)

// Outbox tells other programs what happened, where they want to be told.
type Outbox interface {
	// Wanted tells whether anybody wants to be told of an event.
	Wanted(ctx context.Context, event contract.WebhookEvent) (bool, error)
	// Emit lets those who want it be told of an event, in the transaction of what happened; data is asked for only
	// then.
	Emit(ctx context.Context, q *db.Queries, event contract.WebhookEvent, data func() (any, error)) error
	// Wake lets what was just committed be told now.
	Wake()
}

// PublishHistory tells everybody that these records have something new.
func (k *Firm) PublishHistory(call *uuid.UUID, records ...uuid.UUID) {
	k.Hub.Publish(contract.LiveEvent{Kind: contract.LiveEventKindHistory, CallID: call, Records: &records})
	k.Outbox.Wake()
}

// PublishLane tells a rep's windows that their lane has changed.
func (k *Firm) PublishLane(user uuid.UUID) {
	k.Hub.Publish(contract.LiveEvent{Kind: contract.LiveEventKindLane}, user)
}

// PublishRecord tells everybody that records have changed, and lets other programs be told.
func (k *Firm) PublishRecord(ids ...uuid.UUID) {
	k.Hub.Publish(contract.LiveEvent{Kind: contract.LiveEventKindRecord, Records: &ids})
	k.Outbox.Wake()
}

// Mailer sends mails of the firm itself.
type Mailer interface {
	// ByMail tells whether mails go out at all.
	ByMail() bool
	// MailFromFirm sends one, with files or without. Error: why it could not go out.
	MailFromFirm(ctx context.Context, to, subject, body string, files ...post.File) error
}

// Limits tell what the firm allows itself.
type Limits interface {
	// Refuses tells whether a limit stands against what a is about to begin, by a line or none. Error: ErrLimit.
	Refuses(ctx context.Context, what usage.What, a Actor, line *uuid.UUID) error
}
