package firm

import (
	"errors"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/store"
)

// Errors of the use cases, besides those of the core, and which of them return each. Their texts are for the reader.
var (
	// ErrAway: while the database is away: whatever writes anything new, or reads what is not remembered.
	ErrAway = errors.New("the database is unavailable for the moment; what you write is kept and saved as " +
		"soon as it is back, and new calls have to wait")
	// ErrNotFound: whatever names something by its id.
	ErrNotFound = errors.New("this does not exist, or not any more")
	// ErrForbidden: whatever takes a right, or is somebody else's.
	ErrForbidden = errors.New("you do not have the right to do this")
	// ErrLimit: PlaceCall and SendMessage, where the firm allows itself no more this month.
	ErrLimit = errors.New("the firm's own limit is reached")
	// ErrSignIn: SignIn.
	ErrSignIn = errors.New("the name or the password is wrong")
	// ErrStopping: PlaceCall and AnswerCall, once the server is to stop.
	ErrStopping = errors.New("the server is about to restart: new calls are possible again in a moment")
	// ErrDiskFull: PlaceCall and AnswerCall, while the disk beside the server is full.
	ErrDiskFull = errors.New("the disk beside the server is full: new calls have to wait until there is room, or " +
		"what is said in them could be lost")
	// ErrElsewhere: PlaceCall in place of a call of another server, and HangUp of one.
	ErrElsewhere = errors.New("this call goes on at another server: end it in the window in which it was made")
	// ErrBusy: SignIn, while too many sign in at once.
	ErrBusy = errors.New("too many sign in at once; try again in a moment")
	// ErrSignedOut: Actor, for somebody who is not there any more; ByToken.
	ErrSignedOut = errors.New("you are not signed in")
	// ErrKeyReused: whatever takes an idempotency key.
	ErrKeyReused = errors.New("this idempotency key was used for another request")
	// ErrChangedElse: whatever takes a version.
	ErrChangedElse = errors.New("somebody else has changed this in the meantime; look at it again before saving")
	// ErrGone: whatever changes or reads a record that was deleted.
	ErrGone = errors.New("this record has been deleted")
)

// FieldError tells which field of a request is wrong, and why.
type FieldError struct {
	Field string
	Err   error
}

func (e *FieldError) Error() string { return e.Err.Error() }

func (e *FieldError) Unwrap() error { return e.Err }

// IsAbout tells whether an error is about that field.
func IsAbout(err error, field string) bool {
	var wrong *FieldError
	return errors.As(err, &wrong) && wrong.Field == field
}

// About makes an error one of a field, where it says something of what was asked for; the database's own stay as they
// are.
func About(field string, err error) error {
	if err == nil || store.Failed(err) {
		return err
	}
	return &FieldError{field, err}
}

// Wrong is a *FieldError with a text for the reader.
func Wrong(field, text string) error { return &FieldError{field, errors.New(text)} }

// InCallError tells that the rep is in a call already, in this or another window.
type InCallError struct{ Call uuid.UUID }

func (e *InCallError) Error() string {
	return "you are in a call already: end it first, or go on speaking"
}

// RefusedError tells why a number is not called.
type RefusedError struct {
	Err    error  // of package callable
	Detail string // the reason that was written down
	// MayOverride: whoever asked may call all the same, with a reason.
	MayOverride bool
}

func (e *RefusedError) Error() string {
	if e.Detail == "" {
		return e.Err.Error()
	}
	return e.Err.Error() + ": " + e.Detail
}

func (e *RefusedError) Unwrap() error { return e.Err }

// NotesConflictError tells that another window saved notes in between, and what they are now.
type NotesConflictError struct{ Current contract.Notes }

func (e *NotesConflictError) Error() string {
	return "these notes were changed in another window; both texts are kept until you choose"
}
