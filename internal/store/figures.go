package store

import (
	"context"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
)

// FigureColumns are those of call_figures that are made of facts, of a table f.
const FigureColumns = "f.call_id, f.part, f.at, f.way, f.line_id, f.queue_id, f.source, f.user_id, f.team, f.list_id, " +
	"f.outcome_id, f.call_type_id, f.shown, f.device, f.ending, f.flags, f.ring_ms, f.wait_ms, f.talk_ms, f.hold_ms, " +
	"f.consult_ms, f.wrap_ms, f.recorded_ms, f.ours_ms, f.theirs_ms, f.silence_ms, f.overlap_ms, f.monologue_ms, " +
	"f.interruptions, f.transfers, f.satisfaction, f.return_ms, f.tries, f.quality, f.topics"

// WrongFigures are the calls that began from a moment up to another and whose figures are not what their facts say.
func (s *Store) WrongFigures(ctx context.Context, since, until time.Time, wrap time.Duration) ([]uuid.UUID, error) {
	rows, err := s.Pool.Query(ctx, `WITH now AS (
		SELECT coalesce(array_agg(id), '{}') AS ids FROM calls WHERE started_at >= $1 AND started_at < $2 AND ended_at IS NOT NULL),
		made AS (SELECT `+FigureColumns+` FROM now, LATERAL figures_of(now.ids, $3) f),
		kept AS (SELECT `+FigureColumns+` FROM call_figures f WHERE f.at >= $1 AND f.at < $2)
		SELECT DISTINCT x.call_id FROM ((TABLE made EXCEPT TABLE kept) UNION ALL (TABLE kept EXCEPT TABLE made)) x`,
		since, until, wrap.Milliseconds())
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[uuid.UUID])
}
