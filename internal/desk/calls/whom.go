package calls

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"sort"
	"strings"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/whom"
	"trundo/internal/desk/firm"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// Whom are the colleagues that a could ask about a call, the best guess first; q narrows them by name, team, skill or
// extension. Error: ErrNotFound.
func (ps *Parties) Whom(ctx context.Context, a firm.Actor, id uuid.UUID, q string) (contract.Whom, error) {
	w := contract.Whom{People: []contract.Askable{}, Lines: []contract.AskableLine{}, Routes: []contract.AskableRoute{}}
	view, err := ps.CallView(ctx, a, id)
	if err != nil {
		return w, err
	}
	team, err := ps.Team.Colleagues(ctx)
	if err != nil {
		return w, err
	}
	_, doing, err := ps.Team.presence(ctx)
	if err != nil {
		return w, err
	}
	knows, err := ps.skills(ctx)
	if err != nil {
		return w, err
	}
	owner, spoke, err := ps.knowThem(ctx, view)
	if err != nil {
		return w, err
	}
	if ps.router != nil {
		routes, err := ps.router.RoutesToGive(ctx)
		if err != nil {
			return w, err
		}
		for _, r := range routes {
			if strings.Contains(strings.ToLower(r.Name), strings.ToLower(strings.TrimSpace(q))) {
				w.Routes = append(w.Routes, r)
			}
		}
	}
	of := map[string]contract.Askable{}
	var list []whom.Colleague
	for _, c := range team {
		k := knows[c.ID]
		askable := contract.Askable{Colleague: c, Skills: k.names(), Line: k.line(), Rings: doing[c.ID].ForColleague()}
		if c.ID == a.ID || !k.fits(c.Name, q) {
			continue
		}
		of[c.ID.String()] = askable
		d := doing[c.ID]
		list = append(list, whom.Colleague{ID: c.ID.String(), Name: c.Name, Owns: owner == c.ID, SpokeAt: spoke[c.ID],
			Skills: k.skills, SameTeam: slices.ContainsFunc(k.teams,
				func(t string) bool { return slices.Contains(a.Teams, t) }),
			Free: d.Free(), Rings: d.ForColleague()})
	}
	about := strings.Join([]string{view.Slip.Subject, view.Slip.CallType, view.Slip.Notes.Body}, " ")
	for _, choice := range whom.Rank(list, about, ps.Clock.Now()) {
		x := of[choice.ID]
		x.Reason = choice.Reason
		w.People = append(w.People, x)
	}
	w.Lines, err = ps.linesToGive(ctx, q)
	return w, err
}

// linesToGive are the firm's lines, to whose people a call can be given; q narrows them by name.
func (ps *Parties) linesToGive(ctx context.Context, q string) ([]contract.AskableLine, error) {
	f, err := ps.Settings(ctx)
	if err != nil {
		return nil, err
	}
	lines := []contract.AskableLine{}
	for _, l := range f.Lines {
		id, err := uuid.Parse(l.ID)
		if err != nil || !(knowledge{}).fits(f.LineLabels[id], q) {
			continue
		}
		row, err := ps.Store.LineByNumber(ctx, l.E164)
		if err != nil {
			return nil, err
		}
		reps, err := ps.Arrivals.repsOf(ctx, id)
		if err != nil {
			return nil, err
		}
		line := contract.AskableLine{ID: id, Label: row.Label,
			Open: hoursOf(row.Hours).Open(ps.Clock.Now().In(firm.ZoneNamed(row.Zone)))}
		for _, r := range reps {
			if r.Free() {
				line.Free++
			}
		}
		lines = append(lines, line)
	}
	return lines, nil
}

// knowledge is what somebody knows and where they are found.
type knowledge struct {
	skills    map[string]int
	languages []string
	teams     []string
	extension string
}

func (k knowledge) names() []string {
	names := []string{}
	for s := range k.skills {
		names = append(names, s)
	}
	sort.Slice(names, func(i, j int) bool {
		if k.skills[names[i]] != k.skills[names[j]] {
			return k.skills[names[i]] > k.skills[names[j]]
		}
		return names[i] < names[j]
	})
	return names
}

func (k knowledge) line() string {
	parts := slices.Clone(k.teams)
	if k.extension != "" {
		parts = append(parts, "ext. "+k.extension)
	}
	return strings.Join(parts, ", ")
}

// fits tells whether each word of q begins a word of the name, a team or a skill, or is the extension.
func (k knowledge) fits(name, q string) bool {
	words := strings.Fields(strings.ToLower(strings.Join(append(append(append([]string{name, k.extension}, k.teams...),
		k.languages...), k.names()...), " ")))
	for _, w := range strings.Fields(strings.ToLower(q)) {
		if !slices.ContainsFunc(words, func(x string) bool { return strings.HasPrefix(x, w) }) {
			return false
		}
	}
	return true
}

// skills are what everybody of the firm knows.
func (ps *Parties) skills(ctx context.Context) (map[uuid.UUID]knowledge, error) {
	rows, err := ps.Store.SkillsOf(ctx)
	if err != nil {
		return nil, err
	}
	all := make(map[uuid.UUID]knowledge, len(rows))
	for _, r := range rows {
		k := knowledge{languages: r.Languages, teams: r.Teams, extension: r.Extension}
		if err := json.Unmarshal(r.Skills, &k.skills); err != nil {
			return nil, fmt.Errorf("skills of %s: %w", r.ID, err)
		}
		all[r.ID] = k
	}
	return all, nil
}

// knowThem are who looks after the record that a call is with, and when each colleague last spoke with it.
func (ps *Parties) knowThem(ctx context.Context, view contract.Call) (uuid.UUID, map[uuid.UUID]time.Time, error) {
	spoke := map[uuid.UUID]time.Time{}
	if len(view.Links) == 0 {
		return uuid.Nil, spoke, nil
	}
	record := view.Links[0].Record.ID
	owner, err := ps.Store.OwnerOf(ctx, record)
	if err != nil && !store.NotFound(err) {
		return uuid.Nil, nil, err
	}
	rows, err := ps.Store.LastSpoken(ctx, db.LastSpokenParams{RecordID: record, Without: view.ID})
	if err != nil {
		return uuid.Nil, nil, err
	}
	for _, r := range rows {
		spoke[r.UserID] = r.At
	}
	if owner == nil {
		return uuid.Nil, spoke, nil
	}
	return *owner, spoke, nil
}
