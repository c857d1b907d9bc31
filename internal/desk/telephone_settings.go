package desk

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"crypto/subtle"
	"errors"
	"fmt"
	"math/big"
	"strings"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/phone"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

const (
	// codeFor is for how long a code that was spoken can be typed in, and codeTries how often it can be wrong.
	codeFor   = 10 * time.Minute
	codeTries = 5
)

// Telephone is a's own telephone; one without a number where there is none.
func (d *Desk) Telephone(ctx context.Context, a Actor) (contract.Telephone, error) {
	row, err := d.Store.Telephone(ctx, a.ID)
	if store.NotFound(err) {
		return contract.Telephone{PressOne: true}, nil
	} else if err != nil {
		return contract.Telephone{}, err
	}
	f, err := d.firm(ctx)
	if err != nil {
		return contract.Telephone{}, err
	}
	return contract.Telephone{Number: row.E164, Display: phone.Format(row.E164, "", f.region, a.Style), Verified: row.VerifiedAt != nil, Speaks: row.Speaks, Rings: row.Rings,
		PressOne: row.PressOne}, nil
}

// SetTelephone sets a's own telephone and what it is for. A new number has to be confirmed before it is called. Errors: *FieldError.
func (d *Desk) SetTelephone(ctx context.Context, a Actor, t contract.Telephone) (contract.Telephone, error) {
	f, err := d.firm(ctx)
	if err != nil {
		return t, err
	}
	if strings.TrimSpace(t.Number) == "" {
		d.actors.Delete(a.ID)
		return contract.Telephone{PressOne: true}, d.Store.DeleteTelephone(ctx, a.ID)
	}
	n, err := phone.Parse(t.Number, f.region)
	if err != nil {
		return t, &FieldError{"number", err}
	}
	if phone.Emergency(t.Number, f.region) {
		return t, wrong("number", "emergency services are not your telephone")
	}
	for _, l := range f.lines {
		if l.E164 == n.E164 {
			return t, wrong("number", "this is a line of the firm: it would ring itself")
		}
	}
	if err := d.Store.PutTelephone(ctx, db.PutTelephoneParams{UserID: a.ID, E164: n.E164, Speaks: t.Speaks, Rings: t.Rings, PressOne: t.PressOne}); err != nil {
		return t, err
	}
	d.actors.Delete(a.ID)
	return d.Telephone(ctx, a)
}

// CallWithCode calls a's telephone and speaks a code, which shows that it is a's. Errors: ErrNoTelephone, ErrTelephoneBusy, those of the carrier.
func (d *Desk) CallWithCode(ctx context.Context, a Actor) error {
	row, err := d.Store.Telephone(ctx, a.ID)
	if store.NotFound(err) {
		return ErrNoTelephone
	} else if err != nil {
		return err
	}
	code, err := fourDigits()
	if err != nil {
		return err
	}
	hash := sha256.Sum256([]byte(a.ID.String() + code))
	until := d.Clock.Now().Add(codeFor)
	text := "Your code for Trundo is " + strings.Join(strings.Split(code, ""), ", ") + "."
	leg := &telephoneLeg{user: a.ID, forWhat: forCode}
	leg.then = func(ctx context.Context) {
		d.sayTo(ctx, leg, text+" Once more. "+text)
		d.board.HangUpTelephone(leg.ref)
	}
	if err := d.ringTelephone(ctx, leg, row.E164, false); err != nil {
		return err
	}
	if err := d.Store.SetTelephoneCode(ctx, db.SetTelephoneCodeParams{UserID: a.ID, Hash: hash[:], Until: &until}); err != nil {
		d.board.HangUpTelephone(leg.ref)
		return err
	}
	return nil
}

// VerifyTelephone takes the code that was spoken. Errors: *FieldError, ErrNoTelephone.
func (d *Desk) VerifyTelephone(ctx context.Context, a Actor, code string) (contract.Telephone, error) {
	row, err := d.Store.Telephone(ctx, a.ID)
	if store.NotFound(err) {
		return contract.Telephone{}, ErrNoTelephone
	} else if err != nil {
		return contract.Telephone{}, err
	}
	now := d.Clock.Now()
	switch {
	case row.CodeUntil == nil || now.After(*row.CodeUntil):
		return contract.Telephone{}, wrong("code", "this code is too old: let yourself be called again")
	case row.Tries >= codeTries:
		return contract.Telephone{}, wrong("code", "too many wrong codes: let yourself be called again")
	}
	hash := sha256.Sum256([]byte(a.ID.String() + digitsOf(code)))
	if subtle.ConstantTimeCompare(hash[:], row.CodeHash) != 1 {
		return contract.Telephone{}, errors.Join(d.Store.WrongTelephoneCode(ctx, a.ID), wrong("code", "this is not the code that was spoken"))
	}
	if err := d.Store.TelephoneVerified(ctx, db.TelephoneVerifiedParams{UserID: a.ID, At: &now}); err != nil {
		return contract.Telephone{}, err
	}
	d.actors.Delete(a.ID)
	return d.Telephone(ctx, a)
}

// digitsOf are the digits of a code as people type it.
func digitsOf(code string) string {
	return strings.Map(func(r rune) rune {
		if r < '0' || r > '9' {
			return -1
		}
		return r
	}, code)
}

func (d *Desk) verifiedTelephone(ctx context.Context, user uuid.UUID) (db.Telephone, error) {
	row, err := d.Store.Telephone(ctx, user)
	switch {
	case store.NotFound(err):
		return row, ErrNoTelephone
	case err == nil && row.VerifiedAt == nil:
		return row, ErrNotVerified
	}
	return row, err
}

// fourDigits are four digits that nobody can guess.
func fourDigits() (string, error) {
	n, err := rand.Int(rand.Reader, big.NewInt(10_000))
	if err != nil {
		return "", err
	}
	return fmt.Sprintf("%04d", n), nil
}
