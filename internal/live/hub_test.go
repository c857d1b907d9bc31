package live_test

import (
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/contract"
	"trundo/internal/live"
)

var (
	ines, tomas = uuid.New(), uuid.New()
	lane        = contract.LiveEvent{Kind: contract.LiveEventKindLane}
)

func next(t *testing.T, s *live.Subscription) contract.LiveEvent {
	t.Helper()
	select {
	case e, ok := <-s.Events():
		require.True(t, ok, "cut off")
		return e.LiveEvent
	default:
		t.Fatal("no event")
		return contract.LiveEvent{}
	}
}

func TestEventsGoToThoseTheyAreFor(t *testing.T) {
	h := live.New(time.Now)
	a, b := h.Subscribe(ines, "", 0), h.Subscribe(tomas, "", 0)
	next(t, a)
	next(t, b)
	h.Publish(lane, ines)
	h.Publish(lane)
	assert.Equal(t, int64(1), next(t, a).N)
	assert.Equal(t, int64(2), next(t, a).N)
	assert.Equal(t, int64(2), next(t, b).N, "only what is for everybody")
}

func TestAWindowResumesWhereItWasCutOff(t *testing.T) {
	h := live.New(time.Now)
	first := h.Subscribe(ines, "", 0)
	hello := next(t, first)
	assert.True(t, *hello.Resync, "a window that comes without an epoch fetches all")
	h.Publish(lane, ines)
	seen := next(t, first).N
	first.Close()
	h.Publish(lane, ines)
	h.Publish(lane, tomas)
	h.Publish(lane, ines)
	second := h.Subscribe(ines, h.Epoch(), seen)
	assert.Nil(t, next(t, second).Resync)
	assert.Equal(t, int64(2), next(t, second).N)
	assert.Equal(t, int64(4), next(t, second).N)
	assert.Empty(t, second.Events())
}

func TestWhatIsNoLongerKnownIsFetchedAgain(t *testing.T) {
	now := time.Now()
	h := live.New(func() time.Time { return now })
	h.Publish(lane, ines)
	for name, sub := range map[string]*live.Subscription{
		"another epoch":            h.Subscribe(ines, "of yesterday", 1),
		"a number from the future": h.Subscribe(ines, h.Epoch(), 99),
		"a number below zero":      h.Subscribe(ines, h.Epoch(), -1),
	} {
		require.NotNil(t, next(t, sub).Resync, name)
	}
	now = now.Add(time.Hour)
	require.NotNil(t, next(t, h.Subscribe(ines, h.Epoch(), 0)).Resync, "too long ago")
	for range 9000 {
		h.Publish(lane, tomas)
	}
	require.NotNil(t, next(t, h.Subscribe(ines, h.Epoch(), 1)).Resync, "too many since")
}

func TestAWindowThatLagsIsCutOffAndHoldsNobodyUp(t *testing.T) {
	h := live.New(time.Now)
	slow := h.Subscribe(ines, "", 0)
	for range 300 {
		h.Publish(lane, ines)
	}
	count := 0
	for range slow.Events() {
		count++
	}
	assert.Equal(t, 256, count, "its stream was closed behind what it had room for")
	assert.Zero(t, h.Windows())
	slow.Close()
}
