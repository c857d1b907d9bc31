package media

import (
	"bytes"
	"errors"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/core/audio"
	"trundo/internal/formats"
)

// tape is a voice that says one sample over and over, and keeps what it hears.
type tape struct {
	says  int16
	heard []int16
}

func (v *tape) Read(f *Frame) bool {
	for i := range f {
		f[i] = audio.Encode(v.says)
	}
	return true
}

func (v *tape) Write(f *Frame) { v.heard = append(v.heard, audio.Decode(f[0])) }

// browser is a seat's way that keeps what it is sent.
type browser struct{ heard []int16 }

func (b *browser) Send(f *Frame) { b.heard = append(b.heard, audio.Decode(f[0])) }
func (b *browser) Close()        {}

// sits puts somebody into a seat who says one sample for n frames.
func sits(user string, says int16, n int) (*Seat, *browser) {
	s := &Seat{user: user, changed: func(string) {}}
	b := &browser{}
	s.Sit(b, true)
	codes := bytes.Repeat([]byte{audio.Encode(says)}, FrameBytes*n)
	s.Hear(1600, codes)
	return s, b
}

// member is a rep in the room of a test.
type member struct {
	Party
	seat *Seat
}

// arranged is an arrangement of reps who hear each other, and the outside where it is present.
func arranged(r *Room, present bool, members ...member) {
	a := Arrangement{}
	for i, m := range members {
		for j := range members {
			if j != i {
				m.Hears = append(m.Hears, j)
			}
		}
		if present {
			m.Hears = append(m.Hears, len(members))
		}
		a.Parties = append(a.Parties, m.Party)
	}
	out := Party{Customer: true, Present: present}
	for i := range members {
		if present {
			out.Hears = append(out.Hears, i)
		}
	}
	a.Parties = append(a.Parties, out)
	r.arrange(a, func(user string) *Seat {
		for _, m := range members {
			if m.User == user {
				return m.seat
			}
		}
		return nil
	})
}

func room(outside Voice, present bool, members ...member) *Room {
	r := &Room{}
	r.SetVoice(0, outside)
	arranged(r, present, members...)
	return r
}

// near are values as G.711 gives them back.
func near(t *testing.T, want int, got int16) {
	t.Helper()
	assert.InDelta(t, want, int(got), 40)
}

func TestARepAndTheOutsideHearEachOther(t *testing.T) {
	out := &tape{says: 2000}
	seat, ines := sits("ines", 500, 2)
	r := room(out, true, member{Party{User: "ines"}, seat})
	r.Tick()
	r.Tick()
	r.Tick()
	near(t, 500, out.heard[0])
	near(t, 2000, ines.heard[0])
	near(t, 0, out.heard[2])
	t.Run("muted, they still hear", func(t *testing.T) {
		seat, ines := sits("ines", 500, 2)
		r := room(out, true, member{Party{User: "ines", Muted: true}, seat})
		r.Tick()
		near(t, 0, out.heard[len(out.heard)-1])
		near(t, 2000, ines.heard[0])
	})
	t.Run("on hold, neither hears the other, and nothing is heard later", func(t *testing.T) {
		seat, ines := sits("ines", 500, 2)
		r := room(out, false, member{Party{User: "ines"}, seat})
		r.PlayToThem(Codes([]byte{audio.Encode(700)}, true), nil)
		r.Tick()
		near(t, 700, out.heard[len(out.heard)-1])
		near(t, 0, ines.heard[0])
	})
}

func TestThreeHearTheSumOfTheOthers(t *testing.T) {
	out := &tape{says: 2000}
	a, ines := sits("ines", 500, 2)
	b, tomas := sits("tomas", 100, 2)
	r := room(out, true, member{Party{User: "ines"}, a}, member{Party{User: "tomas"}, b})
	r.Tick()
	near(t, 600, out.heard[0])
	near(t, 2100, ines.heard[0])
	near(t, 2500, tomas.heard[0])
}

func TestARepBeforeAMachineHearsItAndIsRecordedAsTheOtherSide(t *testing.T) {
	seat, ines := sits("ines", 500, 3)
	r := &Room{}
	r.arrange(Arrangement{Machine: true, Parties: []Party{{User: "ines"}}}, func(string) *Seat { return seat })
	rec, err := NewRecorder(filepath.Join(t.TempDir(), "message.wav"))
	require.NoError(t, err)
	r.Record(rec)
	r.PlayToThem(Codes([]byte{audio.Encode(700)}, true), nil)
	r.Tick()
	near(t, 700, ines.heard[0])
	r.PlayToThem(nil, nil)
	r.Tick()
	near(t, 0, ines.heard[1])
	near(t, 500, audio.Decode(rec.buffer[len(rec.buffer)-1]))
	near(t, 0, audio.Decode(rec.buffer[len(rec.buffer)-2]))
}

func TestWhatIsPlayedEnds(t *testing.T) {
	out := &tape{}
	over := 0
	r := room(out, false)
	r.PlayToThem(Codes(bytes.Repeat([]byte{audio.Encode(900)}, FrameBytes+1), false), func() { over++ })
	for range 4 {
		r.Tick()
	}
	near(t, 900, out.heard[0])
	near(t, 900, out.heard[1])
	near(t, 0, out.heard[2])
	assert.Equal(t, 1, over)
	seat, ines := sits("ines", 0, 1)
	arranged(r, true, member{Party{User: "ines"}, seat})
	r.PlayToUs(Tone(audio.Ringback, 2))
	for range 3 {
		r.Tick()
	}
	require.Len(t, ines.heard, 3)
	assert.Nil(t, r.forUs)
}

func TestARecordingHasOurSideLeftAndTheirsRight(t *testing.T) {
	path := filepath.Join(t.TempDir(), "call.wav")
	rec, err := NewRecorder(path)
	require.NoError(t, err)
	_, err = NewRecorder(path)
	require.ErrorIs(t, err, os.ErrExist)
	seat, _ := sits("ines", 500, 10)
	r := room(&tape{says: 2000}, true, member{Party{User: "ines"}, seat})
	assert.Nil(t, r.Record(rec))
	for range 5 {
		r.Tick()
	}
	assert.True(t, rec.Pause("a card number"))
	assert.False(t, rec.Pause("again"))
	for range 5 {
		r.Tick()
	}
	assert.True(t, rec.Resume())
	assert.False(t, rec.Resume())
	r.Tick()
	take := rec.Close()
	require.NoError(t, take.Trouble)
	assert.Equal(t, []Gap{{100 * time.Millisecond, 200 * time.Millisecond, "a card number"}}, take.Gaps)
	assert.Equal(t, 220*time.Millisecond, take.Figures.Total)
	file, err := os.ReadFile(path)
	require.NoError(t, err)
	assert.Equal(t, formats.WAVHeader(2, 11*2*FrameBytes), file[:58])
	sound := file[58:]
	require.Len(t, sound, 11*2*FrameBytes)
	at := func(frame int) [2]byte { return [2]byte{sound[frame*2*FrameBytes], sound[frame*2*FrameBytes+1]} }
	assert.Equal(t, [2]byte{audio.Encode(500), audio.Encode(2000)}, at(4))
	assert.Equal(t, [2]byte{audio.Silence, audio.Silence}, at(5), "the pause is a gap")
	assert.Equal(t, byte(audio.Encode(2000)), at(10)[1])
	assert.Equal(t, take, rec.Close(), "closed twice")
}

func TestARecordingThatWasCutOffIsRecovered(t *testing.T) {
	path := filepath.Join(t.TempDir(), "call.wav")
	rec, err := NewRecorder(path)
	require.NoError(t, err)
	r := room(&tape{says: 3000}, true)
	r.Record(rec)
	for range 20 {
		r.Tick()
	}
	require.Eventually(t, func() bool { s, err := os.Stat(path); return err == nil && s.Size() == 58+20*2*FrameBytes },
		5*time.Second, time.Millisecond, "nobody closed it")
	take, err := Recover(path)
	require.NoError(t, err)
	assert.Equal(t, 400*time.Millisecond, take.Figures.Total)
	assert.Equal(t, 400*time.Millisecond, take.Figures.Theirs)
	file, err := os.ReadFile(path)
	require.NoError(t, err)
	assert.Equal(t, formats.WAVHeader(2, 20*2*FrameBytes), file[:58])
	_, err = Recover(filepath.Join(t.TempDir(), "none.wav"))
	require.ErrorIs(t, err, os.ErrNotExist)
}

// full is a disk that has room for the header only.
type full struct {
	bytes.Buffer
}

func (f *full) Write(b []byte) (int, error) {
	if f.Len() >= 58 {
		return 0, errors.New("no space left on device")
	}
	return f.Buffer.Write(b)
}
func (f *full) Seek(int64, int) (int64, error) { return 0, nil }
func (f *full) Close() error                   { return nil }

func TestAFullDiskDoesNotEndTheCall(t *testing.T) {
	rec, err := newRecorder(&full{})
	require.NoError(t, err)
	out := &tape{says: 2000}
	r := room(out, true)
	r.Record(rec)
	for range 200 {
		r.Tick()
	}
	assert.Len(t, out.heard, 200)
	take := rec.Close()
	require.ErrorContains(t, take.Trouble, "no space left")
}

func TestACallWhoseRepIsCutOffIsKeptCompany(t *testing.T) {
	out := &tape{says: 2000}
	seat, ines := sits("ines", 500, 2)
	r := room(out, true, member{Party{User: "ines"}, seat})
	r.patience = bytes.Repeat([]byte{audio.Encode(4000)}, 3*FrameBytes)
	r.Tick()
	near(t, 500, out.heard[0])
	seat.Leave(ines, time.Now())
	loud, soft := 0, 0
	for range patienceAfter + 10 {
		r.Tick()
		if last := out.heard[len(out.heard)-1]; last > 3000 {
			loud++
		} else if last != 0 {
			soft++
		}
	}
	assert.Equal(t, 3, loud, "the word, once, after five seconds")
	assert.Greater(t, soft, patienceAfter/2, "soft noise until then")
	seat.Sit(ines, true)
	seat.Hear(1<<20, bytes.Repeat([]byte{audio.Encode(500)}, FrameBytes*3))
	r.Tick()
	near(t, 500, out.heard[len(out.heard)-1])
}
