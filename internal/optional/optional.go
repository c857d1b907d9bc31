// Package optional is for values that may be absent: pointers of the contract and of the database.
//
// It must not know what they mean.
package optional

import (
	"time"

	"github.com/google/uuid"
)

// Same tells whether two ids are the same, or both missing.
func Same(x, y *uuid.UUID) bool { return x == y || x != nil && y != nil && *x == *y }

// Value is what a pointer points to, or nothing.
func Value[T any](p *T) T {
	if p == nil {
		var zero T
		return zero
	}
	return *p
}

// ID is an id as core has it; empty where it is missing.
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
