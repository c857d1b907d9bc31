package rounds

import (
	"context"
	"strings"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/fields"
	"trundo/internal/core/phone"
	"trundo/internal/core/round"
	"trundo/internal/desk/firm"
	"trundo/internal/store/db"
)

// onRound is somebody as a round judges them.
type onRound struct {
	record  contract.RecordRef
	company string
	person  round.Person
	numbers []db.NumbersOfRow // in number order, each in the place of person.Numbers
}

// roundTimes are what a judgement depends on, for a.
func (rs *Rounds) roundTimes(a firm.Actor) round.Times {
	now := rs.Clock.Now().In(a.Location())
	return round.Times{Now: now, DayStart: firm.DayStart(now, a.Location()), Hours: rs.Hours}
}

// roundPeople reads what decides whether people are called now, as a sees it.
func (rs *Rounds) roundPeople(ctx context.Context, q *db.Queries, a firm.Actor, f *firm.Settings,
	ids []uuid.UUID) (map[uuid.UUID]onRound, error) {
	now := rs.Clock.Now()
	p := db.RoundFactsParams{Now: &now, DayStart: firm.DayStart(now, a.Location()), UserID: &a.ID, Ids: ids}
	if p.Since = now.Add(-4 * time.Hour); p.DayStart.Before(p.Since) {
		p.Since = p.DayStart
	}
	facts, err := q.RoundFacts(ctx, p)
	if err != nil {
		return nil, err
	}
	numbers, err := q.NumbersOf(ctx, ids)
	if err != nil {
		return nil, err
	}
	of := map[uuid.UUID][]db.NumbersOfRow{}
	for _, n := range numbers {
		of[n.RecordID] = append(of[n.RecordID], n)
	}
	people := make(map[uuid.UUID]onRound, len(facts))
	for _, r := range facts {
		x := onRound{record: contract.RecordRef{ID: r.ID, Kind: contract.RecordKind(r.Kind), Name: r.Name},
			company: r.Company,
			person: round.Person{Gone: r.Gone, DoNotCall: r.DoNotCall, CallsToday: r.CallsToday,
				BeingCalled: r.BeingCalled, Value: r.Value, Zone: r.Zone}}
		if r.LastCalled.Year() > 1 {
			x.person.LastCalled = r.LastCalled
		}
		if r.Overdue.Year() > 1 {
			x.person.Overdue = r.Overdue
		}
		theirs := of[r.ID]
		labels := make([]string, len(theirs))
		for i, n := range theirs {
			labels[i] = n.Label
		}
		for _, i := range phone.Order(labels, r.NumberOrder, f.Book.Orders[fields.Kind(r.Kind)]) {
			n := theirs[i]
			x.numbers = append(x.numbers, n)
			x.person.Numbers = append(x.person.Numbers,
				round.Number{ID: n.ID.String(), Label: n.Label, Zones: n.Zones, DoNotCall: n.DncAt != nil ||
					n.ListedAt != nil,
					Dialable: n.E164 != "" && !phone.Emergency(n.E164, f.Region)})
		}
		people[r.ID] = x
	}
	return people, nil
}

// number is the one with an id; nil where it is not there.
func (x onRound) number(id *uuid.UUID) *db.NumbersOfRow {
	for i := range x.numbers {
		if id != nil && x.numbers[i].ID == *id {
			return &x.numbers[i]
		}
	}
	return nil
}

// zonesOf are where a number may be, or the person.
func zonesOf(n *db.NumbersOfRow) []string {
	if n == nil {
		return nil
	}
	if len(n.Zones) == 0 && n.RecordZone != "" {
		return []string{n.RecordZone}
	}
	return n.Zones
}

// reachFrom is from how long ago attempts count.
const reachFrom = 365 * 24 * time.Hour

// kindHistories are what is known of numbers by what they are called: "mobile", "office".
type kindHistories map[string]round.History

// kindsReach is read once in an hour: it is made of many calls.
func (rs *Rounds) kindsReach(ctx context.Context, q *db.Queries) (kindHistories, error) {
	rs.reach.Mu.Lock()
	defer rs.reach.Mu.Unlock()
	if rs.reach.Value != nil && rs.Clock.Since(rs.reach.At) < time.Hour {
		return rs.reach.Value, nil
	}
	rows, err := q.AttemptsByLabel(ctx, rs.Clock.Now().Add(-90*24*time.Hour))
	if err != nil {
		return nil, err
	}
	kinds := kindHistories{}
	for _, r := range rows {
		h := kinds[r.Label]
		h[r.Hour] = round.Tally{Tries: r.Tries, Answered: r.Answered}
		kinds[r.Label] = h
	}
	rs.reach.Value, rs.reach.At = kinds, rs.Clock.Now()
	return kinds, nil
}

// reachOf gives what is known of the hours of people's numbers.
func (rs *Rounds) reachOf(ctx context.Context, q *db.Queries, a firm.Actor, people ...onRound) (round.Reach, error) {
	kinds, err := rs.kindsReach(ctx, q)
	if err != nil {
		return nil, err
	}
	p := db.AttemptsByHourParams{Since: rs.Clock.Now().Add(-reachFrom)}
	byID := map[string]db.NumbersOfRow{}
	for _, x := range people {
		for i, n := range x.numbers {
			byID[n.ID.String()] = n
			zone := a.Location().String()
			for _, z := range zonesOf(&x.numbers[i]) {
				if _, err := time.LoadLocation(z); err == nil && z != "" {
					zone = z
					break
				}
			}
			if n.E164 != "" {
				p.E164s, p.Zones = append(p.E164s, n.E164), append(p.Zones, zone)
			}
		}
	}
	rows, err := q.AttemptsByHour(ctx, p)
	if err != nil {
		return nil, err
	}
	own := map[string]round.History{}
	for _, r := range rows {
		h := own[r.E164]
		h[r.Hour] = round.Tally{Tries: r.Tries, Answered: r.Answered}
		own[r.E164] = h
	}
	return func(id string) (round.History, round.History) {
		n := byID[id]
		return own[n.E164], kinds[strings.ToLower(n.Label)]
	}, nil
}

// chanceNow is the chance that somebody answers the first of their numbers at this hour there.
func (x onRound) chanceNow(reach round.Reach, t round.Times) float64 {
	for i, n := range x.person.Numbers {
		if n.Dialable && !n.DoNotCall {
			own, kind := reach(n.ID)
			return round.Chance(own, kind, round.HourAt(t.Now, zonesOf(&x.numbers[i]), t.Now.Location())).Mean
		}
	}
	return 0
}

// reachText says when a number can best be reached.
func (x onRound) reachText(reach round.Reach, id *uuid.UUID, t round.Times) string {
	if x.number(id) == nil {
		return ""
	}
	own, kind := reach(id.String())
	return round.BestWindow(own, kind, t.Hours.From/60, t.Hours.To/60).Text()
}

// roundRules are a round's settings in the words of core.
func roundRules(s contract.RoundSettings) round.Settings {
	rules := round.Settings{Order: round.Order(s.Order), SkipCalledToday: s.SkipCalledToday, PerDay: s.PerDay,
		PerRound: s.PerRound, Pace: round.Pace(s.Pace), Seconds: s.Seconds,
		RetryMinutes: s.RetryMinutes, OtherHour: s.OtherHour, Then: map[string]round.Then{}}
	for _, x := range s.Then {
		rules.Then[x.OutcomeID.String()] = round.Then(x.Then)
	}
	return rules
}
