package formats

import (
	"bufio"
	"bytes"
	"errors"
	"io"
	"strings"
	"unicode/utf8"

	"golang.org/x/text/encoding"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"
	"golang.org/x/text/transform"
)

// sniffed is how much of a file is looked at to find out its characters.
const sniffed = 64 << 10

// decoded finds out a file's characters and gives its text as UTF-8, without a byte order mark. What is not UTF-8 and
// has no mark is taken for UTF-16 where every other byte is zero, and else for Windows-1252, which holds Latin-1.
func decoded(r io.Reader) (*bufio.Reader, string, error) {
	b := bufio.NewReaderSize(r, sniffed)
	head, err := b.Peek(sniffed)
	if err != nil && !errors.Is(err, io.EOF) && !errors.Is(err, bufio.ErrBufferFull) {
		return nil, "", err
	}
	if len(head) == 0 {
		return nil, "", ErrEmpty
	}
	through := func(e encoding.Encoding, name string) (*bufio.Reader, string, error) {
		return bufio.NewReaderSize(transform.NewReader(b, e.NewDecoder()), sniffed), name, nil
	}
	even, odd := zeros(head)
	switch {
	case bytes.HasPrefix(head, []byte{0xEF, 0xBB, 0xBF}):
		_, err := b.Discard(3)
		return b, "UTF-8 with a mark", err
	case bytes.HasPrefix(head, []byte{0xFF, 0xFE}), odd > len(head)/5 && even == 0:
		return through(unicode.UTF16(unicode.LittleEndian, unicode.UseBOM), "UTF-16")
	case bytes.HasPrefix(head, []byte{0xFE, 0xFF}), even > len(head)/5 && odd == 0:
		return through(unicode.UTF16(unicode.BigEndian, unicode.UseBOM), "UTF-16")
	case utf8.Valid(whole(head)):
		return b, "UTF-8", nil
	}
	return through(charmap.Windows1252, "Latin-1")
}

// zeros counts the zero bytes at even and odd places.
func zeros(b []byte) (even, odd int) {
	for i, c := range b {
		if c == 0 && i%2 == 0 {
			even++
		} else if c == 0 {
			odd++
		}
	}
	return even, odd
}

// whole cuts a character that the end of the buffer has parted.
func whole(b []byte) []byte {
	for i := 1; i < utf8.UTFMax && i <= len(b); i++ {
		if utf8.RuneStart(b[len(b)-i]) {
			if !utf8.FullRune(b[len(b)-i:]) {
				return b[:len(b)-i]
			}
			break
		}
	}
	return b
}

// lines reads a text line by line, with no line longer than MaxRow kept.
type lines struct {
	r       *bufio.Reader
	no      int64
	pending []line // given back, to be read again
}

type line struct {
	no       int64
	text     string // with its end of line
	tooLong  bool
	finished bool // the text ended without an end of line
}

// next reads a line; io.EOF after the last.
func (l *lines) next() (line, error) {
	if len(l.pending) > 0 {
		first := l.pending[0]
		l.pending = l.pending[1:]
		return first, nil
	}
	var b strings.Builder
	out := line{no: l.no + 1}
	for {
		part, err := l.r.ReadSlice('\n')
		if b.Len()+len(part) > MaxRow {
			out.tooLong = true
		} else {
			b.Write(part)
		}
		switch {
		case err == nil:
			l.no++
			out.text = b.String()
			return out, nil
		case errors.Is(err, bufio.ErrBufferFull):
			continue
		case errors.Is(err, io.EOF) && (b.Len() > 0 || out.tooLong):
			l.no++
			out.text, out.finished = b.String(), true
			return out, nil
		}
		return line{}, err
	}
}

// back gives lines back, so that they are read again.
func (l *lines) back(list []line) { l.pending = append(append([]line{}, list...), l.pending...) }
