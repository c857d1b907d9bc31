package optional

import (
	"time"

	"github.com/google/uuid"
)

func Same(x, y *uuid.UUID) bool { return x == y || x != nil && y != nil && *x == *y }

// Value is what a pointer points to, or nothing.
func Value[T any](p *T) T {
	if p == nil {
		var zero T
		return zero
	}
	return *p
}

func ID(id *uuid.UUID) string {
	if id == nil {
		return ""
	}
	return id.String()
}

// TimeOf is a time that may be missing; then zero.
func TimeOf(t *time.Time) time.Time {
	if t == nil {
		return time.Time{}
	}
	return *t
}

// Time is nil for a zero time.
func Time(t time.Time) *time.Time {
	if t.IsZero() {
		return nil
	}
	return &t
}
