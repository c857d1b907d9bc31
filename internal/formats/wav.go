package formats

import (
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"time"

	"trundo/internal/core/audio"
)

// Unfinished is the length of sound that is still being written.
const Unfinished = -1

const (
	wavPCM   = 1
	wavMuLaw = 7
	// wavHeader is how long a header of ours is: RIFF, fmt with its extension, fact, data.
	wavHeader = 58
	// MostWAV is the longest sound that is read, bytes.
	MostWAV = 64 << 20
)

// Errors of ReadWAV.
var (
	ErrNoWAV   = errors.New("this is not a WAV file")
	ErrWAVForm = errors.New("only 16-bit PCM and µ-law can be read, of 4 to 192 kHz, with one or two channels")
)

// WAVHeader is the beginning of a WAV file of µ-law at 8 kHz (RIFF of IBM and Microsoft, 1991; format 7), with so many
// bytes of sound. Of Unfinished sound the header says that it goes on to the end of the file, as players understand it.
func WAVHeader(channels, bytes int) []byte {
	size, frames := uint32(bytes), uint32(bytes/channels)
	whole := size + wavHeader - 8
	if bytes == Unfinished {
		size, frames, whole = 0xFFFFFFFF, 0, 0xFFFFFFFF
	}
	h := make([]byte, 0, wavHeader)
	le := binary.LittleEndian
	h = le.AppendUint32(append(h, "RIFF"...), whole)
	h = le.AppendUint32(append(h, "WAVEfmt "...), 18)
	h = le.AppendUint16(le.AppendUint16(h, wavMuLaw), uint16(channels))
	h = le.AppendUint32(le.AppendUint32(h, audio.Rate), uint32(audio.Rate*channels))
	h = le.AppendUint16(le.AppendUint16(le.AppendUint16(h, uint16(channels)), 8), 0)
	h = le.AppendUint32(le.AppendUint32(append(h, "fact"...), 4), frames)
	return le.AppendUint32(append(h, "data"...), size)
}

// ErrWAVLong is told of sound that is longer than whoever reads it wants; nothing of it is computed.
var ErrWAVLong = errors.New("this sound is too long")

// ReadWAV reads a WAV file into samples at 8 kHz, its channels mixed into one. A length in it that is wrong is cut to
// what is there. most is how long it may be. Errors: ErrNoWAV, ErrWAVForm, ErrWAVLong, those of r.
func ReadWAV(r io.Reader, most time.Duration) ([]int16, error) {
	b, err := io.ReadAll(io.LimitReader(r, MostWAV))
	if err != nil {
		return nil, fmt.Errorf("reading sound: %w", err)
	}
	if len(b) < 12 || string(b[:4]) != "RIFF" || string(b[8:12]) != "WAVE" {
		return nil, ErrNoWAV
	}
	le := binary.LittleEndian
	form, channels, rate, bits := 0, 0, 0, 0
	for b = b[12:]; len(b) >= 8; {
		name, size := string(b[:4]), min(int(le.Uint32(b[4:])), len(b)-8)
		body := b[8 : 8+size]
		switch name {
		case "fmt ":
			if size < 16 {
				return nil, ErrWAVForm
			}
			form, channels, rate, bits = int(le.Uint16(body)), int(le.Uint16(body[2:])), int(le.Uint32(body[4:])), int(le.Uint16(body[14:]))
		case "data":
			return samplesOf(body, form, channels, rate, bits, most)
		}
		b = b[8+size+min(size%2, len(b)-8-size):]
	}
	return nil, ErrNoWAV
}

func samplesOf(body []byte, form, channels, rate, bits int, most time.Duration) ([]int16, error) {
	if channels < 1 || channels > 2 || rate < 4000 || rate > 192000 ||
		!(form == wavPCM && bits == 16 || form == wavMuLaw && bits == 8) {
		return nil, ErrWAVForm
	}
	width := channels * bits / 8
	if time.Duration(len(body)/width)*time.Second/time.Duration(rate) > most {
		return nil, ErrWAVLong
	}
	samples := make([]int16, len(body)/width)
	for i := range samples {
		sum := 0
		for c := range channels {
			at := i*width + c*bits/8
			if form == wavMuLaw {
				sum += int(audio.Decode(body[at]))
			} else {
				sum += int(int16(binary.LittleEndian.Uint16(body[at:])))
			}
		}
		samples[i] = int16(sum / channels)
	}
	return audio.Resample(samples, rate), nil
}
