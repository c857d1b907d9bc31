// Package formats reads and writes the open formats in which a book comes and goes: CSV (RFC 4180 and what is met in
// its name), vCard 3 and 4 (RFC 2426, 6350), iCalendar (RFC 5545) and JSON lines. Everything is read as a stream, in
// constant memory, and what is wrong is said with row and line.
//
// It must not know records, fields or the database: a row is texts under headings.
package formats

import (
	"errors"
	"fmt"
	"io"
)

// Limits of a file.
const (
	MaxColumns = 500
	MaxRow     = 1 << 20 // bytes of one row or card
)

// Errors of a file as a whole. They are shown to the user as they are.
var (
	ErrEmpty = errors.New("this file is empty")
)

// Row is one row of a file.
type Row struct {
	No    int64    // 1 for the first row of data
	Line  int64    // where it begins in the file, from 1
	Cells []string // as many as there are columns
	// Problem is why it could not be read; Cells then hold what there is of it. The rows after it are read all the
	// same.
	Problem error
}

// Source is a file that is being read.
type Source interface {
	// Columns are the headings, in their order.
	Columns() []string
	// Next gives the next row, and io.EOF after the last. Another error ends the reading.
	Next() (Row, error)
	// Read tells how many bytes of the file have been used up.
	Read() int64
	// Encoding names the characters of the file, as it was found out.
	Encoding() string
}

// Open begins to read a file of a format: "csv", "vcard" or "jsonl".
func Open(format string, r io.Reader) (Source, error) {
	switch format {
	case "csv":
		return OpenCSV(r)
	case "vcard":
		return OpenVCards(r)
	case "jsonl":
		return OpenJSONLines(r)
	}
	return nil, fmt.Errorf("files of the format %q are not read", format)
}

// counter counts what passes.
type counter struct {
	r io.Reader
	n int64
}

func (c *counter) Read(p []byte) (int, error) {
	n, err := c.r.Read(p)
	c.n += int64(n)
	return n, err
}
