package main

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestGeneratedCodeFitsWhatItWasMadeFrom(t *testing.T) {
	root := filepath.Join("..", "..")
	want, err := os.ReadFile(filepath.Join(root, File))
	require.NoError(t, err)
	got, err := Sum(root)
	require.NoError(t, err)
	assert.Equal(t, string(want), got,
		"the contract, the queries or the generated code have changed: run `make generate`")
}
