package formats_test

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"

	"trundo/internal/formats"
)

// read reads a whole file: its columns, and each row with its line, or its problem.
func read(t *testing.T, format, text string) (columns []string, rows []string, encoding string) {
	t.Helper()
	s, err := formats.Open(format, strings.NewReader(text))
	require.NoError(t, err)
	for {
		r, err := s.Next()
		if errors.Is(err, io.EOF) {
			assert.Equal(t, int64(len(text)), s.Read(), "all of it is used up")
			return s.Columns(), rows, s.Encoding()
		}
		require.NoError(t, err)
		require.Len(t, r.Cells, len(s.Columns()))
		line := fmt.Sprintf("%d@%d %s", r.No, r.Line, strings.Join(r.Cells, "|"))
		if r.Problem != nil {
			line += " !" + r.Problem.Error()
		}
		rows = append(rows, line)
	}
}

const misplaced = " !a quotation mark is out of place, or does not close"

func TestCSV(t *testing.T) {
	tests := map[string]struct {
		text string
		rows []string
	}{
		"plain":            {"a,b\n1,2\n3,4\n", []string{"1@2 1|2", "2@3 3|4"}},
		"no end of line":   {"a,b\n1,2", []string{"1@2 1|2"}},
		"carriage returns": {"a,b\r\n1,2\r\n", []string{"1@2 1|2"}},
		"quotes, commas, lines": {"a,b\n\"x, y\",\"two\nlines\"\n3,4\n",
			[]string{"1@2 x, y|two\nlines", "2@4 3|4"}},
		"doubled quotes": {"a,b\n\"say \"\"hi\"\"\",2\n", []string{`1@2 say "hi"|2`}},
		"semicolons":     {"a;b\n1,5;2\n", []string{"1@2 1,5|2"}},
		"tabs":           {"a\tb\n1\t2\n", []string{"1@2 1|2"}},
		"short and long rows": {"a,b\n1\n1,2,\n1,2,3\n",
			[]string{"1@2 1|", "2@3 1|2", "3@4 1|2 !this row has 3 cells, the headings are 2"}},
		"empty lines": {"\n\na,b\n\n1,2\n\n", []string{"1@5 1|2"}},
		"a bare quote": {"a,b\n5\" pipe\",2\n3,4\n",
			[]string{`1@2 5" pipe"|2` + misplaced, "2@3 3|4"}},
		"a quote that never closes": {"a,b\n\"1,2\n3,4\n5,6\n",
			[]string{"1@2 1,2|" + misplaced, "2@3 3|4", "3@4 5|6"}},
		"formulas that we have escaped": {"a,b\n'=1+1,'tis\n", []string{"1@2 =1+1|'tis"}},
	}
	for name, tt := range tests {
		t.Run(name, func(t *testing.T) {
			columns, rows, _ := read(t, "csv", tt.text)
			assert.Equal(t, []string{"a", "b"}, columns)
			assert.Equal(t, tt.rows, rows)
		})
	}
	columns, _, _ := read(t, "csv", "Mail,,mail\n1,2,3\n")
	assert.Equal(t, []string{"Mail", "Column 2", "mail (2)"}, columns, "every column has a name of its own")
	_, rows, _ := read(t, "csv", "a,b\n"+strings.Repeat("x", 2<<20)+"\n1,2\n")
	assert.Contains(t, rows[0], "longer than 1024 kB")
	assert.Equal(t, "2@3 1|2", rows[1])
	for text, want := range map[string]string{"": "empty", "\n\n": "empty", strings.Repeat("a,", 10_000) +
		"\n": "10001 columns", "\"a,b\n": "headings"} {
		_, err := formats.Open("csv", strings.NewReader(text))
		require.ErrorContains(t, err, want)
	}
	_, err := formats.Open("xls", strings.NewReader("x"))
	require.Error(t, err)
}

func TestCharacters(t *testing.T) {
	text := "Name,Ort\nSöhnke Ågren,Zürich\n"
	latin, err := charmap.ISO8859_1.NewEncoder().String(text)
	require.NoError(t, err)
	utf16 := func(e unicode.Endianness, mark unicode.BOMPolicy) string {
		s, err := unicode.UTF16(e, mark).NewEncoder().String(text)
		require.NoError(t, err)
		return s
	}
	for name, tt := range map[string]struct{ text, encoding string }{
		"UTF-8": {text, "UTF-8"}, "with a mark": {"\ufeff" + text, "UTF-8 with a mark"}, "Latin-1": {latin, "Latin-1"},
		"UTF-16 with a mark":                          {utf16(unicode.LittleEndian, unicode.UseBOM), "UTF-16"},
		"UTF-16, big end first":                       {utf16(unicode.BigEndian, unicode.UseBOM), "UTF-16"},
		"UTF-16 without a mark":                       {utf16(unicode.LittleEndian, unicode.IgnoreBOM), "UTF-16"},
		"a character parted by the end of the buffer": {strings.Repeat("a", 64<<10-1) + "é,b\n1,2\n", "UTF-8"},
	} {
		t.Run(name, func(t *testing.T) {
			_, rows, encoding := read(t, "csv", tt.text)
			assert.Equal(t, tt.encoding, encoding)
			if !strings.Contains(name, "buffer") {
				assert.Equal(t, []string{"1@2 Söhnke Ågren|Zürich"}, rows)
			}
		})
	}
}

func FuzzCSV(f *testing.F) {
	for _, s := range []string{"a,b\n1,2\n", "a\n\"", "\xff\xfea\x00", "a;b\n\"x\ny\";2", "\ufeffa,b\r\n'=1,2"} {
		f.Add([]byte(s))
	}
	f.Fuzz(func(t *testing.T, text []byte) {
		s, err := formats.OpenCSV(bytes.NewReader(text))
		if err != nil {
			return
		}
		for n := int64(1); ; n++ {
			r, err := s.Next()
			if err != nil {
				require.ErrorIs(t, err, io.EOF)
				return
			}
			require.Equal(t, n, r.No)
			require.Len(t, r.Cells, len(s.Columns()))
			require.Less(t, n, int64(len(text)+2), "it ends")
		}
	})
}

func TestCSVComesBackAsItWentOut(t *testing.T) {
	rows := [][]string{{"=1+1", "a,b"}, {"+44 7700 900123", "two\nlines"}, {"-5", `say "hi"`}, {"@x", "'quoted'"},
		{"é", "\ttab"}}
	var b bytes.Buffer
	w, err := formats.NewCSVWriter(&b, []string{"one", "two"})
	require.NoError(t, err)
	for _, r := range rows {
		require.NoError(t, w.Write(r))
	}
	require.NoError(t, w.Flush())
	for _, line := range strings.Split(b.String(), "\r\n")[1:] {
		assert.False(t, strings.HasPrefix(line, "=") || strings.HasPrefix(line, "+") || strings.HasPrefix(line, "@"),
			line)
	}
	s, err := formats.OpenCSV(&b)
	require.NoError(t, err)
	for _, want := range rows {
		r, err := s.Next()
		require.NoError(t, err)
		assert.Equal(t, want, r.Cells)
	}
}

// The cards of RFC 2426, section 7, and of RFC 6350, section 8, with their people and firms made up.
const (
	card3 = "BEGIN:vCard\r\nVERSION:3.0\r\nFN:Frans Dunmere\r\nORG:Old Quarry " +
		"Stables\r\nADR;TYPE=WORK,POSTAL,PARCEL:;;6544 Weir Street\r\n ;Greenfield;MA;01301;U.S.A.\r\n" +
		"TEL;TYPE=VOICE,MSG,WORK:+1-413-555-0101\r\nTEL;TYPE=FAX,WORK:+1-413-555-0102\r\nEMAIL;TYPE=INTERNET,PREF:frans@quarry.example\r\nEMAIL;TYPE=INTERNET:old@quarry.example\r\nURL:http://quarry.example/~frans\r\nEND:vCard\r\n"
	card4 = "BEGIN:VCARD\r\nVERSION:4.0\r\nFN:Simone Perrin\r\nN:Perrin;Simone;;;ing. " +
		"jr,M.Sc.\r\nBDAY:--0203\r\nANNIVERSARY:20090808T1430-0500\r\nGENDER:F\r\nLANG;PREF=1:fr\r\n" +
		"ORG;TYPE=work:Sedge End Market Garden\r\nADR;TYPE=work:;Suite D2-630;2875 Mill Lane;Leeds;;LS1 " +
		"1AA;UK\r\nTEL;VALUE=uri;TYPE=\"work,voice\";PREF=1:tel:+44-7700-900456;ext=102\r\n" +
		"item1.TEL;VALUE=uri;TYPE=\"work,cell,voice,video,text\":tel:+44-7700-900457\r\nEMAIL;TYPE=work:simone@sedge.example\r\nNOTE:Speaks first in French\\nthen in English\\, slowly\\; kindly.\r\n" +
		"CATEGORIES:growers,spring " +
		"show\r\nX-UNKNOWN-THING;X=1:what\r\nKEY;TYPE=work;VALUE=uri:http://sedge.example/simone.asc\r\nURL;TYPE=home:http://sedge.example\r\nEND:VCARD\r\n"
)

func TestVCards(t *testing.T) {
	columns, rows, _ := read(t, "vcard", card3+card4)
	cells := func(row string) map[string]string {
		_, text, _ := strings.Cut(row, " ")
		m := map[string]string{}
		for i, c := range strings.Split(text, "|") {
			if c != "" {
				m[columns[i]] = c
			}
		}
		return m
	}
	require.Len(t, rows, 2)
	assert.Equal(t, map[string]string{"Full name": "Frans Dunmere", "Company": "Old Quarry Stables",
		"Address": "6544 Weir Street", "Place": "01301 Greenfield MA", "Mail": "frans@quarry.example",
		"Number: office": "+1-413-555-0101", "Number: fax": "+1-413-555-0102", "Web": "http://quarry.example/~frans"},
		cells(rows[0]))
	assert.Equal(t, map[string]string{"Full name": "Simone Perrin", "Given name": "Simone", "Family name": "Perrin",
		"Company": "Sedge End Market Garden", "Address": "2875 Mill Lane", "Place": "LS1 1AA Leeds",
		"Number: office": "+44-7700-900456;ext=102", "Number: mobile": "+44-7700-900457",
		"Mail": "simone@sedge.example", "Note": "Speaks first in French\nthen in English, slowly; kindly.",
		"Tags": "growers,spring show", "Web": "http://sedge.example"}, cells(rows[1]))
	_, rows, _ = read(t, "vcard", "what\r\n"+card3+"BEGIN:VCARD\r\nFN:x\r\n"+card4+"BEGIN:VCARD\r\n")
	require.Len(t, rows, 5)
	assert.Contains(t, rows[0], "!there is text outside of a card")
	assert.Contains(t, rows[2], "!this card does not end")
	assert.Contains(t, rows[3], "Simone")
	assert.Contains(t, rows[4], "!this card does not end")
}

func TestACardComesBackAsItWentOut(t *testing.T) {
	c := formats.Card{UID: "1", Name: "Berit Osterlund", Given: "Berit", Family: "Osterlund",
		Company: "Vesper Hollow Nursery", Job: "Head grower", Mail: "b@vesper.example",
		Note: strings.Repeat("Söhnke, wants; the overflow\n", 8), Tags: []string{"large", "spring"},
		Address: "1 Weir Street", Place: "Greenfield",
		Numbers: []formats.CardNumber{{"mobile", "+14135550142", "", "x"}, {"office", "+14135550119", "12", "x"},
			{"pump house", "", "", "ask at the gate"}}}
	for _, version := range []int{3, 4} {
		var b bytes.Buffer
		require.NoError(t, formats.WriteCard(&b, c, version))
		for _, line := range strings.Split(b.String(), "\r\n") {
			assert.LessOrEqual(t, len(line), 75)
		}
		s, err := formats.OpenVCards(bytes.NewReader(b.Bytes()))
		require.NoError(t, err)
		r, err := s.Next()
		require.NoError(t, err)
		require.NoError(t, r.Problem)
		assert.Equal(t, []string{c.Name, c.Given, c.Family, c.Company, c.Job, c.Mail}, r.Cells[:6])
		assert.Equal(t, strings.TrimSpace(c.Note), r.Cells[10])
		assert.Equal(t, "large,spring", r.Cells[11])
		assert.Equal(t, []string{"+14135550142", "+14135550119;ext=12\nask at the gate"}, r.Cells[12:14])
	}
}

func FuzzVCards(f *testing.F) {
	f.Add([]byte(card3))
	f.Add([]byte(card4))
	f.Add([]byte("BEGIN:VCARD\n PHOTO:\nEND:VCARD"))
	f.Fuzz(func(t *testing.T, text []byte) {
		s, err := formats.OpenVCards(bytes.NewReader(text))
		if err != nil {
			return
		}
		for n := 0; ; n++ {
			if _, err := s.Next(); err != nil {
				require.ErrorIs(t, err, io.EOF)
				return
			}
			require.Less(t, n, len(text)+2, "it ends")
		}
	})
}

func TestJSONLines(t *testing.T) {
	columns, rows, _ := read(t, "jsonl", `{"family":"Bracken","age":40,"vip":true,"tags":["a","b"]}`+"\n\n"+
		`{"kind":"lead","values":{"family":"Larkmoor"},"numbers":[{"label":"mobile","typed":"1"},{"label":"mobile","typed":"2"}]}`+"\nnothing\n")
	assert.Equal(t, []string{"Number: mobile", "age", "family", "kind", "tags", "vip"}, columns)
	assert.Equal(t, []string{"1@1 |40|Bracken||a, b|yes", "2@3 1\n2||Larkmoor|lead||"}, rows[:2])
	assert.Contains(t, rows[2], "3@4 nothing")
	assert.Contains(t, rows[2], "!this line is no JSON object")
	late := strings.Repeat(`{"a":"1"}`+"\n", 1000) + `{"a":"1","b":"2"}` + "\n"
	_, rows, _ = read(t, "jsonl", late)
	assert.Contains(t, rows[1000], "“b” is in none of the first lines", "nothing is passed over in silence")
	_, err := formats.Open("jsonl", strings.NewReader("[]\n"))
	require.Error(t, err)
}

func FuzzJSONLines(f *testing.F) {
	f.Add([]byte(`{"a":1}`))
	f.Add([]byte(`{"values":{"a":null},"numbers":[1,{"label":[]}]}`))
	f.Fuzz(func(t *testing.T, text []byte) {
		s, err := formats.OpenJSONLines(bytes.NewReader(text))
		if err != nil {
			return
		}
		for {
			r, err := s.Next()
			if err != nil {
				require.ErrorIs(t, err, io.EOF)
				return
			}
			require.Len(t, r.Cells, len(s.Columns()))
		}
	})
}

func TestCalendar(t *testing.T) {
	var b bytes.Buffer
	at := time.Date(2026, 3, 5, 10, 0, 0, 0, time.FixedZone("", -5*3600))
	require.NoError(t, formats.WriteCalendar(&b, "Lindenfall: Ines", []formats.Event{
		{UID: "1", Summary: "Roof, yard; tank", Place: "Greenfield", Start: at, End: at.Add(time.Hour), Version: 3},
		{UID: "2", Summary: strings.Repeat("long ", 30), Start: at, Free: true},
		{UID: "3", Summary: "Day", Start: at, AllDay: true, Cancelled: true}}, at))
	text := b.String()
	for _, line := range strings.Split(strings.TrimSuffix(text, "\r\n"), "\r\n") {
		assert.LessOrEqual(t, len(line), 75, "folded as RFC 5545, 3.1 says")
	}
	for _, want := range []string{"BEGIN:VCALENDAR\r\n", "VERSION:2.0\r\n", "DTSTART:20260305T150000Z\r\n",
		"DTEND:20260305T160000Z\r\n", "DTEND:20260305T151500Z\r\n", `SUMMARY:Roof\, yard\; tank`,
		"SEQUENCE:3\r\n", "TRANSP:TRANSPARENT\r\n", "DTSTART;VALUE=DATE:20260305\r\n", "DTEND;VALUE=DATE:20260306\r\n",
		"STATUS:CANCELLED\r\n", "END:VCALENDAR\r\n"} {
		assert.Contains(t, text, want)
	}
}
