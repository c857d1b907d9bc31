package media_test

import (
	"bytes"
	"math/rand/v2"
	"os"
	"path/filepath"
	"testing"

	"github.com/mewkiz/flac"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/core/audio"
	"trundo/internal/formats"
	"trundo/internal/media"
)

func TestARecordingIsPackedWithoutLoss(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	r := rand.New(rand.NewPCG(1, 2))
	for name, samples := range map[string]int{"a frame of sound": 160, "a frame": 4096, "a frame and a bit": 4128,
		"a minute": 60 * audio.Rate} {
		codes := make([]byte, 2*samples)
		for i := range codes {
			if codes[i] = 0xff; i/16000%3 == 0 { // noise on both sides, and silence between
				codes[i] = byte(r.IntN(256))
			}
		}
		from, to := filepath.Join(dir, name+".wav"), filepath.Join(dir, name+".flac")
		require.NoError(t, os.WriteFile(from, append(formats.WAVHeader(2, len(codes)), codes...), 0o600))
		require.NoError(t, media.Pack(from, to), name)
		stream, err := flac.ParseFile(to)
		require.NoError(t, err, name)
		assert.Equal(t, []any{uint32(8000), uint8(2), uint8(16), uint64(samples)},
			[]any{stream.Info.SampleRate, stream.Info.NChannels, stream.Info.BitsPerSample, stream.Info.NSamples}, name)
		require.NoError(t, stream.Close())
	}
}

func TestWhatIsTooShortForItsHeaderIsNotPacked(t *testing.T) {
	t.Parallel()
	from := filepath.Join(t.TempDir(), "a.wav")
	require.Error(t, media.Pack(from, from+".flac"), "it is not there")
	require.NoError(t, os.WriteFile(from, bytes.Repeat([]byte{1}, 10), 0o600))
	require.ErrorIs(t, media.Pack(from, from+".flac"), media.ErrPacked, "nothing can be packed of nothing")
}
