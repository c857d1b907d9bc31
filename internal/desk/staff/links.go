package staff

import (
	"context"
	"crypto/rand"
	"encoding/base64"
	"errors"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/rights"
	"trundo/internal/desk/firm"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// For how long a link lets somebody in.
const (
	invitationGood = 7 * 24 * time.Hour
	resetGood      = 2 * time.Hour
)

// ErrLink is told by LookAtLink and UseLink where a link was used, is too old, or never was one.
var ErrLink = errors.New("this link cannot be used any more: ask for a new one")

// Why a link was made.
const (
	invited = "invited"
	reset   = "reset"
)

// MakeLink makes a link by which somebody chooses a password, and mails it where that is wanted: an invitation for who
// has none yet. Only a hash of it is kept. Errors: firm.ErrForbidden, firm.ErrNotFound, *firm.FieldError.
func (sf *Staff) MakeLink(ctx context.Context, a firm.Actor, id uuid.UUID, origin string,
	n contract.NewSignInLink) (contract.SignInLink, error) {
	if !a.MayDo(rights.Staff) {
		return contract.SignInLink{}, firm.ErrForbidden
	}
	p, err := sf.member(ctx, id)
	if err == nil {
		err = firm.MayGive(ctx, sf.Store.Queries, a, string(p.Role))
	}
	switch {
	case err != nil:
		return contract.SignInLink{}, err
	case !p.Active || p.Leaving:
		return contract.SignInLink{}, firm.Wrong("active", p.Name+" is switched off")
	case n.Send && p.Mail == "":
		return contract.SignInLink{}, firm.Wrong("mail", "their mail address is not known")
	case n.Send && !sf.Mailer.ByMail():
		return contract.SignInLink{}, firm.Wrong(
			"send",
			"no mail goes out of this firm yet: hand the link over yourself",
		)
	}
	link, err := sf.newLink(ctx, &a, p)
	if err != nil {
		return contract.SignInLink{}, err
	}
	if sf.Public != "" {
		origin = sf.Public
	}
	if n.Send {
		if err := sf.mailLink(ctx, p, origin, link); err != nil {
			return contract.SignInLink{}, firm.About("mail", err)
		}
		link.Sent = true
	}
	return link, nil
}

func (sf *Staff) newLink(ctx context.Context, by *firm.Actor, p contract.Member) (contract.SignInLink, error) {
	why, good := reset, resetGood
	if p.Invited {
		why, good = invited, invitationGood
	}
	secret := make([]byte, 32)
	_, _ = rand.Read(secret)
	token := base64.RawURLEncoding.EncodeToString(secret)
	now := sf.Clock.Now()
	link := contract.SignInLink{Address: "/welcome#" + token, ExpiresAt: now.Add(good)}
	params := db.InsertSignInLinkParams{UserID: p.ID, Hash: firm.HashSecret(token), Why: why, At: now,
		ExpiresAt: link.ExpiresAt}
	who := firm.Actor{ID: p.ID} // forgotten, and asked for by themselves
	if by != nil {
		params.MadeBy, who = &by.ID, *by
	}
	err := sf.Store.Tx(ctx, func(q *db.Queries) error {
		if err := q.InsertSignInLink(ctx, params); err != nil {
			return err
		}
		return sf.Audited(ctx, q, who, "member", p.ID, "link made", map[string]string{}, map[string]string{"why": why})
	})
	return link, err
}

func (sf *Staff) mailLink(ctx context.Context, p contract.Member, origin string, link contract.SignInLink) error {
	f, err := sf.Settings(ctx)
	if err != nil {
		return err
	}
	subject, first := "Your new password for "+f.Name, "Choose a new password here:"
	if p.Invited {
		subject, first = "Your place at "+f.Name, "You sign in as “"+p.Login+"”. Choose your password here:"
	}
	until := link.ExpiresAt.In(firm.ZoneNamed(p.Zone))
	body := "Hello " + p.Name + ",\n\n" + first + "\n" + origin + link.Address + "\n\nThe link can be used once, until " +
		sf.Dates().
			LongWeekday(until) +
		", " + sf.Dates().
		Time(until) +
		". If you did not expect this mail, do nothing."
	return sf.Mailer.MailFromFirm(ctx, p.Mail, subject, body)
}

// Forgotten mails a link to whose login it is. It tells nobody whether there is such a login. The address in it is the
// one that was set up for this installation: what a request says of itself is whatever somebody unknown wants it to
// say.
func (sf *Staff) Forgotten(ctx context.Context, login string) error {
	if !sf.Mailer.ByMail() || sf.Public == "" {
		return nil
	}
	u, err := sf.Store.UserByLogin(ctx, firm.FoldLogin(login))
	if store.NotFound(err) {
		return nil
	} else if err != nil {
		return err
	}
	sf.InBackground(func(ctx context.Context) { // the answer comes as soon as for nobody
		p, err := sf.member(ctx, u.ID)
		if err == nil && p.Mail != "" {
			var link contract.SignInLink
			if link, err = sf.newLink(ctx, nil, p); err == nil {
				err = sf.mailLink(ctx, p, sf.Public, link)
			}
		}
		if err != nil {
			sf.Log.Warn("a link for a forgotten password", "login", u.Login, "error", err)
		}
	})
	return nil
}

// LookAtLink tells whom a link lets in. Error: ErrLink.
func (sf *Staff) LookAtLink(ctx context.Context, token string) (contract.LinkFor, error) {
	k, err := sf.link(ctx, token)
	if err != nil {
		return contract.LinkFor{}, err
	}
	f, err := sf.Settings(ctx)
	if err != nil {
		return contract.LinkFor{}, err
	}
	return contract.LinkFor{Login: k.Login, Name: k.Name, Firm: f.Name, Why: contract.LinkForWhy(k.Why)}, nil
}

func (sf *Staff) link(ctx context.Context, token string) (db.SignInLinkRow, error) {
	k, err := sf.Store.SignInLink(ctx, firm.HashSecret(token))
	if store.NotFound(err) || err == nil && (k.UsedAt != nil || !k.Active || !sf.Clock.Now().Before(k.ExpiresAt)) {
		return k, ErrLink
	}
	return k, err
}

// UseLink sets the password of whom a link lets in, and ends their sessions; the link is used up. It gives who may sign
// in now. Errors: ErrLink, *firm.FieldError, firm.ErrBusy.
func (sf *Staff) UseLink(ctx context.Context, token, password string) (firm.Actor, error) {
	k, err := sf.link(ctx, token)
	if err != nil {
		return firm.Actor{}, err
	}
	a, err := firm.ActorWithin(ctx, sf.Store.Queries, k.UserID)
	if err != nil {
		return a, err
	}
	return a, sf.SetOwnPassword(ctx, a, sf.Clock.Now(), password, func(q *db.Queries) error {
		now := sf.Clock.Now()
		n, err := q.UseSignInLink(ctx, db.UseSignInLinkParams{Hash: firm.HashSecret(token), At: &now})
		if err == nil && n == 0 {
			err = ErrLink // used in the meantime
		}
		return err
	})
}
