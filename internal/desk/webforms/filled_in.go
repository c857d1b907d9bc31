package webforms

import (
	"context"
	"crypto/hmac"
	"net/mail"
	"strconv"
	"strings"
	"time"

	"trundo/internal/contract"
	"trundo/internal/core/card"
	"trundo/internal/core/phone"
	"trundo/internal/core/queue"
	"trundo/internal/desk/firm"
	"trundo/internal/desk/outreach"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// Page is a form as somebody sees it on the firm's own page.
type Page struct {
	Title, Hello    string
	Calls, Messages bool
	Sites           []string // origins of the pages that may show it
	Slots           []Slot   // times at which they can be called; none: the queue is closed for days
	OpenNow         bool
	Token           string // says when the page was made
}

// Slot is a time at which one can be called: Value as it is sent, on the firm's clock.
type Slot struct{ Value, Text string }

// Filled is what somebody has entered.
type Filled struct {
	Token, Name, Number, Mail, When, Text string
	Write                                 bool   // a message, not a call
	Trap                                  string // a field that nobody sees
}

// A page is filled in by a person: not within a moment, and not for ever after it was made.
const (
	formLeast = 2 * time.Second
	formMost  = 12 * time.Hour
	maxAbout  = 500
	maxText   = 10_000
	slotValue = "2006-01-02T15:04"
)

// Page is a form as it is shown now. Error: firm.ErrNotFound.
func (wf *Forms) Page(ctx context.Context, mark string) (*Page, error) {
	f, err := wf.formOf(ctx, mark)
	if err != nil {
		return nil, err
	}
	hours, err := wf.Queues.HoursOf(ctx, f.QueueID)
	if err != nil {
		return nil, err
	}
	now := wf.Clock.Now().In(hours.Zone)
	p := &Page{Title: f.Title, Hello: f.Hello, Calls: f.Calls, Messages: f.Messages, Sites: f.Sites,
		OpenNow: hours.Now, Token: wf.formToken(f, now)}
	dates := wf.Dates()
	for _, at := range queue.Slots(now, hours.Opens) {
		p.Slots = append(p.Slots, Slot{at.Format(slotValue), dates.LongWeekday(at) + ", " + dates.Time(at)})
	}
	return p, nil
}

func (wf *Forms) formToken(f *db.WebForm, now time.Time) string {
	at := strconv.FormatInt(now.Unix(), 36)
	return at + "." + wf.sign(f, "page "+at)
}

// fresh tells whether a token was made by this form, and neither a moment nor half a day ago.
func (wf *Forms) freshToken(f *db.WebForm, token string, now time.Time) bool {
	at, sum, _ := strings.Cut(token, ".")
	seconds, err := strconv.ParseInt(at, 36, 64)
	if err != nil || !hmac.Equal([]byte(sum), []byte(wf.sign(f, "page "+at))) {
		return false
	}
	age := now.Sub(time.Unix(seconds, 0))
	return age >= formLeast && age <= formMost
}

// FillIn takes what somebody has entered in a form, and says what happens now. Errors: firm.ErrNotFound,
// *firm.FieldError.
func (wf *Forms) FillIn(ctx context.Context, mark string, in Filled) (string, error) {
	f, err := wf.formOf(ctx, mark)
	if err != nil {
		return "", err
	}
	now := wf.Clock.Now()
	if !wf.freshToken(f, in.Token, now) {
		return "", firm.Wrong("page", "this page has lain too long, or was sent too fast: please send it again")
	}
	in.Name = firm.Shorten(strings.Join(strings.Fields(firm.CleanText(in.Name)), " "), 100)
	in.Text = card.Mask(strings.TrimSpace(firm.CleanText(in.Text)))
	if in.Trap != "" { // a program has filled in what no person sees; it learns nothing
		return thanked, nil
	}
	if in.Name == "" {
		return "", firm.Wrong("name", "please tell us your name")
	}
	if in.Write && f.Messages {
		return wf.wroteInForm(ctx, f, in)
	}
	if !f.Calls {
		return "", firm.ErrNotFound
	}
	return wf.asksForCall(ctx, f, in, now)
}

const thanked = "Thank you. We will be in touch."

// asksForCall notes that somebody who has filled in a form is to be called.
func (wf *Forms) asksForCall(ctx context.Context, f *db.WebForm, in Filled, now time.Time) (string, error) {
	s, err := wf.Settings(ctx)
	if err != nil {
		return "", err
	}
	hours, err := wf.Queues.HoursOf(ctx, f.QueueID)
	if err != nil {
		return "", err
	}
	n, err := phone.Parse(in.Number, s.Region)
	switch {
	case err != nil:
		return "", firm.About("number", err)
	case phone.Emergency(in.Number, s.Region) || s.LineOf(n.E164) != nil:
		return "", firm.Wrong("number", "we cannot call this number")
	case len([]rune(in.Text)) > maxAbout:
		return "", firm.Wrong("text", "please say in fewer words what it is about")
	}
	p := db.InsertQueueWaitParams{QueueID: f.QueueID, LineID: f.LineID, E164: n.E164, Ext: n.Ext, Since: now, Word: in.Text, Called: in.Name}
	says := "Thank you. We will call you as soon as it is your turn."
	if in.When != "" {
		at, err := time.ParseInLocation(slotValue, in.When, hours.Zone)
		if err != nil || !queue.MayChoose(at, now, hours.Opens) {
			return "", firm.Wrong("when", "we cannot call you at that time: please choose another one")
		}
		dates := wf.Dates()
		p.DueAt, says = &at, "Thank you. We will call you on "+dates.LongWeekday(at)+" at "+dates.Time(at)+"."
	}
	if p.RecordID, _, err = wf.Queues.Book.WhoClearly(ctx, n.E164, n.Ext); err != nil {
		return "", err
	}
	if err := wf.Queues.CallBack(ctx, p); err != nil {
		return "", err
	}
	return says, nil
}

// wroteInForm keeps what somebody has written in a form, as a mail that waits in the form's queue.
func (wf *Forms) wroteInForm(ctx context.Context, f *db.WebForm, in Filled) (string, error) {
	address, err := mail.ParseAddress(strings.TrimSpace(in.Mail))
	switch {
	case err != nil || len(in.Mail) > 200 || address.Name != "":
		return "", firm.Wrong("mail", "please give us a mail address to answer to, such as name@example.com")
	case in.Text == "":
		return "", firm.Wrong("text", "please tell us what it is about")
	case len(in.Text) > maxText:
		return "", firm.Wrong("text", "this is too long: please shorten it")
	}
	body := in.Text + "\n\n" + in.Name
	if number := strings.TrimSpace(in.Number); number != "" {
		body += "\n" + firm.Shorten(number, 40)
	}
	s, err := wf.Settings(ctx)
	if err != nil {
		return "", err
	}
	err = wf.Outreach.Receive(ctx, outreach.Received{Channel: contract.ChannelMail, From: address.Address,
		Subject: f.Title + ": " + firm.Shorten(in.Text, 80), Body: body,
		Keep: func(ctx context.Context, q *db.Queries, m db.InsertMessageParams) error {
			if f.MakesCase && m.RecordID != nil {
				if err := wf.caseOf(ctx, q, s, m, in.Text); err != nil {
					return err
				}
			}
			if m.UserID != nil {
				return nil // it is theirs who wrote with them last, or own the record
			}
			return q.InsertMessageWait(ctx, db.InsertMessageWaitParams{ID: store.NewID(), QueueID: f.QueueID,
				MessageID: &m.ID, LineID: f.LineID, RecordID: m.RecordID, Since: m.At})
		}})
	if err != nil {
		return "", err
	}
	return "Thank you. We will answer by mail.", nil
}

// caseOf makes a case of what somebody who is known has written; it belongs to whoever the message is for.
func (wf *Forms) caseOf(ctx context.Context, q *db.Queries, s *firm.Settings, m db.InsertMessageParams,
	text string) error {
	values := map[string]string{"name": firm.Shorten(text, 80), "person": m.RecordID.String(), "note": text}
	if m.UserID != nil {
		values["owner"] = m.UserID.String()
	}
	return wf.Queues.Book.MakeRecord(ctx, q, firm.Actor{}, s, store.NewID(),
		contract.NewRecord{Kind: contract.RecordKindCase, Values: values})
}
