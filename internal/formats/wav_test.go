package formats_test

import (
	"bytes"
	"encoding/binary"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/core/audio"
	"trundo/internal/formats"
)

func TestAWAVOfOursIsReadBack(t *testing.T) {
	sound := []byte{audio.Encode(1000), audio.Encode(2000), audio.Encode(-400), audio.Encode(-400)}
	h := formats.WAVHeader(2, len(sound))
	require.Len(t, h, 58)
	assert.Equal(t, uint32(len(h)-8+4), binary.LittleEndian.Uint32(h[4:]), "RIFF's length is all that follows it")
	for _, header := range [][]byte{h, formats.WAVHeader(2, formats.Unfinished)} {
		got, err := formats.ReadWAV(bytes.NewReader(append(bytes.Clone(header), sound...)), time.Hour)
		require.NoError(t, err)
		assert.Equal(t, []int16{(988 + 1980) / 2, -396}, got, "both channels in one")
	}
}

func TestPCMIsRead(t *testing.T) {
	le := binary.LittleEndian
	b := le.AppendUint32([]byte("RIFF"), 0)
	b = append(b, "WAVELIST\x03\x00\x00\x00abc\x00fmt \x10\x00\x00\x00"...) // an odd chunk is padded
	b = le.AppendUint16(le.AppendUint16(b, 1), 1)
	b = le.AppendUint32(le.AppendUint32(b, 8000), 16000)
	b = le.AppendUint16(le.AppendUint16(b, 2), 16)
	b = append(b, "data\xff\xff\xff\x7f\x05\x00\xfb\xff\x01"...) // its length lies
	got, err := formats.ReadWAV(bytes.NewReader(b), time.Hour)
	require.NoError(t, err)
	assert.Equal(t, []int16{5, -5}, got)
}

func TestWhatIsNoSoundIsRefused(t *testing.T) {
	for name, tt := range map[string]struct {
		file string
		want error
	}{
		"nothing":      {"", formats.ErrNoWAV},
		"a text":       {"Dear all, please find attached", formats.ErrNoWAV},
		"no sound":     {"RIFF\x00\x00\x00\x00WAVE", formats.ErrNoWAV},
		"no form":      {"RIFF\x00\x00\x00\x00WAVEdata\x02\x00\x00\x00ab", formats.ErrWAVForm},
		"a short form": {"RIFF\x00\x00\x00\x00WAVEfmt \x02\x00\x00\x00ab", formats.ErrWAVForm},
	} {
		t.Run(name, func(t *testing.T) {
			_, err := formats.ReadWAV(bytes.NewReader([]byte(tt.file)), time.Hour)
			require.ErrorIs(t, err, tt.want)
		})
	}
}

func FuzzReadWAV(f *testing.F) {
	f.Add(append(formats.WAVHeader(2, 4), 1, 2, 3, 4))
	f.Add([]byte("RIFF\x00\x00\x00\x00WAVEfmt \xff\xff\xff\xff"))
	f.Fuzz(func(t *testing.T, b []byte) {
		got, err := formats.ReadWAV(bytes.NewReader(b), time.Hour)
		if err == nil && len(got) > 2*len(b)+2 {
			t.Fatalf("%d samples out of %d bytes", len(got), len(b))
		}
	})
}
