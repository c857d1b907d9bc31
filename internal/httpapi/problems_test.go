package httpapi

import (
	"errors"
	"fmt"
	"net/http"
	"testing"

	"trundo/internal/desk/firm"

	"github.com/jackc/pgx/v5/pgconn"
	"github.com/stretchr/testify/assert"
)

func TestWhatTheDatabaseSaysIsNoFaultOfAField(t *testing.T) {
	for what, c := range map[string]struct {
		err    error
		status int
		code   string
	}{
		"a wish that cannot be": {&firm.FieldError{Field: "line_id",
			Err: errors.New("there is no such line")}, http.StatusUnprocessableEntity, "invalid"},
		"a connection that an administrator ended": {&firm.FieldError{Field: "line_id",
			Err: &pgconn.PgError{Code: "57P01"}}, http.StatusServiceUnavailable, "database_away"},
		"a disk that is full, while a list is read": {fmt.Errorf("reading: %w", &pgconn.PgError{Code: "53100"}),
			http.StatusServiceUnavailable, "database_away"},
		"what is not there": {&firm.FieldError{Field: "record", Err: firm.ErrNotFound},
			http.StatusNotFound, "not_found"},
	} {
		p := problemOf(c.err)
		assert.Equal(t, c.status, p.Status, what)
		assert.Equal(t, c.code, p.Code, what)
		if c.code == "database_away" {
			assert.Nil(t, p.Field, what)
			assert.NotContains(t, p.Detail, "SQLSTATE", what)
		}
	}
}
