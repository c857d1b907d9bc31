package journal

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"hash/crc32"
	"io"
	"os"
	"time"
)

// line is an entry in the file. On the disk stands before it, in hexadecimal, how long it is and its checksum (CRC-32C,
// RFC 3720 B.4), so that a line which was torn by a full disk or a kill is known as such: "0000002a 1b2c3d4e {...}\n".
type line struct {
	Kind  string          `json:"kind"`
	Value json.RawMessage `json:"value"`
}

const frame = len("00000000 00000000 ")

var castagnoli = crc32.MakeTable(crc32.Castagnoli)

var errTorn = errors.New("this line is not whole")

// frameLine gives an entry as a line of the file.
func frameLine(e Entry) ([]byte, error) {
	value, err := json.Marshal(e.Value)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", e.Kind, err)
	}
	text, err := json.Marshal(line{e.Kind, value})
	if err != nil {
		return nil, err
	}
	return fmt.Appendf(nil, "%08x %08x %s\n", len(text), crc32.Checksum(text, castagnoli), text), nil
}

// readLine reads a line of the file, with its end. One that begins with a brace is of an earlier version, without a
// checksum. Error: errTorn.
func readLine(text []byte) (kind string, value json.RawMessage, err error) {
	if !bytes.HasSuffix(text, []byte("\n")) {
		return "", nil, errTorn
	}
	text = text[:len(text)-1]
	if len(text) > 0 && text[0] != '{' {
		var long int
		var sum uint32
		if len(text) < frame {
			return "", nil, errTorn
		}
		if _, err := fmt.Sscanf(string(text[:frame]), "%08x %08x ", &long, &sum); err != nil {
			return "", nil, errTorn
		}
		if text = text[frame:]; len(text) != long || crc32.Checksum(text, castagnoli) != sum {
			return "", nil, errTorn
		}
	}
	var l line
	if err := json.Unmarshal(text, &l); err != nil {
		return "", nil, errTorn
	}
	return l.Kind, l.Value, nil
}

// appendLines writes entries behind the first size bytes of the file at path, and gives its new size. Whatever stands
// behind these, of a write that failed, is cut off before. After an error the file holds, up to size, what it held.
func appendLines(path string, size int64, entries []Entry) (int64, error) {
	var text []byte
	for _, e := range entries {
		l, err := frameLine(e)
		if err != nil {
			return size, err
		}
		text = append(text, l...)
	}
	f, err := os.OpenFile(path, os.O_CREATE|os.O_WRONLY, 0o600)
	if err != nil {
		return size, err
	}
	defer f.Close()
	if err := f.Truncate(size); err != nil {
		return size, err
	}
	if _, err := f.WriteAt(text, size); err != nil {
		_ = f.Truncate(size) // the next write does it again where this fails
		return size, err
	}
	return size + int64(len(text)), f.Sync()
}

// mend looks how far the file is whole, and puts a torn tail aside: it was never promised to anybody.
func (w *Writer) mend() error {
	text, err := os.ReadFile(w.path)
	if errors.Is(err, os.ErrNotExist) {
		return nil
	} else if err != nil {
		return err
	}
	whole := len(text)
	if i := bytes.LastIndexByte(text, '\n'); i < len(text)-1 {
		whole = i + 1
	}
	if whole > 0 {
		before := bytes.LastIndexByte(text[:whole-1], '\n') + 1
		if _, _, err := readLine(text[before:whole]); err != nil {
			whole = before
		}
	}
	if whole < len(text) {
		w.log.Warn("the journal ended in the middle of a line, which was cut off", "file", w.path, "bytes",
			len(text)-whole)
		if err := appendRejected(w.path, Entry{"torn", string(text[whole:])}, errTorn); err != nil {
			return err
		}
		if err := os.Truncate(w.path, int64(whole)); err != nil {
			return err
		}
	}
	w.size = int64(whole)
	return nil
}

// Rejected is an entry that could not be saved for its own fault, and was put aside.
type Rejected struct {
	At    time.Time       `json:"at"`
	Why   string          `json:"why"`
	Kind  string          `json:"kind"`
	Value json.RawMessage `json:"value"`
}

func rejectedFile(path string) string { return path + ".rejected" }

func takenFile(path string) string { return rejectedFile(path) + ".taken" }

func appendRejected(path string, e Entry, why error) error {
	value, err := json.Marshal(e.Value)
	if err != nil {
		return err
	}
	text, err := json.Marshal(Rejected{time.Now(), why.Error(), e.Kind, value})
	if err != nil {
		return err
	}
	f, err := os.OpenFile(rejectedFile(path), os.O_CREATE|os.O_WRONLY|os.O_APPEND, 0o600)
	if err != nil {
		return err
	}
	defer f.Close()
	if _, err := f.Write(append(text, '\n')); err != nil {
		return err
	}
	return f.Sync()
}

// readRejected reads what was put aside; a line that cannot be read is left out.
func readRejected(path string) ([]Rejected, error) {
	f, err := os.Open(rejectedFile(path))
	if errors.Is(err, os.ErrNotExist) {
		return nil, nil
	} else if err != nil {
		return nil, err
	}
	defer f.Close()
	text, err := io.ReadAll(f)
	if err != nil {
		return nil, err
	}
	var set []Rejected
	for l := range bytes.Lines(text) {
		var r Rejected
		if json.Unmarshal(l, &r) == nil {
			set = append(set, r)
		}
	}
	return set, nil
}

// Rejected are the entries that were put aside, the oldest first.
func (w *Writer) Rejected() ([]Rejected, error) { return readRejected(w.path) }

// RejectedCount is how many entries were put aside.
func (w *Writer) RejectedCount() int {
	w.mu.Lock()
	defer w.mu.Unlock()
	return w.rejected
}

// Forget takes those entries out of what was put aside, and gives how many they were: a person who is erased is nowhere.
func (w *Writer) Forget(is func(line []byte) bool) (int, error) {
	w.aside.Lock()
	defer w.aside.Unlock()
	gone := 0
	for _, name := range []string{rejectedFile(w.path), takenFile(w.path)} {
		text, err := os.ReadFile(name)
		if errors.Is(err, os.ErrNotExist) {
			continue
		} else if err != nil {
			return gone, err
		}
		var kept []byte
		n := 0
		for l := range bytes.Lines(text) {
			if is(l) {
				n++
			} else {
				kept = append(kept, l...)
			}
		}
		if n == 0 {
			continue
		}
		if err := replace(name, kept); err != nil {
			return gone, err
		}
		gone += n
		if name == rejectedFile(w.path) {
			w.mu.Lock()
			w.rejected = max(0, w.rejected-n)
			w.mu.Unlock()
		}
	}
	return gone, nil
}

// replace writes a file anew, all of it or nothing.
func replace(name string, text []byte) error {
	f, err := os.OpenFile(name+".new", os.O_CREATE|os.O_TRUNC|os.O_WRONLY, 0o600)
	if err != nil {
		return err
	}
	_, err = f.Write(text)
	if err = errors.Join(err, f.Sync(), f.Close()); err != nil {
		return err
	}
	return os.Rename(name+".new", name)
}

// TakeUp tries once more to save everything that was put aside, and gives how many entries that are; those that fail
// again are put aside again.
func (w *Writer) TakeUp() (int, error) {
	w.aside.Lock()
	set, err := readRejected(w.path)
	if err == nil && len(set) > 0 {
		err = os.Rename(rejectedFile(w.path), takenFile(w.path))
	}
	w.aside.Unlock()
	if err != nil || len(set) == 0 {
		return 0, err
	}
	w.mu.Lock()
	w.rejected = 0
	w.mu.Unlock()
	n := 0
	for _, r := range set {
		value, err := w.sink.Decode(r.Kind, r.Value)
		if err != nil {
			w.reject(Entry{r.Kind, r.Value}, err)
			continue
		}
		w.Add(Entry{r.Kind, value})
		n++
	}
	return n, nil
}
