package rounds

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"trundo/internal/contract"
	"trundo/internal/core/callerid"
	"trundo/internal/core/fields"
	"trundo/internal/core/outcome"
	"trundo/internal/core/phone"
	"trundo/internal/core/rights"
	"trundo/internal/core/round"
	"trundo/internal/desk/book"
	"trundo/internal/desk/firm"
	"trundo/internal/optional"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// maxOnRound is how many people a round has at most, and lookedAt at how many a preview looks.
const (
	maxOnRound = 200_000
	lookedAt   = 5_000
)

// ErrRoundOver is told who wants to go on with a round that has ended.
var ErrRoundOver = errors.New("this round is over")

// roundSource are the people of a round, in the order of their list, and what it is called.
type roundSource struct {
	ids   []uuid.UUID
	about map[uuid.UUID]uuid.UUID // the deal or case about which somebody is called
	name  string
	list  *uuid.UUID
}

// Owed is what a rep owes, of which a round can be made.
type Owed interface {
	Lane(ctx context.Context, a firm.Actor) (contract.Lane, error)
}

// sourceOf understands of whom a round is. Errors: *FieldError, ErrNotFound.
func (rs *Rounds) sourceOf(ctx context.Context, a firm.Actor, f *firm.Settings,
	s contract.RoundStart) (roundSource, error) {
	var src roundSource
	sel := s.Selection
	given := 0
	for _, is := range []bool{s.Selection != nil, s.ListID != nil, optional.Value(s.Lane)} {
		if is {
			given++
		}
	}
	switch {
	case given != 1:
		return src, firm.Wrong("selection", "say of whom the round is: a selection, a list, or the lane")
	case optional.Value(s.Lane):
		lane, err := rs.owed.Lane(ctx, a)
		if err != nil {
			return src, err
		}
		src.name = "From the lane"
		for _, e := range lane.Owed {
			if e.Record != nil && !slices.Contains(src.ids, e.Record.ID) {
				src.ids = append(src.ids, e.Record.ID)
			}
		}
		sel = &contract.Selection{Ids: &src.ids}
		if len(src.ids) == 0 {
			return src, firm.About("lane", round.ErrNobody)
		}
	case s.ListID != nil:
		l, err := rs.Book.List(ctx, a, *s.ListID)
		if err != nil {
			return src, firm.About("list_id", err)
		}
		src.name, src.list = l.Name, s.ListID
		q := contract.RowQuery{Kinds: book.KindsOf(l.Kind), Q: l.Query.Q, Filter: l.Query.Filter, Sort: l.Query.Sort,
			Down: l.Query.Down}
		if l.Type == contract.RecordListTypeHand {
			q.ListID = s.ListID
		}
		sel = &contract.Selection{Query: &q}
	}
	chosen, err := rs.Book.Selection(a, f, *sel)
	if err != nil {
		return src, err
	}
	people, err := rs.Store.SelectedInOrder(ctx, chosen,
		[]fields.Kind{fields.Contact, fields.Lead, fields.Company, fields.Deal, fields.Case}, maxOnRound+1)
	if err != nil {
		return src, err
	}
	src.ids, src.about = make([]uuid.UUID, len(people)), map[uuid.UUID]uuid.UUID{}
	for i, x := range people {
		if src.ids[i] = x.ID; x.About != nil {
			src.about[x.ID] = *x.About
		}
	}
	if len(src.ids) > maxOnRound {
		return src, firm.Wrong("selection", "a round takes at most 200,000 people: narrow the list")
	}
	if name := firm.CleanText(optional.Value(s.Name)); name != "" {
		src.name = name
	} else if src.name == "" {
		src.name = fmt.Sprintf("%d people, %s", len(src.ids), rs.Dates().LongDay(rs.Clock.Now().In(a.Location())))
	}
	return src, nil
}

// checkRound tells what is wrong with a round's settings. Errors: *FieldError.
func (rs *Rounds) checkRound(ctx context.Context, f *firm.Settings, s contract.RoundSettings) error {
	var bad *round.SettingError
	if err := roundRules(s).Check(); errors.As(err, &bad) {
		return firm.About("settings."+bad.Field, err)
	}
	outcomeThere := func(id uuid.UUID) bool {
		o, there := f.Outcome(id)
		return there && o.Active
	}
	if s.MessageOutcomeID != nil && !outcomeThere(*s.MessageOutcomeID) {
		return firm.Wrong("settings.message_outcome_id", "there is no such outcome")
	}
	if s.CallTypeID != nil {
		if t, there := f.CallType(*s.CallTypeID); !there || !t.Active {
			return firm.Wrong("settings.call_type_id", "there is no such call type")
		}
	}
	if s.Shown == contract.RoundSettingsShownLine {
		if s.LineID == nil || !slices.ContainsFunc(f.Lines,
			func(l callerid.Line) bool { return l.ID == s.LineID.String() }) {
			return firm.Wrong("settings.line_id", "choose the line that is shown")
		}
	}
	if s.MessageID != nil {
		if _, err := rs.Store.PreparedMessage(ctx, *s.MessageID); store.NotFound(err) {
			return firm.Wrong("settings.message_id", "there is no such message")
		} else if err != nil {
			return err
		}
	}
	return nil
}

// PreviewRound says how many could be called now, and why the others could not. Errors: *FieldError.
func (rs *Rounds) PreviewRound(ctx context.Context, a firm.Actor,
	s contract.RoundStart) (contract.RoundPreview, error) {
	view := contract.RoundPreview{Why: []contract.RoundReason{}, Going: []contract.RoundRef{}}
	f, err := rs.Settings(ctx)
	if err != nil {
		return view, err
	}
	if err := rs.checkRound(ctx, f, s.Settings); err != nil {
		return view, err
	}
	src, err := rs.sourceOf(ctx, a, f, s)
	if err != nil {
		return view, err
	}
	view.Name, view.Total, view.LookedAt = src.name, len(src.ids), min(len(src.ids), lookedAt)
	why := map[round.Reason]int{}
	rules, times := roundRules(s.Settings), rs.roundTimes(a)
	for chunk := range slices.Chunk(src.ids[:view.LookedAt], chunkOfRound) {
		people, err := rs.roundPeople(ctx, rs.Store.Queries, a, f, chunk)
		if err != nil {
			return view, err
		}
		for _, id := range chunk {
			if v := round.Judge(people[id].person, rules, times, "", nil); v.Reason == round.None {
				view.Ready++
			} else {
				why[v.Reason]++
			}
		}
	}
	view.Sentence = round.Sentence(view.LookedAt, why)
	if view.LookedAt < view.Total {
		view.Sentence = fmt.Sprintf("Of the first %d of %d: %s", view.LookedAt, view.Total,
			strings.ToLower(view.Sentence[:1])+view.Sentence[1:])
	}
	for r, n := range why {
		view.Why = append(view.Why, contract.RoundReason{Reason: string(r), Words: round.Words(r), Count: n})
	}
	slices.SortFunc(view.Why, func(x, y contract.RoundReason) int { return y.Count - x.Count })
	if src.list != nil {
		rows, err := rs.Store.RoundsOfList(ctx, src.list)
		if err != nil {
			return view, err
		}
		for _, r := range rows {
			view.Going = append(view.Going,
				contract.RoundRef{ID: r.ID, Name: r.Name, Starter: r.Starter, Remaining: r.Remaining,
					Going: []string{}})
		}
	}
	return view, nil
}

// StartRound makes a round: its first people are ready when it returns, the rest are put on it behind. Nobody is called
// before its rep goes on. The same key makes it once. Errors: *FieldError, ErrForbidden, ErrKeyReused.
func (rs *Rounds) StartRound(ctx context.Context, a firm.Actor, key string,
	s contract.RoundStart) (contract.Round, error) {
	f, err := rs.Settings(ctx)
	if err != nil {
		return contract.Round{}, err
	}
	rep := a
	if s.RepID != nil && *s.RepID != a.ID {
		if !rs.MayOf(ctx, a, rights.LeadRounds, s.RepID) {
			return contract.Round{}, firm.ErrForbidden
		}
		if rep, err = rs.Actor(ctx, *s.RepID); err != nil {
			return contract.Round{}, firm.Wrong("rep_id", "there is nobody with this id")
		}
	}
	if err := rs.checkRound(ctx, f, s.Settings); err != nil {
		return contract.Round{}, err
	}
	src, err := rs.sourceOf(ctx, rep, f, s)
	if err != nil {
		return contract.Round{}, err
	}
	if len(src.ids) == 0 {
		return contract.Round{}, firm.About("selection", round.ErrNobody)
	}
	settings, err := json.Marshal(s.Settings)
	if err != nil {
		return contract.Round{}, err
	}
	first, rest, err := rs.firstOnRound(ctx, s.Settings, src.ids)
	if err != nil {
		return contract.Round{}, err
	}
	id, hash, now := store.NewID(), firm.HashRequest(s), rs.Clock.Now()
	p := db.InsertRoundParams{ID: id, Name: src.name, ListID: src.list, StartedBy: a.ID, StartedAt: now,
		Settings: settings, Source: json.RawMessage(`{}`), Total: len(first)}
	if len(rest) > 0 {
		if p.Source, err = json.Marshal(s); err != nil {
			return contract.Round{}, err
		}
	}
	err = rs.Store.TxBoth(ctx, func(q *db.Queries, tx pgx.Tx) error {
		if err := rs.Remember(ctx, q, a, key, "start_round", hash, id); err != nil {
			return err
		}
		if err := q.InsertRound(ctx, p); err != nil {
			return err
		}
		why := ""
		if rep.ID != a.ID {
			why = "started for you by " + a.Name
		}
		if err := q.PutRoundRep(ctx, db.PutRoundRepParams{RoundID: id, UserID: rep.ID, State: "paused",
			TakesCalls: s.Settings.TakesCalls, Since: now, Why: why}); err != nil {
			return err
		}
		if err := rs.putDefaults(ctx, q, "user:"+rep.ID.String(), s.Settings); err != nil {
			return err
		}
		if err := putMatters(ctx, q, id, src.about); err != nil {
			return err
		}
		return rs.putOnRound(ctx, q, tx, rep, f, id, roundRules(s.Settings), first)
	})
	if store.Duplicate(err) {
		earlier, found, again := rs.EarlierAnswer(ctx, a, key, "start_round", hash)
		if again != nil || !found {
			return contract.Round{}, firm.ErrKeyReused
		}
		return rs.Round(ctx, a, earlier)
	}
	if err != nil {
		return contract.Round{}, err
	}
	if len(rest) > 0 {
		rs.InBackground(func(ctx context.Context) { rs.prepareRound(ctx, rep, id, s.Settings, len(first), rest) })
	}
	rs.PublishLane(rep.ID)
	return rs.Round(ctx, a, id)
}

// putMatters keeps about what the people of a round are called.
func putMatters(ctx context.Context, q *db.Queries, id uuid.UUID, about map[uuid.UUID]uuid.UUID) error {
	if len(about) == 0 {
		return nil
	}
	p := db.PutRoundMattersParams{RoundID: id}
	for person, matter := range about {
		p.People, p.Matters = append(p.People, person), append(p.Matters, matter)
	}
	return q.PutRoundMatters(ctx, p)
}

// Rounds are those that are not over, a's own first.
func (rs *Rounds) Rounds(ctx context.Context, a firm.Actor) ([]contract.RoundRef, error) {
	rows, err := rs.Store.OpenRounds(ctx, a.ID)
	views := []contract.RoundRef{}
	for _, r := range rows {
		views = append(views, contract.RoundRef{ID: r.ID, Name: r.Name, Starter: r.Starter, Remaining: r.Remaining,
			Mine: contract.RoundRefMine(r.Mine), Why: r.Why, Going: r.Going})
	}
	return views, err
}

// RoundChoices are what a's start page begins with, and what can be chosen on it.
func (rs *Rounds) RoundChoices(ctx context.Context, a firm.Actor) (contract.RoundChoices, error) {
	view := contract.RoundChoices{Lines: []contract.RoundLine{}, Says: []uuid.UUID{}}
	f, err := rs.Settings(ctx)
	if err != nil {
		return view, err
	}
	for _, l := range f.Lines {
		view.Lines = append(view.Lines,
			contract.RoundLine{ID: uuid.MustParse(l.ID),
				Label: strings.TrimSpace(l.Label + " " + phone.Format(l.E164, "", f.Region, a.Style))})
	}
	for _, o := range f.Outcomes {
		if o.Active && slices.ContainsFunc(o.Effects, func(e outcome.Effect) bool { return e.Kind == outcome.Retry }) {
			view.Says = append(view.Says, o.ID)
		}
	}
	view.Settings, err = rs.RoundDefaults(ctx, a)
	return view, err
}

// RoundDefaults are what a's start page begins with: a's last choice, else the team's, else what is usual.
func (rs *Rounds) RoundDefaults(ctx context.Context, a firm.Actor) (contract.RoundSettings, error) {
	f, err := rs.Settings(ctx)
	if err != nil {
		return contract.RoundSettings{}, err
	}
	mine, team := "user:"+a.ID.String(), "team:"+a.Team
	rows, err := rs.Store.RoundDefaults(ctx, []string{mine, team})
	if err != nil {
		return contract.RoundSettings{}, err
	}
	s := usualRound(f)
	for _, whose := range []string{team, mine} {
		for _, r := range rows {
			if r.Whose == whose {
				if err := json.Unmarshal(r.Settings, &s); err != nil {
					return s, err
				}
			}
		}
	}
	// What has been taken off since is not offered.
	s.Then = slices.DeleteFunc(s.Then, func(x contract.RoundRule) bool {
		o, there := f.Outcome(x.OutcomeID)
		return !there || !o.Active
	})
	if s.MessageOutcomeID != nil {
		if o, there := f.Outcome(*s.MessageOutcomeID); !there || !o.Active {
			s.MessageOutcomeID = nil
		}
	}
	return s, nil
}

// usualRound is what a first start page says. What follows an outcome is as the outcome itself says it, as far as it
// does.
func usualRound(f *firm.Settings) contract.RoundSettings {
	s := contract.RoundSettings{Order: contract.RoundSettingsOrderListed, SkipCalledToday: true, PerDay: 2, PerRound: 4,
		Pace: contract.RoundSettingsPaceAtOnce, Seconds: 5, RetryMinutes: 120, OtherHour: true,
		Then: []contract.RoundRule{}, Shown: contract.RoundSettingsShownRep, Record: contract.RoundSettingsRecordRules, TakesCalls: true,
		Promises: true}
	for _, o := range f.Outcomes {
		if o.Reached || !o.Active {
			continue
		}
		has := func(kind outcome.Kind) bool {
			return slices.ContainsFunc(o.Effects, func(e outcome.Effect) bool { return e.Kind == kind })
		}
		then := contract.RoundRuleThenAgain
		switch {
		case has(outcome.DoNotCall):
			then = contract.RoundRuleThenNextNumber
		case has(outcome.Message), has(outcome.Mail):
			then = contract.RoundRuleThenNotAgain
			if s.MessageOutcomeID == nil {
				s.MessageOutcomeID = &o.ID
			}
		}
		s.Then = append(s.Then, contract.RoundRule{OutcomeID: o.ID, Then: then})
	}
	return s
}

// SetRoundDefaults sets what start pages of a's team begin with. Errors: ErrForbidden, *FieldError.
func (rs *Rounds) SetRoundDefaults(ctx context.Context, a firm.Actor,
	s contract.RoundSettings) (contract.RoundSettings, error) {
	if !a.Rights[rights.LeadRounds].Covers(rights.Team) {
		return s, firm.ErrForbidden
	}
	f, err := rs.Settings(ctx)
	if err != nil {
		return s, err
	}
	if err := rs.checkRound(ctx, f, s); err != nil {
		return s, err
	}
	return s, rs.putDefaults(ctx, rs.Store.Queries, "team:"+a.Team, s)
}

func (rs *Rounds) putDefaults(ctx context.Context, q *db.Queries, whose string, s contract.RoundSettings) error {
	text, err := json.Marshal(s)
	if err != nil {
		return err
	}
	return q.PutRoundDefaults(ctx, db.PutRoundDefaultsParams{Whose: whose, Settings: text})
}

// SetRoundSettings changes how a round goes on, for everybody on it. Who works on it may, who started it, and who
// leads. Errors: *FieldError, ErrNotFound, ErrForbidden, ErrChangedElse.
func (rs *Rounds) SetRoundSettings(ctx context.Context, a firm.Actor, id uuid.UUID,
	s contract.RoundSettings) (contract.Round, error) {
	f, err := rs.Settings(ctx)
	if err != nil {
		return contract.Round{}, err
	}
	if err := rs.checkRound(ctx, f, s); err != nil {
		return contract.Round{}, err
	}
	r, err := rs.round(ctx, a, id)
	if err != nil {
		return contract.Round{}, err
	}
	if !rs.MayOf(ctx, a, rights.LeadRounds, &r.StartedBy) {
		if rep, err := rs.Store.RoundRep(ctx, db.RoundRepParams{RoundID: id, UserID: a.ID}); err != nil ||
			rep.State == "left" {
			return contract.Round{}, firm.ErrForbidden
		}
	}
	text, err := json.Marshal(s)
	if err != nil {
		return contract.Round{}, err
	}
	n, err := rs.Store.SetRoundSettings(ctx, db.SetRoundSettingsParams{ID: id, Settings: text, Version: r.Version})
	if err != nil {
		return contract.Round{}, err
	}
	if n == 0 {
		return contract.Round{}, firm.ErrChangedElse
	}
	if s.Order != r.settings.Order {
		rs.InBackground(func(ctx context.Context) { rs.rankRound(ctx, a, id) })
	}
	if err := rs.putDefaults(ctx, rs.Store.Queries, "user:"+a.ID.String(), s); err != nil {
		return contract.Round{}, err
	}
	rs.PublishRound(id, a.ID)
	return rs.Round(ctx, a, id)
}

// aRound is a round with its settings.
type aRound struct {
	db.RoundRow
	settings contract.RoundSettings
	rules    round.Settings
}

// round reads one. Everybody of the firm may see and join a round; of a list that is not theirs they may not. Error:
// ErrNotFound.
func (rs *Rounds) round(ctx context.Context, a firm.Actor, id uuid.UUID) (aRound, error) {
	r, err := readRound(ctx, rs.Store.Queries, id)
	if err != nil || r.ListID == nil || r.StartedBy == a.ID {
		return r, err
	}
	may, err := rs.Store.MaySeeRound(ctx, db.MaySeeRoundParams{ListID: *r.ListID, UserID: a.ID, RoundID: id})
	if err == nil && !may {
		err = firm.ErrNotFound
	}
	return r, err
}

// readRound reads a round whoever asks, by q alone: within a transaction nothing may wait for another connection.
func readRound(ctx context.Context, q *db.Queries, id uuid.UUID) (aRound, error) {
	r := aRound{}
	var err error
	if r.RoundRow, err = q.Round(ctx, id); store.NotFound(err) {
		return r, firm.ErrNotFound
	} else if err != nil {
		return r, err
	}
	if err := json.Unmarshal(r.Settings, &r.settings); err != nil {
		return r, fmt.Errorf("settings of round %s: %w", id, err)
	}
	r.rules = roundRules(r.settings)
	return r, nil
}
