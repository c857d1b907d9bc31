package desk

import (
	"context"
	"slices"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/call"
	"trundo/internal/desk/calls"
	"trundo/internal/desk/firm"
	"trundo/internal/optional"
)

// CallPage is one call with its facts and what was changed on it afterwards.
func (d *Desk) CallPage(ctx context.Context, a firm.Actor, id uuid.UUID) (contract.CallPageDetail, error) {
	var page contract.CallPageDetail
	var err error
	lines, err := d.Calls.CallLines(ctx, a, []uuid.UUID{id})
	if err == nil && len(lines) == 0 {
		err = firm.ErrNotFound
	}
	if err != nil {
		return page, err
	}
	page.Call = lines[0]
	rows, err := d.Store.CallFacts(ctx, id)
	if err != nil {
		return page, err
	}
	who, err := d.Calls.NamesOfLegs(ctx, a, id)
	if err != nil {
		return page, err
	}
	if page.Parts, err = d.Calls.Parts(ctx, a, id); err != nil {
		return page, err
	}
	page.MayListen = new(d.Calls.Parties.MayListen(ctx, a, id))
	page.Facts = []contract.CallFact{}
	attended, reps := false, map[call.LegNo]bool{}
	for _, r := range rows {
		f, err := calls.ReadFact(r.Seq, r.At, r.Kind, r.Data)
		if err != nil {
			return page, err
		}
		attended = attended || f.Kind == call.LegAdded && f.Device == call.Attendant
		reps[f.Leg] = reps[f.Leg] || f.Kind == call.LegAdded && f.Party == call.Rep && f.As == ""
		text := calls.FactText(f, page.Call, who)
		if f.Kind == call.LegAnswered && attended && reps[f.Leg] { // the caller's leg was answered by the route
			text = who(f.Leg) + " answered"
		}
		if text != "" {
			page.Facts = append(page.Facts, contract.CallFact{Seq: f.Seq, At: f.At, Text: text})
		}
	}
	if err := d.callPath(ctx, &page, who); err != nil {
		return page, err
	}
	waits, err := d.Queues.WaitTexts(ctx, id)
	if err != nil {
		return page, err
	}
	page.Facts = append(waits, page.Facts...)
	slices.SortStableFunc(page.Facts, func(x, y contract.CallFact) int { return x.At.Compare(y.At) })
	if page.Recordings, err = d.Recordings.OfCall(ctx, a, id); err != nil {
		return page, err
	}
	if page.Changes, err = d.Calls.Changes(ctx, "slip", page.Call.Slip.ID,
		optional.Value(page.Call.Slip.NotesHidden)); err != nil {
		return page, err
	}
	ofCall, err := d.Calls.Changes(ctx, "call", id, false)
	if err != nil {
		return page, err
	}
	page.Changes = append(page.Changes, ofCall...)
	answers, err := d.Store.CallAnswers(ctx, id)
	if err != nil {
		return page, err
	}
	given := []contract.Answer{}
	for _, x := range answers {
		given = append(given, contract.Answer{Key: x.Key, Question: x.Question, Answer: x.Answer})
	}
	page.Answers = &given
	asked, err := d.Queues.Surveys.Of(ctx, id)
	if err != nil {
		return page, err
	}
	page.Survey = &asked
	written, err := d.Store.MessagesOfCall(ctx, id)
	if err != nil {
		return page, err
	}
	messages, err := d.Outreach.Messages(ctx, a, written)
	if err != nil {
		return page, err
	}
	page.Messages = &messages
	if page.Filing, err = d.Filing.LastFiling(ctx, page.Call.Slip.ID); err != nil {
		return page, err
	}
	reports, err := d.Voices.LineReports(ctx, id)
	page.Changes = append(page.Changes, reports...)
	slices.SortStableFunc(page.Changes, func(x, y contract.Change) int { return x.At.Compare(y.At) })
	return page, err
}
