package media_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"trundo/internal/media"
)

// frame is a frame full of a value.
func frame(value byte) (f media.Frame) {
	for i := range f {
		f[i] = value
	}
	return f
}

func push(j *media.Jitter, at uint32, value byte) {
	f := frame(value)
	j.Push(at*media.FrameBytes, f[:])
}

// pops takes n frames and gives the value of each, -1 for none.
func pops(j *media.Jitter, n int) []int {
	var values []int
	for range n {
		var f media.Frame
		if j.Pop(&f) {
			values = append(values, int(f[0]))
		} else {
			values = append(values, -1)
		}
	}
	return values
}

func TestFramesComeOutByTheirTime(t *testing.T) {
	for name, tt := range map[string]struct {
		push func(j *media.Jitter)
		want []int
	}{
		"in order": {func(j *media.Jitter) { push(j, 10, 1); push(j, 11, 2); push(j, 12, 3) },
			[]int{1, 2, 3, -1}},
		"out of order": {func(j *media.Jitter) { push(j, 10, 1); push(j, 12, 3); push(j, 11, 2) },
			[]int{1, 2, 3, -1}},
		"one lost": {func(j *media.Jitter) { push(j, 10, 1); push(j, 12, 3) }, []int{1, -1, 3, -1}},
		"one twice": {func(j *media.Jitter) { push(j, 10, 1); push(j, 10, 1); push(j, 11, 2) },
			[]int{1, 2, -1}},
		"the first is waited on": {func(j *media.Jitter) { push(j, 10, 1) }, []int{-1, -1}},
		"a packet of two frames": {func(j *media.Jitter) {
			a, b := frame(1), frame(2)
			j.Push(1600, append(a[:], b[:]...))
		}, []int{1, 2, -1}},
		"not a whole frame": {func(j *media.Jitter) { j.Push(1600, []byte{1, 2, 3}) }, []int{-1}},
		"time wraps around": {func(j *media.Jitter) { j.Push(1<<32-160, frameBytes(1)); j.Push(0, frameBytes(2)) },
			[]int{1, 2, -1}},
		"a burst is cut short": {func(j *media.Jitter) {
			for i := range 30 {
				push(j, uint32(10+i), byte(i))
			}
		}, []int{27, 28, 29, -1}},
		"a new stream begins": {func(j *media.Jitter) {
			push(j, 10, 1)
			push(j, 11, 2)
			push(j, 90000, 7)
			push(j,
				90001, 8)
		}, []int{7, 8, -1}},
		"an older stream again": {func(j *media.Jitter) { push(j, 90000, 7); push(j, 10, 1); push(j, 11, 2) },
			[]int{1, 2, -1}},
	} {
		t.Run(name, func(t *testing.T) {
			var j media.Jitter
			tt.push(&j)
			assert.Equal(t, tt.want, pops(&j, len(tt.want)))
		})
	}
}

func frameBytes(value byte) []byte { f := frame(value); return f[:] }

func TestAStallIsWaitedForAndALateFrameIsNotHeard(t *testing.T) {
	var j media.Jitter
	push(&j, 10, 1)
	push(&j, 11, 2)
	assert.Equal(t, []int{1, 2, -1, -1}, pops(&j, 4))
	push(&j, 12, 3) // late by two, but nothing later has come
	push(&j, 13, 4)
	assert.Equal(t, []int{3, 4}, pops(&j, 2))
	push(&j, 15, 6)
	push(&j, 16, 7)
	assert.Equal(t, []int{-1, 6}, pops(&j, 2))
	push(&j, 14, 5)
	assert.Equal(t, []int{7, -1}, pops(&j, 2))
	came, lost, late, _ := j.Counts()
	assert.Equal(t, []int64{7, 1, 1}, []int64{came, lost, late})
}

func TestTenThousandLatePacketsDoNoHarm(t *testing.T) {
	var j media.Jitter
	push(&j, 10000, 1)
	push(&j, 10001, 2)
	assert.Equal(t, []int{1, 2}, pops(&j, 2))
	for i := range 10000 {
		push(&j, uint32(9990+i%10), 9)
	}
	push(&j, 10002, 3)
	push(&j, 10003, 4)
	assert.Equal(t, []int{3, 4, -1}, pops(&j, 3))
}

func FuzzJitter(f *testing.F) {
	f.Add([]byte{1, 2, 3, 255, 0, 17})
	f.Fuzz(func(t *testing.T, script []byte) {
		var j media.Jitter
		at, popped := uint32(1000), 0
		for i, b := range script {
			if b%3 == 0 {
				popped += len(pops(&j, 1))
				continue
			}
			at += uint32(int8(b))
			push(&j, at, byte(i))
		}
		came, lost, late, skipped := j.Counts()
		if came < 0 || lost < 0 || late < 0 || skipped < 0 || lost > int64(popped) {
			t.Fatal(came, lost, late, skipped)
		}
	})
}
