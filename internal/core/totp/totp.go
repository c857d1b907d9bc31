// Package totp says whether a one-time code of somebody's second factor is right: six digits of a secret and the time
// (RFC 6238, by HMAC-SHA-1 and steps of 30 seconds), each once; and how the codes look that let somebody in without.
//
// It must not know whose they are, nor how they are kept.
package totp

import (
	"crypto/subtle"
	"encoding/base32"
	"fmt"
	"net/url"
	"strings"
	"time"

	"github.com/pquerna/otp"
	"github.com/pquerna/otp/hotp"
)

// Period is how long a code is shown.
const Period = 30 * time.Second

// drift is by how many steps a telephone's clock may be off, either way: a minute. RFC 6238, 5.2, recommends one step
// for the network's delay; clocks of telephones that are not set by the network are off by more.
const drift = 2

// SecretBytes is the length of a secret: that of SHA-1's result, as RFC 4226, 4, recommends.
const SecretBytes = 20

// encoding is base32 as apps read it.
var encoding = base32.StdEncoding.WithPadding(base32.NoPadding)

// Secret puts random bytes into the form in which an app takes them.
func Secret(random []byte) string { return encoding.EncodeToString(random) }

// Code is the code of a secret at a step. Error: the secret is none.
func Code(secret string, step int64) (string, error) {
	return hotp.GenerateCodeCustom(secret, uint64(step), hotp.ValidateOpts{Digits: otp.DigitsSix, Algorithm: otp.AlgorithmSHA1})
}

// StepAt is the step of a time.
func StepAt(at time.Time) int64 { return at.Unix() / int64(Period.Seconds()) }

// Check tells of which step a typed code is, counted since 1970; false where it is of none around at, or of one that is
// not newer than used, the last one with which somebody came in (RFC 6238, 5.2: once only).
func Check(secret, typed string, at time.Time, used int64) (step int64, ok bool) {
	typed = strings.Join(strings.Fields(typed), "")
	now := StepAt(at)
	for s := now - drift; s <= now+drift; s++ {
		code, err := Code(secret, s)
		if err != nil {
			return 0, false
		}
		if subtle.ConstantTimeCompare([]byte(code), []byte(typed)) == 1 && s > used {
			step, ok = s, true
		}
	}
	return step, ok
}

// Address is what an app takes by its camera: whose secret it is, and for what.
func Address(secret, firm, login string) string {
	label := url.PathEscape(firm) + ":" + url.PathEscape(login)
	return "otpauth://totp/" + label + "?secret=" + secret + "&issuer=" + url.QueryEscape(firm) + "&period=30&digits=6&algorithm=SHA1"
}

// Recoveries is how many codes somebody gets for when the telephone is lost.
const Recoveries = 10

// RecoveryBytes is the length of what each is made of: 80 bits, too many to be guessed.
const RecoveryBytes = 10

// Recovery puts random bytes into the form in which somebody writes them down: sixteen characters in groups of four.
func Recovery(random []byte) string {
	text := strings.ToLower(encoding.EncodeToString(random))
	var groups []string
	for len(text) > 4 {
		groups, text = append(groups, text[:4]), text[4:]
	}
	return strings.Join(append(groups, text), "-")
}

// Plain is a recovery code as it is compared: however it was typed. "" is none.
func Plain(typed string) string {
	text := strings.ToLower(strings.NewReplacer("-", "", " ", "").Replace(strings.TrimSpace(typed)))
	if len(text) != (RecoveryBytes*8+4)/5 {
		return ""
	}
	return text
}

// Grouped shows a secret in groups of four, to be typed where no camera is.
func Grouped(secret string) string {
	var b strings.Builder
	for i, r := range secret {
		if i > 0 && i%4 == 0 {
			fmt.Fprint(&b, " ")
		}
		b.WriteRune(r)
	}
	return b.String()
}
