package demo_test

import (
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/demo"
	"trundo/internal/media"
	"trundo/internal/store/pgtest"
)

func TestMain(m *testing.M) { pgtest.Main(m) }

func TestTheFirmIsMadeWholeAndOnlyFromFiction(t *testing.T) {
	s := pgtest.New(t)
	now := time.Date(2026, 3, 2, 15, 0, 0, 0, time.UTC)
	require.NoError(t, demo.Fill(t.Context(), s, demo.First, now))
	count := func(sql string) (n int) {
		require.NoError(t, s.Pool.QueryRow(t.Context(), sql).Scan(&n))
		return n
	}
	assert.Equal(t, 60, count(`SELECT count(*) FROM records WHERE kind = 'company'`))
	assert.Equal(t, 252, count(`SELECT count(*) FROM records WHERE kind IN ('contact', 'lead')`),
		"two stand there twice")
	assert.Zero(t, count(`SELECT count(*) FROM records q WHERE q.kind = 'quote' AND q.amount_minor <> (SELECT sum(round(i.quantity_milli * i.unit_minor * (10000 - i.discount_bp) / 10000000.0)
		+ round(round(i.quantity_milli * i.unit_minor * (10000 - i.discount_bp) / 10000000.0) * i.tax_bp / 10000.0)) FROM record_items i WHERE i.record_id = q.id)`), "totals are sums")
	for _, kind := range []string{"deal", "case", "product", "quote", "order", "visit"} {
		assert.Positive(t, count(`SELECT count(*) FROM records WHERE kind = '`+kind+`'`), kind)
	}
	assert.Greater(t, count(`SELECT count(*) FROM calls`), 700)
	assert.Zero(t, count(`SELECT count(*) FROM calls WHERE ended_at > '2026-03-02 15:00Z' OR ended_at IS NULL`),
		"every call is past and over")
	assert.Greater(t, count(`SELECT count(*) FROM calls WHERE direction = 'inbound'`), 80)
	assert.Positive(t, count(`SELECT count(*) FROM calls WHERE message_ms > 0`))
	assert.Positive(t, count(`SELECT count(*) FROM unreturned`))
	assert.Positive(t, count(`SELECT count(*) FROM line_reps`))
	assert.Zero(t, count(`SELECT count(*) FROM calls WHERE message_ms = 0 AND end_reason <> 'abandoned' AND dial_ms + ring_ms + talk_ms <> round(extract(epoch FROM ended_at - started_at) * 1000)`))
	assert.Zero(t, count(`SELECT count(*) FROM phone_numbers WHERE e164 IS NOT NULL AND e164 !~ '^\+1[0-9]{3}55501[0-9]{2}$' AND e164 !~ '^\+447700900[0-9]{3}$'`))
	assert.Zero(t, count(`SELECT count(*) FROM records WHERE email <> '' AND email !~ '\.example$'`))
	assert.Zero(t, count(`SELECT count(*) FROM follow_ups f WHERE NOT EXISTS (SELECT 1 FROM history h WHERE h.ref_id = f.id)`))
	assert.Error(t, demo.Fill(t.Context(), s, demo.First, now), "only into an empty database")
}

func TestTheOutsideBehavesTheSameEveryDay(t *testing.T) {
	assert.Equal(t, demo.Outside("+15035550123"), demo.Outside("+15035550123"))
	assert.Empty(t, demo.Outside(demo.AnswersSoon).Then)
}

func TestConversationsOfTheDemoCanBeHeard(t *testing.T) {
	s := pgtest.New(t)
	require.NoError(t, demo.Fill(t.Context(), s, demo.First, time.Date(2026, 3, 2, 15, 0, 0, 0, time.UTC)))
	dir := filepath.Join(t.TempDir(), "recordings")
	speech, err := media.NewSpeech(t.TempDir())
	require.NoError(t, err)
	require.NoError(t, demo.Record(t.Context(), s, speech, dir, 3))
	files, err := filepath.Glob(filepath.Join(dir, "*.wav"))
	require.NoError(t, err)
	require.Len(t, files, 3)
	var wrong, all int
	require.NoError(t, s.Pool.QueryRow(t.Context(), `SELECT count(*) FILTER (WHERE r.state <> 'kept' OR r.ours_ms < 3000 OR r.theirs_ms < 3000 OR abs(r.total_ms - c.talk_ms) > 20), count(*)
		FROM recordings r JOIN calls c ON c.id = r.call_id`).Scan(&wrong, &all))
	assert.Equal(t, []int{0, 3}, []int{wrong, all}, "both speak, for as long as the call was")
}
