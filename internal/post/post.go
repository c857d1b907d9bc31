// Package post sends text messages and mails to the outside: through a mail server, or to a stand-in that keeps what it
// got for whoever plays the outside.
//
// It must not know the database, or who writes to whom and why.
package post

import (
	"context"
	"fmt"
)

// Text is a text message.
type Text struct {
	ID       string // ours, once for each message
	From, To string // numbers in their normal form
	Body     string
}

// Mail is a mail as RFC 5322 knows it; its body is plain text.
type Mail struct {
	ID        string // Message-ID, without brackets
	From, To  string // addresses
	FromName  string
	ToName    string
	Subject   string
	Body      string
	InReplyTo string // the Message-ID that it answers; "" for none
	Files     []File
}

// File goes with a mail.
type File struct {
	Name, Type string // the type is one of RFC 2046: "application/pdf"
	Content    []byte
}

// Sender sends. A call returns when the other side has taken the message, or has not. Errors: *RefusedError where
// trying again is of no use; any other error may pass.
type Sender interface {
	SendText(ctx context.Context, t Text) error
	SendMail(ctx context.Context, m Mail) error
}

// RefusedError tells that a message will never be taken.
type RefusedError struct{ Why string }

func (e *RefusedError) Error() string { return fmt.Sprintf("refused: %s", e.Why) }
