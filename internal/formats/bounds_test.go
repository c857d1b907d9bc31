package formats_test

import (
	"bytes"
	"encoding/binary"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/formats"
)

func TestAFoldedNoteIsReadInLine(t *testing.T) {
	// 900 kB in folded lines of three letters: put together one by one by copying all before it, this takes minutes.
	card := "BEGIN:VCARD\r\nVERSION:3.0\r\nFN:Berit\r\nNOTE:x" + strings.Repeat("\r\n abc", 180_000) +
		"\r\nEND:VCARD\r\n"
	source, err := formats.OpenVCards(strings.NewReader(card))
	require.NoError(t, err)
	began := time.Now()
	row, err := source.Next()
	require.NoError(t, err)
	require.NoError(t, row.Problem)
	assert.Less(t, time.Since(began), 20*time.Second, "a bound for a bug, not a measure")
	assert.Contains(t, row.Cells, "x"+strings.Repeat("abc", 180_000))

	long := "BEGIN:VCARD\r\nFN:Berit" + strings.Repeat("\r\nNOTE:"+strings.Repeat("x", 1000), 2000) +
		"\r\nEND:VCARD\r\nBEGIN:VCARD\r\nVERSION:3.0\r\nFN:Aron\r\nEND:VCARD\r\n"
	source, err = formats.OpenVCards(strings.NewReader(long))
	require.NoError(t, err)
	row, err = source.Next()
	require.NoError(t, err)
	require.Error(t, row.Problem)
	row, err = source.Next()
	require.NoError(t, err)
	require.NoError(t, row.Problem, "the next one is read")
}

func TestLongSoundIsRefusedBeforeItIsComputed(t *testing.T) {
	body := make([]byte, 39<<20) // at 4 kHz and a byte each: nearly three hours
	le := binary.LittleEndian
	h := le.AppendUint32([]byte("RIFF"), uint32(len(body)+36))
	h = le.AppendUint32(append(h, "WAVEfmt "...), 16)
	h = le.AppendUint16(le.AppendUint16(h, 7), 1)
	h = le.AppendUint32(le.AppendUint32(h, 4000), 4000)
	h = le.AppendUint16(le.AppendUint16(h, 1), 8)
	h = le.AppendUint32(append(h, "data"...), uint32(len(body)))
	_, err := formats.ReadWAV(bytes.NewReader(append(h, body...)), 3*time.Minute)
	require.ErrorIs(t, err, formats.ErrWAVLong)
}

func TestACarriageReturnBeginsNoLine(t *testing.T) {
	var card, calendar bytes.Buffer
	require.NoError(t, formats.WriteCard(&card,
		formats.Card{Name: "Berit\rEND:VCARD", Note: "a\r\nb\rX-EVIL:1",
			Numbers: []formats.CardNumber{{Label: "mobile", Typed: "1\rNOTE:2"}}}, 4))
	require.NoError(t, formats.WriteCalendar(&calendar, "x\rBEGIN:VEVENT",
		[]formats.Event{{UID: "1", Summary: "a\rATTACH:evil", Place: "b\rc", Description: "d\re",
			Start: time.Unix(0, 0)}}, time.Unix(0, 0)))
	for _, text := range []string{card.String(), calendar.String()} {
		assert.NotContains(t, strings.ReplaceAll(text, "\r\n", ""), "\r")
	}
}

func TestACellBehindASemicolonIsNoFormula(t *testing.T) {
	var b bytes.Buffer
	w, err := formats.NewCSVWriter(&b, []string{"A"})
	require.NoError(t, err)
	for _, cell := range []string{"x;=1+1", "a;+1;@b", "=1", "plain; text"} {
		require.NoError(t, w.Write([]string{cell}))
	}
	require.NoError(t, w.Flush())
	assert.NotContains(t, b.String(), ";=")
	assert.NotContains(t, b.String(), ";@")
	assert.NotContains(t, b.String(), ";+")
	assert.Contains(t, b.String(), "plain; text")
}
