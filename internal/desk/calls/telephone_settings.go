package calls

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
	"trundo/internal/desk/firm"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

const (
	// codeFor is for how long a code that was spoken can be typed in, and codeTries how often it can be wrong.
	codeFor   = 10 * time.Minute
	codeTries = 5
)

// Telephone is a's own telephone; one without a number where there is none.
func (ts *Telephones) Telephone(ctx context.Context, a firm.Actor) (contract.Telephone, error) {
	row, err := ts.Store.Telephone(ctx, a.ID)
	if store.NotFound(err) {
		return contract.Telephone{PressOne: true}, nil
	} else if err != nil {
		return contract.Telephone{}, err
	}
	f, err := ts.Settings(ctx)
	if err != nil {
		return contract.Telephone{}, err
	}
	return contract.Telephone{Number: row.E164, Display: phone.Format(row.E164, "", f.Region, a.Style),
		Verified: row.VerifiedAt != nil, Speaks: row.Speaks, Rings: row.Rings,
		PressOne: row.PressOne}, nil
}

// SetTelephone sets a's own telephone and what it is for. A new number has to be confirmed before it is called. Errors:
// *FieldError.
func (ts *Telephones) SetTelephone(ctx context.Context, a firm.Actor,
	t contract.Telephone) (contract.Telephone, error) {
	f, err := ts.Settings(ctx)
	if err != nil {
		return t, err
	}
	if strings.TrimSpace(t.Number) == "" {
		ts.ActorChanged(a.ID)
		return contract.Telephone{PressOne: true}, ts.Store.DeleteTelephone(ctx, a.ID)
	}
	n, err := phone.Parse(t.Number, f.Region)
	if err != nil {
		return t, firm.About("number", err)
	}
	if phone.Emergency(t.Number, f.Region) {
		return t, firm.Wrong("number", "emergency services are not your telephone")
	}
	for _, l := range f.Lines {
		if l.E164 == n.E164 {
			return t, firm.Wrong("number", "this is a line of the firm: it would ring itself")
		}
	}
	if err := ts.Store.PutTelephone(ctx,
		db.PutTelephoneParams{UserID: a.ID, E164: n.E164, Speaks: t.Speaks, Rings: t.Rings,
			PressOne: t.PressOne}); err != nil {
		return t, err
	}
	ts.ActorChanged(a.ID)
	return ts.Telephone(ctx, a)
}

// CallWithCode calls a's telephone and speaks a code, which shows that it is a's. Errors: ErrNoTelephone,
// ErrTelephoneBusy, those of the carrier.
func (ts *Telephones) CallWithCode(ctx context.Context, a firm.Actor) error {
	row, err := ts.Store.Telephone(ctx, a.ID)
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
	until := ts.Clock.Now().Add(codeFor)
	text := "Your code for Trundo is " + strings.Join(strings.Split(code, ""), ", ") + "."
	leg := &telephoneLeg{user: a.ID, forWhat: forCode}
	leg.then = func(ctx context.Context) {
		ts.sayTo(ctx, leg, text+" Once more. "+text)
		ts.board.HangUpTelephone(leg.ref)
	}
	if err := ts.ringTelephone(ctx, leg, row.E164, false); err != nil {
		return err
	}
	if err := ts.Store.SetTelephoneCode(ctx,
		db.SetTelephoneCodeParams{UserID: a.ID, Hash: hash[:], Until: &until}); err != nil {
		ts.board.HangUpTelephone(leg.ref)
		return err
	}
	return nil
}

// VerifyTelephone takes the code that was spoken. Errors: *FieldError, ErrNoTelephone.
func (ts *Telephones) VerifyTelephone(ctx context.Context, a firm.Actor, code string) (contract.Telephone, error) {
	row, err := ts.Store.Telephone(ctx, a.ID)
	if store.NotFound(err) {
		return contract.Telephone{}, ErrNoTelephone
	} else if err != nil {
		return contract.Telephone{}, err
	}
	now := ts.Clock.Now()
	switch {
	case row.CodeUntil == nil || now.After(*row.CodeUntil):
		return contract.Telephone{}, firm.Wrong("code", "this code is too old: let yourself be called again")
	case row.Tries >= codeTries:
		return contract.Telephone{}, firm.Wrong("code", "too many wrong codes: let yourself be called again")
	}
	hash := sha256.Sum256([]byte(a.ID.String() + digitsOf(code)))
	if subtle.ConstantTimeCompare(hash[:], row.CodeHash) != 1 {
		return contract.Telephone{}, errors.Join(ts.Store.WrongTelephoneCode(ctx, a.ID),
			firm.Wrong("code", "this is not the code that was spoken"))
	}
	if err := ts.Store.TelephoneVerified(ctx, db.TelephoneVerifiedParams{UserID: a.ID, At: &now}); err != nil {
		return contract.Telephone{}, err
	}
	ts.ActorChanged(a.ID)
	return ts.Telephone(ctx, a)
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

func (ts *Telephones) verifiedTelephone(ctx context.Context, user uuid.UUID) (db.Telephone, error) {
	row, err := ts.Store.Telephone(ctx, user)
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

// CallingChoices are how a can place a single call: which of the firm's lines to show, or their own number, and by what to
// speak.
func (ts *Telephones) CallingChoices(ctx context.Context, a firm.Actor) (contract.CallingChoices, error) {
	v := contract.CallingChoices{Lines: []contract.LineChoice{}, ByTelephone: a.ByTelephone}
	f, err := ts.Settings(ctx)
	if err != nil {
		return v, err
	}
	for _, l := range f.Lines {
		id, err := uuid.Parse(l.ID)
		if err != nil {
			return v, err
		}
		v.Lines = append(v.Lines, contract.LineChoice{ID: id, Label: f.LineLabels[id],
			Display: phone.Format(l.E164, "", f.Region, a.Style), Usual: a.Line != nil && *a.Line == id})
	}
	own, err := ts.verifiedTelephone(ctx, a.ID)
	switch {
	case err == nil:
		v.OwnNumber = phone.Format(own.E164, "", f.Region, a.Style)
	case !errors.Is(err, ErrNoTelephone) && !errors.Is(err, ErrNotVerified):
		return v, err
	}
	return v, nil
}
