package formats

import (
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"regexp"
	"strings"
)

// maxLines is how many lines a row may go over. A quote that opens and never closes would else swallow the file.
const maxLines = 200

var (
	errLongRow = fmt.Errorf("this row is longer than %d kB", MaxRow>>10)
	errQuote   = errors.New("a quotation mark is out of place, or does not close")
)

type csvSource struct {
	counter  *counter
	lines    *lines
	encoding string
	comma    rune
	columns  []string
	rows     int64
}

// OpenCSV begins to read a CSV file: its characters and what parts its cells are found out, its first row are the
// headings.
func OpenCSV(r io.Reader) (Source, error) {
	c := &counter{r: r}
	text, encoding, err := decoded(c)
	if err != nil {
		return nil, err
	}
	s := &csvSource{counter: c, lines: &lines{r: text}, encoding: encoding}
	for {
		first, err := s.lines.next()
		if errors.Is(err, io.EOF) {
			return nil, ErrEmpty
		} else if err != nil {
			return nil, err
		}
		if strings.TrimSpace(first.text) == "" {
			continue
		}
		s.comma = separator(first.text)
		s.lines.back([]line{first})
		break
	}
	cells, _, problem, err := s.row()
	switch {
	case err != nil:
		return nil, err
	case problem != nil:
		return nil, fmt.Errorf("the headings in the first row cannot be read: %w", problem)
	case len(cells) > MaxColumns:
		return nil, fmt.Errorf("this file has %d columns; at most %d are read", len(cells), MaxColumns)
	}
	seen := map[string]int{}
	for i, c := range cells {
		c = strings.TrimSpace(c)
		if c == "" {
			c = fmt.Sprintf("Column %d", i+1)
		}
		if seen[strings.ToLower(c)]++; seen[strings.ToLower(c)] > 1 {
			c = fmt.Sprintf("%s (%d)", c, seen[strings.ToLower(c)])
		}
		s.columns = append(s.columns, c)
	}
	return s, nil
}

// separator is what parts the cells of a row of headings: the one of , ; tab and | that stands most often outside
// quotes.
func separator(heading string) rune {
	counts, quoted := map[rune]int{}, false
	for _, r := range heading {
		if r == '"' {
			quoted = !quoted
		} else if !quoted {
			counts[r]++
		}
	}
	best := ','
	for _, r := range []rune{';', '\t', '|'} {
		if counts[r] > counts[best] {
			best = r
		}
	}
	return best
}

func (s *csvSource) Columns() []string { return s.columns }
func (s *csvSource) Read() int64       { return s.counter.n }
func (s *csvSource) Encoding() string  { return s.encoding }

func (s *csvSource) Next() (Row, error) {
	for {
		cells, at, problem, err := s.row()
		if err != nil {
			return Row{}, err
		}
		if problem == nil && len(cells) == 1 && strings.TrimSpace(cells[0]) == "" {
			continue // an empty line
		}
		s.rows++
		row := Row{No: s.rows, Line: at, Problem: problem}
		if problem == nil && len(cells) > len(s.columns) {
			for _, c := range cells[len(s.columns):] {
				if strings.TrimSpace(c) != "" {
					row.Problem = fmt.Errorf("this row has %d cells, the headings are %d", len(cells), len(s.columns))
				}
			}
		}
		row.Cells = make([]string, len(s.columns))
		copy(row.Cells, cells)
		for i, c := range row.Cells {
			row.Cells[i] = unescaped(c)
		}
		return row, nil
	}
}

// row reads one row, which may go over several lines. A row that cannot be read is its first line alone: what comes
// after a quotation mark that never closes is read again.
func (s *csvSource) row() (cells []string, at int64, problem, err error) {
	var taken []line
	var b strings.Builder
	quotes := 0
	for {
		l, err := s.lines.next()
		if errors.Is(err, io.EOF) && len(taken) > 0 {
			problem = errQuote
			break
		} else if err != nil {
			return nil, 0, nil, err
		}
		if l.tooLong {
			if len(taken) == 0 {
				return []string{l.text}, l.no, errLongRow, nil
			}
			s.lines.back([]line{l})
			problem = errQuote
			break
		}
		taken = append(taken, l)
		b.WriteString(l.text)
		quotes += strings.Count(l.text, `"`)
		if quotes%2 == 0 {
			break
		}
		if len(taken) >= maxLines || b.Len() > MaxRow {
			problem = errQuote
			break
		}
	}
	if problem == nil {
		if cells, problem = s.parse(b.String()); problem == nil {
			return cells, taken[0].no, nil, nil
		}
	}
	s.lines.back(taken[1:])
	// What the row most likely means, for whoever mends it.
	r := csv.NewReader(strings.NewReader(taken[0].text))
	r.Comma, r.FieldsPerRecord, r.LazyQuotes = s.comma, -1, true
	if cells, err = r.Read(); err != nil {
		cells = []string{taken[0].text}
	}
	cells[len(cells)-1] = strings.TrimRight(cells[len(cells)-1], "\r\n")
	return cells, taken[0].no, problem, nil
}

func (s *csvSource) parse(text string) ([]string, error) {
	if !strings.Contains(text, `"`) {
		return strings.Split(strings.TrimRight(text, "\r\n"), string(s.comma)), nil
	}
	r := csv.NewReader(strings.NewReader(text))
	r.Comma, r.FieldsPerRecord = s.comma, -1
	cells, err := r.Read()
	switch {
	case err == nil:
		return cells, nil
	case errors.Is(err, io.EOF):
		return []string{""}, nil
	}
	return nil, errQuote
}

// dangerous tells whether a spreadsheet would take a cell for a formula.
func dangerous(cell string) bool {
	return cell != "" && strings.ContainsRune("=+-@\t\r", rune(cell[0]))
}

// behindSemicolon is what a spreadsheet that parts cells at semicolons would take for a formula, within a cell of ours;
// escapedBehind is what is made of it.
var (
	behindSemicolon = regexp.MustCompile(`;([ ]*)([=+\-@\t\r])`)
	escapedBehind   = regexp.MustCompile(`;([ ]*)'([=+\-@\t\r])`)
)

// escaped makes a cell plain text for a spreadsheet too; unescaped takes that back.
func escaped(cell string) string {
	if strings.Contains(cell, ";") {
		cell = behindSemicolon.ReplaceAllString(cell, ";$1'$2")
	}
	if dangerous(cell) {
		return "'" + cell
	}
	return cell
}

func unescaped(cell string) string {
	cell = escapedBehind.ReplaceAllString(cell, ";$1$2")
	if rest, quoted := strings.CutPrefix(cell, "'"); quoted && dangerous(rest) {
		return rest
	}
	return cell
}

// CSVWriter writes CSV that spreadsheets read: UTF-8 with a mark, cells that look like formulas escaped.
type CSVWriter struct{ w *csv.Writer }

// NewCSVWriter begins a file with its headings.
func NewCSVWriter(w io.Writer, columns []string) (*CSVWriter, error) {
	if _, err := io.WriteString(w, "\ufeff"); err != nil {
		return nil, err
	}
	c := &CSVWriter{csv.NewWriter(w)}
	c.w.UseCRLF = true
	return c, c.Write(columns)
}

// Write writes a row.
func (c *CSVWriter) Write(cells []string) error {
	safe := make([]string, len(cells))
	for i, cell := range cells {
		safe[i] = escaped(cell)
	}
	return c.w.Write(safe)
}

// Flush writes what is still held.
func (c *CSVWriter) Flush() error {
	c.w.Flush()
	return c.w.Error()
}
