package password_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"trundo/internal/core/password"
)

func TestCheck(t *testing.T) {
	known := []string{"ines", "Ines Calloway", "ines.calloway@lindenfall.example", "Lindenfall Interiors"}
	for _, x := range []struct{ password, problem string }{
		{"", "at least 10"},
		{"ninechars", "at least 10"},
		{"öäüöäüöäü", "at least 10"}, // nine characters, though eighteen bytes
		{"qwertyuiop", "tried first"},
		{"QwertyUiop", "tried first"},
		{"password123", "tried first"},
		{"basketball99!", "tried first"}, // a word of the list with something behind it
		{"aaaaaaaaaaaa", "repeats itself"},
		{"abababababab", "repeats itself"},
		{"InesCalloway1", "made of your name"},
		{"calloway-2026", "made of your name"},
		{"lindenfall!!", "made of your name"},
		{"Lindenfall Interiors", "made of your name"},
		{"ines likes rain on roofs", ""}, // more than the name is in it
		{"four green kettles", ""},
		{"correct horse", ""},
		{"Ωμέγα άλφα βήτα", ""},
		{strings.Repeat("four green kettles ", 10), ""}, // 190 characters
		{strings.Repeat("four green kettles ", 11), "at most 200"},
	} {
		err := password.Check(x.password, known...)
		if x.problem == "" {
			assert.NoError(t, err, x.password)
		} else {
			assert.ErrorContains(t, err, x.problem, x.password)
		}
	}
	assert.NoError(t, password.Check("lindenfall12", "somebody", "else"), "what is known counts, nothing else")
	assert.NoError(t, password.Check("a1b2c3d4e5f6"))
}

func FuzzCheck(f *testing.F) {
	f.Add("InesCalloway1", "Ines Calloway")
	f.Add("\xff\xfe", "\x00")
	f.Fuzz(func(t *testing.T, p, known string) {
		if password.Check(p, known) == nil {
			assert.NoError(t, password.Check(p), "what is known only ever forbids")
		}
	})
}

func ExampleCheck() {
	fmt.Println(password.Check("password123"))
	fmt.Println(password.Check("four green kettles", "Ines Calloway"))
	// Output:
	// this password is one that is tried first everywhere; choose another
	// <nil>
}
