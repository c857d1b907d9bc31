package staff

import (
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
)

func TestRowsOfAPastedList(t *testing.T) {
	for text, want := range map[string][]string{ // name|mail|extension|reason of each
		"Wren Tamaro":                             {"Wren Tamaro|||"},
		"Wren Tamaro, wren@x.example, 41":         {"Wren Tamaro|wren@x.example|41|"},
		"Wren Tamaro;41;wren@x.example":           {"Wren Tamaro|wren@x.example|41|"},
		"Wren Tamaro\twren@x.example\t":           {"Wren Tamaro|wren@x.example||"},
		"\ufeffName,Mail,Ext\r\nWren,w@x.example": {"Wren|w@x.example||"},
		"\n\n  Wren \n\nOrla\n":                   {"Wren|||", "Orla|||"},
		`"Tamaro, Wren",41`:                       {"Tamaro, Wren||41|"},
		"wren@x.example":                          {"|wren@x.example||there is no name in it"},
		"Wren, Sales":                             {"Wren|||“Sales” is neither a mail address nor an extension"},
		"":                                        nil,
		"Name":                                    nil,
		"Nameless Jo":                             {"Nameless Jo|||"},
	} {
		var got []string
		for _, r := range rows(text) {
			got = append(got, strings.Join([]string{r.edit.Name, r.edit.Mail, r.edit.Extension, r.reason}, "|"))
		}
		assert.Equal(t, want, got, text)
	}
	assert.Equal(t, 3, rows("\n\nWren")[0].line, "lines are counted as they were typed")
}

func TestLoginsAreProposed(t *testing.T) {
	taken := map[string]bool{"wren": true, "orla": true, "orla.f": true, "ada": true, "ada.x": true}
	for name, want := range map[string]string{
		"Maren Thackeray": "maren", "Wren Tamaro": "wren.t", "Orla Fenwright": "orla.fe", "Ada X": "ada.x2",
		"Łucja O'Brien": "łucja", "Wren": "wren2", "(Jo)": "jo", "???": "colleague",
	} {
		assert.Equal(t, want, loginOf(name, taken), name)
	}
}

func FuzzRows(f *testing.F) {
	for _, s := range []string{"Wren, w@x.example, 41", "\"", "a;b\tc,d", "\x00", "名前\t1"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, text string) {
		for _, r := range rows(text) {
			assert.True(t, r.edit.Name != "" || r.reason != "")
			if strings.TrimSpace(r.edit.Name) != "" && utf8.ValidString(text) {
				login := loginOf(r.edit.Name, map[string]bool{})
				assert.NotEmpty(t, login)
				assert.Equal(t, login, strings.Join(strings.Fields(login), ""))
			}
		}
	})
}
