package firm

import (
	"bytes"
	"context"
	"crypto/rand"
	"encoding/base64"
	"errors"
	"image/png"
	"slices"

	"github.com/boombuler/barcode"
	"github.com/boombuler/barcode/qr"
	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/rights"
	"trundo/internal/core/totp"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// ErrSecondFactor is told by SignIn where the password is right and a code is asked for besides.
var ErrSecondFactor = errors.New("type the code that your telephone shows")

// ErrSecondFactorMissing is told to whoever has none though the firm asks for one of their role, whatever they want.
var ErrSecondFactorMissing = errors.New("your firm asks for a second factor: set yours up first")

// NeedsSecondFactor tells whether the firm asks for a second factor of a, who has none and has not shown two in one.
func (k *Firm) NeedsSecondFactor(ctx context.Context, a Actor) (bool, error) {
	if a.SecondFactor || a.Strong {
		return false, nil
	}
	f, err := k.Settings(ctx)
	if err != nil {
		return false, err
	}
	return slices.Contains(f.SecondFactor, a.Role), nil
}

// pictureSide is that of the picture which a camera reads, in pixels.
const pictureSide = 220

// BeginSecondFactor makes a secret for a, who knows their password. It counts for nothing before a code of it has been
// typed. Errors: *FieldError, ErrBusy.
func (k *Firm) BeginSecondFactor(ctx context.Context, a Actor, password string) (contract.SecondFactorBegun, error) {
	begun := contract.SecondFactorBegun{}
	if err := k.Knows(ctx, a, password); err != nil {
		return begun, err
	}
	f, err := k.Settings(ctx)
	if err != nil {
		return begun, err
	}
	random := make([]byte, totp.SecretBytes)
	_, _ = rand.Read(random)
	secret := totp.Secret(random)
	kept, err := k.Seal(secret)
	if err != nil {
		return begun, err
	}
	err = k.Store.Tx(ctx, func(q *db.Queries) error {
		now, err := q.LockSecondFactor(ctx, a.ID)
		if err != nil {
			return err
		}
		if now.TotpAt != nil {
			return Wrong("code", "you have a second factor already: turn it off first")
		}
		return q.BeginSecondFactor(ctx, db.BeginSecondFactorParams{ID: a.ID, Secret: kept})
	})
	if err != nil {
		return begun, err
	}
	name := f.Name
	if name == "" {
		name = "Trundo"
	}
	code, err := qr.Encode(totp.Address(secret, name, a.Login), qr.M, qr.Auto)
	if err != nil {
		return begun, err
	}
	if code, err = barcode.Scale(code, pictureSide, pictureSide); err != nil {
		return begun, err
	}
	var picture bytes.Buffer
	if err := png.Encode(&picture, code); err != nil {
		return begun, err
	}
	begun.Secret = totp.Grouped(secret)
	begun.Picture = "data:image/png;base64," + base64.StdEncoding.EncodeToString(picture.Bytes())
	return begun, nil
}

// Knows checks that a knows their password, before what would change who gets in. Errors: *FieldError, ErrBusy.
func (k *Firm) Knows(ctx context.Context, a Actor, password string) error {
	hash, err := k.Store.PasswordHash(ctx, a.ID)
	if err != nil {
		return err
	}
	if ok, err := k.hashing.compare(ctx, password, hash); err != nil {
		return err
	} else if !ok {
		return Wrong("password", "this is not your password")
	}
	return nil
}

// wrongCode is told beside the code; the clock is what is wrong most often.
func wrongCode() error {
	return Wrong(
		"code",
		"this code is not right, or was used already: wait for the next one, and see that the clock of your telephone is right",
	)
}

// ConfirmSecondFactor turns a's second factor on, with a first code of it, and gives codes for when it is lost. Error:
// *FieldError.
func (k *Firm) ConfirmSecondFactor(ctx context.Context, a Actor, code string) (contract.RecoveryCodes, error) {
	codes := contract.RecoveryCodes{}
	err := k.Store.Tx(ctx, func(q *db.Queries) error {
		now, err := q.LockSecondFactor(ctx, a.ID)
		if err != nil {
			return err
		}
		if now.TotpSecret == "" || now.TotpAt != nil {
			return Wrong("code", "begin again: no second factor is being set up")
		}
		secret, err := k.Unseal(now.TotpSecret)
		if err != nil {
			return err
		}
		at := k.Clock.Now()
		step, ok := totp.Check(secret, code, at, 0)
		if !ok {
			return wrongCode()
		}
		p := db.ConfirmSecondFactorParams{ID: a.ID, At: &at, Step: step}
		for range totp.Recoveries {
			random := make([]byte, totp.RecoveryBytes)
			_, _ = rand.Read(random)
			one := totp.Recovery(random)
			codes.Codes = append(codes.Codes, one)
			p.Recovery = append(p.Recovery, HashSecret(totp.Plain(one)))
		}
		if err := q.ConfirmSecondFactor(ctx, p); err != nil {
			return err
		}
		return k.Audited(ctx, q, a, "member", a.ID, "second factor on", map[string]string{}, map[string]string{})
	})
	k.ActorChanged(a.ID)
	return codes, err
}

// EndSecondFactor turns a's own second factor off. Errors: *FieldError, ErrBusy.
func (k *Firm) EndSecondFactor(ctx context.Context, a Actor, password string) error {
	if err := k.Knows(ctx, a, password); err != nil {
		return err
	}
	return k.endSecondFactor(ctx, a, a.ID, false)
}

// ResetSecondFactor takes somebody's second factor and passkeys away, who has lost what they are on. Errors: ErrForbidden, ErrNotFound.
func (k *Firm) ResetSecondFactor(ctx context.Context, a Actor, id uuid.UUID) error {
	if !a.MayDo(rights.Roles) {
		return ErrForbidden
	}
	u, err := k.Store.User(ctx, id)
	if store.NotFound(err) {
		return ErrNotFound
	} else if err != nil {
		return err
	}
	if err := MayGive(ctx, k.Store.Queries, a, u.Role); err != nil {
		return err
	}
	return k.endSecondFactor(ctx, a, id, true)
}

// endSecondFactor turns a second factor off, and takes passkeys away with it where keys says so.
func (k *Firm) endSecondFactor(ctx context.Context, a Actor, id uuid.UUID, keys bool) error {
	err := k.Store.Tx(ctx, func(q *db.Queries) error {
		if _, err := q.LockSecondFactor(ctx, id); store.NotFound(err) {
			return ErrNotFound
		} else if err != nil {
			return err
		}
		if err := q.EndSecondFactor(ctx, id); err != nil {
			return err
		}
		if keys {
			names, err := q.DeletePasskeysOf(ctx, id)
			if err != nil {
				return err
			}
			for _, name := range names {
				if err := k.Audited(ctx, q, a, "member", id, "passkey removed", map[string]string{"name": name},
					map[string]string{}); err != nil {
					return err
				}
			}
		}
		return k.Audited(ctx, q, a, "member", id, "second factor off", map[string]string{}, map[string]string{})
	})
	k.ActorChanged(id)
	return err
}

// secondFactor lets somebody in whose password is right: without a second factor at once, else with a code of it or one
// for when it is lost, each of which is good once. Errors: ErrSecondFactor, *FieldError.
func (k *Firm) secondFactor(ctx context.Context, id uuid.UUID, code string) error {
	return k.Store.Tx(ctx, func(q *db.Queries) error {
		now, err := q.LockSecondFactor(ctx, id)
		switch {
		case err != nil:
			return err
		case now.TotpAt == nil:
			return nil
		case code == "":
			return ErrSecondFactor
		}
		secret, err := k.Unseal(now.TotpSecret)
		if err != nil {
			return err
		}
		p := db.UseSecondFactorParams{ID: id, Step: now.TotpStep, Recovery: now.Recovery}
		if step, ok := totp.Check(secret, code, k.Clock.Now(), now.TotpStep); ok {
			p.Step = step
			return q.UseSecondFactor(ctx, p)
		}
		plain := totp.Plain(code)
		at := slices.IndexFunc(
			now.Recovery,
			func(h []byte) bool { return plain != "" && bytes.Equal(h, HashSecret(plain)) },
		)
		if at < 0 {
			return wrongCode()
		}
		p.Recovery = slices.Delete(p.Recovery, at, at+1)
		return q.UseSecondFactor(ctx, p)
	})
}
