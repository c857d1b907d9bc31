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
	p := planning{it: it, e: e, s: s, who: "nobody", fill: s.Fill}
	if p.fill == nil {
		p.fill = func(t string) string { return t }
	}
	if s.Person != nil {
		p.who = s.Person.Name
	} else if e.Kind != DoNotCall && e.Kind != Webhook && e.Kind != DealStage && e.Kind != CaseState &&
		e.Kind != Message {
		it.Problem = noPerson
	}
	if do, known := planners[e.Kind]; known {
		do(p)
	}
}

// planning is one effect that is being planned.
type planning struct {
	it   *Item
	e    Effect
	s    Situation
	who  string // the person's name
	fill func(string) string
}

// problem says why it cannot be done, where nothing was in the way before.
func (p planning) problem(text string) {
	if p.it.Problem == "" {
		p.it.Problem = text
	}
}

// planners say of each kind of effect what would be done.
var planners = map[Kind]func(planning){
	FollowUp: planning.followUp, Retry: planning.retry, Message: planning.message, Mail: planning.message,
	AddToList: planning.list, TakeOffList: planning.list, AddTag: planning.tag, DealStage: planning.dealStage,
	CaseState: planning.caseState, NewCase: planning.newCase, DoNotCall: planning.doNotCall,
	EndSequence: planning.endSequence, Webhook: planning.webhook,
}

func (p planning) followUp() {
	p.it.Text = p.fill(p.e.Text)
	p.it.Words = map[string]string{Call: "call " + p.who, MailAct: "write to " + p.who, Meeting: "meet " + p.who,
		Task: "a task"}[p.e.Act]
	due, dayOnly := Due(p.e.After, p.s, p.e.Act == Call)
	p.it.Due, p.it.DayOnly, p.it.Zone = &due, dayOnly, due.Location().String()
}

func (p planning) retry() {
	p.it.Act = Call
	n := p.s.Number
	if p.e.Next {
		if n = p.s.Next; n == nil {
			p.problem("there is no other number to try")
		}
	}
	p.it.Words = "try again"
	if n != nil {
		p.it.Number, p.it.Words = n.ID, "try "+n.Label
		if !p.e.Next {
			p.it.Words += " again"
		}
	}
	if p.s.Round {
		p.it.Words += " in this round"
	}
	p.it.Text = "Try again"
	due, dayOnly := Due(p.e.After, p.s, true)
	if !dayOnly {
		due = bothWork(due, p.s)
	}
	p.it.Due, p.it.DayOnly = &due, dayOnly
}

func (p planning) message() {
	name, there := p.s.Names[p.e.Target]
	p.it.Words = fmt.Sprintf("send “%s”", name)
	switch {
	case !there:
		p.it.Words = "send a template"
		p.problem("its template is gone")
	case p.e.Kind == Mail && p.s.Mail == "":
		p.problem("no mail address is known")
	case p.e.Kind == Mail:
		p.it.Address, p.it.Words = p.s.Mail, p.it.Words+" to "+p.s.Mail
	case p.s.NoText != "":
		p.problem(p.s.NoText)
	case p.s.Number == nil:
		p.problem("no number is known")
	default:
		p.it.Address, p.it.Words = p.s.Number.E164, fmt.Sprintf("text “%s” to %s", name, p.s.Number.Label)
	}
}

func (p planning) list() {
	name, there := p.s.Names[p.e.Target]
	if !there {
		p.problem("its list is gone")
	}
	p.it.Words = fmt.Sprintf("put on the list “%s”", name)
	if p.e.Kind == TakeOffList {
		p.it.Words = fmt.Sprintf("take off the list “%s”", name)
	}
}

func (p planning) tag() { p.it.Text, p.it.Words = p.e.Text, fmt.Sprintf("tag “%s”", p.e.Text) }

func (p planning) dealStage() {
	deal, stage := p.s.Deal, p.e.Value
	matter(p.it, deal, p.s.Deals, "deal", stage)
	from, to := 0, 0
	if deal != nil {
		from, to = slices.Index(p.s.Stages, deal.Stage), slices.Index(p.s.Stages, stage)
	}
	switch back := to >= 0 && from > to; {
	case back && deal.About:
		p.it.Words = fmt.Sprintf("“%s” goes back from “%s” to “%s”", deal.Name, deal.Stage, stage)
	case back:
		p.problem(fmt.Sprintf("it is further on, at “%s”, and the call is not about it", deal.Stage))
	}
}

func (p planning) caseState() { matter(p.it, p.s.Case, p.s.Cases, "case", p.e.Value) }

func (p planning) newCase() { p.it.Text, p.it.Words = p.fill(p.e.Text), "open a case" }

func (p planning) doNotCall() {
	n := p.s.Number
	switch {
	case p.e.Value == ThisPerson && p.s.Person == nil:
		p.problem(noPerson)
	case p.e.Value == ThisPerson:
		p.it.Words = "never call " + p.who
	case n == nil:
		p.problem("no number is known")
	default:
		p.it.Address, p.it.Number, p.it.Words = n.E164, n.ID, "never call "+n.Label
	}
	if p.it.Words == "" {
		p.it.Words = "do-not-call"
	}
}

func (p planning) endSequence() {
	p.it.Words = "end the sequence"
	if p.s.Sequence == 0 {
		p.problem("they are in no sequence")
	}
}

func (p planning) webhook() {
	name, there := p.s.Names[p.e.Target]
	p.it.Words = fmt.Sprintf("tell “%s”", name)
	if !there {
		p.it.Words = "tell another program"
		p.problem("its address is gone")
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
