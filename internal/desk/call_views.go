package desk

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"sort"
	"strconv"
	"strings"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/call"
	"trundo/internal/core/phone"
	"trundo/internal/core/slip"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// callView is one call as a sees it.
func (d *Desk) callView(ctx context.Context, a Actor, id uuid.UUID) (contract.Call, error) {
	views, err := d.callViews(ctx, a, []uuid.UUID{id})
	if err != nil {
		return contract.Call{}, err
	}
	if len(views) == 0 {
		return contract.Call{}, ErrNotFound
	}
	return views[0], nil
}

// callViews reads calls in the order of ids. What the switchboard knows better than the database comes from there.
func (d *Desk) callViews(ctx context.Context, a Actor, ids []uuid.UUID) ([]contract.Call, error) {
	views, _, err := d.callsAsRead(ctx, a, ids)
	return views, err
}

// callsAsRead are callViews with the rows from which they were made.
func (d *Desk) callsAsRead(ctx context.Context, a Actor, ids []uuid.UUID) ([]contract.Call, []db.CallsByIDsRow, error) {
	views := make([]contract.Call, 0, len(ids))
	if len(ids) == 0 {
		return views, nil, nil
	}
	f, err := d.firm(ctx)
	if err != nil {
		return nil, nil, err
	}
	rows, err := d.readCalls(ctx, a, ids)
	if err != nil {
		return nil, nil, err
	}
	place := map[uuid.UUID]int{}
	for i, id := range ids {
		place[id] = i
	}
	sort.Slice(rows, func(i, j int) bool { return place[rows[i].ID] < place[rows[j].ID] })
	for _, r := range rows {
		v := viewOf(r, a, f)
		v.Recording = d.recordingView(r)
		if v.Links, err = linksOf(r); err != nil {
			return nil, nil, err
		}
		if s, live := d.board.Snapshot(r.ID); live {
			v.State = stateView(r.ID, &s, v.State.Phase == contract.Phase(s.Phase()), a.ID)
		}
		if len(v.Links) == 1 && v.Links[0].Role == contract.CallLinkRoleCompany && r.RemoteE164 != "" {
			v.CompanyLine = &v.Links[0].Record
		}
		if r.AsksWho {
			if v.Slip.Candidates, err = d.candidates(ctx, a, r); err != nil {
				return nil, nil, err
			}
		}
		views = append(views, v)
	}
	return views, rows, nil
}

// readCalls reads calls with their slips and links.
func (d *Desk) readCalls(ctx context.Context, a Actor, ids []uuid.UUID) ([]db.CallsByIDsRow, error) {
	if len(ids) > 1 {
		return d.Store.CallsByIDs(ctx, db.CallsByIDsParams{Me: a.ID, Ids: ids})
	}
	row, err := d.Store.CallByID(ctx, db.CallByIDParams{Me: a.ID, ID: ids[0]})
	if store.NotFound(err) {
		return nil, nil
	}
	return []db.CallsByIDsRow{db.CallsByIDsRow(row)}, err
}

// callLink is a link as a call is read with it.
type callLink struct {
	Record uuid.UUID
	Kind   contract.RecordKind
	Name   string
	Role   contract.CallLinkRole
	Reason string
}

// linksOf are the links of a call that was read.
func linksOf(r db.CallsByIDsRow) ([]contract.CallLink, error) {
	var rows []callLink
	if err := json.Unmarshal(r.Links, &rows); err != nil {
		return nil, fmt.Errorf("links of call %s: %w", r.ID, err)
	}
	links := make([]contract.CallLink, len(rows))
	for i, l := range rows {
		links[i] = contract.CallLink{Role: l.Role, Reason: l.Reason, Record: contract.RecordRef{ID: l.Record, Kind: l.Kind, Name: l.Name}}
	}
	return links, nil
}

func viewOf(r db.CallsByIDsRow, a Actor, f *firm) contract.Call {
	shown := phone.Format(r.CallerID, "", f.region, a.Style)
	if r.LineID != nil {
		shown = strings.TrimSpace(f.lineLabels[*r.LineID] + " " + shown)
	}
	display := r.RemoteTyped
	var between *contract.Between
	if r.ColleagueID != nil {
		between = &contract.Between{Caller: r.PlacedName, Called: r.RemoteTyped, OtherID: *r.ColleagueID}
		if *r.ColleagueID == a.ID && r.PlacedBy != nil {
			between.OtherID = *r.PlacedBy
		}
	}
	if r.ColleagueID != nil && *r.ColleagueID == a.ID {
		display = r.PlacedName
	}
	if r.RemoteE164 != "" {
		display = phone.Format(r.RemoteE164, r.RemoteExt, f.region, a.Style)
	}
	outcome := &firmOutcome{}
	if r.OutcomeID != nil {
		outcome, _ = f.outcome(*r.OutcomeID)
	}
	var callType db.CallType
	if r.CallTypeID != nil {
		callType, _ = f.callType(*r.CallTypeID)
	}
	line, source := "", ""
	if r.LineID != nil {
		line, source = f.lineLabels[*r.LineID], f.lineSources[*r.LineID]
	}
	visible := contract.Visible(r.Visible)
	notes := contract.Notes{Body: r.NotesBody, Version: r.NotesVersion, Saved: true, SavedAt: r.NotesSavedAt}
	hidden := r.SlipID != uuid.Nil && !slip.MayRead(a.reader(), r.RepID.String(), r.RepTeam, slip.Visible(r.Visible))
	if hidden {
		notes.Body = ""
	}
	dialTo := ""
	if r.Unconfirmed {
		dialTo = dialAddress(r.RemoteE164, r.RemoteExt, r.RemoteTyped)
	}
	var round *uuid.UUID
	if r.RoundID != uuid.Nil {
		round = &r.RoundID
	}
	var drop *contract.CallDrop
	if r.DropResult != "" {
		result := contract.CallDrop(r.DropResult)
		drop = &result
	}
	return contract.Call{ID: r.ID, Between: between, Drop: drop, RoundID: round, Unconfirmed: r.Unconfirmed, DialTo: dialTo, Line: line, Source: source, ByHand: r.ByHand, MessageMs: r.MessageMs, Direction: contract.CallDirection(r.Direction), Display: display, Withheld: r.Withheld, MissedWhy: r.MissedWhy,
		Label: r.RemoteLabel, Shown: shown, ShownReason: r.CallerIDReason, Device: r.Device, DialMs: r.DialMs, RingMs: r.RingMs, TalkMs: r.TalkMs,
		Links: []contract.CallLink{},
		State: contract.CallState{CallID: r.ID, Seq: r.LastSeq, Phase: contract.Phase(r.State), StartedAt: r.StartedAt, RangAt: r.RangAt, AnsweredAt: r.AnsweredAt,
			EndedAt: r.EndedAt, EndReason: r.EndReason, Saved: true},
		Slip: contract.Slip{ID: r.SlipID, RepID: r.RepID, RepName: r.RepName, State: contract.SlipState(r.SlipState), Subject: r.Subject,
			CallTypeID: r.CallTypeID, CallType: callType.Label, OutcomeID: r.OutcomeID, Outcome: outcome.Label, OutcomeReached: outcome.Reached,
			AsksWho: r.AsksWho, Candidates: []contract.Candidate{}, FiledAt: r.FiledAt, Version: r.SlipVersion, Mine: r.RepID == a.ID,
			Visible: &visible, NotesHidden: &hidden, Notes: notes}}
}

// candidates are whom to offer for a number that has to be asked about: who has it, and the record that was open.
func (d *Desk) candidates(ctx context.Context, a Actor, r db.CallsByIDsRow) ([]contract.Candidate, error) {
	matches, rows, err := d.WhoseNumber(ctx, a, r.RemoteE164, r.RemoteExt)
	if err != nil {
		return nil, err
	}
	offers := offersOf(matches, rows)
	if r.OpenRecordID != nil {
		rec, err := d.Store.RecordName(ctx, *r.OpenRecordID)
		if err != nil {
			return nil, err
		}
		offers = append(offers, contract.Candidate{Reason: "was open while you typed",
			Record: contract.RecordRef{ID: rec.ID, Kind: contract.RecordKind(rec.Kind), Name: rec.Name}})
	}
	return offers, nil
}

// MyDesk is a's open slips, oldest first.
func (d *Desk) MyDesk(ctx context.Context, a Actor) (contract.Desk, error) {
	ids, err := d.Store.OpenSlipCallIDs(ctx, a.ID)
	if err != nil {
		return contract.Desk{}, err
	}
	calls, err := d.callViews(ctx, a, ids)
	return contract.Desk{Calls: calls}, err
}

const callsPerPage = 50

// CallQuery asks for calls. Empty fields leave a condition out.
type CallQuery struct {
	Mine   bool
	Way    string // direction
	Only   string // missed, voicemail, unreturned, nobody, no_outcome
	Q      string // part of a name or number
	Before string // a place in the list
}

// params are a query's parameters for the store.
func (c CallQuery) params(a Actor, count int32) (store.CallListQuery, error) {
	q := strings.TrimSpace(strings.ReplaceAll(c.Q, "\x00", ""))
	p := store.CallListQuery{Count: count, Way: c.Way, Narrow: c.Only, Q: likeText(q)}
	if digits := phone.Digits(q); len(digits) >= 3 && phone.LooksLikeNumber(q) {
		p.Digits = strings.TrimLeft(digits, "0")
	}
	if c.Mine {
		p.User = &a.ID
	}
	var err error
	p.Before, p.BeforeID, err = readCursor(c.Before)
	return p, err
}

// likeText takes the meaning from the letters that LIKE knows.
func likeText(q string) string {
	return strings.NewReplacer(`\`, `\\`, `%`, `\%`, `_`, `\_`).Replace(q)
}

// Calls lists calls, newest first, those that nobody has come back to oldest first: a's own, or everybody's, all or some.
func (d *Desk) Calls(ctx context.Context, a Actor, query CallQuery) (contract.CallPage, error) {
	return d.callsBy(ctx, a, query, callsPerPage, d.callLines)
}

// callsBy is a page of calls of some length, read as they are to be shown.
func (d *Desk) callsBy(ctx context.Context, a Actor, query CallQuery, count int32,
	read func(context.Context, Actor, []uuid.UUID) ([]contract.Call, error)) (contract.CallPage, error) {
	p, err := query.params(a, count)
	if err != nil {
		return contract.CallPage{}, err
	}
	var ids []uuid.UUID
	if query.Only == "unreturned" {
		after := db.UnreturnedCallsParams{Everything: !query.Mine, Me: a.ID, Q: p.Q, Digits: p.Digits, Count: p.Count}
		if query.Before != "" {
			after.After, after.AfterID = p.Before, p.BeforeID
		}
		ids, err = d.Store.UnreturnedCalls(ctx, after)
	} else {
		ids, err = d.Store.CallIDs(ctx, p)
	}
	if err != nil {
		return contract.CallPage{}, err
	}
	calls, err := read(ctx, a, ids)
	if err != nil {
		return contract.CallPage{}, err
	}
	page := contract.CallPage{Calls: calls}
	if n := len(calls); n == int(count) {
		page.Next = writeCursor(calls[n-1].State.StartedAt, calls[n-1].ID)
	}
	return page, nil
}

// CallPage is one call with its facts and what was changed on it afterwards.
func (d *Desk) CallPage(ctx context.Context, a Actor, id uuid.UUID) (contract.CallPageDetail, error) {
	var page contract.CallPageDetail
	var err error
	lines, err := d.callLines(ctx, a, []uuid.UUID{id})
	if err == nil && len(lines) == 0 {
		err = ErrNotFound
	}
	if err != nil {
		return page, err
	}
	page.Call = lines[0]
	rows, err := d.Store.CallFacts(ctx, id)
	if err != nil {
		return page, err
	}
	page.Facts = []contract.CallFact{}
	for _, r := range rows {
		f, err := readFact(r.Seq, r.At, r.Kind, r.Data)
		if err != nil {
			return page, err
		}
		if text := factText(f, page.Call); text != "" {
			page.Facts = append(page.Facts, contract.CallFact{Seq: f.Seq, At: f.At, Text: text})
		}
	}
	if page.Recordings, err = d.recordings(ctx, a, id); err != nil {
		return page, err
	}
	if page.Changes, err = d.changes(ctx, "slip", page.Call.Slip.ID, value(page.Call.Slip.NotesHidden)); err != nil {
		return page, err
	}
	ofCall, err := d.changes(ctx, "call", id, false)
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
	if page.Filing, err = d.lastFiling(ctx, page.Call.Slip.ID); err != nil {
		return page, err
	}
	reports, err := d.lineReports(ctx, id)
	page.Changes = append(page.Changes, reports...)
	slices.SortStableFunc(page.Changes, func(x, y contract.Change) int { return x.At.Compare(y.At) })
	return page, err
}

// factText says a fact in a sentence; those that only matter to the machine say nothing.
func factText(f call.Fact, c contract.Call) string {
	switch f.Kind {
	case call.Placed:
		return c.Slip.RepName + " called " + c.Display
	case call.PlacedInternal:
		if c.Between == nil {
			return ""
		}
		return c.Between.Caller + " called " + c.Between.Called
	case call.Beeped:
		return "The beep: a message begins"
	case call.Muted:
		return "Muted"
	case call.Unmuted:
		return "Heard again"
	case call.Pressed:
		if c.Direction == contract.CallDirectionInbound && f.Leg == 1 || c.Direction == contract.CallDirectionOutbound && f.Leg == 2 {
			return "They pressed " + f.Digits
		}
		return "We pressed " + f.Digits
	case call.LegAdded:
		switch f.Device {
		case call.Voicemail:
			return "Voicemail took the call"
		case call.Announcement:
			return "They heard the announcement"
		case call.Prepared:
			return c.Slip.RepName + " left it to “" + f.Address + "”"
		}
	case call.Arrived:
		return "They called " + c.Shown
	case call.Held:
		return "On hold"
	case call.LegRinging:
		if c.Direction == contract.CallDirectionInbound {
			return ""
		}
		return "It rang"
	case call.LegAnswered:
		switch {
		case c.Direction == contract.CallDirectionInbound && f.Leg == 1 && c.State.AnsweredAt == nil:
			return "" // a machine did
		case c.Direction == contract.CallDirectionInternal && f.Leg == 2:
			return "Answered"
		case c.Direction == contract.CallDirectionInbound && f.Leg == 1:
			return c.Slip.RepName + " answered"
		case c.Direction == contract.CallDirectionOutbound && f.Leg != 1 && f.Leg != 0:
			return "They answered"
		}
	case call.CallEnded:
		return ReasonText(f.Reason)
	}
	return ""
}

// ReasonText says why a call ended.
func ReasonText(r call.Reason) string {
	switch r {
	case Unconfirmed:
		return "Not said yet"
	case call.EndedByUs:
		return "We hung up"
	case call.EndedByThem:
		return "They hung up"
	case call.GivenUp:
		return "Canceled before answer"
	case call.Busy:
		return "Busy"
	case call.NoAnswer:
		return "No answer"
	case call.Declined:
		return "Declined"
	case call.OutOfService:
		return "Out of service"
	case call.Refused:
		return "The carrier refused the call"
	case call.CutOff:
		return "Cut off"
	case call.Abandoned:
		return "They hung up before anybody answered"
	case call.Missed:
		return "Nobody answered"
	case call.LeftMessage:
		return "They left a message"
	case call.Announced:
		return "They heard that nobody is there"
	case call.MessageLeft:
		return "The message was left"
	case call.NoMoment:
		return "No beep came: no message was left"
	}
	return ""
}

// changes reads the audit trail of something into sentences; of notes that are not for the reader it says no more than that they were changed.
func (d *Desk) changes(ctx context.Context, kind string, id uuid.UUID, hideNotes bool) ([]contract.Change, error) {
	rows, err := d.Store.AuditOf(ctx, db.AuditOfParams{SubjectKind: kind, SubjectID: id})
	if err != nil {
		return nil, err
	}
	changes := []contract.Change{}
	for _, r := range rows {
		text := changeText(r.Action, r.Before, r.After)
		if hideNotes && r.Action == "notes" {
			text = "notes changed"
		}
		changes = append(changes, contract.Change{At: r.At, Actor: r.Actor, Text: text})
	}
	return changes, nil
}

// changeText says "outcome: Not now → Visit agreed; subject: none → Pump".
func changeText(action string, before, after []byte) string {
	var b, a map[string]string
	if json.Unmarshal(before, &b) != nil || json.Unmarshal(after, &a) != nil {
		return action
	}
	keys := make([]string, 0, len(a))
	for k := range a {
		keys = append(keys, k)
	}
	for k := range b {
		if _, in := a[k]; !in {
			keys = append(keys, k)
		}
	}
	sort.Strings(keys)
	parts := make([]string, len(keys))
	for i, k := range keys {
		parts[i] = fmt.Sprintf("%s: %s → %s", k, orNone(b[k]), orNone(a[k]))
		if _, changed := b[k]; k == action && !changed {
			parts[i] = k + ": " + a[k] // something done, not a value that changed
		}
	}
	if len(parts) == 0 {
		return action
	}
	return strings.Join(parts, "; ")
}

func orNone(s string) string {
	if s == "" {
		return "none"
	}
	if r := []rune(s); len(r) > 120 {
		return string(r[:120]) + "…"
	}
	return s
}

// A cursor is the time in microseconds and the id of the last row that was read.
func writeCursor(at time.Time, id uuid.UUID) string {
	return strconv.FormatInt(at.UnixMicro(), 10) + "_" + id.String()
}

func readCursor(text string) (time.Time, uuid.UUID, error) {
	if text == "" {
		return time.Date(9999, 1, 1, 0, 0, 0, 0, time.UTC), uuid.Max, nil
	}
	micros, id, _ := strings.Cut(text, "_")
	n, err := strconv.ParseInt(micros, 10, 64)
	parsed, idErr := uuid.Parse(id)
	if err != nil || idErr != nil || n < 0 || n > 253402300799000000 {
		return time.Time{}, uuid.Nil, wrong("before", "this is not a place in the list")
	}
	return time.UnixMicro(n).UTC(), parsed, nil
}
