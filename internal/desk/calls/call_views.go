package calls

import (
	"context"
	"encoding/json"
	"fmt"
	"sort"
	"strconv"
	"strings"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/phone"
	"trundo/internal/core/slip"
	"trundo/internal/desk/book"
	"trundo/internal/desk/firm"
	"trundo/internal/optional"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// CallView is one call as a sees it.
func (cs *Calls) CallView(ctx context.Context, a firm.Actor, id uuid.UUID) (contract.Call, error) {
	views, err := cs.callViews(ctx, a, []uuid.UUID{id})
	if err != nil {
		return contract.Call{}, err
	}
	if len(views) == 0 {
		return contract.Call{}, firm.ErrNotFound
	}
	return views[0], nil
}

// callViews reads calls in the order of ids. What the switchboard knows better than the database comes from there.
func (cs *Calls) callViews(ctx context.Context, a firm.Actor, ids []uuid.UUID) ([]contract.Call, error) {
	views, _, err := cs.callsAsRead(ctx, a, ids)
	return views, err
}

// callsAsRead are callViews with the rows from which they were made.
func (cs *Calls) callsAsRead(ctx context.Context, a firm.Actor,
	ids []uuid.UUID) ([]contract.Call, []db.CallsByIDsRow, error) {
	views := make([]contract.Call, 0, len(ids))
	if len(ids) == 0 {
		return views, nil, nil
	}
	f, err := cs.Settings(ctx)
	if err != nil {
		return nil, nil, err
	}
	rows, err := cs.readCalls(ctx, a, ids)
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
		v.Recording = cs.Recordings.recordingView(r)
		if v.Links, err = linksOf(r); err != nil {
			return nil, nil, err
		}
		if s, live := cs.board.Snapshot(r.ID); live {
			v.State = cs.stateView(r.ID, &s, v.State.Phase == contract.Phase(s.Phase()), a.ID)
			if s.More() {
				if v.HandedFrom, err = cs.handedFrom(ctx, a, r.ID, &s); err != nil {
					return nil, nil, err
				}
			}
		}
		if len(v.Links) == 1 && v.Links[0].Role == contract.CallLinkRoleCompany && r.RemoteE164 != "" {
			v.CompanyLine = &v.Links[0].Record
		}
		if r.AsksWho {
			if v.Slip.Candidates, err = cs.candidates(ctx, a, r); err != nil {
				return nil, nil, err
			}
		}
		views = append(views, v)
	}
	return views, rows, nil
}

// readCalls reads calls with their slips and links.
func (cs *Calls) readCalls(ctx context.Context, a firm.Actor, ids []uuid.UUID) ([]db.CallsByIDsRow, error) {
	if len(ids) > 1 {
		return cs.Store.CallsByIDs(ctx, db.CallsByIDsParams{Me: a.ID, Ids: ids})
	}
	row, err := cs.Store.CallByID(ctx, db.CallByIDParams{Me: a.ID, ID: ids[0]})
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
		links[i] = contract.CallLink{Role: l.Role, Reason: l.Reason,
			Record: contract.RecordRef{ID: l.Record, Kind: l.Kind, Name: l.Name}}
	}
	return links, nil
}

func viewOf(r db.CallsByIDsRow, a firm.Actor, f *firm.Settings) contract.Call {
	shown := phone.Format(r.CallerID, "", f.Region, a.Style)
	if r.LineID != nil {
		shown = strings.TrimSpace(f.LineLabels[*r.LineID] + " " + shown)
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
		display = phone.Format(r.RemoteE164, r.RemoteExt, f.Region, a.Style)
	}
	outcome := &firm.Outcome{}
	if r.OutcomeID != nil {
		outcome, _ = f.Outcome(*r.OutcomeID)
	}
	var callType db.CallType
	if r.CallTypeID != nil {
		callType, _ = f.CallType(*r.CallTypeID)
	}
	line, source := "", ""
	if r.LineID != nil {
		line, source = f.LineLabels[*r.LineID], f.LineSources[*r.LineID]
	}
	visible := contract.Visible(r.Visible)
	notes := contract.Notes{Body: r.NotesBody, Version: r.NotesVersion, Saved: true, SavedAt: r.NotesSavedAt}
	part := slip.Part{Rep: r.RepID.String(), Teams: r.RepTeams, HandedTo: optional.ID(r.HandedTo),
		Visible: slip.Visible(r.Visible)}
	hidden := r.SlipID != uuid.Nil && !slip.MayRead(a.Reader(), part)
	mayChange := r.SlipID != uuid.Nil && slip.MayChange(a.Reader(), part)
	mine := r.RepID == a.ID || r.HandedTo != nil && *r.HandedTo == a.ID
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
	var offered *[]contract.OfferedOutcome
	if mine && r.SlipState == string(slip.Open) {
		list := f.Offered(r.Direction, r.CallTypeID, r.OutcomeID, a.Team)
		offered = &list
	}
	return contract.Call{ID: r.ID, Between: between, Drop: drop, RoundID: round, Unconfirmed: r.Unconfirmed,
		DialTo: dialTo, Line: line, Source: source, ByHand: r.ByHand, MessageMs: r.MessageMs,
		Direction: contract.CallDirection(r.Direction), Display: display, Withheld: r.Withheld, MissedWhy: r.MissedWhy,
		Label: r.RemoteLabel, Shown: shown, ShownReason: r.CallerIDReason, Device: r.Device, DialMs: r.DialMs,
		RingMs: r.RingMs, TalkMs: r.TalkMs,
		Links: []contract.CallLink{},
		State: contract.CallState{CallID: r.ID, Seq: r.LastSeq, Phase: contract.Phase(r.State), StartedAt: r.StartedAt,
			RangAt: r.RangAt, AnsweredAt: r.AnsweredAt,
			EndedAt: r.EndedAt, EndReason: r.EndReason, Saved: true},
		Slip: contract.Slip{ID: r.SlipID, RepID: r.RepID, RepName: r.RepName, State: contract.SlipState(r.SlipState),
			Subject:    r.Subject,
			CallTypeID: r.CallTypeID, CallType: callType.Label, OutcomeID: r.OutcomeID, Outcome: outcome.Label,
			OutcomeReached: outcome.Reached,
			AsksWho:        r.AsksWho, Candidates: []contract.Candidate{}, FiledAt: r.FiledAt, Version: r.SlipVersion,
			Mine: mine, Offered: offered,
			Visible: &visible, NotesHidden: &hidden, MayChange: &mayChange, Notes: notes}}
}

// candidates are whom to offer for a number that has to be asked about: who has it, and the record that was open.
func (cs *Calls) candidates(ctx context.Context, a firm.Actor, r db.CallsByIDsRow) ([]contract.Candidate, error) {
	matches, rows, err := cs.Book.WhoseNumber(ctx, a, r.RemoteE164, r.RemoteExt)
	if err != nil {
		return nil, err
	}
	offers := offersOf(matches, rows)
	if r.OpenRecordID != nil {
		rec, err := cs.Store.RecordName(ctx, *r.OpenRecordID)
		if err != nil {
			return nil, err
		}
		offers = append(offers, contract.Candidate{Reason: "was open while you typed",
			Record: contract.RecordRef{ID: rec.ID, Kind: contract.RecordKind(rec.Kind), Name: rec.Name}})
	}
	return offers, nil
}

// MyDesk is a's open slips, oldest first.
func (cs *Calls) MyDesk(ctx context.Context, a firm.Actor) (contract.Desk, error) {
	ids, err := cs.Store.OpenSlipCallIDs(ctx, a.ID)
	if err != nil {
		return contract.Desk{}, err
	}
	calls, err := cs.callViews(ctx, a, ids)
	if err != nil {
		return contract.Desk{}, err
	}
	listening, err := cs.Parties.listeningTo(ctx, a)
	return contract.Desk{Calls: calls, Listening: listening}, err
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
func (c CallQuery) params(a firm.Actor, count int32) (store.CallListQuery, error) {
	q := strings.TrimSpace(strings.ReplaceAll(c.Q, "\x00", ""))
	p := store.CallListQuery{Count: count, Way: c.Way, Narrow: c.Only, Q: likeText(q)}
	if digits := phone.Digits(q); len(digits) >= 3 && phone.LooksLikeNumber(q) {
		p.Digits = strings.TrimLeft(digits, "0")
	}
	if c.Mine {
		p.User = &a.ID
	}
	var err error
	p.Before, p.BeforeID, err = ReadCursor(c.Before)
	return p, err
}

// likeText takes the meaning from the letters that LIKE knows.
func likeText(q string) string {
	return strings.NewReplacer(`\`, `\\`, `%`, `\%`, `_`, `\_`).Replace(q)
}

// Calls lists calls, newest first, those that nobody has come back to oldest first: a's own, or everybody's, all or
// some.
func (cs *Calls) Calls(ctx context.Context, a firm.Actor, query CallQuery) (contract.CallPage, error) {
	return cs.callsBy(ctx, a, query, callsPerPage, cs.CallLines)
}

// callsBy is a page of calls of some length, read as they are to be shown.
func (cs *Calls) callsBy(ctx context.Context, a firm.Actor, query CallQuery, count int32,
	read func(context.Context, firm.Actor, []uuid.UUID) ([]contract.Call, error)) (contract.CallPage, error) {
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
		ids, err = cs.Store.UnreturnedCalls(ctx, after)
	} else {
		ids, err = cs.Store.CallIDs(ctx, p)
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
		page.Next = WriteCursor(calls[n-1].State.StartedAt, calls[n-1].ID)
	}
	return page, nil
}

// Changes reads the audit trail of something into sentences; of notes that are not for the reader it says no more than
// that they were changed.
func (cs *Calls) Changes(ctx context.Context, kind string, id uuid.UUID, hideNotes bool) ([]contract.Change, error) {
	rows, err := cs.Store.AuditOf(ctx, db.AuditOfParams{SubjectKind: kind, SubjectID: id})
	if err != nil {
		return nil, err
	}
	changes := []contract.Change{}
	for _, r := range rows {
		text := ChangeText(r.Action, r.Before, r.After)
		if hideNotes && r.Action == "notes" {
			text = "notes changed"
		}
		changes = append(changes, contract.Change{At: r.At, Actor: r.Actor, Text: text})
	}
	return changes, nil
}

// ChangeText says "outcome: Not now → Visit agreed; subject: none → Pump".
func ChangeText(action string, before, after []byte) string {
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
		parts[i] = fmt.Sprintf("%s: %s → %s", k, firm.OrNone(b[k]), firm.OrNone(a[k]))
		if _, changed := b[k]; k == action && !changed {
			parts[i] = k + ": " + a[k] // something done, not a value that changed
		}
	}
	if len(parts) == 0 {
		return action
	}
	return strings.Join(parts, "; ")
}

// A cursor is the time in microseconds and the id of the last row that was read.
func WriteCursor(at time.Time, id uuid.UUID) string {
	return strconv.FormatInt(at.UnixMicro(), 10) + "_" + id.String()
}

// ReadCursor reads where a page of a list goes on; an empty text is its beginning. Error: *firm.FieldError.
func ReadCursor(text string) (time.Time, uuid.UUID, error) {
	if text == "" {
		return time.Date(9999, 1, 1, 0, 0, 0, 0, time.UTC), uuid.Max, nil
	}
	micros, id, _ := strings.Cut(text, "_")
	n, err := strconv.ParseInt(micros, 10, 64)
	parsed, idErr := uuid.Parse(id)
	if err != nil || idErr != nil || n < 0 || n > 253402300799000000 {
		return time.Time{}, uuid.Nil, firm.Wrong("before", "this is not a place in the list")
	}
	return time.UnixMicro(n).UTC(), parsed, nil
}

// CallLines are calls with what there is to call again: the number of whom they are with, or the number alone.
func (cs *Calls) CallLines(ctx context.Context, a firm.Actor, ids []uuid.UUID) ([]contract.Call, error) {
	views, rows, err := cs.callsAsRead(ctx, a, ids)
	if err != nil || len(views) == 0 {
		return views, err
	}
	f, err := cs.Settings(ctx)
	if err != nil {
		return nil, err
	}
	var records []uuid.UUID
	for _, v := range views {
		for _, l := range v.Links {
			records = append(records, l.Record.ID)
		}
	}
	stored, err := cs.Store.NumbersOf(ctx, records)
	if err != nil {
		return nil, err
	}
	for i := range views {
		if r := rows[i]; r.RemoteE164 != "" && r.Direction != string(contract.CallDirectionInternal) {
			n := cs.Book.NumberView(book.CallAgain(views[i], r, stored), a, f)
			views[i].Number = &n
		}
	}
	return views, nil
}
