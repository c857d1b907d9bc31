package media

import (
	"sync"

	"trundo/internal/core/audio"
)

const (
	// jitterDepth is how many frames are gathered before they are handed out, 40 ms: what home networks waver by.
	jitterDepth = 2
	// jitterMost is how many frames may wait, 200 ms; more is a delay that nobody bears, and is skipped.
	jitterMost = 10
	// jitterSlots is for how many frames there is room; a power of two.
	jitterSlots = 64
	// jitterJump is a leap in RTP time that means a new stream rather than late packets: 4 s.
	jitterJump = 4 * audio.Rate
)

// Jitter puts frames into the order of their RTP time (RFC 3550) and evens their coming. Gaps are told from late ones:
// where a later frame has come, the missing one is lost; where none has, it is waited for.
type Jitter struct {
	mu      sync.Mutex
	slots   [jitterSlots]slot
	next    uint32 // RTP time of the frame that is handed out next
	newest  uint32 // RTP time of the newest frame that came
	begun   bool
	primed  bool
	came    int64
	lost    int64
	late    int64
	skipped int64
}

type slot struct {
	at   uint32
	full bool
	data Frame
}

// Push takes the sound of a packet: whole frames, µ-law. Others are ignored.
func (j *Jitter) Push(at uint32, codes []byte) {
	j.mu.Lock()
	defer j.mu.Unlock()
	for ; len(codes) >= FrameBytes; codes, at = codes[FrameBytes:], at+FrameBytes {
		j.push(at, codes[:FrameBytes])
	}
}

func (j *Jitter) push(at uint32, codes []byte) {
	j.came++
	if d := int32(at - j.newest); !j.begun || d > jitterJump || d < -jitterJump {
		j.reset(at)
	}
	if int32(at-j.next) < 0 {
		j.late++
		return
	}
	s := &j.slots[at/FrameBytes%jitterSlots]
	s.at, s.full = at, true
	copy(s.data[:], codes)
	if int32(at-j.newest) > 0 {
		j.newest = at
	}
	if waiting := int(int32(j.newest-j.next))/FrameBytes + 1; waiting > jitterMost {
		to := j.newest - (jitterDepth-1)*FrameBytes
		j.skipped += int64(to-j.next) / FrameBytes
		j.next = to
	}
}

func (j *Jitter) reset(at uint32) {
	j.slots = [jitterSlots]slot{}
	j.next, j.newest, j.begun, j.primed = at, at, true, false
}

// Pop hands the next frame out; false where it is lost, or has not come.
func (j *Jitter) Pop(f *Frame) bool {
	j.mu.Lock()
	defer j.mu.Unlock()
	waiting := int(int32(j.newest-j.next))/FrameBytes + 1
	if !j.begun || waiting <= 0 {
		j.primed = false
		return false
	}
	if !j.primed && waiting < jitterDepth {
		return false
	}
	j.primed = true
	s := &j.slots[j.next/FrameBytes%jitterSlots]
	there := s.full && s.at == j.next
	if there {
		*f, s.full = s.data, false
	} else {
		j.lost++
	}
	j.next += FrameBytes
	return there
}

// Counts are how many frames came, and how many were lost, came too late or were skipped.
func (j *Jitter) Counts() (came, lost, late, skipped int64) {
	j.mu.Lock()
	defer j.mu.Unlock()
	return j.came, j.lost, j.late, j.skipped
}
