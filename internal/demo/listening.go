package demo

import (
	"context"
	"encoding/json"

	"github.com/google/uuid"

	"trundo/internal/core/scorecard"
	"trundo/internal/core/topics"
	"trundo/internal/store/db"
)

// madeTopics are what the firm looks for in its calls.
var madeTopics = []struct {
	name, group string
	phrases     []topics.Phrase
}{
	{"Leak", "Faults", []topics.Phrase{{Words: "leak*"}, {Words: "runs all the time"}, {Words: "run dry", Near: 2}}},
	{"Clogged filter", "Faults", []topics.Phrase{{Words: "filter clog*", Near: 4, AnyOrder: true}}},
	{
		"Price",
		"Sales",
		[]topics.Phrase{{Words: "what cost", Near: 3, By: topics.Theirs}, {Words: "offer", By: topics.Ours},
			{Words: "hundred less"}},
	},
	{
		"Visit",
		"Sales",
		[]topics.Phrase{{Words: "yearly visit"}, {Words: "look at it", By: topics.Ours}, {Words: "on the spot"}},
	},
	{
		"Said goodbye with thanks",
		"Manner",
		[]topics.Phrase{{Words: "thank you", By: topics.Ours, When: topics.LastMinute}},
	},
}

// madeCard is by what its supervisors listen.
var madeCard = []scorecard.Question{
	{ID: "hello", Text: "Said who is speaking, and what it is about", Points: 2},
	{ID: "need", Text: "Asked before offering", Help: "How far, how much, since when", Points: 5},
	{ID: "next", Text: "Said what happens next, and when", Points: 3},
	{ID: "card", Text: "No card number was taken down", Points: 1, Must: true},
}

// listening makes the firm's topics and its scorecard.
func (m *maker) listening(ctx context.Context, q *db.Queries) error {
	for _, t := range madeTopics {
		text, err := json.Marshal(t.phrases)
		if err != nil {
			return err
		}
		if err := q.InsertTopic(ctx, db.InsertTopicParams{ID: m.id(m.now), Name: t.name, TopicGroup: t.group, Phrases: text,
			Active: true}); err != nil {
			return err
		}
	}
	text, err := json.Marshal(madeCard)
	if err != nil {
		return err
	}
	return q.InsertScorecard(ctx, db.InsertScorecardParams{ID: m.id(m.now), Name: "Good listening", Questions: text,
		CallTypeIds: []uuid.UUID{}, Active: true})
}
