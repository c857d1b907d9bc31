// Package slip holds the rules of the slip: what it needs before it can be filed, how its notes are
// saved from several windows, and on which records a call goes.
//
// It must not know the database, HTTP, or who may see what.
package slip

import (
	"errors"
	"fmt"
	"slices"
	"time"

	"trundo/internal/core/call"
	"trundo/internal/core/rights"
)

// Limits of what a rep can write, in bytes.
const (
	MaxNotes   = 256 << 10
	MaxSubject = 200
)

// State of a slip.
type State string

// A slip is open from the dialing until it is filed.
const (
	Open  State = "open"
	Filed State = "filed"
)

// Errors of CanFile. A slip that lacks something gives a *MissingError.
var (
	ErrStillInCall  = errors.New("the call is still going on: hang up first")
	ErrAlreadyFiled = errors.New("this slip has been filed")
	// ErrNotTaken: what was handed over or parked may still come back.
	ErrNotTaken = errors.New("nobody has taken this call yet, and it may come back: file it when somebody has")
)

// MissingError tells which field has to be filled in before filing.
type MissingError struct {
	Field string // as the API names it
	Text  string // for the reader
}

func (e *MissingError) Error() string { return e.Text }

// Rules are the firm's settings for filing.
type Rules struct {
	OutcomeNeeded bool // no filing without an outcome
	TypeNeeded    bool // no filing without a call type
}

// Slip is what filing looks at.
type Slip struct {
	State        State
	User         string // whose part it describes
	HasOutcome   bool
	NotesNeeded  bool // the chosen outcome asks for notes
	OutcomeLabel string
	// FollowUpNeeded: the chosen outcome asks for something to be done next; HasFollowUp: there is something.
	FollowUpNeeded bool
	HasFollowUp    bool
	HasType        bool
	Notes          string
}

// CanFile tells whether s can be filed now, given the call it belongs to. Errors: ErrAlreadyFiled,
// ErrStillInCall, *MissingError.
func CanFile(s Slip, c *call.State, r Rules) error {
	switch {
	case s.State == Filed:
		return ErrAlreadyFiled
	case !c.HasLeft(s.User):
		return ErrStillInCall
	case c.Owes(s.User):
		return ErrNotTaken
	case r.OutcomeNeeded && !s.HasOutcome:
		return &MissingError{"outcome_id", "choose an outcome before filing"}
	case r.TypeNeeded && !s.HasType:
		return &MissingError{"call_type_id", "choose a call type before filing"}
	case s.NotesNeeded && s.Notes == "":
		return &MissingError{"notes", fmt.Sprintf("the outcome “%s” needs a note", s.OutcomeLabel)}
	case s.FollowUpNeeded && !s.HasFollowUp:
		return &MissingError{"follow_up",
			fmt.Sprintf("the outcome “%s” needs a follow-up: say what is to be done next, and when", s.OutcomeLabel)}
	}
	return nil
}

// Notes are the saved notes of a slip.
type Notes struct {
	Body    string
	Version int    // 0 before the first saving
	Writer  string // the window that saved last
}

// Visible is for whom the notes of a slip are.
type Visible string

// For whom notes can be.
const (
	ForAll  Visible = "all"
	ForTeam Visible = "team" // the rep's team, and who leads
	ForMe   Visible = "me"   // the rep alone
)

// Reader is who wants to read notes.
type Reader struct {
	User  string
	Teams []string
	// Corrects: whose slips they may correct besides their own.
	Corrects rights.Reach
}

// Part is a rep's part of a call, as the rules about its notes see it.
type Part struct {
	Rep      string   // whose it is
	Teams    []string // of the rep
	HandedTo string   // who finishes it in their place; empty: nobody
	Visible  Visible
}

// MayRead tells whether a reader may read the notes of a rep's slip, in whatever form they stand: on the call, in what
// was changed, in a file, to another program.
func MayRead(r Reader, p Part) bool {
	switch {
	case r.User == p.Rep && p.Rep != "":
		return true
	case p.Visible == ForMe:
		return false
	case r.User == p.HandedTo && p.HandedTo != "":
		return true
	case p.Visible == ForTeam:
		return r.Corrects == rights.All || rights.ShareTeam(r.Teams, p.Teams)
	}
	return true
}

// MayChange tells whether somebody may change a rep's slip: its rep, who finishes it in their place, and who may
// correct
// those of that rep, as far as these may read it.
func MayChange(r Reader, p Part) bool {
	if r.User == p.Rep {
		return true
	}
	may := rights.Set{rights.CorrectSlips: r.Corrects}
	corrects := may.MayOf(rights.CorrectSlips, rights.Whose{SameTeam: rights.ShareTeam(r.Teams, p.Teams)})
	return (corrects || r.User == p.HandedTo && p.HandedTo != "") && p.Visible != ForMe
}

// Edit is a text that a window wants to save in place of the version it started from.
type Edit struct {
	Body   string
	Base   int    // the version the window had read
	Writer string // names the window, the same for its whole life
	At     time.Time
}

// ConflictError tells that another window saved in between. Nothing was changed.
type ConflictError struct{ Current Notes }

func (e *ConflictError) Error() string {
	return "these notes were changed in another window in the meantime"
}

// Save gives the notes that follow from e. A window may always replace its own last text, whatever
// version it names, because an answer can be lost on the way; another's only if it has read it.
// Saving what is already there changes nothing. Errors: *ConflictError.
func Save(n Notes, e Edit) (Notes, error) {
	switch {
	case e.Body == n.Body:
		return n, nil
	case e.Base == n.Version, e.Writer != "" && e.Writer == n.Writer && e.Base <= n.Version:
		return Notes{Body: e.Body, Version: n.Version + 1, Writer: e.Writer}, nil
	}
	return n, &ConflictError{n}
}

// Keep is Save for a text that nobody can be asked about any more, since it waited in the journal:
// where Save would refuse, both texts are kept, one under the other.
func Keep(n Notes, e Edit) Notes {
	saved, err := Save(n, e)
	if err == nil {
		return saved
	}
	both := n.Body + "\n\n— also written, in another window, at " + e.At.UTC().Format("15:04 MST") + " —\n" + e.Body
	return Notes{Body: both, Version: n.Version + 1, Writer: e.Writer}
}

// Role tells why a call stands on a record.
type Role string

// The roles of a link.
const (
	Caller  Role = "person"  // the person who was called or who called
	Company Role = "company" // that person's company, or a company called itself
	About   Role = "about"   // the deal, case or other matter that the call was about
)

// Link puts a call on a record.
type Link struct {
	Record string
	Role   Role
	Reason string // in words: "the number that was clicked", "their company"
}

// Subject is a record that a call goes on.
type Subject struct {
	Record  string
	Role    Role   // what it is itself
	Person  string // of a matter: whom it is with, or ""
	Company string // the company it belongs to, or ""
}

// RoleOf tells what a record of a kind is in a call.
func RoleOf(kind string) Role {
	switch kind {
	case "contact", "lead":
		return Caller
	case "company":
		return Company
	}
	return About
}

// LinksFor names the records that a call to a record's number goes on: the record itself, the person a matter is with,
// and the company. A company goes on no other company.
func LinksFor(s Subject, reason string) []Link {
	links := []Link{{s.Record, s.Role, reason}}
	if s.Role == Company {
		return links
	}
	if s.Role == About && s.Person != "" {
		links = append(links, Link{s.Person, Caller, "whom it is about"})
	}
	if s.Company != "" {
		links = append(links, Link{s.Company, Company, "their company"})
	}
	return links
}

// LeaveWith are, of the other records of a call, those that were on it because of one that is taken off: the company of
// a person where nobody else on the call is of it, and the person's deals and cases. A deal or a case takes nobody with
// it.
func LeaveWith(gone Subject, rest []Subject) []string {
	var leave []string
	if gone.Role != Caller {
		return nil
	}
	for _, s := range rest {
		others := slices.ContainsFunc(rest, func(o Subject) bool { return o.Role == Caller && o.Company == s.Record })
		if s.Role == Company && s.Record == gone.Company && !others || s.Role == About && s.Person == gone.Record {
			leave = append(leave, s.Record)
		}
	}
	return leave
}

// AboutOpen is the link of the record that was open while somebody was called: a matter that is with them, or with
// their company, is what the call is about. False: it has nothing to do with the call, or is on it already.
func AboutOpen(open Subject, links []Link) (Link, bool) {
	if open.Role != About || slices.ContainsFunc(links, func(l Link) bool { return l.Record == open.Record }) {
		return Link{}, false
	}
	theirs := slices.ContainsFunc(links, func(l Link) bool {
		return l.Role == Caller && l.Record == open.Person || l.Role == Company && l.Record == open.Company
	})
	return Link{open.Record, About, "it was open"}, theirs
}
