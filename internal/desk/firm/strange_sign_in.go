package firm

import (
	"context"
	"time"

	"github.com/google/uuid"

	"trundo/internal/store"
	"trundo/internal/store/db"
)

// When somebody is told of sign-ins as them (OWASP ASVS 5.0, 6.3.5).
const (
	placeForgotten = 90 * 24 * time.Hour // after which an address is a new one again
	guessedIn      = time.Hour           // within which guesses are counted
	guessesTold    = 10                  // of how many they are told, once
)

// tellOfNewPlace mails somebody that they have signed in from an address that they have not used lately. The first sign-in
// of all is no news.
func (k *Firm) tellOfNewPlace(ctx context.Context, a Actor, way, from string) error {
	now := k.Clock.Now()
	seen, err := k.Store.SignedInFrom(
		ctx,
		db.SignedInFromParams{Who: a.ID, Place: from, Since: now.Add(-placeForgotten)},
	)
	if err != nil || seen.Here || !seen.Anywhere {
		return err
	}
	k.tellByMail(
		a.ID,
		"You signed in from a new place",
		"somebody has signed in as you from "+from+" with your "+way+" at "+k.when(
			a.Zone,
			now,
		)+", where you have not been "+
			"lately.\n\nIf that was you, do nothing. If not, change your password and sign out everywhere, under Settings, "+
			"Me; and tell whoever sets Trundo up.",
	)
	return nil
}

// tellOfGuesses mails somebody that many passwords were tried as them, once an hour.
func (k *Firm) tellOfGuesses(ctx context.Context, user uuid.UUID, from string) error {
	now := k.Clock.Now()
	n, err := k.Store.FailedSignIns(ctx, db.FailedSignInsParams{Who: user, Since: now.Add(-guessedIn)})
	if err != nil || n != guessesTold {
		return err
	}
	k.tellByMail(user, "Somebody tries to sign in as you",
		"in the last hour somebody has tried ten times to sign in as you and did not get in, last from "+from+
			".\n\nTrundo slows such tries down by itself. If that was not you, tell whoever sets Trundo up.")
	return nil
}

func (k *Firm) when(zone *time.Location, at time.Time) string {
	at = at.In(zone)
	return k.Dates().Time(at) + " on " + k.Dates().LongWeekday(at)
}

// tellByMail mails somebody of the firm behind the request, where their address is known.
func (k *Firm) tellByMail(user uuid.UUID, subject, body string) {
	if k.Mailer == nil || !k.Mailer.ByMail() {
		return
	}
	k.InBackground(func(ctx context.Context) {
		u, err := k.Store.MailOf(ctx, user)
		if err == nil && u.MailAddress != "" {
			err = k.Mailer.MailFromFirm(ctx, u.MailAddress, subject, "Hello "+u.Name+",\n\n"+body)
		}
		if err != nil && !store.NotFound(err) {
			k.Log.Warn("telling somebody by mail", "subject", subject, "error", err)
		}
	})
}
