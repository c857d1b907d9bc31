package store

import (
	"context"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
)

// Moved is what a merge has moved from one record to another, so that it can be moved back. What both had stays where
// it is.
type Moved struct {
	Numbers   []uuid.UUID            `json:"numbers"`
	Links     []uuid.UUID            `json:"links"` // calls
	History   []uuid.UUID            `json:"history"`
	FollowUps []uuid.UUID            `json:"follow_ups"`
	Messages  []uuid.UUID            `json:"messages"`
	Members   []uuid.UUID            `json:"members"` // of sequences
	Rounds    []uuid.UUID            `json:"rounds"`
	Lists     []uuid.UUID            `json:"lists"` // those that the kept record has come onto
	Refs      map[string][]uuid.UUID `json:"refs"`  // by column: the records that now refer to the kept one
	Before    map[string]string      `json:"before"`
	After     map[string]string      `json:"after"`
}

// moves are the statements that move something from $1 to $2 and tell what.
var moves = []struct {
	sql  string
	into func(*Moved) *[]uuid.UUID
}{
	{`UPDATE phone_numbers n SET record_id = $2, position = n.position + 100 WHERE n.record_id = $1 AND NOT EXISTS (
		SELECT FROM phone_numbers k WHERE k.record_id = $2 AND k.e164 = n.e164 AND k.ext = n.ext) RETURNING n.id`, func(m *Moved) *[]uuid.UUID { return &m.Numbers }},
	{`UPDATE call_links l SET record_id = $2 WHERE l.record_id = $1 AND NOT EXISTS (
		SELECT FROM call_links k WHERE k.record_id = $2 AND k.call_id = l.call_id) RETURNING l.call_id`, func(m *Moved) *[]uuid.UUID { return &m.Links }},
	{`UPDATE history h SET record_id = $2 WHERE h.record_id = $1 AND NOT EXISTS (
		SELECT FROM history k WHERE k.record_id = $2 AND k.at = h.at AND k.kind = h.kind AND k.ref_id = h.ref_id) RETURNING h.ref_id`, func(m *Moved) *[]uuid.UUID { return &m.History }},
	{`UPDATE follow_ups f SET record_id = $2 WHERE f.record_id = $1 RETURNING f.id`,
		func(m *Moved) *[]uuid.UUID { return &m.FollowUps }},
	{`UPDATE messages m SET record_id = $2 WHERE m.record_id = $1 RETURNING m.id`,
		func(m *Moved) *[]uuid.UUID { return &m.Messages }},
	{`UPDATE sequence_members m SET record_id = $2 WHERE m.record_id = $1 AND NOT (m.state = 'active' AND EXISTS (
		SELECT FROM sequence_members k WHERE k.record_id = $2 AND k.sequence_id = m.sequence_id AND k.state = 'active')) RETURNING m.id`, func(m *Moved) *[]uuid.UUID { return &m.Members }},
	{`UPDATE round_people p SET record_id = $2 WHERE p.record_id = $1 AND NOT EXISTS (
		SELECT FROM round_people k WHERE k.record_id = $2 AND k.round_id = p.round_id) RETURNING p.round_id`, func(m *Moved) *[]uuid.UUID { return &m.Rounds }},
	{`INSERT INTO list_members (list_id, record_id, at) SELECT m.list_id, $2, m.at FROM list_members m WHERE m.record_id = $1
		ON CONFLICT DO NOTHING RETURNING list_id`, func(m *Moved) *[]uuid.UUID { return &m.Lists }},
}

// references are the columns by which records refer to records.
var references = []string{"company_id", "person_id", "deal_id", "quote_id", "order_id"}

// MoveAll moves everything of one record to another, in the transaction of tx.
func MoveAll(ctx context.Context, tx pgx.Tx, from, to uuid.UUID) (Moved, error) {
	m := Moved{Refs: map[string][]uuid.UUID{}}
	ids := func(sql string) ([]uuid.UUID, error) {
		rows, err := tx.Query(ctx, sql, from, to)
		if err != nil {
			return nil, err
		}
		return pgx.CollectRows(rows, pgx.RowTo[uuid.UUID])
	}
	for _, step := range moves {
		moved, err := ids(step.sql)
		if err != nil {
			return m, err
		}
		*step.into(&m) = moved
	}
	for _, column := range references {
		moved, err := ids("UPDATE records SET " + column + " = $2, version = version + 1 WHERE " + column +
			" = $1 AND id <> $2 RETURNING id")
		if err != nil {
			return m, err
		}
		if len(moved) > 0 {
			m.Refs[column] = moved
		}
	}
	return m, nil
}

// MoveBack moves what m names from to back to from, as far as it is still there.
func (m Moved) MoveBack(ctx context.Context, tx pgx.Tx, from, to uuid.UUID) error {
	batch := &pgx.Batch{}
	batch.Queue(`UPDATE phone_numbers SET record_id = $1, position = greatest(0, position - 100) WHERE record_id = $2 AND id = ANY ($3)`, from, to, m.Numbers)
	batch.Queue(`UPDATE call_links SET record_id = $1 WHERE record_id = $2 AND call_id = ANY ($3)`, from, to, m.Links)
	batch.Queue(`UPDATE history SET record_id = $1 WHERE record_id = $2 AND ref_id = ANY ($3)`, from, to, m.History)
	batch.Queue(`UPDATE follow_ups SET record_id = $1 WHERE record_id = $2 AND id = ANY ($3)`, from, to, m.FollowUps)
	batch.Queue(`UPDATE messages SET record_id = $1 WHERE record_id = $2 AND id = ANY ($3)`, from, to, m.Messages)
	batch.Queue(`UPDATE sequence_members SET record_id = $1 WHERE record_id = $2 AND id = ANY ($3)`, from, to,
		m.Members)
	batch.Queue(`UPDATE round_people SET record_id = $1 WHERE record_id = $2 AND round_id = ANY ($3)`, from, to,
		m.Rounds)
	batch.Queue(`DELETE FROM list_members WHERE record_id = $1 AND list_id = ANY ($2)`, to, m.Lists)
	for _, column := range references {
		batch.Queue("UPDATE records SET "+column+" = $1, version = version + 1 WHERE "+column+" = $2 AND id = ANY ($3)",
			from, to, m.Refs[column])
	}
	return tx.SendBatch(ctx, batch).Close()
}
