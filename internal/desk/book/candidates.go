package book

import (
	"context"
	"slices"
	"time"

	"github.com/google/uuid"

	"trundo/internal/core/datetime"
	"trundo/internal/core/match"
	"trundo/internal/core/slip"
	"trundo/internal/desk/firm"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// WhoseNumber ranks the records that have a number: those that store it, and those on which an earlier call with it was
// put by hand. Only where there are several is it asked what speaks for each.
func (bk *Book) WhoseNumber(ctx context.Context, a firm.Actor, e164,
	ext string) ([]match.Match, []db.NumberCandidatesRow, error) {
	w, err := bk.whoHas(ctx, e164, ext)
	if err != nil {
		return nil, nil, err
	}
	return w.rank(a, ext, bk.Clock.Now(), bk.Dates()), w.rows, nil
}

// WhoClearly is the record that is clearly meant by a number, with who owns it; nil where there is none or are several.
func (bk *Book) WhoClearly(ctx context.Context, e164, ext string) (record, owner *uuid.UUID, err error) {
	matches, rows, err := bk.WhoseNumber(ctx, firm.Actor{}, e164, ext)
	if err != nil {
		return nil, nil, err
	}
	winner, clear := match.Winner(matches)
	for _, r := range rows {
		if clear && r.RecordID.String() == winner {
			return &r.RecordID, r.OwnerID, nil
		}
	}
	return nil, nil, nil
}

// WhoseRing is whoseNumber for a call that rings, in many windows at once.
func (bk *Book) WhoseRing(ctx context.Context, a firm.Actor, call uuid.UUID, e164,
	ext string) ([]match.Match, []db.NumberCandidatesRow, error) {
	w, err := firm.SharedAnswer(ctx, bk.Firm, "who "+call.String(),
		func(ctx context.Context) (holders, error) { return bk.whoHas(ctx, e164, ext) })
	if err != nil {
		return nil, nil, err
	}
	return w.rank(a, ext, bk.Clock.Now(), bk.Dates()), w.rows, nil
}

// holders are those who have a number, whoever asks.
type holders struct {
	candidates []match.Candidate
	owners     []*uuid.UUID // of the candidates
	rows       []db.NumberCandidatesRow
}

// rank ranks holders for a.
func (w holders) rank(a firm.Actor, ext string, now time.Time, dates datetime.Style) []match.Match {
	candidates := slices.Clone(w.candidates)
	for i, owner := range w.owners {
		candidates[i].OwnerIsMe = owner != nil && *owner == a.ID
	}
	return match.Rank(candidates, ext, now.In(a.Location()), dates)
}

func (bk *Book) whoHas(ctx context.Context, e164, ext string) (holders, error) {
	var w holders
	rows, err := bk.Store.NumberCandidates(ctx, &e164)
	if err != nil {
		return w, err
	}
	past, err := bk.Store.PastCandidates(ctx, db.PastCandidatesParams{E164: e164, Ext: ext})
	if err != nil {
		return w, err
	}
	place := map[uuid.UUID]int{}
	add := func(c match.Candidate, id uuid.UUID, owner *uuid.UUID) {
		place[id] = len(w.candidates)
		w.candidates, w.owners = append(w.candidates, c), append(w.owners, owner)
	}
	for _, row := range rows {
		c := match.Candidate{Record: row.RecordID.String(), Company: row.Kind == "company", Ext: row.Ext}
		if at, seen := place[row.RecordID]; !seen {
			add(c, row.RecordID, row.OwnerID)
		} else if row.Ext == ext {
			w.candidates[at].Ext = ext // of several extensions that a record has, the one that was dialed
		}
	}
	for _, row := range past {
		add(match.Candidate{Record: row.RecordID.String(), Company: row.Kind == "company", Past: true}, row.RecordID,
			row.OwnerID)
		rows = append(rows, db.NumberCandidatesRow{RecordID: row.RecordID, Kind: row.Kind, Name: row.Name,
			CompanyID: row.CompanyID, PersonID: row.PersonID, OwnerID: row.OwnerID})
	}
	if w.rows = rows; len(w.candidates) > 1 || len(past) > 0 {
		err = bk.signs(ctx, e164, ext, w.candidates, place)
	}
	return w, err
}

// signs fills in what speaks for each of several candidates.
func (bk *Book) signs(ctx context.Context, e164, ext string, candidates []match.Candidate,
	place map[uuid.UUID]int) error {
	ids := make([]uuid.UUID, 0, len(place))
	for id := range place {
		ids = append(ids, id)
	}
	signs, err := bk.Store.MatchSigns(ctx, db.MatchSignsParams{E164: e164, Ids: ids})
	if err != nil {
		return err
	}
	for _, s := range signs {
		c := &candidates[place[s.ID]]
		c.OpenDeal, c.OpenCase, c.Spoke, c.Tried = s.OpenDeal, s.OpenCase, s.SpokeAt, s.TriedAt
	}
	chosen, err := bk.Store.NumberChoice(ctx, db.NumberChoiceParams{E164: e164, Ext: ext})
	if store.NotFound(err) {
		return nil
	} else if err != nil {
		return err
	}
	if at, there := place[chosen]; there {
		candidates[at].Learnt = true
	}
	return nil
}

// Learn keeps whom a has chosen for the number of a call, for the next time.
func (bk *Book) Learn(ctx context.Context, q *db.Queries, a firm.Actor, callID, record uuid.UUID) error {
	c, err := q.CallByID(ctx, db.CallByIDParams{Me: a.ID, ID: callID})
	if err != nil || c.RemoteE164 == "" {
		return err
	}
	return q.ChooseForNumber(ctx, db.ChooseForNumberParams{E164: c.RemoteE164, Ext: c.RemoteExt, RecordID: record,
		UserID: &a.ID, At: bk.Clock.Now()})
}

// CallerLinks are the links of a call to the one record that is clearly meant by its number, and the number's label
// there; none where several may be.
func CallerLinks(matches []match.Match, rows []db.NumberCandidatesRow) ([]slip.Link, string) {
	record, ok := match.Winner(matches)
	if !ok {
		return nil, ""
	}
	for _, row := range rows {
		if row.RecordID.String() == record {
			return slip.LinksFor(firm.Subject(row.RecordID, row.Kind, row.CompanyID, row.PersonID),
				"they called from their number"), row.Label
		}
	}
	return nil, ""
}
