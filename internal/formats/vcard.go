package formats

import (
	"errors"
	"fmt"
	"io"
	"strings"

	"github.com/emersion/go-vcard"
)

// The headings under which a card's properties are read. Several numbers of a kind stand under each other in one cell.
var cardColumns = []string{"Full name", "Given name", "Family name", "Company", "Job", "Mail", "Web", "Social page",
	"Address", "Place", "Note", "Tags",
	"Number: mobile", "Number: office", "Number: home", "Number: main", "Number: fax"}

// maxCard is the longest card that is read: a photo may be in it. maxCardText is how much of it may be text, and
// maxOfAKind how many properties of a kind are read.
const (
	maxCard     = 8 << 20
	maxCardText = 1 << 20
	maxOfAKind  = 100
)

type cardSource struct {
	counter  *counter
	lines    *lines
	encoding string
	rows     int64
}

// OpenVCards begins to read a file of vCards.
func OpenVCards(r io.Reader) (Source, error) {
	c := &counter{r: r}
	text, encoding, err := decoded(c)
	if err != nil {
		return nil, err
	}
	return &cardSource{counter: c, lines: &lines{r: text}, encoding: encoding}, nil
}

func (s *cardSource) Columns() []string { return cardColumns }
func (s *cardSource) Read() int64       { return s.counter.n }
func (s *cardSource) Encoding() string  { return s.encoding }

func (s *cardSource) Next() (Row, error) {
	text, at, problem, err := s.card()
	if err != nil {
		return Row{}, err
	}
	s.rows++
	row := Row{No: s.rows, Line: at, Cells: make([]string, len(cardColumns)), Problem: problem}
	if problem != nil {
		return row, nil
	}
	card, err := vcard.NewDecoder(strings.NewReader(text)).Decode()
	if err != nil {
		row.Problem = fmt.Errorf("this card cannot be read: %w", err)
		return row, nil
	}
	cardCells(card, row.Cells)
	return row, nil
}

var (
	errCardEnd  = errors.New("this card does not end")
	errCardLong = fmt.Errorf("this card is longer than %d MB", maxCard>>20)
	errNoCard   = errors.New("there is text outside of a card")
)

// card cuts one card out of the file, without its photos, sounds and keys.
func (s *cardSource) card() (text string, at int64, problem, err error) {
	var b strings.Builder
	inside, size, skipping := false, 0, false
	for {
		l, err := s.lines.next()
		if errors.Is(err, io.EOF) && inside {
			return "", at, errCardEnd, nil
		} else if err != nil {
			return "", 0, nil, err
		}
		upper := strings.ToUpper(strings.TrimSpace(l.text[:min(len(l.text), 40)]))
		folded := strings.HasPrefix(l.text, " ") || strings.HasPrefix(l.text, "\t")
		switch {
		case upper == "" && !inside:
			continue
		case upper == "BEGIN:VCARD" && inside:
			s.lines.back([]line{l})
			return "", at, errCardEnd, nil
		case upper == "BEGIN:VCARD":
			inside, at = true, l.no
		case !inside:
			return "", l.no, errNoCard, nil
		}
		if size += len(l.text); size > maxCard {
			problem = errCardLong
		}
		if !folded {
			skipping = l.tooLong || isBinary(upper)
		}
		if problem == nil && !skipping {
			// Folded lines are put together here (RFC 6350, 3.2): the library does it in a time that grows with the
			// square of their number.
			text := strings.TrimRight(l.text, "\r\n")
			if folded {
				text = text[1:]
			} else if b.Len() > 0 {
				b.WriteString("\r\n")
			}
			b.WriteString(text)
			if b.Len() > maxCardText {
				problem = errCardLong
			}
		}
		if upper == "END:VCARD" {
			return b.String() + "\r\n", at, problem, nil
		}
	}
}

// isBinary tells whether a property holds what no field takes.
func isBinary(upper string) bool {
	name := strings.FieldsFunc(upper, func(r rune) bool { return r == ';' || r == ':' })
	if len(name) == 0 {
		return false
	}
	_, plain, grouped := strings.Cut(name[0], ".")
	if !grouped {
		plain = name[0]
	}
	return plain == "PHOTO" || plain == "LOGO" || plain == "SOUND" || plain == "KEY"
}

func cardCells(card vcard.Card, cells []string) {
	set := func(heading, value string) {
		value = strings.ReplaceAll(value, `\;`, ";") // what the library leaves, since it parts structured values
		for i, c := range cardColumns {
			if value = strings.TrimSpace(value); c == heading && value != "" {
				if cells[i] != "" {
					value = cells[i] + "\n" + value
				}
				cells[i] = value
			}
		}
	}
	set("Full name", card.PreferredValue(vcard.FieldFormattedName))
	if n := card.Name(); n != nil {
		set("Given name", n.GivenName)
		set("Family name", n.FamilyName)
	}
	company, _, _ := strings.Cut(card.PreferredValue(vcard.FieldOrganization), ";")
	set("Company", company)
	set("Job", card.PreferredValue(vcard.FieldTitle))
	set("Mail", card.PreferredValue(vcard.FieldEmail))
	set("Web", card.PreferredValue(vcard.FieldURL))
	set("Social page", card.PreferredValue("X-SOCIALPROFILE"))
	if a := card.Address(); a != nil {
		set("Address", a.StreetAddress)
		set("Place", strings.Trim(strings.Join([]string{a.PostalCode, a.Locality, a.Region}, " "), " "))
	}
	set("Note", strings.Join(card.Values(vcard.FieldNote), "\n"))
	set("Tags", strings.Join(card.Values(vcard.FieldCategories), ","))
	tels := card[vcard.FieldTelephone]
	for _, tel := range tels[:min(len(tels), maxOfAKind)] {
		set("Number: "+telLabel(tel), strings.TrimPrefix(tel.Value, "tel:"))
	}
}

func telLabel(tel *vcard.Field) string {
	switch {
	case tel.Params.HasType("fax"):
		return "fax"
	case tel.Params.HasType("cell"):
		return "mobile"
	case tel.Params.HasType("home"):
		return "home"
	case tel.Params.HasType("main"), tel.Params.HasType("x-main"):
		return "main"
	}
	return "office"
}

// Card is what of a record goes on a vCard.
type Card struct {
	UID, Name, Given, Family, Company, Job, Mail, Web, Social, Address, Place, Note string
	IsCompany                                                                       bool
	Tags                                                                            []string
	Numbers                                                                         []CardNumber
}

// CardNumber is a telephone number on a card. E164 may be empty where what was typed is no number.
type CardNumber struct{ Label, E164, Ext, Typed string }

// WriteCard writes a card in version 3 (RFC 2426) or 4 (RFC 6350), lines folded at 75 octets.
func WriteCard(w io.Writer, c Card, version int) error {
	card := vcard.Card{}
	card.SetValue(vcard.FieldVersion, map[bool]string{true: "4.0", false: "3.0"}[version == 4])
	set := func(key, value string) {
		if value = oneKindOfLine(value); value != "" {
			card.AddValue(key, value)
		}
	}
	// a part of a structured value
	plain := func(s string) string { return strings.ReplaceAll(oneKindOfLine(s), ";", ",") }
	set(vcard.FieldFormattedName, c.Name)
	if c.IsCompany {
		if version == 4 {
			card.SetKind(vcard.KindOrganization)
		}
		c.Company, c.Family = c.Name, c.Name
	}
	card.SetName(&vcard.Name{FamilyName: plain(c.Family), GivenName: plain(c.Given)})
	set(vcard.FieldOrganization, plain(c.Company))
	set(vcard.FieldTitle, c.Job)
	set(vcard.FieldEmail, c.Mail)
	set(vcard.FieldURL, c.Web)
	set("X-SOCIALPROFILE", c.Social)
	set(vcard.FieldNote, c.Note)
	set(vcard.FieldUID, "urn:uuid:"+c.UID)
	if c.Address != "" || c.Place != "" {
		card.AddAddress(&vcard.Address{StreetAddress: plain(c.Address), Locality: plain(c.Place)})
	}
	for _, tag := range c.Tags {
		set(vcard.FieldCategories, tag)
	}
	for _, n := range c.Numbers {
		f := &vcard.Field{Value: oneKindOfLine(n.Typed), Params: vcard.Params{}}
		if kind := telType(n.Label); kind != "" {
			f.Params.Set(vcard.ParamType, kind)
		}
		switch {
		case n.E164 == "":
		case version == 4:
			f.Params.Set(vcard.ParamValue, "uri")
			f.Value = "tel:" + n.E164
			if n.Ext != "" {
				f.Value += ";ext=" + n.Ext
			}
		default:
			f.Value = n.E164
			if n.Ext != "" {
				f.Value += ";ext=" + n.Ext
			}
		}
		card.Add(vcard.FieldTelephone, f)
	}
	return vcard.NewEncoder(folding{w}).Encode(card)
}

// oneKindOfLine leaves only line feeds, which the encoder escapes: a carriage return of its own would begin a line of
// the file.
func oneKindOfLine(s string) string {
	return strings.ReplaceAll(strings.ReplaceAll(s, "\r\n", "\n"), "\r", "\n")
}

func telType(label string) string {
	switch label {
	case "mobile":
		return "cell"
	case "home", "fax":
		return label
	case "office", "direct", "main":
		return "work"
	}
	return ""
}

// folding folds each line that is written at 75 octets, never within a character.
type folding struct{ w io.Writer }

func (f folding) Write(p []byte) (int, error) {
	text := strings.TrimSuffix(string(p), "\r\n")
	var b strings.Builder
	width := 0
	for _, r := range text {
		if n := len(string(r)); width+n > 75 {
			b.WriteString("\r\n ")
			width = 1 + n
		} else {
			width += n
		}
		b.WriteRune(r)
	}
	b.WriteString("\r\n")
	_, err := io.WriteString(f.w, b.String())
	return len(p), err
}
