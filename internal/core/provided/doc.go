// Package provided decides who somebody is in the firm of whom an identity provider says who they are (OpenID Connect
// Core 1.0): what is read from its claims, and which of the firm's rules makes what of them.
//
// It must not know how claims come here: whoever calls has checked their signature, issuer, audience, nonce and time.
package provided

import (
	"slices"
	"strings"
)

// Claims are those of an ID token, as JSON has them.
type Claims map[string]any

// Person is who somebody says they are.
type Person struct {
	Name string // how they are called; "" where it is not said
	Mail string // only where the provider has made sure of it
	// Login is by what they would sign in here: what they are called at the provider, or the beginning of their address;
	// lower case, without spaces; "" where neither is said
	Login string
}

// PersonOf reads who somebody is. A mail address counts only with "email_verified": anybody could write down another
// one's (OpenID Connect Core 1.0, 5.7).
func PersonOf(c Claims) Person {
	p := Person{Name: text(c, "name")}
	if p.Name == "" {
		p.Name = strings.TrimSpace(text(c, "given_name") + " " + text(c, "family_name"))
	}
	if sure(c) {
		p.Mail = text(c, "email")
	}
	p.Login = text(c, "preferred_username")
	if p.Login == "" {
		p.Login = p.Mail
	}
	p.Login, _, _ = strings.Cut(strings.ToLower(p.Login), "@")
	p.Login = strings.Join(strings.Fields(p.Login), ".")
	if p.Name == "" {
		p.Name = p.Login
	}
	return p
}

// sure tells whether the provider has made sure of a mail address. Some write true as a word.
func sure(c Claims) bool { return c["email_verified"] == true || c["email_verified"] == "true" }

func text(c Claims, claim string) string {
	s, _ := c[claim].(string)
	return strings.TrimSpace(s)
}

// Rule says what becomes of whom a claim fits.
type Rule struct {
	Claim string // such as "groups"; "email" with a value such as "@example.com" fits all addresses there
	Value string // what it has to be, or to hold where it is a list
	Role  string // what they become
	Team  string // into which they come where they are new; "" is none
}

// Fits tells whether a rule is about somebody with these claims. Letters are compared whatever their case. A mail
// address fits only where the provider has made sure of it.
func (r Rule) Fits(c Claims) bool {
	if r.Value == "" || r.Claim == "email" && !sure(c) {
		return false
	}
	is := func(v any) bool {
		s, isText := v.(string)
		if !isText {
			return false
		}
		if r.Claim == "email" && strings.HasPrefix(r.Value, "@") {
			return len(s) > len(r.Value) && strings.EqualFold(s[len(s)-len(r.Value):], r.Value)
		}
		return strings.EqualFold(s, r.Value)
	}
	if list, isList := c[r.Claim].([]any); isList {
		return slices.ContainsFunc(list, is)
	}
	return is(c[r.Claim])
}

// First is the first rule that fits; false where none does, and somebody has no place in the firm.
func First(rules []Rule, c Claims) (Rule, bool) {
	if i := slices.IndexFunc(rules, func(r Rule) bool { return r.Fits(c) }); i >= 0 {
		return rules[i], true
	}
	return Rule{}, false
}
