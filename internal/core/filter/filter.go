// Package filter is the language of saved views: conditions on fields, joined by all and any, with dates relative to
// now. It reads what a browser or an address brings, says what is wrong with it, and gives conditions with typed
// values.
//
// It must not know SQL, the database, or who asks.
package filter

import (
	"encoding/json"
	"errors"
	"fmt"
	"math/big"
	"strconv"
	"strings"
	"time"

	"trundo/internal/core/fields"
	"trundo/internal/core/money"
)

// Node is a filter as it is written: a group (All or Any) or one condition.
type Node struct {
	All   []Node `json:"all,omitempty"`
	Any   []Node `json:"any,omitempty"`
	Field string `json:"field,omitempty"`
	Op    Op     `json:"op,omitempty"`
	Value string `json:"value,omitempty"`
}

// Op is how a field is compared.
type Op string

// The comparisons.
const (
	Is       Op = "is"
	IsNot    Op = "is_not"
	Contains Op = "contains"
	Begins   Op = "begins"
	Empty    Op = "empty"
	Filled   Op = "filled"
	Less     Op = "less" // before, for dates
	More     Op = "more" // after, for dates
	Past     Op = "past" // within the last Value days, today among them
	Next     Op = "next" // within the next Value days, today among them
	NotPast  Op = "not_past"
	AnyOf    Op = "any_of" // one of several, parted by commas
)

// Limits of a filter.
const (
	MaxDepth = 5
	MaxNodes = 50
	MaxDays  = 36_500
)

// Error tells which condition is wrong.
type Error struct {
	Field string // the field of the condition, or "filter"
	Err   error
}

func (e *Error) Error() string { return fmt.Sprintf("filter on %s: %v", e.Field, e.Err) }
func (e *Error) Unwrap() error { return e.Err }

var (
	errDepth  = fmt.Errorf("groups can be nested %d deep", MaxDepth)
	errNodes  = fmt.Errorf("a filter has at most %d conditions", MaxNodes)
	errShape  = errors.New("it is either a group or a condition with a field")
	errField  = errors.New("there is no such field")
	errOp     = errors.New("this comparison does not fit this kind of field")
	errDays   = errors.New("say a number of days")
	errDigits = errors.New("say some digits of a number")
	errValues = errors.New("a value is missing")
)

// Expr is a filter that has been understood. A nil Expr lets everything through.
type Expr struct {
	Any      bool // of a group: one has to hold, else all
	Parts    []Expr
	Field    fields.Field // of a condition
	Op       Op           // Is, IsNot, Contains, Begins, Empty, Filled, Less, More or AnyOf: days have become times
	Text     string
	Texts    []string  // of AnyOf
	Number   string    // of Number and Money fields: exact decimal, or minor units
	Currency string    // of Money
	From, To time.Time // of Date and Time fields: the value is the half-open span
}

// IsGroup tells whether x is a group.
func (x *Expr) IsGroup() bool { return x.Field.Key == "" }

// ops are the comparisons that fit each type.
var ops = map[fields.Type][]Op{
	fields.Text: {Is, IsNot, Contains, Begins, AnyOf, Empty, Filled}, fields.Long: {Contains, Empty, Filled},
	fields.Number: {Is, IsNot, Less, More, Empty, Filled}, fields.Money: {Is, Less, More, Empty, Filled},
	fields.Date:   {Is, Less, More, Past, Next, NotPast, Empty, Filled},
	fields.Time:   {Is, Less, More, Past, Next, NotPast, Empty, Filled},
	fields.Choice: {Is, IsNot, AnyOf, Empty, Filled}, fields.YesNo: {Is}, fields.Phone: {Is, Begins, Empty, Filled},
	fields.Mail: {Is, Contains, Begins, Empty, Filled}, fields.Web: {Contains, Empty, Filled},
	fields.User: {Is, IsNot, AnyOf, Empty, Filled},
	fields.Ref:  {Is, IsNot, Empty, Filled}, fields.Tags: {Is, IsNot, AnyOf, Empty, Filled},
	fields.Zone: {Is, IsNot, Empty, Filled},
}

// Ops tells which comparisons fit a type, in the order in which they are offered.
func Ops(t fields.Type) []Op { return ops[t] }

// Parse reads a filter from JSON. Empty text is no filter. Error: *Error.
func Parse(text string) (Node, error) {
	if strings.TrimSpace(text) == "" {
		return Node{}, nil
	}
	var n Node
	dec := json.NewDecoder(strings.NewReader(text))
	dec.DisallowUnknownFields()
	if err := dec.Decode(&n); err != nil {
		return Node{}, &Error{"filter", err}
	}
	return n, nil
}

// Resolve understands n upon the fields of a kind of record, at now for a reader in zone. A day begins at midnight
// there. Error: *Error.
func Resolve(n Node, list []fields.Field, now time.Time, zone *time.Location, home fields.Home) (*Expr, error) {
	if n.All == nil && n.Any == nil && n.Field == "" && n.Op == "" {
		return nil, nil
	}
	r := resolver{list: list, now: now.In(zone), home: home}
	r.home.Zone = zone
	x, err := r.node(n, 1)
	if err != nil {
		return nil, err
	}
	return &x, nil
}

type resolver struct {
	list  []fields.Field
	now   time.Time
	home  fields.Home
	count int
}

func (r *resolver) node(n Node, depth int) (Expr, error) {
	r.count++
	group := n.All != nil || n.Any != nil
	switch {
	case depth > MaxDepth:
		return Expr{}, &Error{"filter", errDepth}
	case r.count > MaxNodes:
		return Expr{}, &Error{"filter", errNodes}
	case n.All != nil && n.Any != nil, group && (n.Field != "" || n.Op != ""), !group && n.Field == "":
		return Expr{}, &Error{"filter", errShape}
	case !group:
		return r.condition(n)
	}
	x := Expr{Any: n.Any != nil}
	for _, part := range append(append([]Node{}, n.All...), n.Any...) {
		p, err := r.node(part, depth+1)
		if err != nil {
			return Expr{}, err
		}
		x.Parts = append(x.Parts, p)
	}
	return x, nil
}

func (r *resolver) condition(n Node) (Expr, error) {
	f, there := fields.Find(r.list, n.Field)
	if !there {
		return Expr{}, &Error{n.Field, errField}
	}
	fits := false
	for _, op := range ops[f.Type] {
		fits = fits || op == n.Op
	}
	if !fits {
		return Expr{}, &Error{f.Label, errOp}
	}
	x := Expr{Field: f, Op: n.Op}
	var err error
	switch {
	case n.Op == Empty || n.Op == Filled:
		return x, nil
	case strings.TrimSpace(n.Value) == "":
		err = errValues
	case n.Op == Past || n.Op == Next || n.Op == NotPast:
		err = r.days(&x, n)
	case f.Type == fields.Date || f.Type == fields.Time:
		err = r.day(&x, n.Value)
	case f.Type == fields.Number:
		x.Number, err = fields.Field{Type: fields.Number}.Parse(n.Value, r.home)
	case f.Type == fields.Money:
		var a money.Amount
		if a, err = money.Parse(n.Value, r.home.Currency); err == nil {
			x.Number, x.Currency = strconv.FormatInt(a.Minor, 10), a.Currency
		}
	case n.Op == AnyOf:
		for _, v := range strings.Split(n.Value, ",") {
			if v = strings.TrimSpace(v); v != "" {
				x.Texts = append(x.Texts, v)
			}
		}
		if len(x.Texts) == 0 {
			err = errValues
		}
	case f.Type == fields.Phone:
		err = r.digits(&x, n.Value)
	case f.Type == fields.YesNo || f.Type == fields.Choice:
		x.Text, err = f.Parse(n.Value, r.home)
	default:
		x.Text = strings.TrimSpace(n.Value)
		if len(x.Text) > fields.MaxText || strings.ContainsRune(x.Text, 0) {
			err = fields.ErrTooLong
		}
	}
	if err != nil {
		return Expr{}, &Error{f.Label, err}
	}
	return x, nil
}

// digits keeps the digits of a part of a number. One that a number begins with is meant with its country's code, or
// without it for a number at home.
func (r *resolver) digits(x *Expr, text string) error {
	for _, c := range text {
		if c >= '0' && c <= '9' {
			x.Text += string(c)
		}
	}
	if x.Text == "" {
		return errDigits
	}
	if x.Op == Begins {
		x.Texts = []string{"+" + x.Text + "%", "+" + r.home.CountryCode + x.Text + "%"}
	}
	return nil
}

func (r *resolver) midnight(days int) time.Time {
	return time.Date(r.now.Year(), r.now.Month(), r.now.Day()+days, 0, 0, 0, 0, r.now.Location())
}

// days turns a number of days into a span: the last 7 days are today and the six before it.
func (r *resolver) days(x *Expr, n Node) error {
	days, err := strconv.Atoi(strings.TrimSpace(n.Value))
	if err != nil || days < 0 || days > MaxDays {
		return errDays
	}
	switch n.Op {
	case Past:
		x.Op, x.From, x.To = Is, r.midnight(1-max(days, 1)), r.midnight(1)
	case Next:
		x.Op, x.From, x.To = Is, r.midnight(0), r.midnight(max(days, 1))
	case NotPast:
		// Before those days, or never: "not called for 30 days" is what one looks for.
		x.Op, x.From, x.To = NotPast, r.midnight(1-max(days, 1)), time.Time{}
	}
	return nil
}

// day reads a date, or one relative to today: "today", "today+7", "today-30".
func (r *resolver) day(x *Expr, text string) error {
	text = strings.ToLower(strings.TrimSpace(text))
	if rest, relative := strings.CutPrefix(text, "today"); relative {
		days := 0
		if rest = strings.ReplaceAll(rest, " ", ""); rest != "" {
			n, ok := new(big.Int).SetString(rest, 10)
			if !ok || !n.IsInt64() || n.Int64() > MaxDays || n.Int64() < -MaxDays {
				return errDays
			}
			days = int(n.Int64())
		}
		x.From, x.To = r.midnight(days), r.midnight(days+1)
		return nil
	}
	canonical, err := fields.Field{Type: fields.Date}.Parse(text, r.home)
	if err != nil {
		return err
	}
	if x.From, err = time.ParseInLocation(time.DateOnly, canonical, r.now.Location()); err != nil {
		return err
	}
	x.To = x.From.AddDate(0, 0, 1)
	return nil
}
