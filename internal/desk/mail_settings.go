package desk

import (
	"context"
	"net/mail"
	"strings"

	"trundo/internal/contract"
	"trundo/internal/core/phone"
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

// SetMailSettings keeps them. Error: *FieldError.
func (d *Desk) SetMailSettings(ctx context.Context, a Actor, s contract.MailSettings) (contract.MailSettings, error) {
	if s.Address = strings.TrimSpace(s.Address); s.Address != "" {
		parsed, err := mail.ParseAddress(s.Address)
		if err != nil || parsed.Address != s.Address {
			return s, wrong("address", "this is no mail address")
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
