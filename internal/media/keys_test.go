package media

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestADigitCountsOnceHoweverManyPacketsSayIt(t *testing.T) {
	t.Parallel()
	// "911" as in RFC 4733, 5.1, at 8 kHz: the RTP time of each digit's beginning, its event number, the end bit.
	var k keyReader
	digits := ""
	for _, p := range []struct {
		at    uint32
		event byte
		end   byte
	}{{0, 9, 0}, {0, 9, 0}, {0, 9, 0x80}, {0, 9, 0x80}, {0, 9, 0x80}, {3200, 1, 0}, {3200, 1, 0x80}, {0, 9,
		0x80}, {3200, 1, 0x80}, {5600, 1, 0}, {5600, 1, 0x80}, {8000, 10, 0x80},
		{9600, 11, 0}, {11200, 15, 0}, {12800, 16, 0}} {
		if d := k.read(p.at, []byte{p.event, p.end | 10, 0, 160}); d != 0 {
			digits += string(d)
		}
	}
	assert.Equal(t, "911*#D", digits, "event 16 is a hook flash, which is no digit")
	assert.Zero(t, k.read(99999, []byte{1, 2, 3}), "a packet that is too short")
	wraps := keyReader{at: 1<<32 - 800, begun: true}
	assert.Equal(t, byte('5'), wraps.read(800, []byte{5, 10, 0, 160}), "RTP time has gone round")
}
