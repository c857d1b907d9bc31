// Package fields says which fields the records of each kind have, what may stand in them, and how what people type or
// bring along in a file is read into one canonical text.
//
// It must not know the database, rights, or how a sheet looks.
package fields

// Kind is a kind of record.
type Kind string

// The kinds of record.
const (
	Contact Kind = "contact"
	Lead    Kind = "lead"
	Company Kind = "company"
	Deal    Kind = "deal"
	Case    Kind = "case"
	Product Kind = "product"
	Quote   Kind = "quote"
	Order   Kind = "order"
	Visit   Kind = "visit"
	// Delivery and Invoice are what follows an order: of goods, and of money. A supplier sends both to us.
	Delivery Kind = "delivery"
	Invoice  Kind = "invoice"
)

// Kinds are all kinds in the order in which they are offered.
var Kinds = []Kind{Contact, Lead, Company, Deal, Case, Product, Quote, Order, Delivery, Invoice, Visit}

// Known tells whether k is a kind of record.
func (k Kind) Known() bool {
	for _, x := range Kinds {
		if x == k {
			return true
		}
	}
	return false
}

// Person tells whether records of this kind are people.
func (k Kind) Person() bool { return k == Contact || k == Lead }

// Type is what may stand in a field, and its canonical text.
type Type string

// The types of field.
const (
	Text   Type = "text"   // one line
	Long   Type = "long"   // lines
	Number Type = "number" // "12.5"
	Money  Type = "money"  // "18400.50 USD"
	Date   Type = "date"   // "2026-11-25"
	Time   Type = "time"   // RFC 3339 in UTC
	Choice Type = "choice" // one of Choices
	YesNo  Type = "yes_no" // "yes", "no"
	Phone  Type = "phone"  // as typed; the number itself stands among the record's numbers
	Mail   Type = "mail"   // an address of RFC 5322, without a name
	Web    Type = "web"    // an absolute http or https address
	User   Type = "user"   // id of somebody of the firm
	Ref    Type = "ref"    // id of a record of one of RefKinds
	Tags   Type = "tags"   // "spring, large", sorted, each once
	Zone   Type = "zone"   // IANA time zone
)

// Field is one field of a kind of record.
type Field struct {
	Key      string // stable, as the API and files name it; "custom." before an admin's
	Label    string // for reading
	Type     Type
	Choices  []string // of a Choice; for a Text: what is offered
	RefKinds []Kind   // of a Ref
	Required bool
	Computed bool // can be read and filtered by, not written
}

// Stage choices of the kinds that go through stages.
var stages = map[Kind][]string{
	Contact: {"enquiry", "planning", "offer sent", "customer", "former customer"},
	Lead:    {"new", "tried", "interested", "not now"},
	Company: {"prospect", "customer", "former customer"},
	Deal:    {"enquiry", "visit", "offer", "decision", "won", "lost"},
	Case:    {"new", "working", "waiting for them", "watching", "solved"},
	Product: {"sold", "spare parts only", "no longer sold"},
	Quote:   {"draft", "sent", "accepted", "declined", "expired"},
	Order:   {"open", "done", "cancelled"},
	Visit:   {"planned", "done", "cancelled"},

	Delivery: {"planned", "on its way", "delivered", "returned"},
	Invoice:  {"draft", "sent", "reminded", "paid", "written off"},
}

// Closed are the stages in which a record is over: it is not counted among what is open.
var Closed = map[Kind][]string{Deal: {"won", "lost"}, Case: {"solved"}, Quote: {"accepted", "declined", "expired"},
	Order: {"done", "cancelled"}, Visit: {"done", "cancelled"},
	Delivery: {"delivered", "returned"}, Invoice: {"paid", "written off"}}

// Delivered and Invoiced are the states of an order; Ways whose it is.
var (
	Delivered = []string{"not yet", "in part", "delivered"}
	Invoiced  = []string{"not yet", "sent", "paid", "overdue"}
	Ways      = []string{"of a customer", "to a supplier"}
)

var (
	company = Field{Key: "company", Label: "Company", Type: Ref, RefKinds: []Kind{Company}}
	person  = Field{Key: "person", Label: "Person", Type: Ref, RefKinds: []Kind{Contact, Lead}}
	deal    = Field{Key: "deal", Label: "Deal", Type: Ref, RefKinds: []Kind{Deal}}
	quote   = Field{Key: "quote", Label: "Quote", Type: Ref, RefKinds: []Kind{Quote}}
	order   = Field{Key: "order", Label: "Order", Type: Ref, RefKinds: []Kind{Order}}
	owner   = Field{Key: "owner", Label: "Owner", Type: User}
	source  = Field{Key: "source", Label: "Source", Type: Text}
	tags    = Field{Key: "tags", Label: "Tags", Type: Tags}
	note    = Field{Key: "note", Label: "Note", Type: Long}
	email   = Field{Key: "email", Label: "Mail", Type: Mail}
	web     = Field{Key: "web", Label: "Web", Type: Web}
	social  = Field{Key: "social", Label: "Social page", Type: Web}
	zone    = Field{Key: "zone", Label: "Time zone", Type: Zone}
	address = Field{Key: "address", Label: "Address", Type: Text}
	place   = Field{Key: "place", Label: "Place", Type: Text}
)

func name(label string) Field { return Field{Key: "name", Label: label, Type: Text, Required: true} }

func stage(k Kind, label string) Field {
	return Field{Key: "stage", Label: label, Type: Choice, Choices: stages[k]}
}

func amount(label string) Field { return Field{Key: "amount", Label: label, Type: Money} }

func reference(label string) Field { return Field{Key: "reference", Label: label, Type: Text} }

// BuiltIn are the fields that every installation has for records of kind k, in their usual order.
func BuiltIn(k Kind) []Field {
	switch k {
	case Contact, Lead:
		return []Field{{Key: "given", Label: "Given name", Type: Text},
			{Key: "family", Label: "Family name", Type: Text}, {Key: "job", Label: "Job", Type: Text},
			company, email, stage(k, "Stage"), owner, source, tags, web, social, address, place, zone, note}
	case Company:
		parent := company
		parent.Label = "Part of"
		return []Field{name("Name"), stage(k, "Stage"), owner, source, tags, web, social, email, address, place, zone,
			parent, note}
	case Deal:
		return []Field{name("What about"), company, person, stage(k, "Stage"), amount("Amount"),
			{Key: "due", Label: "Expected by", Type: Date}, owner, source, tags, note}
	case Case:
		return []Field{name("What about"), company, person, stage(k, "State"), reference("Case number"),
			{Key: "due", Label: "To be solved by", Type: Date}, owner, source, tags, note}
	case Product:
		return []Field{name("Name"), reference("Article number"), amount("Price"), stage(k, "State"), tags, note}
	case Quote:
		return []Field{name("What about"), reference("Quote number"), company, person, deal, stage(k, "State"),
			amount("Total"), {Key: "due", Label: "Valid until", Type: Date}, owner, tags, note}
	case Order:
		return []Field{name("What about"), reference("Order number"),
			{Key: "way", Label: "Whose order", Type: Choice, Choices: Ways}, company, person, deal, quote,
			stage(k, "State"), amount("Total"),
			{Key: "delivery", Label: "Delivery", Type: Choice, Choices: Delivered},
			{Key: "invoice", Label: "Invoice", Type: Choice, Choices: Invoiced},
			{Key: "due", Label: "Promised for", Type: Date}, owner, tags, note}
	case Delivery:
		return []Field{name("What is delivered"), reference("Delivery note"), company, person, order, stage(k, "State"),
			amount("Value"),
			{Key: "due", Label: "Due", Type: Date}, place, owner, tags, note}
	case Invoice:
		return []Field{name("What for"), reference("Invoice number"), company, person, order, stage(k, "State"),
			amount("Amount"),
			{Key: "due", Label: "To be paid by", Type: Date}, owner, tags, note}
	case Visit:
		return []Field{name("What for"), company, person, deal,
			{Key: "starts", Label: "Begins", Type: Time, Required: true}, {Key: "ends", Label: "Ends", Type: Time},
			place,
			stage(k, "State"), owner, tags, note}
	}
	return nil
}

// Computed are the fields that can be filtered and sorted by but not written.
func Computed(k Kind) []Field {
	made := []Field{{Key: "created", Label: "Made", Type: Time, Computed: true}}
	if k == Product {
		return made
	}
	return append(made,
		Field{Key: "last_call", Label: "Last call", Type: Time, Computed: true},
		Field{Key: "calls", Label: "Calls", Type: Number, Computed: true},
		Field{Key: "no_outcome", Label: "A call without an outcome", Type: YesNo, Computed: true},
		Field{Key: "follow_up", Label: "Has an open follow-up", Type: YesNo, Computed: true},
		Field{Key: "number", Label: "Any number", Type: Phone, Computed: true},
		Field{Key: "do_not_call", Label: "Not to be called", Type: YesNo, Computed: true})
}

// Custom is the prefix of the key of a field that an admin defined.
const Custom = "custom."

// CustomTypes are the types that an admin may give to a field.
var CustomTypes = []Type{Text, Number, Date, Choice, YesNo, Phone}

// Find finds a field by its key.
func Find(list []Field, key string) (Field, bool) {
	for _, f := range list {
		if f.Key == key {
			return f, true
		}
	}
	return Field{}, false
}

// FullName is how a person's name is written; where both parts are missing it is what else is known of them.
func FullName(given, family, email, fallback string) string {
	switch {
	case given != "" && family != "":
		return given + " " + family
	case given != "" || family != "":
		return given + family
	case email != "":
		return email
	}
	return fallback
}
