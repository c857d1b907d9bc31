package outreach_test

import (
	"context"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/desk/firm"
	"trundo/internal/desk/outreach"
)

// A text message is looked at before it is sent: who gets it, by which line, in how many parts, and what is in the way.
func Example() {
	var ou *outreach.Outreach // desk.Open makes it
	write := func(ctx context.Context, a firm.Actor, to uuid.UUID) error {
		body := "See you on Thursday at ten"
		m := contract.NewMessage{Channel: contract.ChannelText, RecordID: &to, Body: &body}
		draft, err := ou.DraftMessage(ctx, a, m)
		if err != nil || draft.Problem != "" {
			return err
		}
		_, err = ou.SendMessage(ctx, a, uuid.NewString(), m)
		return err
	}
	_ = write
}
