package calls

import (
	"context"
	"encoding/json"
	"io"
	"slices"
	"strconv"
	"time"

	"github.com/google/uuid"
	"golang.org/x/sync/errgroup"

	"trundo/internal/contract"
	"trundo/internal/core/call"
	"trundo/internal/core/match"
	"trundo/internal/core/phone"
	"trundo/internal/core/rights"
	"trundo/internal/core/slip"
	"trundo/internal/core/touch"
	"trundo/internal/desk/firm"
	"trundo/internal/formats"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// WriteDownCall writes a call down that was made elsewhere, with its slip, filed; it says that it was written down by
// hand. Without a record it goes on the one whose number it clearly is. The same key gets the same call. Errors:
// *FieldError, ErrKeyReused.
func (cs *Calls) WriteDownCall(ctx context.Context, a firm.Actor, key string,
	w contract.WrittenCall) (contract.Call, error) {
	f, err := cs.Settings(ctx)
	if err != nil {
		return contract.Call{}, err
	}
	now := cs.Clock.Now()
	if w.StartedAt.After(now) || w.StartedAt.Before(now.AddDate(-5, 0, 0)) {
		return contract.Call{}, firm.Wrong("started_at",
			"a call that was made lies in the past, at most five years ago")
	}
	n, err := phone.Parse(w.Typed, f.Region)
	if err != nil {
		return contract.Call{}, firm.About("typed", err)
	}
	if w.OutcomeID != nil {
		if o, ok := f.Outcome(*w.OutcomeID); !ok || !o.Active {
			return contract.Call{}, firm.Wrong("outcome_id", "there is no such outcome")
		}
	}
	end := w.StartedAt.Add(time.Duration(w.Seconds) * time.Second)
	p := db.WriteDownCallParams{UserID: a.ID, CommandKey: key, RequestHash: firm.HashRequest(w), At: now,
		CallID: store.NewID(), Direction: string(w.Direction),
		RemoteE164: n.E164, RemoteExt: n.Ext, RemoteTyped: n.Typed, OwnerServer: cs.Server, OwnerEpoch: cs.Epoch,
		StartedAt: w.StartedAt, EndedAt: &end,
		EndReason: string(call.NoAnswer), TalkMs: int64(w.Seconds) * 1000, SlipID: store.NewID(),
		OutcomeID:   w.OutcomeID,
		LinkRecords: []uuid.UUID{}, LinkRoles: []string{}, LinkReasons: []string{}}
	if w.Seconds > 0 {
		p.AnsweredAt, p.EndReason = &w.StartedAt, string(call.EndedByUs)
	}
	if w.Notes != nil {
		p.Notes = firm.CleanText(*w.Notes)
	}
	links, err := cs.writtenLinks(ctx, a, n, w.RecordID)
	if err != nil {
		return contract.Call{}, err
	}
	for _, l := range links {
		p.LinkRecords, p.LinkRoles, p.LinkReasons = append(p.LinkRecords, uuid.MustParse(l.Record)), append(p.LinkRoles,
			string(l.Role)), append(p.LinkReasons, l.Reason)
	}
	if p.Response, err = json.Marshal(firm.CommandAnswer{ID: p.CallID}); err != nil {
		return contract.Call{}, err
	}
	if err := cs.Store.Tx(ctx, func(q *db.Queries) error {
		if err := q.WriteDownCall(ctx, p); err != nil {
			return err
		}
		worth, err := cs.Weigh(ctx, q, p.CallID)
		if err == nil && worth.Returns() == touch.Try { // of other calls it is counted when they end
			_, err = settleBy(ctx, q, p.CallID, touch.Try, end)
		}
		return err
	}); err != nil {
		earlier, found, again := cs.EarlierAnswer(ctx, a, key, "write_down_call", p.RequestHash)
		switch {
		case again != nil:
			return contract.Call{}, again
		case found:
			return cs.CallView(ctx, a, earlier)
		}
		return contract.Call{}, err
	}
	return cs.TellAndView(ctx, a, p.CallID)
}

func (cs *Calls) writtenLinks(ctx context.Context, a firm.Actor, n phone.Number,
	record *uuid.UUID) ([]slip.Link, error) {
	const reason = "written down afterwards"
	if record != nil {
		row, err := cs.Store.Record(ctx, *record)
		if store.NotFound(err) {
			return nil, firm.About("record_id", firm.ErrNotFound)
		} else if err != nil {
			return nil, err
		}
		return slip.LinksFor(firm.Subject(row.Record.ID, row.Record.Kind, row.Record.CompanyID, row.Record.PersonID),
			reason), nil
	}
	matches, rows, err := cs.Book.WhoseNumber(ctx, a, n.E164, n.Ext)
	if err != nil {
		return nil, err
	}
	if winner, ok := match.Winner(matches); ok {
		for _, r := range rows {
			if r.RecordID.String() == winner {
				return slip.LinksFor(firm.Subject(r.RecordID, r.Kind, r.CompanyID, r.PersonID), reason), nil
			}
		}
	}
	return nil, nil
}

// maxCallsFile is how many calls a file of calls has at most.
const maxCallsFile = 1_000_000

// callsOfFile is how many calls are read at once for a file.
const callsOfFile = 5_000

// WriteCalls writes the calls that a query asks for as CSV, newest first, in a's zone. Error: ErrForbidden.
func (cs *Calls) WriteCalls(ctx context.Context, a firm.Actor, query CallQuery, w io.Writer) error {
	if !a.MayDo(rights.Export) && !query.Mine {
		return firm.ErrForbidden
	}
	return writeCalls(ctx, a, w, func(ctx context.Context, page func([]contract.Call) error) error {
		for read := 0; read < maxCallsFile; read += callsOfFile {
			got, err := cs.callsBy(ctx, a, query, callsOfFile, cs.fileViews)
			if err == nil {
				err = page(got.Calls)
			}
			if query.Before = got.Next; err != nil || got.Next == "" {
				return err
			}
		}
		return nil
	})
}

// WriteCallsByID writes calls as CSV, in their order, in a's zone. Error: ErrForbidden.
func (cs *Calls) WriteCallsByID(ctx context.Context, a firm.Actor, ids []uuid.UUID, w io.Writer) error {
	if !a.MayDo(rights.Export) {
		return firm.ErrForbidden
	}
	return writeCalls(ctx, a, w, func(ctx context.Context, page func([]contract.Call) error) error {
		for some := range slices.Chunk(ids, callsOfFile) {
			got, err := cs.fileViews(ctx, a, some)
			if err == nil {
				err = page(got)
			}
			if err != nil {
				return err
			}
		}
		return nil
	})
}

// writeCalls writes pages of calls as CSV.
func writeCalls(ctx context.Context, a firm.Actor, w io.Writer,
	read func(context.Context, func([]contract.Call) error) error) error {
	out, err := formats.NewCSVWriter(w,
		[]string{"Started", "Direction", "Person", "Company", "Number", "Line", "Source", "Colleague", "Ended as",
			"Ringing (s)", "Talking (s)",
			"Message (s)", "Call type", "Subject", "Outcome", "Notes", "Written down afterwards"})
	if err != nil {
		return err
	}
	// The next calls are read while these are written.
	pages := make(chan []contract.Call, 1)
	both, ctx := errgroup.WithContext(ctx)
	both.Go(func() error {
		defer close(pages)
		return read(ctx, func(page []contract.Call) error {
			select {
			case pages <- page:
				return nil
			case <-ctx.Done():
				return ctx.Err()
			}
		})
	})
	both.Go(func() error {
		for calls := range pages {
			for _, c := range calls {
				if err := out.Write(callCells(c, a)); err != nil {
					return err
				}
			}
			if err := out.Flush(); err != nil {
				return err
			}
		}
		return nil
	})
	return both.Wait()
}

// fileViews reads calls in the order of ids, with what a file says of them and no more.
func (cs *Calls) fileViews(ctx context.Context, a firm.Actor, ids []uuid.UUID) ([]contract.Call, error) {
	f, err := cs.Settings(ctx)
	if err != nil {
		return nil, err
	}
	// Both halves are read at once: the database is what takes long.
	var halves [2][]db.CallsForFileRow
	both, within := errgroup.WithContext(ctx)
	for i, part := range [][]uuid.UUID{ids[:len(ids)/2], ids[len(ids)/2:]} {
		both.Go(func() (err error) {
			halves[i], err = cs.Store.CallsForFile(within, db.CallsForFileParams{Me: a.ID, Ids: part})
			return err
		})
	}
	if err := both.Wait(); err != nil {
		return nil, err
	}
	rows := slices.Concat(halves[0], halves[1])
	views := make([]contract.Call, len(rows))
	for i, r := range rows {
		views[i] = viewOf(db.CallsByIDsRow{ID: r.ID, Direction: r.Direction, LineID: r.LineID, RemoteE164: r.RemoteE164,
			RemoteExt: r.RemoteExt, RemoteTyped: r.RemoteTyped, StartedAt: r.StartedAt, EndReason: r.EndReason,
			RingMs: r.RingMs, TalkMs: r.TalkMs, MessageMs: r.MessageMs, ByHand: r.ByHand, PlacedBy: r.PlacedBy,
			ColleagueID: r.ColleagueID, PlacedName: r.PlacedName, SlipID: r.SlipID, RepID: r.RepID, RepName: r.RepName,
			Subject: r.Subject, CallTypeID: r.CallTypeID, OutcomeID: r.OutcomeID, Visible: r.Visible,
			HandedTo: r.HandedTo, RepTeams: f.TeamsOf[r.RepID], NotesBody: r.NotesBody}, a, f)
		for role, name := range map[contract.CallLinkRole]string{contract.CallLinkRolePerson: r.Person,
			contract.CallLinkRoleCompany: r.Company} {
			if name != "" {
				views[i].Links = append(views[i].Links, contract.CallLink{Role: role,
					Record: contract.RecordRef{Name: name}})
			}
		}
	}
	return views, nil
}

func callCells(c contract.Call, a firm.Actor) []string {
	person, company := "", ""
	for _, l := range c.Links {
		switch {
		case l.Role == contract.CallLinkRolePerson && person == "":
			person = l.Record.Name
		case l.Role == contract.CallLinkRoleCompany && company == "":
			company = l.Record.Name
		}
	}
	byHand := ""
	if c.ByHand {
		byHand = "yes"
	}
	seconds := func(ms int64) string {
		if ms == 0 {
			return ""
		}
		return strconv.FormatFloat(float64(ms)/1000, 'f', 1, 64)
	}
	return []string{c.State.StartedAt.In(a.Location()).Format("2006-01-02 15:04:05"), string(c.Direction), person,
		company, c.Display, c.Line, c.Source, c.Slip.RepName,
		ReasonText(call.Reason(c.State.EndReason)), seconds(c.RingMs), seconds(c.TalkMs), seconds(c.MessageMs),
		c.Slip.CallType, c.Slip.Subject, c.Slip.Outcome,
		c.Slip.Notes.Body, byHand}
}
