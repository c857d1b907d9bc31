package queue_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"trundo/internal/core/queue"
)

func TestWriting(t *testing.T) {
	text := func(line, body string) queue.Message {
		return queue.Message{Line: line, Address: "+14135550142", Text: body}
	}
	mail := func(from, body string) queue.Message { return queue.Message{Address: from, Text: body} }
	tests := []struct {
		name string
		rule queue.Writing
		m    queue.Message
		want bool
	}{
		{"nothing is taken by itself", queue.Writing{}, text("a", "Hello"), false},
		{"a text to its line", queue.Writing{Lines: []string{"a", "b"}}, text("b", "Hello"), true},
		{"a text to another line", queue.Writing{Lines: []string{"a"}}, text("b", "Hello"), false},
		{
			"a mail, where only texts are taken",
			queue.Writing{Lines: []string{"a"}},
			mail("berit@vesper.example", "Hello"),
			false,
		},
		{"a mail", queue.Writing{Mails: true}, mail("berit@vesper.example", "Hello"), true},
		{
			"with one of its words",
			queue.Writing{Mails: true, Words: []string{"invoice", "Pump"}},
			mail("b@v.example", "The PUMP leaks"),
			true,
		},
		{
			"without",
			queue.Writing{Mails: true, Words: []string{"invoice", " "}},
			mail("b@v.example", "The pump leaks"),
			false,
		},
		{
			"from a firm",
			queue.Writing{Mails: true, Senders: []string{"@Vesper.example"}},
			mail("berit@vesper.example", "Hello"),
			true,
		},
		{
			"from elsewhere",
			queue.Writing{Mails: true, Senders: []string{"@vesper.example"}},
			mail("b@other.example", "Hello"),
			false,
		},
	}
	for _, tt := range tests {
		assert.Equal(t, tt.want, tt.rule.Takes(tt.m), tt.name)
	}
	assert.Equal(
		t,
		[]int{1, 0, 2, 0},
		[]int{queue.Writing{}.Room(0), queue.Writing{}.Room(1), queue.Writing{AtOnce: 3}.Room(1),
			queue.Writing{AtOnce: 3}.Room(5)},
	)
}

func TestWishesCall(t *testing.T) {
	for text, want := range map[string]bool{
		"Call me": true, "  please CALL me back today ": true, "Can you give me a call?": true, "Rappelez-moi svp": true,
		"Please don't call me": false, "Do not call me again": false, "The pump leaks": false, "": false,
		"Please call me about the overflow on the north side, which has frozen again since Tuesday": false,
	} {
		assert.Equal(t, want, queue.WishesCall(text), text)
	}
}
