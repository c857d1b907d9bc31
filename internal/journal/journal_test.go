package journal_test

import (
	"context"
	"encoding/json"
	"errors"
	"log/slog"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/journal"
)

var (
	errAway   = errors.New("away")
	errPoison = errors.New("this can never be saved")
)

// memory is a database in memory that can be switched off.
type memory struct {
	mu    sync.Mutex
	away  bool
	saved []string
	calls int
	well  bool // poison can be saved
}

func (m *memory) heal() {
	m.mu.Lock()
	defer m.mu.Unlock()
	m.well = true
}

func (m *memory) Save(_ context.Context, entries []journal.Entry) error {
	m.mu.Lock()
	defer m.mu.Unlock()
	m.calls++
	if m.away {
		return errAway
	}
	for _, e := range entries {
		if e.Value == "poison" && !m.well {
			return errPoison
		}
	}
	for _, e := range entries {
		m.saved = append(m.saved, e.Value.(string))
	}
	return nil
}

func (m *memory) Decode(_ string, data []byte) (any, error) {
	var s string
	err := json.Unmarshal(data, &s)
	return s, err
}

func (m *memory) Away(err error) bool { return errors.Is(err, errAway) }

func (m *memory) set(away bool) {
	m.mu.Lock()
	defer m.mu.Unlock()
	m.away = away
}

func (m *memory) all() string {
	m.mu.Lock()
	defer m.mu.Unlock()
	return strings.Join(m.saved, " ")
}

func open(t *testing.T, m *memory, path string) (*journal.Writer, chan bool) {
	t.Helper()
	states := make(chan bool, 10)
	w, err := journal.Open(path, m, func(away bool) { states <- away }, slog.New(slog.DiscardHandler))
	require.NoError(t, err)
	return w, states
}

func note(text string) journal.Entry { return journal.Entry{Kind: "note", Value: text} }

func TestEntriesAreSavedInOrder(t *testing.T) {
	m := &memory{}
	w, _ := open(t, m, filepath.Join(t.TempDir(), "journal"))
	defer w.Close()
	for _, s := range []string{"a", "b", "c"} {
		w.Add(note(s))
	}
	require.NoError(t, w.Flush(t.Context()))
	assert.Equal(t, "a b c", m.all())
}

func TestWhileTheDatabaseIsAwayEntriesAreKeptAndWrittenBackInOrder(t *testing.T) {
	m := &memory{}
	path := filepath.Join(t.TempDir(), "journal")
	w, states := open(t, m, path)
	defer w.Close()
	w.Add(note("before"))
	require.NoError(t, w.Flush(t.Context()))
	m.set(true)
	require.NoError(t, w.Keep(t.Context(), note("during")), "kept on disk is kept")
	assert.True(t, <-states)
	assert.True(t, w.Away())
	require.ErrorIs(t, w.Flush(t.Context()), journal.ErrAway)
	text, err := os.ReadFile(path)
	require.NoError(t, err)
	assert.Contains(t, string(text), "during")
	w.Add(note("still"))
	m.set(false)
	assert.False(t, <-states, "it returns by itself")
	w.Add(note("after"))
	require.NoError(t, w.Flush(t.Context()))
	assert.Equal(t, "before during still after", m.all())
	text, _ = os.ReadFile(path)
	assert.Empty(t, text)
}

func TestAnotherRunWritesBackWhatAKillLeft(t *testing.T) {
	path := filepath.Join(t.TempDir(), "journal")
	require.NoError(t, os.WriteFile(path, []byte(
		`{"kind":"note","value":"one"}`+"\n"+`{"kind":"note","value":"two"}`+"\n"+`{"kind":"note","val`), 0o600))
	m := &memory{}
	w, states := open(t, m, path)
	defer w.Close()
	assert.False(t, <-states)
	assert.Equal(t, "one two", m.all())
	torn, err := os.ReadFile(path + ".rejected")
	require.NoError(t, err)
	assert.Contains(t, string(torn), "torn")
}

func TestWhatCanNeverBeSavedIsPutAsideAndHoldsNothingUp(t *testing.T) {
	m := &memory{}
	path := filepath.Join(t.TempDir(), "journal")
	w, _ := open(t, m, path)
	defer w.Close()
	for _, s := range []string{"a", "poison", "b"} {
		w.Add(note(s))
	}
	require.NoError(t, w.Flush(t.Context()))
	assert.Equal(t, "a b", m.all())
	aside, err := os.ReadFile(path + ".rejected")
	require.NoError(t, err)
	assert.Contains(t, string(aside), "poison")
}

func TestCloseKeepsWhatIsLeft(t *testing.T) {
	m := &memory{away: true}
	path := filepath.Join(t.TempDir(), "journal")
	w, _ := open(t, m, path)
	w.Add(note("last"))
	w.Close()
	text, err := os.ReadFile(path)
	require.NoError(t, err)
	assert.Contains(t, string(text), "last")
}

func TestFlushGivesUpWithItsContext(t *testing.T) {
	blocked := make(chan struct{})
	w, err := journal.Open(filepath.Join(t.TempDir(), "journal"), slow{blocked}, func(bool) {},
		slog.New(slog.DiscardHandler))
	require.NoError(t, err)
	w.Add(note("a"))
	ctx, cancel := context.WithTimeout(t.Context(), time.Millisecond)
	defer cancel()
	require.ErrorIs(t, w.Flush(ctx), context.DeadlineExceeded)
	close(blocked)
	w.Close()
}

// slow saves nothing before its channel closes.
type slow struct{ until chan struct{} }

func (s slow) Save(context.Context, []journal.Entry) error { <-s.until; return nil }
func (slow) Decode(string, []byte) (any, error)            { return "", nil }
func (slow) Away(error) bool                               { return false }

// frozen is a database that takes what it is given and does not answer, until it is thawed.
type frozen struct {
	memory
	thawed chan struct{}
	cut    chan error // why each commit was given up
}

func (f *frozen) Save(ctx context.Context, entries []journal.Entry) error {
	select {
	case <-f.thawed:
		return f.memory.Save(ctx, entries)
	case <-ctx.Done():
		select {
		case f.cut <- ctx.Err():
		default:
		}
		return ctx.Err()
	}
}

func (f *frozen) Away(err error) bool { return errors.Is(err, context.DeadlineExceeded) }

func TestWhoTypesDoesNotWaitForADatabaseThatStandsStill(t *testing.T) {
	f := &frozen{thawed: make(chan struct{}), cut: make(chan error, 1)}
	path := filepath.Join(t.TempDir(), "journal")
	w, err := journal.Open(path, f, func(bool) {}, slog.New(slog.DiscardHandler))
	require.NoError(t, err)
	defer w.Close()
	require.NoError(t, w.Keep(t.Context(), note("one")))
	require.ErrorIs(t, <-f.cut, context.Canceled, "given up for who waits, and not by its deadline")
	assert.True(t, w.Away())
	require.NoError(t, w.Keep(t.Context(), note("two")))
	close(f.thawed)
	require.Eventually(t, func() bool { return !w.Away() }, time.Minute, time.Millisecond)
	assert.Equal(t, "one two", f.all())
	rejected, err := w.Rejected()
	require.NoError(t, err)
	assert.Empty(t, rejected, "no entry is at fault")
}
