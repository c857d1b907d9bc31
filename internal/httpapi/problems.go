package httpapi

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net/http"
	"strings"

	"trundo/internal/desk/book"
	"trundo/internal/desk/calls"
	"trundo/internal/desk/entry"
	"trundo/internal/desk/filing"
	"trundo/internal/desk/firm"
	"trundo/internal/desk/outreach"
	"trundo/internal/desk/privacy"
	"trundo/internal/desk/queues"
	"trundo/internal/desk/rounds"
	"trundo/internal/desk/staff"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/getkin/kin-openapi/openapi3filter"
	"github.com/gin-gonic/gin"

	"trundo/internal/contract"
	"trundo/internal/core/call"
	"trundo/internal/core/callable"
	"trundo/internal/core/callerid"
	"trundo/internal/core/slip"
	"trundo/internal/journal"
	"trundo/internal/store"
)

// kinds maps the errors that a user can meet to status and code, in one place. The first that fits counts.
var kinds = []struct {
	err    error
	status int
	code   string
	title  string
}{
	{firm.ErrSignedOut, http.StatusUnauthorized, "signed_out", "Not signed in"},
	{firm.ErrSignIn, http.StatusUnauthorized, "wrong_sign_in", "Sign-in failed"},
	{errThrottled, http.StatusTooManyRequests, "throttled", "Too many attempts"},
	{errTooManyWindows, http.StatusTooManyRequests, "too_many_windows", "Too many windows"},
	{errTooManyOffers, http.StatusTooManyRequests, "throttled", "Too many attempts"},
	{firm.ErrElsewhere, http.StatusConflict, "elsewhere", "At another server"},
	{firm.ErrStopping, http.StatusServiceUnavailable, "stopping", "About to restart"},
	{firm.ErrDiskFull, http.StatusServiceUnavailable, "disk_full", "The disk is full"},
	{journal.ErrCannotKeep, http.StatusServiceUnavailable, "cannot_keep", "Not kept"},
	{firm.ErrBusy, http.StatusTooManyRequests, "throttled", "Too many attempts"},
	{firm.ErrSecondFactor, http.StatusUnauthorized, "second_factor", "A code, please"},
	{errProve, http.StatusForbidden, "prove", "Show who you are"},
	{firm.ErrSecondFactorMissing, http.StatusForbidden, "second_factor_missing", "A second factor is missing"},
	{staff.ErrNotFirst, http.StatusConflict, "not_first", "Somebody is here already"},
	{staff.ErrLink, http.StatusGone, "link_used", "Not good any more"},
	{entry.ErrNoPasskeys, http.StatusConflict, "no_passkeys", "No passkeys here"},
	{entry.ErrPasskey, http.StatusUnauthorized, "wrong_passkey", "Not let in"},
	{entry.ErrUsePasskey, http.StatusForbidden, "use_passkey", "Use your passkey"},
	{entry.ErrTooLate, http.StatusConflict, "asked_anew", "Too late"},
	{entry.ErrNoProvider, http.StatusNotFound, "no_provider", "No identity provider"},
	{entry.ErrProviderAway, http.StatusServiceUnavailable, "provider_away", "No answer"},
	{entry.ErrProviderRefused, http.StatusForbidden, "provider_refused", "Not let in"},
	{entry.ErrProviderLied, http.StatusForbidden, "provider_wrong", "Not let in"},
	{entry.ErrNoPlace, http.StatusForbidden, "no_place_here", "No place in this firm"},
	{entry.ErrSomebodyElse, http.StatusForbidden, "somebody_else", "Somebody else"},
	{errOrigin, http.StatusForbidden, "foreign_origin", "Foreign origin"},
	{errTooLarge, http.StatusRequestEntityTooLarge, "too_large", "Too large"},
	{errNoSuchPath, http.StatusNotFound, "no_such_path", "No such address"},
	{firm.ErrForbidden, http.StatusForbidden, "forbidden", "Not allowed"},
	{firm.ErrNotFound, http.StatusNotFound, "not_found", "Not found"},
	{firm.ErrGone, http.StatusGone, "deleted", "Deleted"},
	{firm.ErrChangedElse, http.StatusConflict, "stale_version", "Changed in the meantime"},
	{firm.ErrKeyReused, http.StatusUnprocessableEntity, "key_reused", "Idempotency key reused"},
	{firm.ErrAway, http.StatusServiceUnavailable, "database_away", "Not saved yet"},
	{slip.ErrStillInCall, http.StatusConflict, "still_in_call", "Still in the call"},
	{slip.ErrAlreadyFiled, http.StatusConflict, "already_filed", "Already filed"},
	{callable.ErrDoNotCall, http.StatusForbidden, "do_not_call", "Do not call"},
	{callable.ErrPersonDoNotCall, http.StatusForbidden, "do_not_call", "Do not call"},
	{callable.ErrCompanyDoNotCall, http.StatusForbidden, "do_not_call", "Do not call"},
	{callable.ErrListedDoNotCall, http.StatusForbidden, "do_not_call", "Do not call"},
	{callerid.ErrNoLine, http.StatusConflict, "no_line", "No line"},
	{call.ErrNotThere, http.StatusForbidden, "not_in_call", "Not in this call"},
	{call.ErrOver, http.StatusConflict, "call_over", "The call has ended"},
	{queues.ErrFaults, http.StatusConflict, "route_faults", "Not ready to go live"},
	{queues.ErrTrials, http.StatusConflict, "route_tests", "A test does not pass"},
	{call.ErrTaken, http.StatusConflict, "taken", "Taken by somebody else"},
	{call.ErrNotInbound, http.StatusConflict, "not_inbound", "Not an inbound call"},
	{call.ErrNoRing, http.StatusForbidden, "no_ring", "It does not ring for you"},
	{call.ErrNoSpeech, http.StatusConflict, "not_answered", "Not answered"},
	{call.ErrHeld, http.StatusConflict, "held", "On hold already"},
	{call.ErrNotHeld, http.StatusConflict, "not_held", "Not on hold"},
	{call.ErrAsking, http.StatusConflict, "asking", "You are asking somebody"},
	{call.ErrConsulted, http.StatusConflict, "consulted", "You are being asked"},
	{call.ErrNotAsking, http.StatusConflict, "not_asking", "You are asking nobody"},
	{call.ErrFull, http.StatusConflict, "full", "Eight are enough"},
	{call.ErrInIt, http.StatusConflict, "in_it", "In this call already"},
	{call.ErrNotYours, http.StatusForbidden, "not_yours", "Not yours to end"},
	{call.ErrCompany, http.StatusConflict, "company", "Others are in this call"},
	{call.ErrNobodySpeaks, http.StatusConflict, "nobody_speaks", "Nobody speaks"},
	{call.ErrSameCall, http.StatusConflict, "same_call", "The same call"},
	{call.ErrListening, http.StatusConflict, "in_call", "You are in this call"},
	{calls.ErrNotReached, http.StatusConflict, "not_reached", "Cannot be rung now"},
	{calls.ErrNoPlace, http.StatusConflict, "no_place", "No place is free"},
	{slip.ErrNotTaken, http.StatusConflict, "not_taken", "Nobody has taken it yet"},
	{call.ErrMuted, http.StatusConflict, "muted", "Muted already"},
	{call.ErrUnmuted, http.StatusConflict, "not_muted", "Not muted"},
	{calls.ErrTelephoneRings, http.StatusConflict, "telephone_rings", "Your telephone rings"},
	{calls.ErrTelephoneBusy, http.StatusConflict, "telephone_busy", "Your telephone is in use"},
	{calls.ErrNoTelephone, http.StatusConflict, "no_telephone", "No telephone"},
	{calls.ErrNotVerified, http.StatusConflict, "not_verified", "Not confirmed"},
	{calls.ErrMayNotRecord, http.StatusConflict, "may_not_record", "May not be recorded"},
	{calls.ErrPersonHeard, http.StatusConflict, "person_heard", "Somebody is on the line"},
	{calls.ErrNotAgreed, http.StatusConflict, "may_not_record", "May not be recorded"},
	{calls.ErrNotRecorded, http.StatusConflict, "not_recorded", "Not recorded"},
	{calls.ErrRecorded, http.StatusConflict, "recorded", "Recorded already"},
	{calls.ErrNoSound, http.StatusGone, "no_sound", "The sound is not here"},
	{calls.ErrSettled, http.StatusConflict, "settled", "Settled already"},
	{outreach.ErrSent, http.StatusConflict, "sent", "Sent already"},
	{filing.ErrTooLate, http.StatusConflict, "too_late", "Too late to undo"},
	{book.ErrGoneForGood, http.StatusConflict, "gone_for_good", "Deleted for good"},
	{firm.ErrLimit, http.StatusConflict, "limit", "A limit is reached"},
	{privacy.ErrHeld, http.StatusConflict, "held", "On a legal hold"},
	{privacy.ErrInCall, http.StatusConflict, "in_call", "They are on the phone"},
	{filing.ErrNothingToUndo, http.StatusConflict, "not_filed", "Not filed"},
	{rounds.ErrRoundOver, http.StatusConflict, "round_over", "The round is over"},
	{rounds.ErrNobodyNow, http.StatusConflict, "nobody_now", "Nobody selected"},
	{rounds.ErrLetGo, http.StatusConflict, "let_go", "A colleague is at them"},
	{rounds.ErrUnfiled, http.StatusConflict, "unfiled", "Not said yet"},
	{calls.ErrTakenOn, http.StatusConflict, "taken_on", "Taken on already"},
}

// problemOf puts an error into the form of RFC 9457.
func problemOf(err error) contract.Problem {
	p := contract.Problem{Type: "about:blank", Status: http.StatusInternalServerError, Code: "internal",
		Title:  "Something went wrong here",
		Detail: "Something went wrong on our side. Nothing you wrote is lost; try again."}
	set := func(status int, code, title string) {
		p.Status, p.Code, p.Title, p.Detail = status, code, title, err.Error()
	}

	var field *firm.FieldError
	var missing *slip.MissingError
	var inCall *firm.InCallError
	var notes *firm.NotesConflictError
	var outside *callable.OutsideError
	switch {
	case errors.As(err, &outside):
		set(http.StatusConflict, "outside_hours", "Outside calling hours")
		return p
	case errors.As(err, &inCall):
		set(http.StatusConflict, "in_call", "In a call")
		p.CallID = &inCall.Call
		return p
	case errors.As(err, &notes):
		set(http.StatusConflict, "notes_changed", "Notes changed in another window")
		p.Notes = &notes.Current
		return p
	case errors.As(err, &missing):
		set(http.StatusUnprocessableEntity, "missing", "Something is missing")
		p.Field = &missing.Field
		return p
	case errors.As(err, &field) && !errors.Is(err, firm.ErrNotFound) && !errors.Is(err, firm.ErrGone) &&
		!store.Failed(err):
		set(http.StatusUnprocessableEntity, "invalid", "Not valid")
		p.Field = &field.Field
		return p
	}
	for _, k := range kinds {
		if errors.Is(err, k.err) {
			set(k.status, k.code, k.title)
			var no *firm.RefusedError
			if errors.As(err, &no) && no.MayOverride {
				p.MayOverride = &no.MayOverride
			}
			if field != nil {
				p.Field = &field.Field
			}
			return p
		}
	}
	if request := requestProblem(err); request != nil {
		return *request
	}
	if column, is := store.Refused(err); is {
		set(http.StatusUnprocessableEntity, "invalid", "Not valid")
		p.Detail = "this names something that is not there, or is no value that can be kept; nothing was changed"
		p.Field = &column
	}
	if store.Away(err) {
		p.Status, p.Code, p.Title, p.Detail = http.StatusServiceUnavailable, "database_away", "Not saved yet", firm.ErrAway.Error()
	}
	return p
}

// requestProblem explains what the contract's validation found.
func requestProblem(err error) *contract.Problem {
	var request *openapi3filter.RequestError
	if !errors.As(err, &request) {
		return nil
	}
	p := &contract.Problem{Type: "about:blank", Status: http.StatusUnprocessableEntity, Code: "invalid",
		Title: "Not valid", Detail: request.Reason}
	var tooLarge *http.MaxBytesError
	if errors.As(err, &tooLarge) {
		p.Status, p.Code, p.Title = http.StatusRequestEntityTooLarge, "too_large", "Too large"
		p.Detail = fmt.Sprintf("a request may have at most %d kB; nothing of it was saved", tooLarge.Limit>>10)
		return p
	}
	var schema *openapi3.SchemaError
	field := ""
	if errors.As(err, &schema) {
		field = strings.Join(schema.JSONPointer(), ".")
		p.Detail = schema.Reason
	}
	if request.Parameter != nil {
		field = request.Parameter.Name
		if schema == nil {
			p.Detail = request.Parameter.Name + ": " + orElse(reasonOf(request), "this is not a valid value")
		}
	} else if schema == nil {
		p.Status, p.Code, p.Title, field = http.StatusBadRequest, "malformed", "Malformed request", "body"
		p.Detail = "the request is not valid JSON: " + orElse(reasonOf(request), "it could not be read")
	}
	p.Field = &field
	return p
}

func reasonOf(e *openapi3filter.RequestError) string {
	if e.Err != nil {
		return e.Err.Error()
	}
	return e.Reason
}

func orElse(text, other string) string {
	if text == "" {
		return other
	}
	return text
}

// fail answers with the problem that err is. What is our own fault is logged with all its detail, and told with none.
func (s *Server) fail(c *gin.Context, err error) {
	if errors.Is(err, context.Canceled) && c.Request.Context().Err() != nil {
		c.Abort()
		return
	}
	p := problemOf(err)
	id := requestID(c)
	p.RequestID = &id
	if p.Status >= 500 {
		s.log.LogAttrs(c.Request.Context(), slog.LevelError, "request failed", slog.String("id", id),
			slog.String("path", loggedPath(c)),
			slog.Int("status", p.Status), slog.Any("error", err))
	}
	if p.Status == http.StatusServiceUnavailable {
		c.Header("Retry-After", "2")
	}
	c.Header("Content-Type", "application/problem+json")
	c.AbortWithStatusJSON(p.Status, p)
}
