package formats

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"sort"
	"strings"
)

// lookedAhead is how many lines are read to find out which columns there are.
const lookedAhead = 1000

type jsonSource struct {
	counter  *counter
	lines    *lines
	encoding string
	columns  []string
	place    map[string]int
	rows     int64
}

// OpenJSONLines begins to read a file with one JSON object a line. Its columns are the keys of the first objects; the
// objects of "values" count as their own, and "numbers" as lists of label and number, as this product writes them.
func OpenJSONLines(r io.Reader) (Source, error) {
	c := &counter{r: r}
	text, encoding, err := decoded(c)
	if err != nil {
		return nil, err
	}
	s := &jsonSource{counter: c, lines: &lines{r: text}, encoding: encoding, place: map[string]int{}}
	var ahead []line
	found := map[string]bool{}
	size := 0
	for len(ahead) < lookedAhead && size < MaxRow {
		l, err := s.lines.next()
		if errors.Is(err, io.EOF) {
			break
		} else if err != nil {
			return nil, err
		}
		size += len(l.text)
		ahead = append(ahead, l)
		if cells, err := flat(l.text); err == nil {
			for k := range cells {
				found[k] = true
			}
		}
	}
	s.lines.back(ahead)
	for k := range found {
		s.columns = append(s.columns, k)
	}
	sort.Strings(s.columns)
	if len(s.columns) == 0 {
		return nil, errors.New("there is no JSON object in the first lines of this file")
	}
	if len(s.columns) > MaxColumns {
		return nil, fmt.Errorf("this file has %d columns; at most %d are read", len(s.columns), MaxColumns)
	}
	for i, k := range s.columns {
		s.place[k] = i
	}
	return s, nil
}

func (s *jsonSource) Columns() []string { return s.columns }
func (s *jsonSource) Read() int64       { return s.counter.n }
func (s *jsonSource) Encoding() string  { return s.encoding }

func (s *jsonSource) Next() (Row, error) {
	for {
		l, err := s.lines.next()
		if err != nil {
			return Row{}, err
		}
		if strings.TrimSpace(l.text) == "" && !l.tooLong {
			continue
		}
		s.rows++
		row := Row{No: s.rows, Line: l.no, Cells: make([]string, len(s.columns))}
		if l.tooLong {
			row.Problem = errLongRow
			return row, nil
		}
		cells, err := flat(l.text)
		if err != nil {
			row.Cells[0], row.Problem = strings.TrimSpace(l.text), fmt.Errorf("this line is no JSON object: %w", err)
			return row, nil
		}
		for k, v := range cells {
			if i, known := s.place[k]; known {
				row.Cells[i] = v
			} else if row.Problem == nil && v != "" {
				row.Problem = fmt.Errorf("“%s” is in none of the first lines: put a line that has it further up", k)
			}
		}
		return row, nil
	}
}

// flat makes texts of an object's values.
func flat(text string) (map[string]string, error) {
	var object map[string]any
	dec := json.NewDecoder(strings.NewReader(text))
	dec.UseNumber()
	if err := dec.Decode(&object); err != nil {
		return nil, err
	}
	cells := map[string]string{}
	for k, v := range object {
		nested, isObject := v.(map[string]any)
		list, isList := v.([]any)
		switch {
		case k == "values" && isObject:
			for key, value := range nested {
				cells[key] = textOf(value)
			}
		case k == "numbers" && isList:
			for _, n := range list {
				number, _ := n.(map[string]any)
				heading := "Number: " + textOf(number["label"])
				cells[heading] = strings.TrimPrefix(cells[heading]+"\n"+textOf(number["typed"]), "\n")
			}
		default:
			cells[k] = textOf(v)
		}
	}
	return cells, nil
}

func textOf(v any) string {
	switch x := v.(type) {
	case nil:
		return ""
	case string:
		return x
	case json.Number:
		return x.String()
	case bool:
		return map[bool]string{true: "yes", false: "no"}[x]
	case []any:
		parts := make([]string, len(x))
		for i, p := range x {
			parts[i] = textOf(p)
		}
		return strings.Join(parts, ", ")
	}
	text, err := json.Marshal(v)
	if err != nil {
		return ""
	}
	return string(text)
}
