package media

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"sync"
	"time"

	"trundo/internal/core/audio"
	"trundo/internal/formats"
)

// Speech makes spoken words out of text with espeak-ng, a process of its own, and keeps them.
type Speech struct {
	dir string
	one sync.Mutex // renders one text at a time: each keeps a core busy
}

const (
	speechLimit = 20 * time.Second
	// mostText is the longest text that is spoken, bytes.
	mostText = 4000
	// speechRate is how fast is spoken, words a minute.
	speechRate = "165"
)

// ErrNoSpeech says that espeak-ng is not installed.
var ErrNoSpeech = errors.New("espeak-ng is not installed: texts cannot be spoken")

// voiceName is what espeak-ng calls its voices.
var voiceName = regexp.MustCompile(`^[a-z]{2,3}(-[a-z0-9-]+)?(\+[a-z]+[0-9]*)?$`)

// NewSpeech keeps what it makes in a folder, which it makes where there is none.
func NewSpeech(dir string) (*Speech, error) {
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return nil, fmt.Errorf("the folder for voices: %w", err)
	}
	return &Speech{dir: dir}, nil
}

// Speak gives a text as µ-law sound in a voice of espeak-ng, such as "en-us+f2". Errors: ErrNoSpeech; of a voice that
// there is not.
func (s *Speech) Speak(ctx context.Context, voice, text string) ([]byte, error) {
	if text = strings.TrimSpace(text); text == "" {
		return nil, nil
	}
	if !voiceName.MatchString(voice) {
		return nil, fmt.Errorf("%q is not the name of a voice", voice)
	}
	text = text[:min(len(text), mostText)]
	sum := sha256.Sum256([]byte(voice + "\x00" + speechRate + "\x00" + text))
	path := filepath.Join(s.dir, hex.EncodeToString(sum[:16])+".ul")
	if kept, err := os.ReadFile(path); err == nil {
		return kept, nil
	}
	s.one.Lock()
	defer s.one.Unlock()
	if kept, err := os.ReadFile(path); err == nil {
		return kept, nil
	}
	samples, err := render(ctx, voice, text)
	if err != nil {
		return nil, err
	}
	codes := make([]byte, len(samples))
	audio.EncodeFrame(codes, samples)
	// Under another name first: nobody reads half of it.
	if err := os.WriteFile(path+".new", codes, 0o600); err != nil {
		return nil, fmt.Errorf("keeping what is spoken: %w", err)
	}
	if err := os.Rename(path+".new", path); err != nil {
		return nil, fmt.Errorf("keeping what is spoken: %w", err)
	}
	return codes, nil
}

func render(ctx context.Context, voice, text string) ([]int16, error) {
	ctx, stop := context.WithTimeout(ctx, speechLimit)
	defer stop()
	cmd := exec.CommandContext(ctx, "espeak-ng", "-v", voice, "-s", speechRate, "--stdin", "--stdout")
	cmd.Stdin = strings.NewReader(text)
	var complaint bytes.Buffer
	cmd.Stderr = &complaint
	out, err := cmd.Output()
	switch {
	case errors.Is(err, exec.ErrNotFound):
		return nil, ErrNoSpeech
	case err != nil:
		return nil, fmt.Errorf("speaking a text: %w: %s", err, strings.TrimSpace(complaint.String()))
	}
	samples, err := formats.ReadWAV(bytes.NewReader(out), time.Hour)
	if err != nil {
		return nil, fmt.Errorf("speaking a text: %w", err)
	}
	return samples, nil
}
