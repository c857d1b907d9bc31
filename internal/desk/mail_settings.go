package desk

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
	"trundo/internal/post"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// MailSettings are from which address a writes, and whether a's telephone is told of messages.
func (d *Desk) MailSettings(ctx context.Context, a Actor) (contract.MailSettings, error) {
	f, err := d.firm(ctx)
	if err != nil {
		return contract.MailSettings{}, err
	}
	row, err := d.Store.MailSettings(ctx, a.ID)
	if err != nil {
		return contract.MailSettings{}, err
	}
	view := contract.MailSettings{Address: row.MailAddress, ForwardTexts: row.ForwardTexts}
	if row.Telephone != "" {
		shown := phone.Format(row.Telephone, "", f.region, a.Style)
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

// proveAddress lets a write from an address of the firm's domains, or from another that a has shown to read: a code is sent there, and typed in.
// Error: *FieldError, about code when one has been sent.
func (d *Desk) proveAddress(ctx context.Context, a Actor, address, code string) error {
	_, domain, _ := strings.Cut(strings.ToLower(address), "@")
	if d.MailDomain != "" && domain == strings.ToLower(d.MailDomain) {
		return nil
	}
	proved, err := d.Store.MailProved(ctx, a.ID)
	if err != nil || strings.EqualFold(proved, address) {
		return err
	}
	d.mu.Lock()
	sent := d.mailCodes[a.ID]
	fits := sent.address == address && sent.code != "" && d.Clock.Now().Before(sent.until) && sent.tries < mailCodeTries
	right := fits && code != "" && subtle.ConstantTimeCompare([]byte(sent.code), []byte(strings.TrimSpace(code))) == 1
	if sent.tries++; fits && !right {
		d.mailCodes[a.ID] = sent
	}
	d.mu.Unlock()
	switch {
	case right:
		return d.Store.SetMailProved(ctx, db.SetMailProvedParams{ID: a.ID, Address: address})
	case fits && code != "":
		return wrong("code", "this is not the code that was sent to "+address)
	case d.Post == nil:
		return wrong("address", "only addresses of the firm’s domain can be used")
	}
	n, err := rand.Int(rand.Reader, big.NewInt(1_000_000))
	if err != nil {
		return err
	}
	fresh := mailCode{address: address, code: fmt.Sprintf("%06d", n), until: d.Clock.Now().Add(mailCodeGood)}
	d.mu.Lock()
	d.mailCodes[a.ID] = fresh
	d.mu.Unlock()
	ctx, cancel := context.WithTimeout(ctx, sendPatience/3)
	defer cancel()
	if err := d.Post.SendMail(ctx, post.Mail{ID: store.NewID().String() + "@" + d.mailDomain(), To: address, From: "no-reply@" + d.mailDomain(), Subject: "Your code: " + fresh.code,
		Body: "Type this code where you asked to write from this address: " + fresh.code + "\nIt is good for fifteen minutes. If you did not ask, do nothing."}); err != nil {
		return &FieldError{"address", fmt.Errorf("the code could not be sent there: %w", err)}
	}
	return wrong("code", "a code was sent to "+address+": type it here")
}

// SetMailSettings keeps them. Error: *FieldError.
func (d *Desk) SetMailSettings(ctx context.Context, a Actor, s contract.MailSettings) (contract.MailSettings, error) {
	if s.Address = strings.TrimSpace(s.Address); s.Address != "" {
		parsed, err := mail.ParseAddress(s.Address)
		if err != nil || parsed.Address != s.Address {
			return s, wrong("address", "this is no mail address")
		}
		if err := d.proveAddress(ctx, a, s.Address, value(s.Code)); err != nil {
			return s, err
		}
	}
	if s.ForwardTexts {
		if now, err := d.MailSettings(ctx, a); err != nil {
			return s, err
		} else if now.Telephone == nil {
			return s, wrong("forward_texts", "confirm your telephone first, under Sound")
		}
	}
	if err := d.Store.SetMailSettings(ctx, db.SetMailSettingsParams{ID: a.ID, MailAddress: s.Address, ForwardTexts: s.ForwardTexts}); err != nil {
		return s, err
	}
	return d.MailSettings(ctx, a)
}
