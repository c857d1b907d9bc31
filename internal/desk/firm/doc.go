// Package firm is what every area of the desk stands on: who acts and what they may (actor, rights, sign_in, tokens,
// may), the firm's settings and how they are remembered (settings, book), what is kept of every change (audit,
// idempotency), and how it is told to windows and to other programs (publishing).
//
// It must not know any area: what one of them does here is handed in behind an interface that stands here (Outbox). It
// knows no HTTP and nothing of how anything looks.
package firm
