package outreach

import (
	"context"
	"crypto/rand"
	"crypto/subtle"
	"fmt"
	"math/big"
	"net/mail"
	"strings"
	"time"

	"trundo/internal/contract"
	"trundo/internal/core/phone"
	"trundo/internal/desk/firm"
	"trundo/internal/optional"
	"trundo/internal/post"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// MailSettings are from which address a writes, and whether a's telephone is told of messages.
func (ou *Outreach) MailSettings(ctx context.Context, a firm.Actor) (contract.MailSettings, error) {
	f, err := ou.Settings(ctx)
	if err != nil {
		return contract.MailSettings{}, err
	}
	row, err := ou.Store.MailSettings(ctx, a.ID)
	if err != nil {
		return contract.MailSettings{}, err
	}
	view := contract.MailSettings{Address: row.MailAddress, ForwardTexts: row.ForwardTexts}
	if row.Telephone != "" {
		shown := phone.Format(row.Telephone, "", f.Region, a.Style)
		view.Telephone = &shown
	}
	return view, nil
}

// A code that proves a mail address is good for a while and some tries.
const (
	mailCodeGood  = 15 * time.Minute
	mailCodeTries = 5
)

// mailCode is a code that was sent to an address.
type mailCode struct {
	address, code string
	until         time.Time
	tries         int
}

// proveAddress lets a write from an address of the firm's domains, or from another that a has shown to read: a code is
// sent there, and typed in. Error: *FieldError, about code when one has been sent.
func (ou *Outreach) proveAddress(ctx context.Context, a firm.Actor, address, code string) error {
	_, domain, _ := strings.Cut(strings.ToLower(address), "@")
	if ou.MailDomain != "" && domain == strings.ToLower(ou.MailDomain) {
		return nil
	}
	proved, err := ou.Store.MailProved(ctx, a.ID)
	if err != nil || strings.EqualFold(proved, address) {
		return err
	}
	ou.mu.Lock()
	sent := ou.mailCodes[a.ID]
	fits := sent.address == address && sent.code != "" && ou.Clock.Now().Before(sent.until) &&
		sent.tries < mailCodeTries
	right := fits && code != "" && subtle.ConstantTimeCompare([]byte(sent.code), []byte(strings.TrimSpace(code))) == 1
	if sent.tries++; fits && !right {
		ou.mailCodes[a.ID] = sent
	}
	ou.mu.Unlock()
	switch {
	case right:
		return ou.Store.SetMailProved(ctx, db.SetMailProvedParams{ID: a.ID, Address: address})
	case fits && code != "":
		return firm.Wrong("code", "this is not the code that was sent to "+address)
	case ou.Post == nil:
		return firm.Wrong("address", "only addresses of the firm’s domain can be used")
	}
	n, err := rand.Int(rand.Reader, big.NewInt(1_000_000))
	if err != nil {
		return err
	}
	fresh := mailCode{address: address, code: fmt.Sprintf("%06d", n), until: ou.Clock.Now().Add(mailCodeGood)}
	ou.mu.Lock()
	ou.mailCodes[a.ID] = fresh
	ou.mu.Unlock()
	if err := ou.MailFromFirm(ctx, address, "Your code: "+fresh.code,
		"Type this code where you asked to write from this address: "+fresh.code+
			"\nIt is good for fifteen minutes. If you did not ask, do nothing."); err != nil {
		return firm.About("address", fmt.Errorf("the code could not be sent there: %w", err))
	}
	return firm.Wrong("code", "a code was sent to "+address+": type it here")
}

// SetMailSettings keeps them. Error: *FieldError.
func (ou *Outreach) SetMailSettings(ctx context.Context, a firm.Actor,
	s contract.MailSettings) (contract.MailSettings, error) {
	if s.Address = strings.TrimSpace(s.Address); s.Address != "" {
		parsed, err := mail.ParseAddress(s.Address)
		if err != nil || parsed.Address != s.Address {
			return s, firm.Wrong("address", "this is no mail address")
		}
		if err := ou.proveAddress(ctx, a, s.Address, optional.Value(s.Code)); err != nil {
			return s, err
		}
	}
	if s.ForwardTexts {
		if now, err := ou.MailSettings(ctx, a); err != nil {
			return s, err
		} else if now.Telephone == nil {
			return s, firm.Wrong("forward_texts", "confirm your telephone first, under Sound")
		}
	}
	if err := ou.Store.SetMailSettings(ctx,
		db.SetMailSettingsParams{ID: a.ID, MailAddress: s.Address, ForwardTexts: s.ForwardTexts}); err != nil {
		return s, err
	}
	return ou.MailSettings(ctx, a)
}

// ByMail tells whether mails go out at all.
func (ou *Outreach) ByMail() bool { return ou.Post != nil }

// MailFromFirm sends a mail of the firm itself, such as a code or a link, at once: it is no message to a customer, and
// stands nowhere. Error: why it could not go out.
func (ou *Outreach) MailFromFirm(ctx context.Context, to, subject, body string,
	files ...post.File) error {
	ctx, cancel := context.WithTimeout(ctx, sendPatience/3)
	defer cancel()
	return ou.Post.SendMail(ctx, post.Mail{ID: store.NewID().String() + "@" + ou.mailDomain(), To: to,
		From: "no-reply@" + ou.mailDomain(), Subject: subject, Body: body, Files: files})
}
