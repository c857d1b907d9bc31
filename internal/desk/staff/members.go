package staff

import (
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"net/mail"
	"slices"
	"strings"
	"unicode"

	"github.com/google/uuid"
	"golang.org/x/text/language"

	"trundo/internal/contract"
	"trundo/internal/core/rights"
	"trundo/internal/desk/firm"
	"trundo/internal/optional"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// List is everybody who is or was of the firm, with its teams. Error: firm.ErrForbidden.
func (sf *Staff) List(ctx context.Context, a firm.Actor) (contract.Staff, error) {
	list := contract.Staff{Members: []contract.Member{}}
	if !a.MayDo(rights.Staff) {
		return list, firm.ErrForbidden
	}
	rows, err := sf.Store.Staff(ctx, nil)
	if err != nil {
		return list, err
	}
	for _, r := range rows {
		list.Members = append(list.Members, viewOf(r))
	}
	if list.Teams, err = sf.Store.Teams(ctx); list.Teams == nil {
		list.Teams = []string{}
	}
	return list, err
}

func viewOf(r db.StaffRow) contract.Member {
	return contract.Member{ID: r.ID, Login: r.Login, Name: r.Name, Role: contract.MemberRole(r.Role), Team: r.Team,
		MoreTeams: r.MoreTeams, Skills: skillsOf(r.Skills), Languages: r.Languages,
		Zone: r.Zone, Extension: r.Extension, LineID: r.LineID, Mail: r.MailAddress, Active: r.Active,
		Leaving: r.LeavingSince != nil, Invited: r.Active && r.Invited,
		SecondFactor: r.SecondFactor, SeenAt: r.SeenAt, OffAt: r.OffAt,
		Version: r.Version}
}

func (sf *Staff) member(ctx context.Context, id uuid.UUID) (contract.Member, error) {
	rows, err := sf.Store.Staff(ctx, &id)
	if err != nil {
		return contract.Member{}, err
	}
	if len(rows) == 0 {
		return contract.Member{}, firm.ErrNotFound
	}
	return viewOf(rows[0]), nil
}

// cleaned is what was typed as it is stored. Error: *firm.FieldError.
func cleaned(f *firm.Settings, e contract.MemberEdit) (contract.MemberEdit, error) {
	e.Login, e.Name, e.Team = firm.FoldLogin(firm.CleanText(e.Login)), firm.CleanText(e.Name), firm.CleanText(e.Team)
	e.Extension, e.Mail = strings.TrimSpace(e.Extension), strings.TrimSpace(e.Mail)
	switch {
	case e.Name == "":
		return e, firm.Wrong("name", "a name is needed")
	case e.Login == "" || strings.ContainsFunc(e.Login, unicode.IsSpace):
		return e, firm.Wrong("login", "a login is needed, without spaces")
	case strings.ContainsFunc(e.Extension, func(r rune) bool { return r < '0' || r > '9' }):
		return e, firm.Wrong("extension", "an extension has digits only")
	}
	if !firm.KnownZone(e.Zone) {
		return e, firm.Wrong("zone", "the zone is a name such as America/New_York")
	}
	if e.Mail != "" {
		if read, err := mail.ParseAddress(e.Mail); err != nil || read.Address != e.Mail {
			return e, firm.Wrong("mail", "this is not a mail address")
		}
	}
	if err := clean(&e); err != nil {
		return e, err
	}
	if e.LineID != nil {
		if _, known := f.LineLabels[*e.LineID]; !known {
			return e, firm.Wrong("line_id", "there is no such line")
		}
	}
	return e, nil
}

// clean brings teams, skills and languages into the form in which they are stored. Error: *firm.FieldError.
func clean(e *contract.MemberEdit) error {
	teams, languages, skills := []string{}, []string{}, contract.Skills{}
	for _, t := range optional.Value(e.MoreTeams) {
		if t = firm.CleanText(t); t != "" && t != e.Team && !slices.Contains(teams, t) {
			teams = append(teams, t)
		}
	}
	for _, l := range optional.Value(e.Languages) {
		tag, err := language.Parse(strings.TrimSpace(l))
		if err != nil {
			return firm.Wrong("languages", fmt.Sprintf("“%s” is no language: write codes such as en, es or de", l))
		}
		if code := tag.String(); !slices.Contains(languages, code) {
			languages = append(languages, code)
		}
	}
	for s, level := range optional.Value(e.Skills) {
		if s = firm.CleanText(s); s == "" || len(s) > 100 {
			return firm.Wrong("skills", "a skill needs a name of at most 100 characters")
		}
		skills[s] = level
	}
	e.MoreTeams, e.Languages, e.Skills = &teams, &languages, &skills
	return nil
}

func skillsOf(text json.RawMessage) contract.Skills {
	skills := contract.Skills{}
	_ = json.Unmarshal(text, &skills) // written by skillText
	return skills
}

func skillText(skills contract.Skills) json.RawMessage {
	text, err := json.Marshal(skills)
	if err != nil {
		panic(err) // names and numbers
	}
	return text
}

// taken puts what somebody else has already beside its field.
func taken(err error) error {
	switch store.DuplicateOf(err) {
	case "users_login_key":
		return firm.Wrong("login", "somebody has this login already")
	case "users_extension":
		return firm.Wrong("extension", "somebody has this extension already")
	}
	return err
}

// words are what the audit trail says of somebody.
func words(e contract.MemberEdit) map[string]string {
	return map[string]string{"login": e.Login, "name": e.Name, "role": string(e.Role), "team": e.Team, "zone": e.Zone,
		"extension": e.Extension, "mail": e.Mail, "more teams": strings.Join(optional.Value(e.MoreTeams), ", "),
		"languages": strings.Join(optional.Value(e.Languages), ", "), "skills": skillWords(optional.Value(e.Skills))}
}

func skillWords(skills contract.Skills) string {
	var all []string
	for _, s := range slices.Sorted(maps.Keys(skills)) {
		all = append(all, fmt.Sprint(s, " ", skills[s]))
	}
	return strings.Join(all, ", ")
}

// Add adds somebody to the firm, who cannot sign in before they have chosen a password. The same key adds one. Errors:
// firm.ErrForbidden, *firm.FieldError, firm.ErrKeyReused.
func (sf *Staff) Add(ctx context.Context, a firm.Actor, key string, e contract.MemberEdit) (contract.Member, error) {
	return sf.add(ctx, a, key, e, e)
}

// add is Add of what was asked for by request.
func (sf *Staff) add(ctx context.Context, a firm.Actor, key string, request any,
	e contract.MemberEdit) (contract.Member, error) {
	if !a.MayDo(rights.Staff) {
		return contract.Member{}, firm.ErrForbidden
	}
	f, err := sf.Settings(ctx)
	if err != nil {
		return contract.Member{}, err
	}
	if e, err = cleaned(f, e); err != nil {
		return contract.Member{}, err
	}
	id, err := sf.Once(ctx, a, key, "add_member", request, func(q *db.Queries, id uuid.UUID) error {
		if err := firm.MayGive(ctx, q, a, string(e.Role)); err != nil {
			return err
		}
		return sf.insert(ctx, q, a, id, e)
	})
	if err != nil {
		return contract.Member{}, err
	}
	sf.changed(id)
	return sf.member(ctx, id)
}

// insert adds a member within a transaction. Errors: *firm.FieldError.
func (sf *Staff) insert(ctx context.Context, q *db.Queries, a firm.Actor, id uuid.UUID, e contract.MemberEdit) error {
	if err := q.InsertMember(ctx, db.InsertMemberParams{ID: id, Login: e.Login, Name: e.Name, Role: string(e.Role),
		Team: e.Team, MoreTeams: *e.MoreTeams, Skills: skillText(*e.Skills), Languages: *e.Languages,
		Zone: e.Zone, LineID: e.LineID, Extension: e.Extension, MailAddress: e.Mail}); err != nil {
		return taken(err)
	}
	if err := q.InsertRepState(ctx, db.InsertRepStateParams{UserID: id, At: sf.Clock.Now()}); err != nil {
		return err
	}
	return sf.Audited(ctx, q, a, "member", id, "added", map[string]string{}, words(e))
}

// update changes a member within a transaction. Errors: *firm.FieldError.
func (sf *Staff) update(ctx context.Context, q *db.Queries, a firm.Actor, id uuid.UUID,
	was, e contract.MemberEdit) error {
	if err := q.UpdateMember(ctx, db.UpdateMemberParams{ID: id, Login: e.Login, Name: e.Name, Role: string(e.Role),
		Team: e.Team, MoreTeams: *e.MoreTeams, Skills: skillText(*e.Skills), Languages: *e.Languages,
		Zone: e.Zone, Extension: e.Extension, LineID: e.LineID, MailAddress: e.Mail}); err != nil {
		return taken(err)
	}
	before, after := words(was), words(e)
	firm.OnlyChanged(before, after)
	return sf.Audited(ctx, q, a, "member", id, "changed", before, after)
}

// changed lets everybody see that somebody has come, changed or gone.
func (sf *Staff) changed(id uuid.UUID) {
	sf.ActorChanged(id)
	sf.BookChanged()
	sf.Hub.Publish(contract.LiveEvent{Kind: contract.LiveEventKindTeam})
}

// Change changes what is known of somebody. Errors: firm.ErrForbidden, firm.ErrNotFound, firm.ErrChangedElse,
// *firm.FieldError.
func (sf *Staff) Change(ctx context.Context, a firm.Actor, id uuid.UUID,
	e contract.MemberEdit) (contract.Member, error) {
	if !a.MayDo(rights.Staff) {
		return contract.Member{}, firm.ErrForbidden
	}
	f, err := sf.Settings(ctx)
	if err != nil {
		return contract.Member{}, err
	}
	if e, err = cleaned(f, e); err != nil {
		return contract.Member{}, err
	}
	err = sf.Store.Tx(ctx, func(q *db.Queries) error {
		admins, err := q.LockAdmins(ctx)
		if err != nil {
			return err
		}
		u, err := lock(ctx, q, id)
		if err != nil {
			return err
		}
		if e.Version == nil || *e.Version != u.Version {
			return firm.ErrChangedElse
		}
		// who may do more than a is not changed by a, nor made by a of somebody
		for _, role := range []string{u.Role, string(e.Role)} {
			if err := firm.MayGive(ctx, q, a, role); err != nil {
				return err
			}
		}
		if e.Role != rights.RoleAdmin && isLast(admins, id) {
			return firm.Wrong("role", "this is the last admin: make somebody else one first")
		}
		return sf.update(ctx, q, a, id, editOf(u), e)
	})
	if err != nil {
		return contract.Member{}, err
	}
	sf.changed(id)
	return sf.member(ctx, id)
}

func editOf(u db.LockMemberRow) contract.MemberEdit {
	return contract.MemberEdit{Login: u.Login, Name: u.Name, Role: contract.MemberRole(u.Role), Team: u.Team,
		MoreTeams: &u.MoreTeams, Skills: new(skillsOf(u.Skills)), Languages: &u.Languages,
		Zone: u.Zone, Extension: u.Extension, LineID: u.LineID, Mail: u.MailAddress}
}

func lock(ctx context.Context, q *db.Queries, id uuid.UUID) (db.LockMemberRow, error) {
	u, err := q.LockMember(ctx, id)
	if store.NotFound(err) {
		err = firm.ErrNotFound
	}
	return u, err
}

// isLast tells whether somebody is the only one left who may set the firm up.
func isLast(admins []uuid.UUID, id uuid.UUID) bool { return len(admins) == 1 && admins[0] == id }
