package firm

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestSecretsLieSealedInTheDatabase(t *testing.T) {
	d := &Firm{Config: &Config{SecretKey: make([]byte, 32)}}
	kept, err := d.Seal("whsec_x")
	require.NoError(t, err)
	assert.NotContains(t, kept, "whsec_x")
	again, err := d.Seal("whsec_x")
	require.NoError(t, err)
	assert.NotEqual(t, kept, again)
	secret, err := d.Unseal(kept)
	require.NoError(t, err)
	assert.Equal(t, "whsec_x", secret)
	plain, err := d.Unseal("whsec_old")
	require.NoError(t, err)
	assert.Equal(t, "whsec_old", plain)
	other := &Firm{Config: &Config{SecretKey: append(make([]byte, 31), 1)}}
	_, err = other.Unseal(kept)
	require.ErrorIs(t, err, ErrUnsealed)
	_, err = d.Unseal("sealed:AAAA")
	require.ErrorIs(t, err, ErrUnsealed)
}
