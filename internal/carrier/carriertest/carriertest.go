// Package carriertest is what every carrier owes, as one suite of tests. It must not know any of them.
package carriertest

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/carrier"
)

// Numbers are where the suite's people live: each implementation arranges for them.
const (
	Answers      = "+14135550101"
	Busy         = "+14135550102"
	Declines     = "+14135550103"
	NoAnswer     = "+14135550104"
	OutOfService = "+14135550105"
	HangsUp      = "+14135550106" // after answering
	RingsOn      = "+14135550107"
)

// Outside is what a test needs of the other side of the network.
type Outside interface {
	// CallIn makes somebody call a number of ours.
	CallIn(from, to string) (ref string, err error)
	// OutsideHangsUp makes them hang up.
	OutsideHangsUp(ref string) bool
	// OutsidePresses makes them press keys.
	OutsidePresses(ref, digits string) bool
}

// Run runs the suite. open gives a fresh carrier, its other side, and a function that lets its time pass.
func Run(t *testing.T, open func(t *testing.T) (c carrier.Carrier, o Outside, pass func())) {
	var outside Outside
	start := func(t *testing.T) (carrier.Carrier, *listener) {
		c, o, pass := open(t)
		outside = o
		l := &listener{events: make(chan carrier.Event, 100), pass: pass}
		c.Handle(func(e carrier.Event) { l.events <- e })
		t.Cleanup(c.Close)
		return c, l
	}
	for _, tt := range []struct {
		to   string
		want []string
	}{
		{Answers, []string{"ringing", "answered"}},
		{Busy, []string{"ended busy"}},
		{Declines, []string{"ringing", "ended declined"}},
		{NoAnswer, []string{"ringing", "ended no_answer"}},
		{OutOfService, []string{"ended out_of_service"}},
		{HangsUp, []string{"ringing", "answered", "ended hung_up"}},
		{RingsOn, []string{"ringing"}},
	} {
		t.Run(tt.to, func(t *testing.T) {
			c, l := start(t)
			require.NoError(t, c.Dial(carrier.Dialing{Ref: "a", To: tt.to}))
			assert.Equal(t, tt.want, l.next(t, len(tt.want)))
		})
	}
	t.Run("hanging up ends a leg once", func(t *testing.T) {
		c, l := start(t)
		require.NoError(t, c.Dial(carrier.Dialing{Ref: "a", To: Answers}))
		l.next(t, 2)
		c.HangUp("a")
		assert.Equal(t, []string{"ended hung_up"}, l.next(t, 1))
		c.HangUp("a")
		c.HangUp("never dialed")
		require.NoError(t, c.Dial(carrier.Dialing{Ref: "b", To: Busy}))
		assert.Equal(t, []string{"ended busy"}, l.next(t, 1), "nothing came in between")
	})
	t.Run("a reference is used once", func(t *testing.T) {
		c, l := start(t)
		require.NoError(t, c.Dial(carrier.Dialing{Ref: "a", To: Busy}))
		l.next(t, 1)
		require.ErrorIs(t, c.Dial(carrier.Dialing{Ref: "a", To: Answers}), carrier.ErrRefUsed)
	})
	t.Run("two legs do not disturb each other", func(t *testing.T) {
		c, l := start(t)
		require.NoError(t, c.Dial(carrier.Dialing{Ref: "a", To: RingsOn}))
		l.next(t, 1)
		require.NoError(t, c.Dial(carrier.Dialing{Ref: "b", To: Answers}))
		assert.Equal(t, []string{"ringing", "answered"}, l.next(t, 2))
		c.HangUp("a")
		assert.Equal(t, []string{"ended hung_up"}, l.next(t, 1))
	})
	t.Run("emergency numbers are refused with a reason", func(t *testing.T) {
		c, _ := start(t)
		require.ErrorIs(t, c.Dial(carrier.Dialing{Ref: "a", To: "911"}), carrier.ErrEmergency)
	})
	t.Run("a call comes in, is answered, and they hang up", func(t *testing.T) {
		c, l := start(t)
		ref, err := outside.CallIn("+14135550109", "+14135550100")
		require.NoError(t, err)
		assert.Equal(t, []string{"incoming from +14135550109 to +14135550100"}, l.next(t, 1))
		c.Answer(carrier.Ref(ref))
		assert.Equal(t, []string{"answered"}, l.next(t, 1))
		c.Answer(carrier.Ref(ref))
		require.True(t, outside.OutsideHangsUp(ref))
		assert.Equal(t, []string{"ended hung_up"}, l.next(t, 1), "answering twice says nothing twice")
		c.Answer(carrier.Ref(ref))
		assert.False(t, outside.OutsideHangsUp(ref))
	})
	t.Run("keys are heard on both sides, once it is answered", func(t *testing.T) {
		c, l := start(t)
		ref, err := outside.CallIn("+14135550109", "+14135550100")
		require.NoError(t, err)
		l.next(t, 1)
		assert.False(t, outside.OutsidePresses(ref, "1"), "it still rings")
		c.Answer(carrier.Ref(ref))
		l.next(t, 1)
		require.True(t, outside.OutsidePresses(ref, "42#"))
		assert.Equal(t, []string{"digits 42#"}, l.next(t, 1))
		c.SendDigits(carrier.Ref(ref), "9*")
		c.SendDigits("never dialed", "1")
		assert.False(t, outside.OutsidePresses("never there", "1"))
	})
	t.Run("a call comes in and is refused, another is given up", func(t *testing.T) {
		c, l := start(t)
		ref, err := outside.CallIn("", "+14135550100")
		require.NoError(t, err)
		assert.Equal(t, []string{"incoming from  to +14135550100"}, l.next(t, 1), "withheld")
		c.HangUp(carrier.Ref(ref))
		assert.Equal(t, []string{"ended hung_up"}, l.next(t, 1))
		ref, err = outside.CallIn("<b>;DROP TABLE</b>", "+14135550100")
		require.NoError(t, err)
		l.next(t, 1)
		require.True(t, outside.OutsideHangsUp(ref))
		assert.Equal(t, []string{"ended hung_up"}, l.next(t, 1))
	})
	t.Run("closed", func(t *testing.T) {
		c, _ := start(t)
		c.Close()
		require.ErrorIs(t, c.Dial(carrier.Dialing{Ref: "a", To: Answers}), carrier.ErrClosed)
	})
}

type listener struct {
	events chan carrier.Event
	pass   func()
}

// next waits for n events, letting time pass.
func (l *listener) next(t *testing.T, n int) []string {
	t.Helper()
	var got []string
	deadline := time.After(10 * time.Second)
	for len(got) < n {
		select {
		case e := <-l.events:
			text := string(e.Kind)
			if e.Kind == carrier.Incoming {
				text = fmt.Sprintf("%s from %s to %s", e.Kind, e.From, e.To)
			}
			if e.Digits != "" {
				text = fmt.Sprintf("%s %s", e.Kind, e.Digits)
			}
			if e.Reason != "" {
				text = fmt.Sprintf("%s %s", e.Kind, e.Reason)
			}
			got = append(got, text)
		case <-deadline:
			t.Fatalf("waited for %d events, got %v", n, got)
		case <-time.After(time.Millisecond):
			l.pass()
		}
	}
	return got
}
