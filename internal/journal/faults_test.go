package journal_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/journal"
)

func TestATornLineIsCutOffBeforeTheNext(t *testing.T) {
	path := filepath.Join(t.TempDir(), "journal")
	m := &memory{away: true}
	w, _ := open(t, m, path)
	require.NoError(t, w.Keep(t.Context(), note("whole")))
	w.Close()
	f, err := os.OpenFile(path, os.O_APPEND|os.O_WRONLY, 0o600)
	require.NoError(t, err)
	_, err = f.WriteString(`00000030 12345678 {"kind":"note","va`)
	require.NoError(t, err)
	require.NoError(t, f.Close())

	w, _ = open(t, m, path)
	require.NoError(t, w.Keep(t.Context(), note("next")), "acknowledged")
	w.Close()
	m.set(false)
	w, _ = open(t, m, path)
	require.NoError(t, flushed(t, w))
	w.Close()
	assert.Equal(t, "whole next", m.all())
}

// flushed waits until the writer has written its file back and all is saved.
func flushed(t *testing.T, w *journal.Writer) error {
	t.Helper()
	require.Eventually(t, func() bool { return !w.Away() }, 10*time.Second, time.Millisecond)
	return w.Flush(t.Context())
}

func TestALineWithAWrongChecksumIsPutAsideAlone(t *testing.T) {
	path := filepath.Join(t.TempDir(), "journal")
	m := &memory{away: true}
	w, _ := open(t, m, path)
	for _, s := range []string{"one", "two", "three"} {
		require.NoError(t, w.Keep(t.Context(), note(s)))
	}
	w.Close()
	text, err := os.ReadFile(path)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(path, []byte(strings.Replace(string(text), "two", "twx", 1)), 0o600))
	m.set(false)
	w, _ = open(t, m, path)
	require.NoError(t, flushed(t, w))
	assert.Equal(t, "one three", m.all())
	aside, err := w.Rejected()
	require.NoError(t, err)
	require.Len(t, aside, 1)
	assert.Equal(t, "torn", aside[0].Kind)
	w.Close()
}

func TestWhatTheDiskDoesNotTakeIsHeldAndSaid(t *testing.T) {
	if os.Getuid() == 0 {
		t.Log("as root a folder without rights is written all the same: a file in its place stands for a full disk")
	}
	folder := t.TempDir()
	path := filepath.Join(folder, "journal")
	m := &memory{}
	w, states := open(t, m, path)
	require.NoError(t, os.Mkdir(path, 0o700)) // nothing can be written there
	m.set(true)
	require.ErrorIs(t, w.Keep(t.Context(), note("a")), journal.ErrCannotKeep, "said at once")
	w.Add(note("b"))
	require.ErrorIs(t, w.Trouble(), journal.ErrCannotKeep)
	assert.True(t, w.Away())
	flaps := len(states)
	assert.LessOrEqual(t, flaps, 2, "it does not go away and come back")
	// There is room again: what was held goes to the disk, in order, and a kill loses nothing of it.
	require.NoError(t, os.Remove(path))
	require.NoError(t, w.Keep(t.Context(), note("c")))
	require.NoError(t, w.Trouble())
	copied, err := os.ReadFile(path)
	require.NoError(t, err)
	for _, s := range []string{"a", "b", "c"} {
		assert.Contains(t, string(copied), `"`+s+`"`)
	}
	m.set(false)
	require.NoError(t, flushed(t, w))
	w.Close()
	assert.Equal(t, "a b c", m.all())
}

func TestWhatIsHeldIsSavedWhereTheDatabaseReturnsFirst(t *testing.T) {
	path := filepath.Join(t.TempDir(), "journal")
	m := &memory{}
	w, _ := open(t, m, path)
	require.NoError(t, os.Mkdir(path, 0o700))
	m.set(true)
	require.ErrorIs(t, w.Keep(t.Context(), note("a")), journal.ErrCannotKeep)
	m.set(false)
	require.NoError(t, os.Remove(path))
	require.NoError(t, flushed(t, w))
	w.Close()
	assert.Equal(t, "a", m.all())
}

func TestWhatWasPutAsideCanBeTakenUpAgain(t *testing.T) {
	path := filepath.Join(t.TempDir(), "journal")
	m := &memory{}
	w, _ := open(t, m, path)
	w.Add(note("a"))
	w.Add(note("poison"))
	w.Add(note("b"))
	require.NoError(t, w.Flush(t.Context()))
	assert.Equal(t, "a b", m.all(), "the others do not suffer for it")
	assert.Equal(t, 1, w.RejectedCount())
	aside, err := w.Rejected()
	require.NoError(t, err)
	assert.Equal(t, "this can never be saved", aside[0].Why)
	m.heal()
	n, err := w.TakeUp()
	require.NoError(t, err)
	assert.Equal(t, 1, n)
	require.NoError(t, w.Flush(t.Context()))
	assert.Equal(t, "a b poison", m.all())
	assert.Zero(t, w.RejectedCount())
	w.Close()
}

func FuzzJournalFile(f *testing.F) {
	f.Add([]byte("0000002a 1b2c3d4e {\"kind\":\"note\",\"value\":\"x\"}\n"))
	f.Add([]byte("{\"kind\":\"note\",\"value\":\"x\"}\n{\"ki"))
	f.Add([]byte("\n\n 00 "))
	f.Fuzz(func(t *testing.T, text []byte) {
		path := filepath.Join(t.TempDir(), "journal")
		require.NoError(t, os.WriteFile(path, text, 0o600))
		m := &memory{}
		w, _ := open(t, m, path)
		require.NoError(t, flushed(t, w))
		w.Add(note("after"))
		require.NoError(t, w.Flush(t.Context()))
		w.Close()
		assert.True(t, strings.HasSuffix(m.all(), "after"), "whatever stood there, what comes next is saved")
	})
}
