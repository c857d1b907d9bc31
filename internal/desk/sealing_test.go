package desk

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestSecretsLieSealedInTheDatabase(t *testing.T) {
	d := &Desk{Config: &Config{SecretKey: make([]byte, 32)}}
	kept, err := d.seal("whsec_x")
	require.NoError(t, err)
	assert.NotContains(t, kept, "whsec_x")
	again, err := d.seal("whsec_x")
	require.NoError(t, err)
	assert.NotEqual(t, kept, again)
	secret, err := d.unseal(kept)
	require.NoError(t, err)
	assert.Equal(t, "whsec_x", secret)
	plain, err := d.unseal("whsec_old")
	require.NoError(t, err)
	assert.Equal(t, "whsec_old", plain)
	other := &Desk{Config: &Config{SecretKey: append(make([]byte, 31), 1)}}
	_, err = other.unseal(kept)
	require.ErrorIs(t, err, errUnsealed)
	_, err = d.unseal("sealed:AAAA")
	require.ErrorIs(t, err, errUnsealed)
}
