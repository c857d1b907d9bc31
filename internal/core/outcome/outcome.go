// Package outcome makes the plan of what an outcome (the trade also says disposition) does once its slip is filed:
// which follow-up and when, which message, list, tag, stage, case, do-not-call. The plan is data: it is shown before it
// is done, each item can be edited or struck out, and what carries it out does what it says and nothing else.
//
// It must not know the database, who asks, or how an item is carried out.
package outcome

import (
	"fmt"
	"slices"
	"time"

	"trundo/internal/core/callable"
	"trundo/internal/core/workday"
)

// Kind is what an effect does.
type Kind string

// The kinds of effect.
const (
	FollowUp    Kind = "follow_up"   // a call, mail, meeting or task at a computed time
	Retry       Kind = "retry"       // call again: this number after a time, or the person's next number
	Message     Kind = "message"     // a text message from a template
	Mail        Kind = "mail"        // a mail from a template
	AddToList   Kind = "add_to_list" // a hand-made list
	TakeOffList Kind = "take_off_list"
	AddTag      Kind = "add_tag"
	DealStage   Kind = "deal_stage"
	NewCase     Kind = "new_case"
	CaseState   Kind = "case_state"
	DoNotCall   Kind = "do_not_call"  // Value says what: a Scope
	EndSequence Kind = "end_sequence" // every sequence that the person is in
	Webhook     Kind = "webhook"
)

// Kinds are all of them, in the order in which they are offered.
var Kinds = []Kind{FollowUp, Retry, Message, Mail, AddToList, TakeOffList, AddTag, DealStage, NewCase, CaseState,
	DoNotCall, EndSequence, Webhook}

// The acts of a follow-up.
const (
	Call    = "call"
	MailAct = "mail"
	Meeting = "meeting"
	Task    = "task"
)

// Acts are all of them.
var Acts = []string{Call, MailAct, Meeting, Task}

// The scopes of DoNotCall.
const (
	ThisNumber = "number"
	ThisPerson = "person"
)

// Unit is what a time is counted in.
type Unit string

// The units.
const (
	Minutes      Unit = "minutes"
	Hours        Unit = "hours"
	BusinessDays Unit = "business_days"
	Days         Unit = "days"
	Weeks        Unit = "weeks"
)

// Units are all of them.
var Units = []Unit{Minutes, Hours, BusinessDays, Days, Weeks}

// After is a time counted from the filing.
type After struct {
	Count int  `json:"count"` // 0 to 1000
	Unit  Unit `json:"unit"`
	// At is the time of day at the person's place, in minutes after midnight; nil is the whole day. It counts for days
	// and weeks only.
	At *int `json:"at,omitempty"`
}

// Effect is one thing that an outcome does, as the admin set it.
type Effect struct {
	Kind   Kind   `json:"kind"`
	Act    string `json:"act,omitempty"`    // of a follow-up
	Text   string `json:"text,omitempty"`   // of a follow-up or a new case, with places such as {name}; a tag
	After  After  `json:"after"`            // of a follow-up or a retry
	Next   bool   `json:"next,omitempty"`   // of a retry: the person's next number, where there is one
	Target string `json:"target,omitempty"` // the id of a list, a template or a webhook
	Value  string `json:"value,omitempty"`  // a stage, a state or a Scope
}

// Named is a record as the plan names it.
type Named struct {
	ID, Name, Stage string
	About           bool // the call is about it; else it is the person's only open one
}

// Number is one of the person's numbers.
type Number struct{ ID, Label, E164 string }

// Situation is what is known when a slip is about to be filed. A nil says that there is none.
type Situation struct {
	Now      time.Time
	Zone     *time.Location // where the person is
	Zones    []string       // every zone in which the number may be
	Hours    callable.Hours
	Workdays workday.Calendar
	Here     *time.Location // where the rep works: somebody is tried again when both can speak; nil: at any hour here
	Stages   []string       // of deals, in the order in which they go through them
	Person   *Named         // the person, else the company that the call stands on
	Deal     *Named         // that the call is about, else the person's only open one
	Deals    int            // how many open ones they have
	Case     *Named
	Cases    int
	Number   *Number           // that was spoken with; its ID is "" where it is on no record
	Next     *Number           // the next one to try
	Mail     string            // the person's address
	Names    map[string]string // of lists, templates and webhooks, by id; one that is gone is not there
	Sequence int               // how many sequences the person is in
	Fill     func(text string) string
	Round    bool   // the call is an attempt of a round, which tries again by itself
	NoText   string // why no text message can go to Number; "" if one can
}

// Item is one thing of a plan.
type Item struct {
	Effect  int        `json:"effect"` // its place among the outcome's effects
	Kind    Kind       `json:"kind"`
	Act     string     `json:"act,omitempty"`
	Words   string     `json:"words"`             // what it does, for reading; the time apart
	Text    string     `json:"text,omitempty"`    // can be edited
	Due     *time.Time `json:"due,omitempty"`     // can be edited
	DayOnly bool       `json:"dayOnly,omitempty"` // due on that day, at no particular time
	Zone    string     `json:"zone,omitempty"`    // in which Due was reckoned: where the person is
	Record  string     `json:"record,omitempty"`  // on which it is done
	Target  string     `json:"target,omitempty"`
	Value   string     `json:"value,omitempty"`
	Number  string     `json:"number,omitempty"`  // the id of a number of a record
	Address string     `json:"address,omitempty"` // a number in its normal form, or a mail address
	Problem string     `json:"problem,omitempty"` // why it cannot be done; then it is left out
	Struck  bool       `json:"struck,omitempty"`  // the rep does not want it
}

// Moves tells whether an item is done again for somebody else when its call is put on them: what has been sent is not
// sent twice, and what cannot be done, or the rule strikes out, is not done.
func Moves(it Item) bool {
	return it.Problem == "" && !it.Struck && it.Kind != Message && it.Kind != Mail && it.Kind != Webhook
}

// Plan says what effects do in a situation, each in its place. An item that cannot be done says why.
func Plan(effects []Effect, s Situation) []Item {
	items := make([]Item, 0, len(effects))
	for i, e := range effects {
		it := Item{Effect: i, Kind: e.Kind, Act: e.Act, Target: e.Target, Value: e.Value}
		if s.Person != nil {
			it.Record = s.Person.ID
		}
		plan(&it, e, s)
		items = append(items, it)
	}
	return items
}

const noPerson = "the call has no linked records"

func plan(it *Item, e Effect, s Situation) {
	fill := s.Fill
	if fill == nil {
		fill = func(t string) string { return t }
	}
	who := "nobody"
	if s.Person != nil {
		who = s.Person.Name
	} else if e.Kind != DoNotCall && e.Kind != Webhook && e.Kind != DealStage && e.Kind != CaseState &&
		e.Kind != Message {
		it.Problem = noPerson
	}
	problem := func(text string) {
		if it.Problem == "" {
			it.Problem = text
		}
	}
	switch e.Kind {
	case FollowUp:
		it.Text = fill(e.Text)
		it.Words = map[string]string{Call: "call " + who, MailAct: "write to " + who, Meeting: "meet " + who,
			Task: "a task"}[e.Act]
		due, dayOnly := Due(e.After, s, e.Act == Call)
		it.Due, it.DayOnly, it.Zone = &due, dayOnly, due.Location().String()
	case Retry:
		it.Act = Call
		n := s.Number
		if e.Next {
			if n = s.Next; n == nil {
				problem("there is no other number to try")
			}
		}
		it.Words = "try again"
		if n != nil {
			it.Number, it.Words = n.ID, "try "+n.Label
			if !e.Next {
				it.Words += " again"
			}
		}
		if s.Round {
			it.Words += " in this round"
		}
		it.Text = "Try again"
		due, dayOnly := Due(e.After, s, true)
		if !dayOnly {
			due = bothWork(due, s)
		}
		it.Due, it.DayOnly = &due, dayOnly
	case Message, Mail:
		name, there := s.Names[e.Target]
		it.Words = fmt.Sprintf("send “%s”", name)
		switch {
		case !there:
			it.Words = "send a template"
			problem("its template is gone")
		case e.Kind == Mail && s.Mail == "":
			problem("no mail address is known")
		case e.Kind == Mail:
			it.Address, it.Words = s.Mail, it.Words+" to "+s.Mail
		case s.NoText != "":
			problem(s.NoText)
		case s.Number == nil:
			problem("no number is known")
		default:
			it.Address, it.Words = s.Number.E164, fmt.Sprintf("text “%s” to %s", name, s.Number.Label)
		}
	case AddToList, TakeOffList:
		name, there := s.Names[e.Target]
		if !there {
			problem("its list is gone")
		}
		it.Words = fmt.Sprintf("put on the list “%s”", name)
		if e.Kind == TakeOffList {
			it.Words = fmt.Sprintf("take off the list “%s”", name)
		}
	case AddTag:
		it.Text, it.Words = e.Text, fmt.Sprintf("tag “%s”", e.Text)
	case DealStage:
		matter(it, s.Deal, s.Deals, "deal", e.Value)
		from, to := 0, 0
		if s.Deal != nil {
			from, to = slices.Index(s.Stages, s.Deal.Stage), slices.Index(s.Stages, e.Value)
		}
		switch back := to >= 0 && from > to; {
		case back && s.Deal.About:
			it.Words = fmt.Sprintf("“%s” goes back from “%s” to “%s”", s.Deal.Name, s.Deal.Stage, e.Value)
		case back:
			problem(fmt.Sprintf("it is further on, at “%s”, and the call is not about it", s.Deal.Stage))
		}
	case CaseState:
		matter(it, s.Case, s.Cases, "case", e.Value)
	case NewCase:
		it.Text = fill(e.Text)
		it.Words = "open a case"
	case DoNotCall:
		switch {
		case e.Value == ThisPerson && s.Person == nil:
			problem(noPerson)
		case e.Value == ThisPerson:
			it.Words = "never call " + who
		case s.Number == nil:
			problem("no number is known")
		default:
			it.Address, it.Number, it.Words = s.Number.E164, s.Number.ID, "never call "+s.Number.Label
		}
		if it.Words == "" {
			it.Words = "do-not-call"
		}
	case EndSequence:
		it.Words = "end the sequence"
		if s.Sequence == 0 {
			problem("they are in no sequence")
		}
	case Webhook:
		name, there := s.Names[e.Target]
		it.Words = fmt.Sprintf("tell “%s”", name)
		if !there {
			it.Words = "tell another program"
			problem("its address is gone")
		}
	}
}

// matter plans a new stage of a deal or a case.
func matter(it *Item, m *Named, open int, what, stage string) {
	it.Words = "the " + what + " becomes “" + stage + "”"
	it.Record = ""
	switch {
	case m == nil && open == 0:
		it.Problem = "there is no open " + what
	case m == nil:
		it.Problem = fmt.Sprintf("there are %d open %ss: put the call on one of them", open, what)
	default:
		it.Record, it.Words = m.ID, fmt.Sprintf("“%s” becomes “%s”", m.Name, stage)
		if m.Stage == stage {
			it.Problem = "it is “" + stage + "” already"
		}
	}
}
