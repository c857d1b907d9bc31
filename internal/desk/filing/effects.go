package filing

import (
	"context"
	"encoding/json"
	"slices"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/fields"
	"trundo/internal/core/outcome"
	"trundo/internal/core/sequence"
	"trundo/internal/core/slip"
	"trundo/internal/desk/book"
	"trundo/internal/desk/firm"
	"trundo/internal/desk/outreach"
	"trundo/internal/optional"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// effect carries out one kind of item and takes it back. do gives what has to be kept for undo, which gives why
// something stays, or "".
type effect struct {
	do func(ctx context.Context, x *filing, it outcome.Item, row *db.InsertFilingEffectsParams) (before any,
		err error)
	undo func(ctx context.Context, t take) (why string, err error)
}

var effects = map[outcome.Kind]effect{
	outcome.FollowUp:    {makeFollowUp, dropFollowUp},
	outcome.Retry:       {makeFollowUp, dropFollowUp},
	outcome.AddToList:   {addToList, takeOffListAgain},
	outcome.TakeOffList: {takeOffList, putOnListAgain},
	outcome.AddTag:      {addTag, dropTag},
	outcome.DealStage:   {setStage, resetStage},
	outcome.CaseState:   {setStage, resetStage},
	outcome.NewCase:     {openCase, dropCase},
	outcome.DoNotCall:   {markDoNotCall, unmarkDoNotCall},
	outcome.Webhook:     {tellByOutcome, untell},
	outcome.EndSequence: {endSequence, reviveSequences},
	outcome.Message:     {writeMessage, holdMessage},
	outcome.Mail:        {writeMessage, holdMessage},
}

func makeFollowUp(ctx context.Context, x *filing, it outcome.Item, row *db.InsertFilingEffectsParams) (any, error) {
	if it.Kind == outcome.Retry && x.slip.InRound {
		return nil, nil // its round tries again: there is nothing to do by hand
	}
	record, err := uuid.Parse(it.Record)
	if err != nil {
		return nil, err
	}
	x.lanes, x.where = append(x.lanes, x.slip.UserID), append(x.where, record)
	if same, err := x.q.SameFollowUp(ctx,
		db.SameFollowUpParams{RecordID: record, OwnerID: x.slip.UserID, Kind: it.Act, Text: it.Text}); err == nil {
		row.RefID = &same.ID // what is open already is renewed, not doubled
		n, err := x.q.RenewFollowUp(ctx, db.RenewFollowUpParams{ID: same.ID, DueAt: it.Due, DayOnly: it.DayOnly,
			DueZone: it.Zone})
		return renewed{Renewed: true, DueAt: same.DueAt, DayOnly: same.DayOnly, Zone: same.DueZone, Version: n}, err
	} else if !store.NotFound(err) {
		return nil, err
	}
	id := store.NewID()
	row.RefID = &id
	p := db.InsertFollowUpParams{ID: id, RecordID: record, OwnerID: x.slip.UserID, SlipID: &x.slip.ID, Kind: it.Act,
		Text: it.Text, DueAt: it.Due, DayOnly: it.DayOnly, DueZone: it.Zone,
		CreatedBy: &x.a.ID, CreatedAt: x.at}
	if number, err := uuid.Parse(it.Number); err == nil {
		p.NumberID = &number
	}
	if err := x.q.InsertFollowUp(ctx, p); err != nil {
		return nil, err
	}
	return nil, x.q.AddHistory(ctx, db.AddHistoryParams{RecordID: record, At: x.at, Kind: "follow_up", RefID: id})
}

// renewed is what an open follow-up was before it was renewed, and its version after that.
type renewed struct {
	Renewed bool       `json:"renewed"`
	DueAt   *time.Time `json:"due_at"`
	DayOnly bool       `json:"day_only"`
	Zone    string     `json:"zone"`
	Version int        `json:"version"`
}

func dropFollowUp(ctx context.Context, t take) (string, error) {
	if t.row.RefID == nil {
		return "", nil // it was left to a round
	}
	var before renewed
	if err := json.Unmarshal(t.row.Before, &before); err != nil {
		return "", err
	}
	if before.Renewed {
		n, err := t.q.UnrenewFollowUp(ctx,
			db.UnrenewFollowUpParams{ID: *t.row.RefID, DueAt: before.DueAt, DayOnly: before.DayOnly,
				DueZone: before.Zone, Version: before.Version})
		if err != nil || n == 0 {
			return changedSince, err
		}
		return "", nil
	}
	n, err := t.q.DropFollowUp(ctx, *t.row.RefID)
	if err != nil || n == 0 {
		return changedSince, err
	}
	return "", t.q.DropHistory(ctx, db.DropHistoryParams{RefID: *t.row.RefID, Kind: "follow_up"})
}

type listed struct {
	Was bool      `json:"was"`
	At  time.Time `json:"at"`
}

// onList are the list and the record of an item.
func onList(it outcome.Item) (list, record uuid.UUID, err error) {
	if list, err = uuid.Parse(it.Target); err != nil {
		return list, record, err
	}
	record, err = uuid.Parse(it.Record)
	return list, record, err
}

func addToList(ctx context.Context, x *filing, it outcome.Item, _ *db.InsertFilingEffectsParams) (any, error) {
	list, record, err := onList(it)
	if err != nil {
		return nil, err
	}
	n, err := x.q.AddListMember(ctx, db.AddListMemberParams{ListID: list, RecordID: record, At: x.at})
	x.where = append(x.where, record)
	return listed{Was: n == 0}, err
}

func takeOffListAgain(ctx context.Context, t take) (string, error) {
	var before listed
	if err := json.Unmarshal(t.row.Before, &before); err != nil || before.Was {
		return "", err
	}
	list, record, err := onList(t.item)
	if err == nil {
		_, err = t.q.DropListMember(ctx, db.DropListMemberParams{ListID: list, RecordID: record})
	}
	return "", err
}

func takeOffList(ctx context.Context, x *filing, it outcome.Item, _ *db.InsertFilingEffectsParams) (any, error) {
	list, record, err := onList(it)
	if err != nil {
		return nil, err
	}
	x.where = append(x.where, record)
	at, err := x.q.DropListMember(ctx, db.DropListMemberParams{ListID: list, RecordID: record})
	if err != nil || len(at) == 0 {
		return listed{}, err
	}
	return listed{Was: true, At: at[0]}, nil
}

func putOnListAgain(ctx context.Context, t take) (string, error) {
	var before listed
	if err := json.Unmarshal(t.row.Before, &before); err != nil || !before.Was {
		return "", err
	}
	list, record, err := onList(t.item)
	if err == nil {
		_, err = t.q.AddListMember(ctx, db.AddListMemberParams{ListID: list, RecordID: record, At: before.At})
	}
	return "", err
}

// locked is the record of an item, under its lock. One that is gone meanwhile ends the filing with its reason.
func (x *filing) locked(ctx context.Context, it outcome.Item) (db.Record, error) {
	id, err := uuid.Parse(it.Record)
	if err != nil {
		return db.Record{}, err
	}
	return firm.LockRecord(ctx, x.q, id)
}

// changed keeps a change of a record in its history and the audit trail.
func (x *filing) changed(ctx context.Context, record uuid.UUID, row *db.InsertFilingEffectsParams, before,
	after map[string]string) error {
	change := store.NewID()
	row.ChangeID = &change
	x.where = append(x.where, record)
	return x.fg.Book.RecordChangedAs(ctx, x.q, x.a, change, x.at, record, before, after)
}

func addTag(ctx context.Context, x *filing, it outcome.Item, row *db.InsertFilingEffectsParams) (any, error) {
	r, err := x.locked(ctx, it)
	if err != nil || slices.Contains(r.Tags, it.Text) {
		return listed{Was: true}, err
	}
	tags := append(slices.Clone(r.Tags), it.Text)
	slices.Sort(tags)
	if err := x.q.SetTags(ctx, db.SetTagsParams{ID: r.ID, Tags: tags}); err != nil {
		return nil, err
	}
	return listed{}, x.changed(ctx, r.ID, row, map[string]string{}, map[string]string{"tag added": it.Text})
}

// still is the record of an effect that is taken back, under its lock; false where it is gone.
func (t take) still(ctx context.Context) (db.Record, bool, error) {
	id, err := uuid.Parse(t.item.Record)
	if err != nil {
		return db.Record{}, false, err
	}
	r, err := t.q.LockRecord(ctx, id)
	if store.NotFound(err) {
		return r, false, nil
	}
	return r, err == nil && r.DeletedAt == nil, err
}

func dropTag(ctx context.Context, t take) (string, error) {
	var before listed
	if err := json.Unmarshal(t.row.Before, &before); err != nil || before.Was {
		return "", err
	}
	r, there, err := t.still(ctx)
	if err != nil || !there {
		return changedSince, err
	}
	tags := slices.DeleteFunc(slices.Clone(r.Tags), func(tag string) bool { return tag == t.item.Text })
	return "", t.q.SetTags(ctx, db.SetTagsParams{ID: r.ID, Tags: tags})
}

type staged struct {
	Stage string     `json:"stage"`
	At    *time.Time `json:"at"`
}

func setStage(ctx context.Context, x *filing, it outcome.Item, row *db.InsertFilingEffectsParams) (any, error) {
	r, err := x.locked(ctx, it)
	if err != nil {
		return nil, err
	}
	if err := x.q.SetStage(ctx, db.SetStageParams{ID: r.ID, Stage: it.Value}); err != nil {
		return nil, err
	}
	return staged{r.Stage, r.StageAt}, x.changed(ctx, r.ID, row, map[string]string{"Stage": r.Stage},
		map[string]string{"Stage": it.Value})
}

func resetStage(ctx context.Context, t take) (string, error) {
	var before staged
	if err := json.Unmarshal(t.row.Before, &before); err != nil {
		return "", err
	}
	r, there, err := t.still(ctx)
	if err != nil || !there || r.Stage != t.item.Value {
		return changedSince, err
	}
	return "", t.q.ResetStage(ctx, db.ResetStageParams{ID: r.ID, Stage: before.Stage, StageAt: before.At})
}

func openCase(ctx context.Context, x *filing, it outcome.Item, row *db.InsertFilingEffectsParams) (any, error) {
	person, err := x.locked(ctx, it)
	if err != nil {
		return nil, err
	}
	values := map[string]string{"name": it.Text, "owner": x.slip.UserID.String()}
	if person.Kind == string(fields.Company) {
		values["company"] = person.ID.String()
	} else {
		values["person"], values["company"] = person.ID.String(), optional.ID(person.CompanyID)
	}
	id := store.NewID()
	row.RefID = &id
	if err := x.fg.Book.MakeRecord(ctx, x.q, x.a, x.f, id,
		contract.NewRecord{Kind: contract.RecordKindCase, Values: values}); err != nil {
		return nil, err
	}
	x.where = append(x.where, id, person.ID)
	_, err = x.q.AddLink(ctx, db.AddLinkParams{CallID: x.slip.CallID, RecordID: id, SlipID: &x.slip.ID,
		Role: string(slip.About), Reason: "opened by the outcome", LinkedBy: &x.a.ID, At: x.at})
	return nil, err
}

func dropCase(ctx context.Context, t take) (string, error) {
	n, err := t.q.CaseIsFresh(ctx, db.CaseIsFreshParams{ID: *t.row.RefID, CallID: t.slip.CallID})
	if err != nil || !n {
		return changedSince, err
	}
	if _, err := t.q.RemoveLink(ctx, db.RemoveLinkParams{CallID: t.slip.CallID, RecordID: *t.row.RefID}); err != nil {
		return "", err
	}
	if err := t.q.DropHistoryOf(ctx, *t.row.RefID); err != nil {
		return "", err
	}
	return "", t.q.DropRecord(ctx, *t.row.RefID)
}

type marks struct {
	At     *time.Time `json:"at"`
	Reason string     `json:"reason"`
	Listed bool       `json:"listed"` // the number was put on the list of numbers
}

// byOutcome is the reason of a mark.
func (x *filing) byOutcome() string {
	if x.slip.OutcomeID != nil {
		if o, there := x.f.Outcome(*x.slip.OutcomeID); there {
			return "outcome “" + o.Label + "”"
		}
	}
	return "by an outcome"
}

func markDoNotCall(ctx context.Context, x *filing, it outcome.Item, row *db.InsertFilingEffectsParams) (any, error) {
	if it.Value == outcome.ThisPerson {
		r, err := x.locked(ctx, it)
		if err != nil || r.DncAt != nil {
			return marks{At: r.DncAt, Reason: r.DncReason}, err
		}
		if err := x.q.SetRecordDoNotCall(ctx,
			db.SetRecordDoNotCallParams{ID: r.ID, At: &x.at, Reason: x.byOutcome()}); err != nil {
			return nil, err
		}
		return marks{}, x.changed(ctx, r.ID, row, map[string]string{"do-not-call": book.Marked(false, "")},
			map[string]string{"do-not-call": book.Marked(true, x.byOutcome())})
	}
	number, err := uuid.Parse(it.Number)
	if err != nil { // on no record: whoever has it
		n, err := x.q.AddDoNotCallNumber(ctx,
			db.AddDoNotCallNumberParams{E164: it.Address, Reason: x.byOutcome(), AddedBy: &x.a.ID, At: x.at})
		return marks{Listed: n == 1, At: &x.at}, err
	}
	n, err := x.q.LockNumberMark(ctx, number)
	if err != nil || n.DncAt != nil {
		return marks{At: n.DncAt, Reason: n.DncReason}, err
	}
	if err := x.q.SetNumberMark(ctx, db.SetNumberMarkParams{ID: number, At: &x.at, Reason: x.byOutcome()}); err != nil {
		return nil, err
	}
	what := "do-not-call, " + n.Label
	return marks{}, x.changed(ctx, n.RecordID, row, map[string]string{what: book.Marked(false, "")},
		map[string]string{what: book.Marked(true, x.byOutcome())})
}

func unmarkDoNotCall(ctx context.Context, t take) (string, error) {
	var before marks
	if err := json.Unmarshal(t.row.Before, &before); err != nil {
		return "", err
	}
	number, parseErr := uuid.Parse(t.item.Number)
	switch {
	case before.Listed:
		return "", t.q.DropDoNotCallNumber(ctx, db.DropDoNotCallNumberParams{E164: t.item.Address, At: *before.At})
	case before.At != nil:
		return "", nil // it was so before
	case t.item.Value == outcome.ThisPerson:
		r, there, err := t.still(ctx)
		if err != nil || !there {
			return changedSince, err
		}
		return "", t.q.SetRecordDoNotCall(ctx, db.SetRecordDoNotCallParams{ID: r.ID, Reason: ""})
	case parseErr != nil:
		return "", nil // somebody else had put it on the list
	}
	n, err := t.q.LockNumberMark(ctx, number)
	if store.NotFound(err) {
		return changedSince, nil
	} else if err != nil {
		return "", err
	}
	return "", t.q.SetNumberMark(ctx, db.SetNumberMarkParams{ID: n.ID, Reason: ""})
}

// writeMessage writes a message or a mail from a template. It goes out after some seconds.
// effectDelay is for how long what an outcome sends can still be held back.
const effectDelay = 10 * time.Second

func writeMessage(ctx context.Context, x *filing, it outcome.Item, row *db.InsertFilingEffectsParams) (any, error) {
	n := contract.NewMessage{Channel: contract.ChannelText, Address: &it.Address}
	if it.Kind == outcome.Mail {
		n.Channel = contract.ChannelMail
	}
	if record, err := uuid.Parse(it.Record); err == nil {
		n.RecordID = &record
	}
	template, err := uuid.Parse(it.Target)
	if err != nil {
		return nil, err
	}
	n.TemplateID = &template
	l, err := x.fg.Outreach.Addressed(ctx, x.q, x.a, x.f, n)
	if err != nil {
		return nil, err
	}
	if l.Problem != "" {
		return nil, firm.About("items", outcome.ErrNotPlanned)
	}
	subject, body, err := x.fg.Outreach.FromTemplate(ctx, x.q, x.a, x.f, l, template, x.slip.OutcomeID)
	if err != nil {
		return nil, err
	}
	id := store.NewID()
	row.RefID = &id
	if l.Record != nil {
		x.where = append(x.where, l.Record.ID)
	}
	x.wrote = true
	return nil, x.fg.Outreach.WriteDown(ctx, x.q, x.a, l, id, &x.slip.ID, subject, body, effectDelay)
}

// holdMessage keeps back what has not gone out yet.
func holdMessage(ctx context.Context, t take) (string, error) {
	n, err := t.q.DropMessage(ctx, *t.row.RefID)
	if err != nil || n == 0 {
		return "it has been sent", err
	}
	return "", t.q.DropHistory(ctx, db.DropHistoryParams{RefID: *t.row.RefID, Kind: "message"})
}

// membership is one that an outcome has ended.
type membership struct {
	ID     uuid.UUID  `json:"id"`
	NextAt *time.Time `json:"next_at"`
}

type memberships struct {
	Ended []membership `json:"ended"`
	At    time.Time    `json:"at"`
}

func endSequence(ctx context.Context, x *filing, it outcome.Item, _ *db.InsertFilingEffectsParams) (any, error) {
	record, err := uuid.Parse(it.Record)
	if err != nil {
		return nil, err
	}
	rows, err := x.q.EndMembersOf(ctx,
		db.EndMembersOfParams{RecordID: &record, Why: string(sequence.ByOutcome), At: &x.at})
	x.where = append(x.where, record)
	before := memberships{At: x.at.Truncate(time.Microsecond)}
	for _, r := range rows {
		before.Ended = append(before.Ended, membership(r))
	}
	return before, err
}

func reviveSequences(ctx context.Context, t take) (string, error) {
	var before memberships
	if err := json.Unmarshal(t.row.Before, &before); err != nil {
		return "", err
	}
	for _, m := range before.Ended {
		n, err := t.q.ReviveMember(ctx, db.ReviveMemberParams{ID: m.ID, NextAt: m.NextAt})
		if err != nil || n == 0 {
			return changedSince, err
		}
		if err := t.q.ReviveFollowUps(ctx, db.ReviveFollowUpsParams{MemberID: &m.ID, At: &before.At}); err != nil {
			return "", err
		}
		if err := t.q.ReviveMessages(ctx,
			db.ReviveMessagesParams{MemberID: &m.ID, Why: string(sequence.ByOutcome)}); err != nil {
			return "", err
		}
	}
	t.fg.Outreach.WakeSteps()
	return "", nil
}

// tellByOutcome tells the program that an outcome names. It goes out after some seconds.
func tellByOutcome(ctx context.Context, x *filing, it outcome.Item, row *db.InsertFilingEffectsParams) (any, error) {
	hook, err := uuid.Parse(it.Target)
	if err != nil {
		return nil, err
	}
	data, err := outreach.EventOfSlip(ctx, x.q, x.slip.ID)
	if err != nil {
		return nil, err
	}
	id, err := x.fg.Outreach.TellLater(ctx, x.q, hook, "outcome.chosen", data, effectDelay)
	row.RefID = &id
	return nil, err
}

func untell(ctx context.Context, t take) (string, error) {
	n, err := t.q.DropDelivery(ctx, *t.row.RefID)
	if err != nil || n == 0 {
		return "it has been told", err
	}
	return "", nil
}
