// Package rights says what somebody of the firm may do and how far that reaches: a role is a set of named rights, some
// of which reach to one's own things, to those of one's teams, or to all.
//
// It must not know who is asking, whose a thing is in the database, or how a role is stored.
package rights

import (
	"errors"
	"fmt"
	"maps"
	"slices"
)

// Right is something that not everybody may do.
type Right string

// The rights that reach to one's own things, to those of one's teams, or to all.
const (
	CorrectSlips     Right = "correct_slips"     // change and finish what was written about a call, and read what is for a team
	SeeOwed          Right = "see_owed"          // see which callers are still waiting for a call back
	HearRecordings   Right = "hear_recordings"   // hear recordings of calls, and read their transcripts
	Listen           Right = "listen"            // listen to conversations that go on, whisper, step in
	DeleteRecordings Right = "delete_recordings" // delete recordings before their time
	DeleteRecords    Right = "delete_records"    // delete records and bring them back
	UndoChanges      Right = "undo_changes"      // take back a merge, or a change of many records
	ChangeLists      Right = "change_lists"      // change lists and views
	ChangeFollowUps  Right = "change_follow_ups" // change follow-ups
	CancelMessages   Right = "cancel_messages"   // keep messages back that have not gone out
	LeadRounds       Right = "lead_rounds"       // start a round for somebody, change its rules, end it
	LeadQueues       Right = "lead_queues"       // open and close queues, move and take who waits out of turn
	SeeDays          Right = "see_days"          // see somebody's day: availability, promises, use
)

// Those about what calls say of people.
const (
	SeeFigures Right = "see_figures" // see figures of calls, and find the calls behind them
	ScoreCalls Right = "score_calls" // score somebody's calls by a scorecard
)

// The rights that one has or has not.
const (
	Override      Right = "override"         // call in spite of do-not-call
	LiftDoNotCall Right = "lift_do_not_call" // let somebody be called again who asked not to be
	Import        Right = "import"           // import files; mark numbers by list
	Export        Right = "export"           // export the book, and calls that are not one's own
	Merge         Right = "merge"            // make one of two records
	Bulk          Right = "bulk"             // change many records at once

	SetUpFirm   Right = "set_up_firm" // what the firm is, its days, first steps
	Staff       Right = "staff"       // colleagues: add, change, let in, switch off, absences
	Roles       Right = "roles"       // roles and who needs a second factor
	SeeTrail    Right = "see_trail"   // what was done, by whom
	Privacy     Right = "privacy"     // all about a person, erasing, holds, for how long things are kept
	SeeUse      Right = "see_use"     // use, limits and prices
	Telephony   Right = "telephony"   // lines, voicemail drops, recording, availability
	Outcomes    Right = "outcomes"    // outcomes, call types, holidays
	Scripts     Right = "scripts"
	Templates   Right = "templates"
	Sequences   Right = "sequences"
	Fields      Right = "fields"      // fields, layouts, number order
	Coaching    Right = "coaching"    // topics and scorecards
	Connections Right = "connections" // webhooks, mail, API keys that set up
)

// Reach is how far a right goes.
type Reach string

// How far a right may go. A right that knows no reach goes to all or is not there.
const (
	None Reach = ""
	Own  Reach = "own"
	Team Reach = "team"
	All  Reach = "all"
)

var order = []Reach{None, Own, Team, All}

// Covers tells whether r goes at least as far as other.
func (r Reach) Covers(other Reach) bool { return slices.Index(order, r) >= slices.Index(order, other) }

// Area is where a right stands among those of a role.
type Area string

// The areas, in the order in which they are shown.
const (
	Calls Area = "calls"
	Book  Area = "book"
	Work  Area = "work"
	Firm  Area = "firm"
	SetUp Area = "set_up"
)

// Definition is a right with where it stands and how far it may go, the shortest first; None is always possible.
type Definition struct {
	Right   Right
	Area    Area
	Reaches []Reach
}

var (
	far   = []Reach{Own, Team, All}
	wide  = []Reach{Team, All}
	plain = []Reach{All}
)

// Definitions are all rights, in the order in which they are shown.
var Definitions = []Definition{
	{
		CorrectSlips,
		Calls,
		far,
	}, {SeeOwed, Calls, far}, {HearRecordings, Calls, far}, {Listen, Calls, wide}, {DeleteRecordings, Calls, far},
	{Override, Calls, plain},
	{DeleteRecords, Book, far}, {UndoChanges, Book, far}, {ChangeLists, Book, far}, {LiftDoNotCall, Book, plain},
	{Import, Book, plain}, {Export, Book, plain}, {Merge, Book, plain}, {Bulk, Book, plain},
	{ChangeFollowUps, Work, far}, {CancelMessages, Work, far}, {LeadRounds, Work, far}, {LeadQueues, Work, wide}, {SeeDays, Work, far},
	{SeeFigures, Work, far}, {ScoreCalls, Work, wide},
	{SetUpFirm, Firm, plain}, {Staff, Firm, plain}, {Roles, Firm, plain}, {SeeTrail, Firm, plain},
	{Privacy, Firm, plain}, {SeeUse, Firm, plain},
	{Telephony, SetUp, plain}, {Outcomes, SetUp, plain}, {Scripts, SetUp, plain}, {Templates, SetUp, plain},
	{Sequences, SetUp, plain}, {Fields, SetUp, plain}, {Coaching, SetUp, plain},
	{Connections, SetUp, plain},
}

// Set is what somebody may do, each right with how far it goes; what is not in it they may not.
type Set map[Right]Reach

// Whose is whose a thing is, as somebody sees it.
type Whose struct {
	Mine     bool // it is theirs
	SameTeam bool // it is of somebody with whom they share a team
}

// May tells whether a right is there at all.
func (s Set) May(r Right) bool { return s[r] != None }

// MayOf tells whether a right goes as far as a thing.
func (s Set) MayOf(r Right, w Whose) bool {
	switch s[r] {
	case All:
		return true
	case Team:
		return w.Mine || w.SameTeam
	case Own:
		return w.Mine
	}
	return false
}

// Within tells whether somebody with the set other may do all that somebody with s may: nobody gives away more than
// they have.
func (s Set) Within(other Set) bool {
	for r, reach := range s {
		if !other[r].Covers(reach) {
			return false
		}
	}
	return true
}

// ErrUnknown is told by Check of a right that does not exist, or does not go so far.
var ErrUnknown = errors.New("there is no such right")

// Check tells whether a set has only rights there are, each with a reach that it may have. Error: ErrUnknown, with the
// right.
func (s Set) Check() error {
	for _, r := range slices.Sorted(maps.Keys(s)) {
		at := slices.IndexFunc(Definitions, func(d Definition) bool { return d.Right == r })
		if at < 0 || s[r] != None && !slices.Contains(Definitions[at].Reaches, s[r]) {
			return fmt.Errorf("%w: %s to %q", ErrUnknown, r, s[r])
		}
	}
	return nil
}

// ShareTeam tells whether two belong to a team together. Who is in no team shares none.
func ShareTeam(a, b []string) bool {
	return slices.ContainsFunc(a, func(x string) bool { return x != "" && slices.Contains(b, x) })
}

// The roles that a firm begins with. An admin's rights are always all there are; those of the others can be changed.
const (
	RoleRep        = "rep"
	RoleSupervisor = "supervisor"
	RoleAdmin      = "admin"
)

// Shipped are the rights of a role as it comes; nil for a role that the firm has made.
func Shipped(role string) Set {
	s := Set{}
	for _, d := range Definitions {
		switch {
		case role == RoleAdmin:
			s[d.Right] = All
		case role == RoleSupervisor && len(d.Reaches) > 1:
			s[d.Right] = Team
		case role == RoleRep && slices.Contains(d.Reaches, Own) && d.Right != DeleteRecordings:
			s[d.Right] = Own
		}
	}
	switch role {
	case RoleAdmin:
	case RoleSupervisor:
		for _, r := range []Right{Override, LiftDoNotCall, Import, Export, Merge, Bulk} {
			s[r] = All
		}
	case RoleRep:
		s[Merge], s[Bulk] = All, All
	default:
		return nil
	}
	return s
}
