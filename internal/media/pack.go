package media

import (
	"bufio"
	"errors"
	"fmt"
	"io"
	"os"

	"github.com/mewkiz/flac"
	"github.com/mewkiz/flac/frame"
	"github.com/mewkiz/flac/meta"

	"trundo/internal/core/audio"
	"trundo/internal/formats"
)

// packed is how many samples of a side a FLAC frame holds: half a second, so that a player finds a place soon.
const packed = 4096

// ErrPacked is told where what was packed does not read back as it was.
var ErrPacked = errors.New("a packed recording does not read back as it was")

// Pack compresses a recording without loss (FLAC, RFC 9639), and reads it back to be sure of that.
func Pack(from, to string) error {
	in, err := os.Open(from)
	if err != nil {
		return fmt.Errorf("packing a recording: %w", err)
	}
	defer in.Close()
	out, err := os.OpenFile(to, os.O_CREATE|os.O_TRUNC|os.O_RDWR, 0o600)
	if err != nil {
		return fmt.Errorf("packing a recording: %w", err)
	}
	if err := errors.Join(pack(in, out), out.Sync(), out.Close()); err != nil {
		return fmt.Errorf("packing a recording: %w", err)
	}
	return verify(from, to)
}

// codes reads the sound of a recording from its beginning.
func codes(f *os.File) (*bufio.Reader, error) {
	_, err := f.Seek(int64(len(formats.WAVHeader(2, 0))), io.SeekStart)
	return bufio.NewReaderSize(f, 1<<16), err
}

func pack(in, out *os.File) error {
	r, err := codes(in)
	if err != nil {
		return err
	}
	enc, err := flac.NewEncoder(struct{ io.WriteSeeker }{out},
		&meta.StreamInfo{BlockSizeMin: 16, BlockSizeMax: packed, SampleRate: audio.Rate, NChannels: 2,
			BitsPerSample: 16})
	if err != nil {
		return err
	}
	enc.EnablePredictionAnalysis(true)
	block := make([]byte, 2*packed)
	for number := uint64(0); ; number++ {
		n, err := io.ReadFull(r, block)
		if n /= 2; n > 0 {
			if err := enc.WriteFrame(flacFrame(number, block[:2*n])); err != nil {
				return err
			}
		}
		switch {
		case errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF):
			return enc.Close()
		case err != nil:
			return err
		}
	}
}

func flacFrame(number uint64, block []byte) *frame.Frame {
	n := len(block) / 2
	f := &frame.Frame{Header: frame.Header{HasFixedBlockSize: true, BlockSize: uint16(n), SampleRate: audio.Rate,
		Channels: frame.ChannelsLR, BitsPerSample: 16, Num: number}}
	for side := range 2 {
		samples := make([]int32, n)
		for i := range samples {
			samples[i] = int32(audio.Decode(block[2*i+side]))
		}
		f.Subframes = append(f.Subframes,
			&frame.Subframe{SubHeader: frame.SubHeader{Pred: frame.PredVerbatim}, Samples: samples, NSamples: n})
	}
	return f
}

// verify reads both and compares them sample by sample.
func verify(from, to string) error {
	in, err := os.Open(from)
	if err != nil {
		return err
	}
	defer in.Close()
	r, err := codes(in)
	if err != nil {
		return err
	}
	stream, err := flac.ParseFile(to)
	if err != nil {
		return errors.Join(ErrPacked, err)
	}
	defer stream.Close()
	both := make([]byte, 2)
	for {
		f, err := stream.ParseNext()
		if errors.Is(err, io.EOF) {
			break
		} else if err != nil {
			return errors.Join(ErrPacked, err)
		}
		for i := range f.Subframes[0].Samples {
			if _, err := io.ReadFull(r, both); err != nil {
				return errors.Join(ErrPacked, err)
			}
			if f.Subframes[0].Samples[i] != int32(audio.Decode(both[0])) ||
				f.Subframes[1].Samples[i] != int32(audio.Decode(both[1])) {
				return ErrPacked
			}
		}
	}
	if _, err := io.ReadFull(r, both); !errors.Is(err, io.EOF) && !errors.Is(err, io.ErrUnexpectedEOF) {
		return ErrPacked // more there than was packed
	}
	return nil
}
