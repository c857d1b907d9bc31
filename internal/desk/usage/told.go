package usage

import (
	"context"
	"fmt"
	"time"

	"trundo/internal/contract"
	"trundo/internal/core/rights"
	"trundo/internal/core/usage"
	"trundo/internal/desk/firm"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// tellEvery is how often it is looked whether a limit has been come close to.
const tellEvery = 10 * time.Minute

// Start tells those who may see use by mail, once in a month, when four fifths or all of a limit are used, until the desk
// closes.
func (us *Usage) Start() {
	us.InBackground(func(ctx context.Context) {
		tick := us.Clock.NewTicker(tellEvery)
		defer tick.Stop()
		for {
			select {
			case <-ctx.Done():
				return
			case <-tick.Chan():
				if err := us.Tell(ctx); err != nil && ctx.Err() == nil && !store.Away(err) {
					us.Log.Error("telling of limits", "error", err)
				}
			}
		}
	})
}

// Tell mails what was not told yet this month. Where no mail goes out nothing counts as told.
func (us *Usage) Tell(ctx context.Context) error {
	limits, err := us.limits(ctx)
	if err != nil || len(limits) == 0 || !us.Mailer.ByMail() {
		return err
	}
	f, err := us.Settings(ctx)
	if err != nil {
		return err
	}
	since, until := us.monthOf(us.Clock.Now())
	m, err := us.count(ctx, since, until)
	if err != nil {
		return err
	}
	if err := us.Store.ForgetLimitsTold(ctx, since); err != nil {
		return err
	}
	for _, l := range us.standings(m, f) {
		if *l.Level == contract.UsageLimitLevelUnder {
			continue
		}
		n, err := us.Store.TellOfLimit(ctx, db.TellOfLimitParams{Since: since, What: string(l.What),
			Scope: string(l.Scope), Who: l.Of, Level: string(*l.Level)})
		if err != nil {
			return err
		}
		if n > 0 { // by this server
			us.mailLimit(ctx, l)
		}
	}
	return nil
}

// mailLimit mails one to all who may see use.
func (us *Usage) mailLimit(ctx context.Context, l contract.UsageLimit) {
	subject, body := limitWords(l)
	rows, err := us.Store.MailAddresses(ctx)
	for _, r := range rows {
		a, fault := us.Actor(ctx, r.ID)
		if fault == nil && a.MayDo(rights.SeeUse) {
			fault = us.Mailer.MailFromFirm(ctx, r.MailAddress, subject, "Hello "+r.Name+",\n\n"+body)
		}
		if fault != nil {
			err = fault
		}
	}
	if err != nil {
		us.Log.Warn("mailing a limit", "subject", subject, "error", err)
	}
}

// limitWords say how a limit stands.
func limitWords(l contract.UsageLimit) (subject, body string) {
	what := map[contract.UsageWhat]string{contract.UsageWhat(usage.Minutes): "minutes of calls",
		contract.UsageWhat(usage.Texts): "text messages", contract.UsageWhat(usage.Recorded): "recorded minutes",
		contract.UsageWhat(usage.Storage): "megabytes of recordings"}[l.What]
	whose := "the firm"
	if l.Scope != contract.UsageLimitScope(usage.Firm) && l.Name != nil {
		whose = *l.Name
	}
	subject = "Four fifths of a limit are used: " + what + " of " + whose
	next := "Nothing is held back yet."
	if *l.Level == contract.UsageLimitLevelOver {
		subject = "A limit is used up: " + what + " of " + whose
		next = "Nothing is held back: the limit only tells."
		if l.Hard {
			next = "Nothing more of it begins this month, but for emergency calls."
		}
	} else if l.Hard {
		next = "When all of it is used, nothing more of it begins this month, but for emergency calls."
	}
	return subject, fmt.Sprintf(
		"%d of %d %s of %s are used this month. %s\n\nLimits are under Settings, Use and limits.",
		*l.Used,
		l.Amount,
		what,
		whose,
		next,
	)
}

var _ firm.Limits = (*Usage)(nil)
