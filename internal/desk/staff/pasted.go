package staff

import (
	"context"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"strings"
	"unicode"

	"trundo/internal/contract"
	"trundo/internal/desk/firm"
)

// mostAtOnce is how many colleagues a list may have.
const mostAtOnce = 200

// row is one of a pasted list: who it is, or why it was not understood.
type row struct {
	line   int
	text   string
	edit   contract.MemberEdit
	reason string
}

// rows reads a pasted list or a file: one colleague in a line, name, mail address and extension in any order behind the
// name, parted by commas, semicolons or tabs. A heading is left out.
func rows(text string) []row {
	var all []row
	for i, line := range strings.Split(strings.ReplaceAll(text, "\r\n", "\n"), "\n") {
		line = strings.TrimSpace(strings.TrimPrefix(line, "\ufeff"))
		if line == "" {
			continue
		}
		cells := split(line)
		if len(all) == 0 && heading(cells) {
			continue
		}
		r := row{line: i + 1, text: line}
		for _, c := range cells {
			switch c = strings.TrimSpace(c); {
			case c == "":
			case strings.Contains(c, "@"):
				r.edit.Mail = c
			case strings.Trim(c, "0123456789") == "":
				r.edit.Extension = c
			case r.edit.Name == "":
				r.edit.Name = c
			default:
				r.reason = fmt.Sprintf("“%s” is neither a mail address nor an extension", c)
			}
		}
		if r.edit.Name == "" && r.reason == "" {
			r.reason = "there is no name in it"
		}
		all = append(all, r)
	}
	return all
}

// split parts a line by what parts it: a tab, a semicolon or a comma.
func split(line string) []string {
	by := ','
	for _, c := range []rune{'\t', ';'} {
		if strings.ContainsRune(line, c) {
			by = c
			break
		}
	}
	r := csv.NewReader(strings.NewReader(line))
	r.Comma, r.LazyQuotes, r.FieldsPerRecord = by, true, -1
	cells, err := r.Read()
	if err != nil && !errors.Is(err, io.EOF) {
		return strings.Split(line, string(by))
	}
	return cells
}

// heading tells whether cells name columns: none of them can be a mail address or a number, and one says "name".
func heading(cells []string) bool {
	name := false
	for _, c := range cells {
		if strings.ContainsAny(c, "@0123456789") {
			return false
		}
		name = name || strings.EqualFold(strings.TrimSpace(c), "name")
	}
	return name
}

// loginOf proposes a login for a name, other than those that are taken: the given name, and more of the family name
// where somebody has that.
func loginOf(name string, taken map[string]bool) string {
	parts := strings.Fields(strings.ToLower(name))
	plain := func(s string) string {
		return strings.Map(func(r rune) rune {
			if unicode.IsLetter(r) || unicode.IsDigit(r) || r == '-' {
				return r
			}
			return -1
		}, s)
	}
	first := plain(parts[0])
	if first == "" {
		first = "colleague"
	}
	candidates := []string{first}
	if len(parts) > 1 {
		last := []rune(plain(parts[len(parts)-1]))
		for n := 1; n <= len(last); n++ {
			candidates = append(candidates, first+"."+string(last[:n]))
		}
	}
	for _, c := range candidates {
		if !taken[c] {
			return c
		}
	}
	for n := 2; ; n++ {
		if c := fmt.Sprint(candidates[len(candidates)-1], n); !taken[c] {
			return c
		}
	}
}

// AddMany adds the colleagues of a pasted list, each for itself: what is wrong with a line comes back with it, and the
// others are added. The same key adds them once. Errors: firm.ErrForbidden, *firm.FieldError.
func (sf *Staff) AddMany(ctx context.Context, a firm.Actor, key, origin string,
	n contract.NewMembers) (contract.AddedMembers, error) {
	done := contract.AddedMembers{Added: []contract.AddedMember{}, Rejected: []contract.RejectedMember{}}
	list, err := sf.List(ctx, a)
	if err != nil {
		return done, err
	}
	if n.Link == contract.NewMembersLinkMail && !sf.Mailer.ByMail() {
		return done, firm.Wrong("link", "no mail goes out of this firm yet: have the links shown")
	}
	typed := rows(n.Text)
	if len(typed) > mostAtOnce {
		return done, firm.Wrong("text", fmt.Sprintf("at most %d at once", mostAtOnce))
	}
	taken := map[string]bool{}
	for _, m := range list.Members {
		taken[m.Login] = true
	}
	for _, r := range typed {
		r.edit.Role, r.edit.Team, r.edit.Zone = n.Role, n.Team, n.Zone
		var added contract.AddedMember
		if r.reason == "" {
			request := []any{r.text, n.Role, n.Team, n.Zone}
			r.edit.Login = loginOf(r.edit.Name, taken)
			added.Member, err = sf.add(ctx, a, fmt.Sprint(key, " ", r.line), request, r.edit)
			var wrong *firm.FieldError
			if errors.As(err, &wrong) {
				r.reason = wrong.Error()
			} else if err != nil {
				return done, err
			}
		}
		if r.reason != "" {
			done.Rejected = append(done.Rejected, contract.RejectedMember{Line: r.line, Text: r.text, Reason: r.reason})
			continue
		}
		taken[added.Member.Login] = true
		if n.Link != contract.NewMembersLinkNone {
			if err := sf.linkOf(ctx, a, origin, n.Link == contract.NewMembersLinkMail, &added); err != nil {
				return done, err
			}
		}
		done.Added = append(done.Added, added)
	}
	return done, nil
}

// linkOf makes the link of somebody who was added. Where it cannot be mailed it is shown, with the reason.
func (sf *Staff) linkOf(ctx context.Context, a firm.Actor, origin string, send bool, m *contract.AddedMember) error {
	link, err := sf.MakeLink(ctx, a, m.Member.ID, origin, contract.NewSignInLink{Send: send})
	var wrong *firm.FieldError
	if send && errors.As(err, &wrong) {
		problem := wrong.Error()
		m.Problem = &problem
		link, err = sf.MakeLink(ctx, a, m.Member.ID, origin, contract.NewSignInLink{})
	}
	if err == nil {
		m.Link = &link
	}
	return err
}
