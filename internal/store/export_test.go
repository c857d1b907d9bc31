package store

import (
	"context"

	"github.com/google/uuid"
)

// CallIDsByText lists calls in each of the ways in which a text is looked for, for tests: of whom it finds, and gathered.
func (s *Store) CallIDsByText(ctx context.Context, q CallListQuery) (each, gathered []uuid.UUID, err error) {
	of, err := s.found(ctx, q)
	if err != nil {
		return nil, nil, err
	}
	if each, err = s.callIDsOf(ctx, q, of); err != nil {
		return nil, nil, err
	}
	gathered, err = s.callIDs(ctx, q, "")
	return each, gathered, err
}
