package firm

import (
	"context"
	"crypto/aes"
	"crypto/cipher"
	"crypto/rand"
	"encoding/base64"
	"errors"
	"fmt"
	"strings"

	"trundo/internal/store/db"
)

// sealed is how a secret begins that lies encrypted in the database: by AES-256 in Galois/Counter Mode (NIST SP
// 800-38D), the nonce before the text.
const sealed = "sealed:"

// ErrUnsealed is told where a secret was sealed with another key than this server has.
var ErrUnsealed = errors.New("a secret in the database was sealed with another key: give this server the key that " +
	"TRUNDO_SECRET_KEY or the file secret.key held")

// Seal encrypts a secret for the database. Without a key, which only tests lack, it stays as it is.
func (k *Firm) Seal(secret string) (string, error) {
	box, err := k.box()
	if box == nil || err != nil {
		return secret, err
	}
	nonce := make([]byte, box.NonceSize())
	_, _ = rand.Read(nonce)
	return sealed + base64.StdEncoding.EncodeToString(box.Seal(nonce, nonce, []byte(secret), nil)), nil
}

// Unseal gives a secret as it was. Error: errUnsealed.
func (k *Firm) Unseal(kept string) (string, error) {
	text, is := strings.CutPrefix(kept, sealed)
	if !is {
		return kept, nil
	}
	box, err := k.box()
	if err != nil {
		return "", err
	}
	raw, err := base64.StdEncoding.DecodeString(text)
	if box == nil || err != nil || len(raw) < box.NonceSize() {
		return "", ErrUnsealed
	}
	secret, err := box.Open(nil, raw[:box.NonceSize()], raw[box.NonceSize():], nil)
	if err != nil {
		return "", ErrUnsealed
	}
	return string(secret), nil
}

func (k *Firm) box() (cipher.AEAD, error) {
	if len(k.SecretKey) == 0 {
		return nil, nil
	}
	block, err := aes.NewCipher(k.SecretKey)
	if err != nil {
		return nil, fmt.Errorf("the key for secrets: %w", err)
	}
	return cipher.NewGCM(block)
}

// SealSecrets encrypts what an earlier version has left in plain text.
func (k *Firm) SealSecrets(ctx context.Context) error {
	if len(k.SecretKey) == 0 {
		return nil
	}
	rows, err := k.Store.Webhooks(ctx)
	if err != nil {
		return err
	}
	for _, r := range rows {
		if strings.HasPrefix(r.Secret, sealed) {
			continue
		}
		secret, err := k.Seal(r.Secret)
		if err != nil {
			return err
		}
		if err := k.Store.SetWebhookSecret(ctx, db.SetWebhookSecretParams{ID: r.ID, Secret: secret}); err != nil {
			return err
		}
	}
	return nil
}
