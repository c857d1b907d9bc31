package store

import (
	"context"
	"errors"
	"slices"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"trundo/internal/core/finding"
)

// findSteps are tried one after the other until there are enough: what begins or contains the words, a number that ends
// or begins so, and at last what is spelt alike. Each is one look-up of an index; only so many are ranked, since
// somebody who types three letters wants any of those who fit, not the best of a million; those with whom they have to
// do are looked up first, by themselves.
const (
	findNumbers = `SELECT DISTINCT n.record_id FROM (
  (SELECT n.record_id FROM phone_numbers n WHERE n.digits_reversed LIKE $1 LIMIT 50)
  UNION (SELECT n.record_id FROM phone_numbers n WHERE n.e164 LIKE $2 LIMIT 50)
  UNION (SELECT n.record_id FROM phone_numbers n WHERE n.e164 LIKE $3 LIMIT 50)) n
JOIN records r ON r.id = n.record_id WHERE r.deleted_at IS NULL LIMIT $4`
	// What has all the words, the rarest looked up. $1 that word, $2 all as patterns, $3 the asker, $4 how many.
	findWords = findHit + `WHERE r.deleted_at IS NULL AND r.search LIKE '%' || fold($1) || '%' AND r.search LIKE ALL ($2) LIMIT $4`
	// Persons of whose company one of the words is: $1 that word, $2 the others.
	findOfCompany = findHit + `WHERE r.deleted_at IS NULL AND r.search LIKE ALL ($2) AND r.company_id IN
  (SELECT id FROM records WHERE deleted_at IS NULL AND kind = 'company' AND search LIKE '%' || fold($1) || '%' LIMIT 200) AND $3 IS NOT NULL LIMIT $4`
	// Of those with whom the asker has to do: spoken with in their last 300 calls, open for them, their own.
	findMine = `WITH had AS (
  SELECT l.record_id AS id, max(s.created_at) AS spoke, false AS open
  FROM (SELECT call_id, created_at FROM slips WHERE user_id = $3 ORDER BY created_at DESC LIMIT 300) s JOIN call_links l ON l.call_id = s.call_id GROUP BY 1
  UNION ALL (SELECT record_id, NULL, true FROM follow_ups WHERE owner_id = $3 AND state = 'open' LIMIT 500)
  UNION ALL (SELECT coalesce(person_id, company_id), NULL, true FROM records WHERE owner_id = $3 AND kind IN ('deal', 'case') AND deleted_at IS NULL
    AND NOT is_over(kind, stage) LIMIT 500)
), mine AS (SELECT id, max(spoke) AS spoke, bool_or(open) AS open FROM had GROUP BY id)
SELECT r.id, r.search, coalesce(c.search, ''), r.kind NOT IN ('contact', 'lead', 'company'), mine.spoke, mine.open, coalesce(r.owner_id = $3, false)
FROM mine JOIN records r ON r.id = mine.id LEFT JOIN records c ON c.id = r.company_id
WHERE r.deleted_at IS NULL AND r.search || ' ' || coalesce(c.search, '') LIKE ALL ($2) AND $1 <> '' LIMIT $4`
	findOwn = findHit + `WHERE r.deleted_at IS NULL AND r.owner_id = $3 AND r.search LIKE '%' || fold($1) || '%' AND r.search LIKE ALL ($2) LIMIT $4`
	findHit = `SELECT r.id, r.search, coalesce(c.search, ''), r.kind NOT IN ('contact', 'lead', 'company'), NULL::timestamptz, false, coalesce(r.owner_id = $3, false)
FROM records r LEFT JOIN records c ON c.id = r.company_id
`
	findAlike = `SELECT id FROM (SELECT r.id, r.search FROM records r
  WHERE r.deleted_at IS NULL AND fold($1) <% r.search LIMIT 400) r
ORDER BY word_similarity(fold($1), r.search) DESC, similarity(fold($1), r.search) DESC, r.search, r.id LIMIT $2`
)

// How alike a misspelt text must be (of pg_trgm's word similarity), at first, and where that finds nothing and it has
// several words: each of them may be misspelt.
const alikeAtLast = "0.5"

// Find finds records by what somebody typed: words of a name, mail address or reference, in any order, one of them
// perhaps of the person's company, also misspelt, and, where it is a number, by its end (digits from the last on) and
// by how it may begin. At most count, best first for who asks.
func (s *Store) Find(ctx context.Context, who uuid.UUID, typed, ends string, begins [2]string,
	count int) ([]uuid.UUID, error) {
	var ids []uuid.UUID
	take := func(found []uuid.UUID) {
		for _, id := range found {
			if len(ids) < count && !slices.Contains(ids, id) {
				ids = append(ids, id)
			}
		}
	}
	if ends != "" {
		found, err := s.findIDs(ctx, s.Pool, findNumbers, ends+"%", begins[0]+"%", begins[1]+"%", count)
		if err != nil {
			return nil, err
		}
		take(found)
	}
	if len(ids) < count {
		found, err := s.findByWords(ctx, who, typed)
		if err != nil {
			return nil, err
		}
		take(found)
	}
	if len(ids) >= 3 || ends != "" || len(typed) < 3 {
		return ids, nil
	}
	found, err := s.findIDs(ctx, s.Pool, findAlike, typed, count)
	if err != nil {
		return nil, err
	}
	if take(found); len(ids) > 0 || len(finding.Words(typed)) < 2 {
		return ids, nil
	}
	err = pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, `SELECT set_config('pg_trgm.word_similarity_threshold', $1, true)`,
			alikeAtLast); err != nil {
			return err
		}
		found, err := s.findIDs(ctx, tx, findAlike, typed, count)
		take(found)
		return err
	})
	return ids, err
}

// queryer is a pool or a transaction.
type queryer interface {
	Query(ctx context.Context, sql string, args ...any) (pgx.Rows, error)
}

func (s *Store) findIDs(ctx context.Context, q queryer, sql string, args ...any) ([]uuid.UUID, error) {
	rows, err := q.Query(ctx, sql, args...)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[uuid.UUID])
}

// findByWords finds what has all the words, ranked by core/finding.
func (s *Store) findByWords(ctx context.Context, who uuid.UUID, typed string) ([]uuid.UUID, error) {
	var folded string
	if err := s.Pool.QueryRow(ctx, `SELECT fold($1)`, typed).Scan(&folded); err != nil {
		return nil, err
	}
	words := finding.Words(folded)
	if len(words) == 0 {
		return nil, nil
	}
	patterns := make([]string, len(words))
	rarest := words[0]
	for i, w := range words {
		patterns[i] = "%" + likeEscape(w) + "%"
		if len(w) > len(rarest) {
			rarest = w
		}
	}
	var hits []finding.Hit
	seen := map[string]bool{}
	look := func(sql, word string, patterns []string, limit int) error {
		rows, err := s.Pool.Query(ctx, sql, likeEscape(word), patterns, who, limit)
		if err != nil {
			return err
		}
		found, err := pgx.CollectRows(rows, func(row pgx.CollectableRow) (finding.Hit, error) {
			var h finding.Hit
			var spoke *time.Time
			err := row.Scan(&h.ID, &h.Text, &h.Company, &h.Minor, &spoke, &h.Open, &h.Own)
			if spoke != nil {
				h.Spoke = *spoke
			}
			return h, err
		})
		for _, h := range found {
			if !seen[h.ID] {
				seen[h.ID] = true
				hits = append(hits, h)
			}
		}
		return err
	}
	// Those with whom the asker has to do come first, so that none of them is lost among thousands who fit too.
	err := errors.Join(look(findMine, rarest, patterns, 100), look(findOwn, rarest, patterns, 50),
		look(findWords, rarest, patterns, 400))
	for i := range words {
		if len(words) > 1 && len(words) <= 4 && err == nil {
			err = look(findOfCompany, words[i], slices.Delete(slices.Clone(patterns), i, i+1), 100)
		}
	}
	if err != nil {
		return nil, err
	}
	ranked := finding.Rank(folded, hits)
	ids := make([]uuid.UUID, len(ranked))
	for i, h := range ranked {
		ids[i] = uuid.MustParse(h.ID)
	}
	return ids, nil
}
