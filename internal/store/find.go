package store

import (
	"context"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
)

// findSteps are tried one after the other until there are enough: what begins or contains the words, a number that
// ends or begins so, and at last what is spelt alike. Each is one look-up of an index; only so many are
// ranked, since somebody who types three letters wants any of those who fit, not the best of a million.
const (
	findNumbers = `SELECT DISTINCT n.record_id FROM (
  (SELECT n.record_id FROM phone_numbers n WHERE n.digits_reversed LIKE $1 LIMIT 50)
  UNION (SELECT n.record_id FROM phone_numbers n WHERE n.e164 LIKE $2 LIMIT 50)
  UNION (SELECT n.record_id FROM phone_numbers n WHERE n.e164 LIKE $3 LIMIT 50)) n
JOIN records r ON r.id = n.record_id WHERE r.deleted_at IS NULL LIMIT $4`
	findWords = `SELECT id FROM (SELECT r.id, r.search, r.kind FROM records r
  WHERE r.deleted_at IS NULL AND r.search LIKE '%' || fold($1) || '%' LIMIT 400) r
ORDER BY (r.search LIKE fold($1) || '%') DESC, (r.search LIKE '% ' || fold($1) || '%') DESC, r.kind NOT IN ('contact', 'lead', 'company'), length(r.search), r.search, r.id
LIMIT $2`
	findAlike = `SELECT id FROM (SELECT r.id, r.search FROM records r
  WHERE r.deleted_at IS NULL AND fold($1) <% r.search LIMIT 400) r
ORDER BY word_similarity(fold($1), r.search) DESC, similarity(fold($1), r.search) DESC, r.search, r.id LIMIT $2`
)

// Find finds records by what somebody typed: words of a name, mail address or reference, also misspelt, and, where it is
// a number, by its end (digits from the last on) and by how it may begin. At most count, best first.
func (s *Store) Find(ctx context.Context, words, ends string, begins [2]string, count int) ([]uuid.UUID, error) {
	var ids []uuid.UUID
	seen := map[uuid.UUID]bool{}
	step := func(sql string, args ...any) error {
		if len(ids) >= count {
			return nil
		}
		rows, err := s.Pool.Query(ctx, sql, append(args, count)...)
		if err != nil {
			return err
		}
		found, err := pgx.CollectRows(rows, pgx.RowTo[uuid.UUID])
		for _, id := range found {
			if !seen[id] && len(ids) < count {
				seen[id] = true
				ids = append(ids, id)
			}
		}
		return err
	}
	if ends != "" {
		if err := step(findNumbers, ends+"%", begins[0]+"%", begins[1]+"%"); err != nil {
			return nil, err
		}
	}
	if err := step(findWords, likeEscape(words)); err != nil {
		return nil, err
	}
	if len(ids) < 3 && ends == "" && len(words) >= 3 {
		if err := step(findAlike, words); err != nil {
			return nil, err
		}
	}
	return ids, nil
}
