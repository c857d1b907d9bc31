package queues

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/queue"
	"trundo/internal/core/rights"
	"trundo/internal/core/route"
	"trundo/internal/core/routing"
	"trundo/internal/desk/firm"
	"trundo/internal/optional"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// QueueSettings are the queues as they are set up. Error: firm.ErrForbidden.
func (qs *Queues) QueueSettings(ctx context.Context, a firm.Actor) ([]contract.QueueSettings, error) {
	if !a.MayDo(rights.Telephony) {
		return nil, firm.ErrForbidden
	}
	set, err := qs.readSetUp(ctx)
	if err != nil {
		return nil, err
	}
	list := []contract.QueueSettings{}
	for _, id := range set.order {
		list = append(list, set.queues[id].view())
	}
	return list, nil
}

func (q *Queue) view() contract.QueueSettings {
	v := contract.QueueSettings{ID: &q.ID, Name: q.Name, Active: q.Active, Members: firm.OrEmpty(q.Members),
		Needs: []contract.SkillNeed{}, Rings: q.Rings, RingSeconds: q.RingSeconds, Misses: q.Misses,
		PreferSeconds: q.PreferSeconds, RelaxSeconds: q.RelaxSeconds, TargetSeconds: q.TargetSeconds,
		MaxLength: q.MaxLength, MaxWaitSeconds: q.MaxWait, Hours: routing.SpansText(q.Hours.Spans), Zone: q.Zone,
		SayPosition: q.SayPosition, SayWait: q.SayWait, Comfort: []contract.SpokenTexts{}, EverySeconds: q.EverySeconds,
		Retries: q.Retries, RetryMinutes: q.RetryMinutes, Voicemails: &q.Voicemails, Version: &q.Version,
		Writing: contract.QueueWriting{
			Lines:   []uuid.UUID{},
			Mails:   q.Writing.Mails,
			Words:   firm.OrEmpty(q.Writing.Words),
			Senders: firm.OrEmpty(q.Writing.Senders),
			AtOnce:  max(1, q.Writing.AtOnce),
			Minutes: q.Writing.Minutes,
		}}
	for _, l := range q.Writing.Lines {
		if id, err := uuid.Parse(l); err == nil {
			v.Writing.Lines = append(v.Writing.Lines, id)
		}
	}
	for skill, level := range q.Needs {
		v.Needs = append(v.Needs, contract.SkillNeed{Skill: skill, Level: level})
	}
	slices.SortFunc(v.Needs, func(x, y contract.SkillNeed) int { return strings.Compare(x.Skill, y.Skill) })
	for _, c := range q.Comfort {
		v.Comfort = append(v.Comfort, c)
	}
	return v
}

// cleaned are texts without what is empty.
func cleaned(texts []string) []string {
	list := []string{}
	for _, t := range texts {
		if t = firm.CleanText(t); t != "" {
			list = append(list, t)
		}
	}
	return list
}

// rulesOf reads how a queue is to be. Error: *firm.FieldError.
func rulesOf(v *contract.QueueSettings) (rules, error) {
	r := rules{Needs: map[string]int{}, Rings: v.Rings, RingSeconds: v.RingSeconds, Misses: v.Misses,
		PreferSeconds: v.PreferSeconds, RelaxSeconds: v.RelaxSeconds, TargetSeconds: v.TargetSeconds,
		MaxLength: v.MaxLength, MaxWait: v.MaxWaitSeconds, Zone: v.Zone, SayPosition: v.SayPosition, SayWait: v.SayWait,
		EverySeconds: v.EverySeconds, Retries: v.Retries, RetryMinutes: v.RetryMinutes,
		Voicemails: optional.Value(v.Voicemails),
		Writing: queue.Writing{
			Mails:   v.Writing.Mails,
			Words:   cleaned(v.Writing.Words),
			Senders: cleaned(v.Writing.Senders),
			AtOnce:  v.Writing.AtOnce,
			Minutes: v.Writing.Minutes,
		}}
	for _, l := range v.Writing.Lines {
		r.Writing.Lines = append(r.Writing.Lines, l.String())
	}
	if v.Name = firm.CleanText(v.Name); v.Name == "" {
		return r, firm.Wrong("name", "a queue needs a name")
	}
	if !firm.KnownZone(v.Zone) {
		return r, firm.Wrong("zone", "the zone is a name such as America/New_York")
	}
	var err error
	if r.Hours.Spans, err = routing.ParseSpans(v.Hours); err != nil {
		return r, firm.About("hours", err)
	}
	if err := r.Hours.Check(); err != nil {
		return r, firm.About("hours", err)
	}
	for _, n := range v.Needs {
		skill := firm.CleanText(n.Skill)
		if _, twice := r.Needs[skill]; skill == "" || twice {
			return r, firm.Wrong("needs", "each skill is named once")
		}
		r.Needs[skill] = n.Level
	}
	for _, c := range v.Comfort {
		texts := map[string]string{}
		for language, text := range c {
			if _, spoken := route.LanguageNames[language]; !spoken {
				return r, firm.Wrong("comfort", fmt.Sprintf("there is no voice for the language “%s”", language))
			}
			if text = firm.CleanText(text); text != "" {
				texts[language] = text
			}
		}
		if len(texts) > 0 {
			r.Comfort = append(r.Comfort, texts)
		}
	}
	return r, nil
}

// PutQueue adds a queue, or changes the one of an id. Errors: firm.ErrForbidden, firm.ErrNotFound, firm.ErrChangedElse,
// *firm.FieldError.
func (qs *Queues) PutQueue(ctx context.Context, a firm.Actor, id *uuid.UUID,
	v contract.QueueSettings) (contract.QueueSettings, error) {
	if !a.MayDo(rights.Telephony) {
		return v, firm.ErrForbidden
	}
	r, err := rulesOf(&v)
	if err != nil {
		return v, err
	}
	text, err := json.Marshal(r)
	if err != nil {
		return v, err
	}
	set, err := qs.readSetUp(ctx)
	if err != nil {
		return v, err
	}
	before := contract.QueueSettings{}
	made := store.NewID()
	if id != nil {
		if set.queues[*id] == nil {
			return v, firm.ErrNotFound
		}
		made, before = *id, set.queues[*id].view()
	}
	err = qs.Store.Tx(ctx, func(q *db.Queries) error {
		if id == nil {
			if err := q.InsertQueue(ctx, db.InsertQueueParams{ID: made, Name: v.Name, Settings: text}); err != nil {
				return err
			}
		} else if n, err := q.UpdateQueue(ctx, db.UpdateQueueParams{Name: v.Name, Active: v.Active, Settings: text,
			ID: made, Version: optional.Value(v.Version)}); err != nil || n == 0 {
			if err == nil {
				err = firm.ErrChangedElse
			}
			return err
		}
		if err := putMembers(ctx, q, made, v.Members); err != nil {
			return err
		}
		words := func(v contract.QueueSettings) map[string]string {
			text, _ := json.Marshal(v)
			return map[string]string{"queue": string(text)}
		}
		return qs.Audited(
			ctx,
			q,
			a,
			"queue",
			made,
			map[bool]string{true: "queue added", false: "queue changed"}[id == nil],
			words(before),
			words(v),
		)
	})
	if store.Duplicate(err) {
		return v, firm.Wrong("name", "there is a queue of this name already")
	} else if err != nil {
		return v, err
	}
	qs.changedSetUp(ctx)
	if set, err = qs.readSetUp(ctx); err != nil {
		return v, err
	}
	return set.queues[made].view(), nil
}

// ChangeMembers lets people answer a queue, or takes them out of it. Errors: firm.ErrForbidden, firm.ErrNotFound,
// *firm.FieldError.
func (qs *Queues) ChangeMembers(ctx context.Context, a firm.Actor, id uuid.UUID,
	m contract.QueueMembersChange) ([]contract.QueueNow, error) {
	q, err := qs.led(ctx, a, id)
	if err != nil {
		return nil, err
	}
	names := func(ids []uuid.UUID) map[string]string {
		list := make([]string, len(ids))
		for i, id := range ids {
			if x, err := qs.Actor(ctx, id); err == nil {
				list[i] = x.Name
			}
		}
		return map[string]string{"members": strings.Join(list, ", ")}
	}
	joins := eachOnce(m.In)
	stay := slices.DeleteFunc(slices.Clone(q.Members),
		func(id uuid.UUID) bool { return slices.Contains(m.Out, id) || slices.Contains(joins, id) })
	before, after := names(q.Members), names(append(stay, joins...))
	err = qs.Store.Tx(ctx, func(tx *db.Queries) error {
		if n, err := tx.QueueChanged(ctx, id); err != nil || n == 0 { // one after the other
			return cmp.Or(err, firm.ErrNotFound)
		}
		known, err := tx.RepsByID(ctx, joins)
		if err != nil {
			return err
		} else if len(known) < len(joins) {
			return firm.Wrong("in", "one of these is nobody of the firm")
		}
		if err := tx.RemoveQueueMembers(ctx, db.RemoveQueueMembersParams{QueueID: id, Users: m.Out}); err != nil {
			return err
		}
		if err := tx.AddQueueMembers(ctx, db.AddQueueMembersParams{QueueID: id, Users: joins}); err != nil {
			return err
		}
		return qs.Audited(ctx, tx, a, "queue", id, "members of a queue", before, after)
	})
	if err != nil {
		return nil, err
	}
	qs.changedSetUp(ctx)
	qs.tell()
	qs.MayBeFree()
	return qs.Now(ctx, a)
}

// eachOnce leaves out who stands in a list already.
func eachOnce(users []uuid.UUID) []uuid.UUID {
	once := []uuid.UUID{}
	for _, u := range users {
		if !slices.Contains(once, u) {
			once = append(once, u)
		}
	}
	return once
}

func putMembers(ctx context.Context, q *db.Queries, queue uuid.UUID, users []uuid.UUID) error {
	members := eachOnce(users)
	known, err := q.RepsByID(ctx, members)
	if err != nil {
		return err
	}
	if len(known) < len(members) {
		return firm.Wrong("members", "one of these is nobody of the firm")
	}
	if err := q.ClearQueueMembers(ctx, queue); err != nil {
		return err
	}
	return q.PutQueueMembers(ctx, db.PutQueueMembersParams{QueueID: queue, Users: members})
}
