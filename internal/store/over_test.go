package store_test

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/core/fields"
	"trundo/internal/store/pgtest"
)

func TestTheDatabaseKnowsWhatIsOverAsCoreDoes(t *testing.T) {
	s := pgtest.New(t)
	stages := []string{"", "enquiry", "new", "open", "planned", "draft", "sent", "working"}
	for _, closed := range fields.Closed {
		stages = append(stages, closed...)
	}
	for _, kind := range fields.Kinds {
		for _, stage := range stages {
			var over bool
			require.NoError(t, s.Pool.QueryRow(t.Context(), `SELECT is_over($1, $2)`, string(kind), stage).Scan(&over))
			assert.Equal(t, slices.Contains(fields.Closed[kind], stage), over, "%s %s", kind, stage)
		}
	}
}
