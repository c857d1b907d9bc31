package entry

import (
	"context"
	"crypto/rand"
	"encoding/base64"
	"errors"
	"fmt"
	"time"

	"github.com/coreos/go-oidc/v3/oidc"
	"github.com/google/uuid"
	"golang.org/x/oauth2"

	"trundo/internal/contract"
	"trundo/internal/core/provided"
	"trundo/internal/desk/firm"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

const asksProvider = "ask provider"

// freshly is how long ago somebody may have shown the provider who they are, where that was asked for again.
const freshly = 2 * time.Minute

// Why the provider lets somebody not in.
var (
	ErrProviderRefused = errors.New("the identity provider did not let you in")
	// ErrProviderLied: what it says of somebody does not hold: signature, issuer, audience, nonce or time are wrong.
	ErrProviderLied = errors.New("what the identity provider said does not hold")
	ErrNoPlace      = errors.New("you are known there, and have no place in this firm yet: ask your admin")
	ErrSomebodyElse = errors.New("that was somebody else: sign in there as who you are here")
)

// asking is what an answer of the provider's is held against.
type asking struct {
	Nonce, Verifier, Back string
	To                    string     // the page that is wanted afterwards
	Again                 *uuid.UUID // who shows again that it is them; nil: somebody signs in
}

// Begun is a browser on its way to the provider.
type Begun struct {
	Address string // of the provider, to which the browser goes
	Token   string // what the browser has to bring along when it comes back
}

// ToProvider sends a browser to the firm's provider: with "again" whoever is signed in has to show there anew who they
// are. The state, a nonce and PKCE (RFC 9700, 2.1.1) tie the answer to this browser. Errors: ErrNoProvider,
// ErrProviderAway.
func (en *Entry) ToProvider(ctx context.Context, origin, to string, again *uuid.UUID) (Begun, error) {
	p, err := en.provider(ctx)
	if err != nil {
		return Begun{}, err
	}
	config := en.oauth(p, origin)
	nonce := make([]byte, 16)
	_, _ = rand.Read(nonce)
	q := asking{Nonce: base64.RawURLEncoding.EncodeToString(nonce), Verifier: oauth2.GenerateVerifier(),
		Back: config.RedirectURL, To: to, Again: again}
	token, err := en.begin(ctx, asksProvider, q)
	if err != nil {
		return Begun{}, err
	}
	options := []oauth2.AuthCodeOption{oidc.Nonce(q.Nonce), oauth2.S256ChallengeOption(q.Verifier)}
	if again != nil {
		options = append(options, oauth2.SetAuthURLParam("prompt", "login"), oauth2.SetAuthURLParam("max_age", "0"))
	}
	return Begun{Address: config.AuthCodeURL(state(token), options...), Token: token}, nil
}

// state is what the provider gives back: tied to what the browser holds, and of no use without it.
func state(token string) string {
	return base64.RawURLEncoding.EncodeToString(firm.HashSecret("state " + token))
}

// Answered is who comes back from the provider.
type Answered struct {
	Actor firm.Actor
	To    string // the page that was wanted
	Again bool   // who was signed in has shown again that it is them
}

// Answer is how a browser comes back from the provider.
type Answer struct {
	Token             string // that it was given
	State, Code, Fail string // what the provider has sent along
}

// FromProvider is who comes back from the provider: who is known already, whose mail address it is, or who gets a place by
// a rule. Errors: ErrTooLate, ErrNoProvider, ErrProviderAway, ErrProviderRefused, ErrProviderLied, ErrNoPlace,
// ErrSomebodyElse.
func (en *Entry) FromProvider(ctx context.Context, in Answer) (Answered, error) {
	var q asking
	if in.State == "" || in.State != state(in.Token) {
		return Answered{}, ErrTooLate
	}
	if err := en.take(ctx, asksProvider, in.Token, &q); err != nil {
		return Answered{}, err
	}
	done := Answered{To: q.To, Again: q.Again != nil}
	if in.Fail != "" || in.Code == "" {
		en.Log.Warn("the identity provider let nobody in", "said", in.Fail)
		return done, ErrProviderRefused
	}
	p, err := en.provider(ctx)
	if err != nil {
		return done, err
	}
	token, err := en.redeem(ctx, p, q, in.Code)
	if err != nil {
		return done, err
	}
	claims := provided.Claims{}
	if err := token.Claims(&claims); err != nil {
		return done, ErrProviderLied
	}
	if q.Again != nil {
		done.Actor, err = en.shownAgain(ctx, token, claims, *q.Again)
		return done, err
	}
	id, err := en.member(ctx, p, token, claims)
	if err != nil {
		return done, err
	}
	done.Actor, err = en.Actor(ctx, id)
	return done, err
}

// redeem gets the token that a code stands for, and checks it. Errors: ErrProviderAway, ErrProviderRefused,
// ErrProviderLied.
func (en *Entry) redeem(ctx context.Context, p *provider, q asking, code string) (*oidc.IDToken, error) {
	config := en.oauth(p, "")
	config.RedirectURL = q.Back
	got, err := config.Exchange(oidc.ClientContext(ctx, client), code, oauth2.VerifierOption(q.Verifier))
	var refused *oauth2.RetrieveError
	switch {
	case errors.As(err, &refused) && refused.Response.StatusCode < 500:
		en.Log.Warn("the identity provider redeems no code", "error", err)
		return nil, ErrProviderRefused
	case err != nil:
		en.Log.Warn("the identity provider does not answer", "error", err)
		return nil, ErrProviderAway
	}
	raw, _ := got.Extra("id_token").(string)
	verifier := p.VerifierContext(oidc.ClientContext(context.WithoutCancel(ctx), client),
		&oidc.Config{ClientID: p.row.ClientID, Now: en.Clock.Now})
	token, err := verifier.Verify(ctx, raw)
	if err == nil && token.Nonce != q.Nonce {
		err = errors.New("another nonce")
	}
	if err != nil {
		en.Log.Warn("what the identity provider says does not hold", "error", err)
		return nil, ErrProviderLied
	}
	return token, nil
}

// shownAgain is who has shown anew who they are: the one who was signed in, and just now. Errors: ErrSomebodyElse,
// ErrProviderLied.
func (en *Entry) shownAgain(ctx context.Context, token *oidc.IDToken, claims provided.Claims,
	who uuid.UUID) (firm.Actor, error) {
	id, err := en.Store.ProvidedIdentity(ctx, db.ProvidedIdentityParams{Issuer: token.Issuer, Subject: token.Subject})
	switch {
	case store.NotFound(err), err == nil && id != who:
		return firm.Actor{}, ErrSomebodyElse
	case err != nil:
		return firm.Actor{}, err
	}
	at, _ := claims["auth_time"].(float64)
	if en.Clock.Since(time.Unix(int64(at), 0)) > freshly {
		return firm.Actor{}, ErrProviderLied // it was asked to ask, and did not
	}
	return en.Actor(ctx, id)
}

// member is who of the firm comes from the provider. Where the firm has rules, one of them has to fit each time, so that
// who leaves a group over there does not get in here. Errors: ErrNoPlace.
func (en *Entry) member(ctx context.Context, p *provider, token *oidc.IDToken,
	claims provided.Claims) (uuid.UUID, error) {
	rule, fits := provided.First(p.rules, claims)
	if len(p.rules) > 0 && !fits {
		return uuid.Nil, ErrNoPlace
	}
	key := db.ProvidedIdentityParams{Issuer: token.Issuer, Subject: token.Subject}
	id, err := en.Store.ProvidedIdentity(ctx, key)
	known := err == nil
	if store.NotFound(err) {
		id, err = en.first(ctx, rule, fits, provided.PersonOf(claims))
	}
	if err != nil {
		return uuid.Nil, err
	}
	if fits {
		if err := en.members.Becomes(ctx, id, firm.Role(rule.Role)); err != nil {
			return uuid.Nil, err
		}
	}
	now := en.Clock.Now()
	if known {
		return id, en.Store.UseProvidedIdentity(
			ctx,
			db.UseProvidedIdentityParams{Issuer: key.Issuer, Subject: key.Subject,
				At: &now},
		)
	}
	err = en.Store.InsertProvidedIdentity(ctx, db.InsertProvidedIdentityParams{Issuer: key.Issuer, Subject: key.Subject,
		UserID: id, At: now})
	if store.Duplicate(err) {
		return uuid.Nil, ErrTooLate // two windows at once: the other one has done it
	}
	return id, err
}

// first is who of the firm somebody is who comes for the first time: whose mail address it is, or a new colleague where a
// rule gives them a place. Error: ErrNoPlace.
func (en *Entry) first(ctx context.Context, rule provided.Rule, fits bool, who provided.Person) (uuid.UUID, error) {
	if who.Mail != "" {
		ids, err := en.Store.MembersByMail(ctx, who.Mail)
		switch {
		case err != nil:
			return uuid.Nil, err
		case len(ids) == 1:
			return ids[0], nil
		case len(ids) > 1:
			return uuid.Nil, ErrNoPlace // nobody guesses which of them
		}
	}
	if !fits || who.Login == "" {
		return uuid.Nil, ErrNoPlace
	}
	f, err := en.Settings(ctx)
	if err != nil {
		return uuid.Nil, err
	}
	id, err := en.members.AddProvided(ctx, contract.MemberEdit{Login: who.Login, Name: who.Name,
		Role: contract.MemberRole(rule.Role), Team: rule.Team, Zone: f.Zone.String(), Mail: who.Mail})
	var wrong *firm.FieldError
	if errors.As(err, &wrong) {
		en.Log.Warn("whom the identity provider knows cannot be added", "login", who.Login, "error", err)
		return uuid.Nil, fmt.Errorf("%w (%s)", ErrNoPlace, wrong.Error())
	}
	return id, err
}
