package httpapi

import (
	"errors"
	"net/http/httptest"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// shelf is a session store that counts, and can be broken.
type shelf struct {
	data   map[string][]byte
	broken bool
	finds  int
	during func() // happens once while something is being looked for, behind the reading
}

var errBroken = errors.New("broken")

func (s *shelf) Find(token string) ([]byte, bool, error) {
	s.finds++
	if s.broken {
		if during := s.during; during != nil {
			s.during = nil
			during()
		}
		return nil, false, errBroken
	}
	b, ok := s.data[token]
	if during := s.during; during != nil {
		s.during = nil
		during()
	}
	return b, ok, nil
}

func (s *shelf) Commit(token string, b []byte, _ time.Time) error {
	s.data[token] = b
	return nil
}

func (s *shelf) Delete(token string) error {
	delete(s.data, token)
	return nil
}

func TestSessionsAreRememberedWhileTheStoreIsAway(t *testing.T) {
	under := &shelf{data: map[string][]byte{}}
	r := &rememberingStore{store: under, seen: map[string]seenSession{}}
	require.NoError(t, r.Commit("a", []byte("ines"), time.Now()))
	for range 5 {
		data, found, err := r.Find("a")
		require.NoError(t, err)
		assert.True(t, found)
		assert.Equal(t, "ines", string(data))
	}
	assert.Equal(t, 1, under.finds, "asked once in a few seconds")
	under.broken = true
	age := func(d time.Duration) {
		s := r.seen["a"]
		s.at = time.Now().Add(-d)
		r.seen["a"] = s
	}
	age(time.Hour)
	_, found, err := r.Find("a")
	require.NoError(t, err, "who was signed in stays so")
	assert.True(t, found)
	age(13 * time.Hour)
	_, _, err = r.Find("a")
	require.ErrorIs(t, err, errBroken, "but not for ever")
	_, _, err = r.Find("never seen")
	require.ErrorIs(t, err, errBroken)
	under.broken = false
	require.NoError(t, r.Delete("a"))
	_, found, err = r.Find("a")
	require.NoError(t, err)
	assert.False(t, found, "signing out is at once")
}

func TestWhatEndsWhileItIsBeingReadIsNotRememberedAsItWas(t *testing.T) {
	for _, broken := range []bool{false, true} {
		under := &shelf{data: map[string][]byte{}}
		r := &rememberingStore{store: under, seen: map[string]seenSession{}}
		require.NoError(t, r.Commit("a", []byte("ines"), time.Now()))
		_, _, err := r.Find("a")
		require.NoError(t, err)
		s := r.seen["a"]
		s.at = time.Now().Add(-time.Minute) // it is asked for again
		r.seen["a"] = s
		under.broken = broken
		under.during = func() { require.NoError(t, r.Delete("a")) }
		_, _, _ = r.Find("a")
		under.broken = false
		_, found, err := r.Find("a")
		require.NoError(t, err)
		assert.False(t, found, "signed out meanwhile; the store answered: %t", !broken)
	}
}

func TestOriginFits(t *testing.T) {
	for origin, want := range map[string]bool{
		"http://trundo.example": true, "https://TRUNDO.example": true, "http://trundo.example:81": false, "http://elsewhere.example": false,
		"": false, "null": false, "trundo.example": false, "http://trundo.example.elsewhere.example": false,
		"://": false,
	} {
		r := httptest.NewRequest("POST", "http://trundo.example/api/calls", nil)
		r.Header.Set("Origin", origin)
		assert.Equal(t, want, originFits(r), "%q", origin)
	}
}
