package entry

import (
	"context"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"net"
	"net/url"
	"strings"

	"github.com/go-webauthn/webauthn/protocol"
	"github.com/go-webauthn/webauthn/webauthn"
	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/desk/firm"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// What is asked with a passkey.
const (
	addsPasskey = "add passkey"
	usesPasskey = "use passkey"
)

// maxPasskeys is how many somebody may have.
const maxPasskeys = 20

// ErrNoPasskeys is told where the address of this installation makes passkeys impossible.
var ErrNoPasskeys = errors.New(
	"passkeys work only where Trundo is reached by a name over TLS, not by a bare IP address",
)

// ErrPasskey is told where a passkey lets nobody in: it is not known here, was taken away, or its answer does not hold.
var ErrPasskey = errors.New("this passkey does not let you in: use another one, or your password")

// ErrUsePasskey is told to who has a passkey and came with a password alone though the firm asks for two factors.
var ErrUsePasskey = errors.New(
	"your firm asks for two factors, and you have a passkey: sign out, and sign in with it; " +
		"if it is lost, an admin can take it away",
)

// MaySetUp tells whether a, who came with a password alone, may set up the second factor that the firm asks for: not who
// has a passkey, since whoever has found out their password would make one of their own. Error: ErrUsePasskey.
func (en *Entry) MaySetUp(ctx context.Context, a firm.Actor) error {
	keys, err := en.Store.Passkeys(ctx, a.ID)
	if err == nil && len(keys) > 0 {
		err = ErrUsePasskey
	}
	return err
}

// Possible tells whether passkeys are possible at an origin such as https://calls.example.com: their relying party is a
// name, and a browser offers them on secure pages alone (W3C Web Authentication 3, 5.1.2).
func (en *Entry) Possible(origin string) bool {
	_, err := en.party(origin)
	return err == nil
}

// party is this installation to a browser at an origin. Error: ErrNoPasskeys.
func (en *Entry) party(origin string) (*webauthn.WebAuthn, error) {
	if en.Public != "" {
		origin = en.Public
	}
	u, err := url.Parse(origin)
	if err != nil || u.Hostname() == "" || net.ParseIP(u.Hostname()) != nil ||
		u.Scheme != "https" && u.Hostname() != "localhost" {
		return nil, ErrNoPasskeys
	}
	return webauthn.New(&webauthn.Config{RPID: u.Hostname(), RPDisplayName: "Trundo",
		RPOrigins: []string{u.Scheme + "://" + u.Host},
		AuthenticatorSelection: protocol.AuthenticatorSelection{ResidentKey: protocol.ResidentKeyRequirementRequired,
			UserVerification: protocol.VerificationRequired}})
}

// holder is somebody with their passkeys, as the library asks for them.
type holder struct {
	actor firm.Actor
	keys  []webauthn.Credential
}

func (h holder) WebAuthnID() []byte                         { return h.actor.ID[:] }
func (h holder) WebAuthnName() string                       { return h.actor.Login }
func (h holder) WebAuthnDisplayName() string                { return h.actor.Name }
func (h holder) WebAuthnCredentials() []webauthn.Credential { return h.keys }

func (en *Entry) holder(ctx context.Context, a firm.Actor) (holder, error) {
	rows, err := en.Store.Passkeys(ctx, a.ID)
	h := holder{actor: a}
	for _, r := range rows {
		var c webauthn.Credential
		if err := json.Unmarshal(r.Credential, &c); err != nil {
			return h, fmt.Errorf("the passkey %q of %s: %w", r.Name, a.Login, err)
		}
		h.keys = append(h.keys, c)
	}
	return h, err
}

// keyText is a passkey's id as it is written.
func keyText(id []byte) string { return base64.RawURLEncoding.EncodeToString(id) }

// Passkeys are a's own.
func (en *Entry) Passkeys(ctx context.Context, a firm.Actor) ([]contract.Passkey, error) {
	rows, err := en.Store.Passkeys(ctx, a.ID)
	list := []contract.Passkey{}
	for _, r := range rows {
		list = append(list, contract.Passkey{Key: keyText(r.ID), Name: r.Name, AddedAt: r.AddedAt, UsedAt: r.UsedAt})
	}
	return list, err
}

// BeginAdding asks a browser for a new passkey of a's, and gives what it has to bring along. Errors: ErrNoPasskeys,
// *firm.FieldError.
func (en *Entry) BeginAdding(
	ctx context.Context,
	a firm.Actor,
	origin string,
) (contract.PasskeyQuestion, string, error) {
	none := contract.PasskeyQuestion{}
	party, err := en.party(origin)
	if err != nil {
		return none, "", err
	}
	h, err := en.holder(ctx, a)
	if err != nil {
		return none, "", err
	}
	if len(h.keys) >= maxPasskeys {
		return none, "", firm.Wrong("name", fmt.Sprintf("you have %d passkeys: remove one first", maxPasskeys))
	}
	have := []protocol.CredentialDescriptor{}
	for _, k := range h.keys {
		have = append(have, k.Descriptor())
	}
	options, asked, err := party.BeginRegistration(h, webauthn.WithExclusions(have))
	if err != nil {
		return none, "", err
	}
	return en.question(ctx, addsPasskey, options.Response, asked)
}

// question is what a browser is asked, and what it has to bring along with its answer.
func (en *Entry) question(ctx context.Context, what string, options any,
	asked *webauthn.SessionData) (q contract.PasskeyQuestion, token string, err error) {
	text, err := json.Marshal(options)
	if err == nil {
		err = json.Unmarshal(text, &q.Options)
	}
	if err == nil {
		token, err = en.begin(ctx, what, asked)
	}
	return q, token, err
}

// Add keeps the passkey that a browser has made for a. Errors: ErrNoPasskeys, ErrTooLate, ErrPasskey, *firm.FieldError.
func (en *Entry) Add(ctx context.Context, a firm.Actor, origin, token string, n contract.NewPasskey) error {
	party, err := en.party(origin)
	if err != nil {
		return err
	}
	name := firm.CleanText(n.Name)
	if name == "" {
		return firm.Wrong("name", "give it a name, such as of the telephone that it is on")
	}
	var asked webauthn.SessionData
	if err := en.take(ctx, addsPasskey, token, &asked); err != nil {
		return err
	}
	h, err := en.holder(ctx, a)
	if err != nil {
		return err
	}
	text, err := json.Marshal(n.Credential)
	if err != nil {
		return err
	}
	made, err := protocol.ParseCredentialCreationResponseBytes(text)
	var key *webauthn.Credential
	if err == nil {
		key, err = party.CreateCredential(h, asked, made)
	}
	if err != nil {
		en.Log.Warn("a passkey that was made does not hold", "login", a.Login, "error", err)
		return ErrPasskey
	}
	kept, err := json.Marshal(key)
	if err != nil {
		return err
	}
	return en.Store.Tx(ctx, func(q *db.Queries) error {
		n, err := q.InsertPasskey(ctx, db.InsertPasskeyParams{ID: key.ID, UserID: a.ID, Name: name, Credential: kept,
			At: en.Clock.Now()})
		switch {
		case err != nil:
			return err
		case n == 0: // somebody else has said that it is theirs
			return ErrPasskey
		}
		return en.Audited(
			ctx,
			q,
			a,
			"member",
			a.ID,
			"passkey added",
			map[string]string{},
			map[string]string{"name": name},
		)
	})
}

// Remove takes one of a's passkeys away. Error: firm.ErrNotFound.
func (en *Entry) Remove(ctx context.Context, a firm.Actor, key string) error {
	id, err := base64.RawURLEncoding.DecodeString(key)
	if err != nil {
		return firm.ErrNotFound
	}
	return en.Store.Tx(ctx, func(q *db.Queries) error {
		name, err := q.DeletePasskey(ctx, db.DeletePasskeyParams{ID: id, UserID: a.ID})
		switch {
		case store.NotFound(err):
			return firm.ErrNotFound
		case err != nil:
			return err
		}
		return en.Audited(
			ctx,
			q,
			a,
			"member",
			a.ID,
			"passkey removed",
			map[string]string{"name": name},
			map[string]string{},
		)
	})
}

// Ask asks a browser for any passkey of this installation, and gives what it has to bring along. Error: ErrNoPasskeys.
func (en *Entry) Ask(ctx context.Context, origin string) (contract.PasskeyQuestion, string, error) {
	party, err := en.party(origin)
	if err != nil {
		return contract.PasskeyQuestion{}, "", err
	}
	options, asked, err := party.BeginDiscoverableLogin(webauthn.WithUserVerification(protocol.VerificationRequired))
	if err != nil {
		return contract.PasskeyQuestion{}, "", err
	}
	return en.question(ctx, usesPasskey, options.Response, asked)
}

// ByPasskey is who answers with a passkey. Errors: ErrNoPasskeys, ErrTooLate, ErrPasskey, whatever was wrong.
func (en *Entry) ByPasskey(ctx context.Context, origin, token string, n contract.PasskeyAnswer) (firm.Actor, error) {
	party, err := en.party(origin)
	if err != nil {
		return firm.Actor{}, err
	}
	var asked webauthn.SessionData
	if err := en.take(ctx, usesPasskey, token, &asked); err != nil {
		return firm.Actor{}, err
	}
	text, err := json.Marshal(n.Credential)
	if err != nil {
		return firm.Actor{}, err
	}
	var failed error // ours, not theirs
	who := func(_, handle []byte) (webauthn.User, error) {
		id, err := uuid.FromBytes(handle)
		if err != nil {
			return nil, err
		}
		a, err := firm.ActorWithin(ctx, en.Store.Queries, id)
		if err != nil {
			if !errors.Is(err, firm.ErrSignedOut) {
				failed = err
			}
			return nil, err
		}
		h, err := en.holder(ctx, a)
		failed = err
		return h, err
	}
	answer, err := protocol.ParseCredentialRequestResponseBytes(text)
	var user webauthn.User
	var key *webauthn.Credential
	if err == nil {
		user, key, err = party.ValidatePasskeyLogin(who, asked, answer)
	}
	switch {
	case failed != nil:
		return firm.Actor{}, failed
	case err != nil:
		en.Log.Warn("a passkey does not let in", "error", strings.TrimSpace(err.Error()))
		return firm.Actor{}, ErrPasskey
	}
	a := user.(holder).actor
	if key.Authenticator.CloneWarning { // its counter went back: there may be two of it (W3C Web Authentication 3, 6.1.1)
		en.Log.Warn("a passkey may have been copied", "login", a.Login)
		return firm.Actor{}, ErrPasskey
	}
	kept, err := json.Marshal(key)
	if err != nil {
		return a, err
	}
	now := en.Clock.Now()
	return a, en.Store.UsePasskey(ctx, db.UsePasskeyParams{ID: key.ID, Credential: kept, At: &now})
}
