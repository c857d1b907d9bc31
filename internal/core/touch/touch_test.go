package touch_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"

	"trundo/internal/core/touch"
)

func TestWhatACallIsWorth(t *testing.T) {
	t.Parallel()
	for what, x := range map[string]struct {
		call    touch.Call
		talked  bool
		returns touch.Return
	}{
		"we called, they answered": {touch.Call{Answered: true}, true, touch.ByTalking},
		"and it was who we wanted": {touch.Call{Answered: true, Outcome: touch.Reached}, true,
			touch.ByTalking},
		"a mailbox answered, nothing was left": {touch.Call{Answered: true, Outcome: touch.NotReached}, false,
			touch.Try},
		"a mailbox answered, a message was left": {touch.Call{Answered: true, Left: true,
			Outcome: touch.NotReached}, false, touch.Voicemail},
		"a prepared message was left by itself": {touch.Call{Answered: true, Machine: true, Left: true}, false,
			touch.Voicemail},
		"a prepared message found no beep":           {touch.Call{Answered: true, Machine: true}, false, touch.Try},
		"we called, nobody answered":                 {touch.Call{}, false, touch.Try},
		"nobody answered, whatever the outcome says": {touch.Call{Outcome: touch.Reached}, false, touch.Try},
		"they called, a rep answered": {touch.Call{Inbound: true, Answered: true}, true,
			touch.ByTalking},
		"they called the wrong firm": {touch.Call{Inbound: true, Answered: true,
			Outcome: touch.NotReached}, true, touch.ByTalking},
		"they called, nobody answered": {touch.Call{Inbound: true}, false, touch.None},
		"colleague to colleague": {touch.Call{Internal: true, Answered: true,
			Outcome: touch.Reached}, false, touch.None},
		"they called and left a message with us":       {touch.Call{Inbound: true, Left: true}, false, touch.None},
		"we were answered and left our own message on": {touch.Call{Answered: true, Left: true}, true, touch.ByTalking},
	} {
		assert.Equal(t, x.talked, x.call.Conversation(), what)
		assert.Equal(t, x.returns, x.call.Returns(), what)
	}
	assert.Equal(t, touch.ByMessage, touch.Message{ByHand: true}.Returns())
	assert.Equal(t, touch.None, touch.Message{}.Returns())
	assert.False(t, touch.Try.Settles())
	assert.True(t, touch.Voicemail.Settles())
}

func ExampleCall() {
	mailbox := touch.Call{Answered: true, Outcome: touch.NotReached}
	fmt.Println(mailbox.Conversation(), mailbox.Returns())
	// Output: false try
}
