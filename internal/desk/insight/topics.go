package insight

import (
	"context"
	"encoding/json"
	"strings"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/report"
	"trundo/internal/core/rights"
	"trundo/internal/core/topics"
	"trundo/internal/desk/firm"
	"trundo/internal/optional"
	"trundo/internal/store/db"
)

const (
	lookedThroughAtOnce = 200
	// triedOn is how many of the newest transcripts a topic is tried on, and triedShown of how many places are shown.
	triedOn    = 500
	triedShown = 20
	saidLately = 30 * 24 * time.Hour
)

// topic is one as it is looked for.
type topic struct {
	id      uuid.UUID
	phrases []topics.Phrase
}

// lookForTopics looks through what was said since it last did, and through everything anew where a topic has changed.
func (in *Insight) lookForTopics(ctx context.Context) error {
	for {
		n, err := in.lookThrough(ctx)
		if err != nil || n < lookedThroughAtOnce {
			return err
		}
	}
}

// lookThrough looks through some transcripts and tells through how many.
func (in *Insight) lookThrough(ctx context.Context) (int, error) {
	version, err := in.Store.TopicsVersion(ctx)
	if err != nil {
		return 0, err
	}
	rows, err := in.Store.TranscriptsToLookThrough(ctx,
		db.TranscriptsToLookThroughParams{Version: version, Count: lookedThroughAtOnce})
	if err != nil || len(rows) == 0 {
		return 0, err
	}
	wanted, err := in.activeTopics(ctx)
	if err != nil {
		return 0, err
	}
	for _, r := range rows {
		if err := in.lookThroughOne(ctx, wanted, r, version); err != nil {
			return 0, err
		}
	}
	return len(rows), nil
}

func (in *Insight) lookThroughOne(
	ctx context.Context,
	wanted []topic,
	r db.TranscriptsToLookThroughRow,
	version int64,
) error {
	said := saidIn(r.Phrases)
	return in.Store.Tx(ctx, func(q *db.Queries) error {
		if err := q.ForgetTopicsOf(ctx, r.RecordingID); err != nil {
			return err
		}
		var places []db.InsertCallTopicParams
		for _, t := range wanted {
			for _, p := range topics.Find(t.phrases, said, r.TotalMs) {
				places = append(
					places,
					db.InsertCallTopicParams{RecordingID: r.RecordingID, TopicID: t.id, AtMs: p.FromMs,
						ToMs: p.ToMs, Ours: p.Ours},
				)
			}
		}
		if err := firm.Every(q.InsertCallTopic(ctx, places).Exec); err != nil {
			return err
		}
		return q.LookedThrough(
			ctx,
			db.LookedThroughParams{OurWords: textOf(said, true), TheirWords: textOf(said, false),
				Version: version, RecordingID: r.RecordingID},
		)
	})
}

// saidIn are the phrases of a transcript.
func saidIn(raw []byte) []topics.Said {
	var t contract.Transcript
	if json.Unmarshal(raw, &t) != nil {
		return nil
	}
	said := make([]topics.Said, len(t.Phrases))
	for i, p := range t.Phrases {
		said[i] = topics.Said{FromMs: p.FromMs, ToMs: p.ToMs, Ours: p.Ours, Text: p.Text}
	}
	return said
}

// textOf is what one side said, word by word as it is looked for.
func textOf(said []topics.Said, ours bool) string {
	var words []string
	for _, s := range said {
		if s.Ours == ours {
			words = append(words, topics.Words(s.Text)...)
		}
	}
	return strings.Join(words, " ")
}

func (in *Insight) activeTopics(ctx context.Context) ([]topic, error) {
	rows, err := in.Store.Topics(ctx)
	var all []topic
	for _, r := range rows {
		t := topic{id: r.ID}
		if r.Active && json.Unmarshal(r.Phrases, &t.phrases) == nil {
			all = append(all, t)
		}
	}
	return all, err
}

// Topics are all that are looked for, also those that no longer are. Error: firm.ErrForbidden.
func (in *Insight) Topics(ctx context.Context, a firm.Actor) ([]contract.Topic, error) {
	if !a.MayDo(rights.SeeFigures) && !a.MayDo(rights.Coaching) {
		return nil, firm.ErrForbidden
	}
	rows, err := in.Store.Topics(ctx)
	if err != nil {
		return nil, err
	}
	counts, err := in.Store.TopicCalls(ctx, in.Clock.Now().Add(-saidLately))
	views := []contract.Topic{}
	for _, r := range rows {
		var phrases []topics.Phrase
		if err := json.Unmarshal(r.Phrases, &phrases); err != nil {
			return nil, err
		}
		v := contract.Topic{ID: r.ID, Name: r.Name, Group: r.TopicGroup, Active: r.Active, Version: r.Version,
			Phrases: phraseViews(phrases)}
		for _, c := range counts {
			if c.TopicID == r.ID {
				v.Calls = c.Calls
			}
		}
		views = append(views, v)
	}
	return views, err
}

func phraseViews(phrases []topics.Phrase) []contract.TopicPhrase {
	views := []contract.TopicPhrase{}
	for _, p := range phrases {
		views = append(views, contract.TopicPhrase{Words: p.Words, Near: &p.Near, AnyOrder: &p.AnyOrder,
			By: new(contract.TopicPhraseBy(p.By)), When: new(contract.TopicPhraseWhen(p.When)), Not: &p.Not})
	}
	return views
}

// phrasesOf are those of a topic that is to be saved. Error: *firm.FieldError.
func phrasesOf(v contract.TopicToSave) ([]topics.Phrase, error) {
	var phrases []topics.Phrase
	for _, p := range v.Phrases {
		phrases = append(phrases, topics.Phrase{Words: firm.CleanText(p.Words), Near: optional.Value(p.Near),
			AnyOrder: optional.Value(p.AnyOrder), By: topics.By(optional.Value(p.By)),
			When: topics.When(optional.Value(p.When)), Not: optional.Value(p.Not)})
	}
	return phrases, firm.About("phrases", topics.Check(phrases))
}

// SaveTopic adds a topic, or changes one: it is looked for anew in everything that was said, behind. Errors:
// firm.ErrForbidden, firm.ErrNotFound, firm.ErrChangedElse, *firm.FieldError.
func (in *Insight) SaveTopic(
	ctx context.Context,
	a firm.Actor,
	id *uuid.UUID,
	v contract.TopicToSave,
) (contract.Topic, error) {
	var none contract.Topic
	if !a.MayDo(rights.Coaching) {
		return none, firm.ErrForbidden
	}
	phrases, err := phrasesOf(v)
	if err != nil {
		return none, err
	}
	name, group := firm.CleanText(v.Name), firm.CleanText(optional.Value(v.Group))
	if name == "" {
		return none, firm.Wrong("name", "a topic needs a name")
	}
	active := v.Active == nil || *v.Active
	text, err := json.Marshal(phrases)
	if err != nil {
		return none, err
	}
	at := saving{id: id, version: optional.Value(v.Version), kind: "topic", name: name}
	saved, err := in.save(ctx, a, at,
		func(q *db.Queries, id uuid.UUID) error {
			return q.InsertTopic(
				ctx,
				db.InsertTopicParams{ID: id, Name: name, TopicGroup: group, Phrases: text, Active: active},
			)
		},
		func(q *db.Queries, id uuid.UUID) (int64, error) {
			return q.UpdateTopic(
				ctx,
				db.UpdateTopicParams{ID: id, Name: name, TopicGroup: group, Phrases: text, Active: active,
					Version: at.version},
			)
		}, in.Store.TopicExists)
	if err != nil {
		return none, err
	}
	all, err := in.Topics(ctx, a)
	for _, t := range all {
		if t.ID == saved {
			return t, err
		}
	}
	return none, err
}

// TryTopic tells in which of the newest calls that a may hear a topic would be found. Errors: firm.ErrForbidden,
// *firm.FieldError.
func (in *Insight) TryTopic(ctx context.Context, a firm.Actor, v contract.TopicToSave) (contract.TopicTrial, error) {
	trial := contract.TopicTrial{Places: []contract.TopicPlace{}}
	if !a.MayDo(rights.Coaching) {
		return trial, firm.ErrForbidden
	}
	phrases, err := phrasesOf(v)
	if err != nil {
		return trial, err
	}
	rows, err := in.Store.NewestTranscripts(ctx, triedOn)
	if err != nil {
		return trial, err
	}
	f, err := in.Settings(ctx)
	if err != nil {
		return trial, err
	}
	if _, err := in.fresh(ctx); err != nil {
		return trial, err
	}
	hear := in.scope(a, f, rights.HearRecordings)
	in.mu.RLock()
	defer in.mu.RUnlock()
	for _, r := range rows {
		if !in.book.Reaches(hear, report.ID(r.CallID)) {
			continue
		}
		trial.LookedAt++
		places := topics.Find(phrases, saidIn(r.Phrases), r.TotalMs)
		if len(places) == 0 {
			continue
		}
		trial.Found++
		if p := places[0]; len(trial.Places) < triedShown {
			trial.Places = append(
				trial.Places,
				contract.TopicPlace{CallID: r.CallID, Text: p.Text, AtMs: p.FromMs, Ours: p.Ours},
			)
		}
	}
	return trial, nil
}

// SaidInCall are the topics that were said in a call, where a may hear it. Error: firm.ErrForbidden.
func (in *Insight) SaidInCall(ctx context.Context, a firm.Actor, id uuid.UUID) ([]contract.SaidTopic, error) {
	if may, err := in.calls.Recordings.MayHear(ctx, a, id); err != nil {
		return nil, err
	} else if !may {
		return nil, firm.ErrForbidden
	}
	if err := in.lookForTopics(ctx); err != nil {
		return nil, err
	}
	rows, err := in.Store.TopicsOfCall(ctx, id)
	said := []contract.SaidTopic{}
	for _, r := range rows {
		said = append(
			said,
			contract.SaidTopic{TopicID: r.TopicID, Name: r.Name, AtMs: r.AtMs, ToMs: r.ToMs, Ours: r.Ours},
		)
	}
	return said, err
}
