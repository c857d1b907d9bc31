package desk_test

import (
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/contract"
	"trundo/internal/desk/firm"
	"trundo/internal/desk/webforms"
)

// form makes a form of a queue that takes calls and messages, and gives it with the mark of its address.
func (w *world) form(queue uuid.UUID, change func(*contract.WebForm)) (contract.WebForm, string) {
	w.t.Helper()
	v := contract.WebForm{Name: "Contact", Title: "Talk to us", Hello: "We answer within a day.", QueueID: queue,
		Calls: true, Messages: true, Sites: []string{"www.lindenfall.example"}, Active: true}
	if change != nil {
		change(&v)
	}
	v, err := w.Forms.PutWebForm(w.t.Context(), w.admin(), nil, v)
	require.NoError(w.t, err)
	return v, strings.TrimPrefix(*v.Path, webforms.FormPath)
}

// fills fills a form in and sends it half a minute after it was opened.
func (w *world) fills(mark string, in webforms.Filled) (string, error) {
	w.t.Helper()
	p, err := w.Forms.Page(w.t.Context(), mark)
	require.NoError(w.t, err)
	w.clock.Advance(30 * time.Second)
	in.Token = p.Token
	return w.Forms.FillIn(w.t.Context(), mark, in)
}

func TestWhoFillsInAFormIsCalledBack(t *testing.T) {
	w := newWorld(t)
	q := w.queue("Service", func(q *contract.QueueSettings) { q.Hours = "Mon-Fri 09:00-17:00" }, w.ines)
	f, mark := w.form(*q.ID, nil)
	assert.Equal(t, []string{"https://www.lindenfall.example"}, f.Sites)
	p, err := w.Forms.Page(t.Context(), mark)
	require.NoError(t, err)
	assert.True(t, p.OpenNow)
	assert.Equal(t, webforms.Slot{Value: "2026-03-02T10:30", Text: "Monday, March 2, 10:30 AM"}, p.Slots[0])
	for _, s := range p.Slots {
		assert.NotContains(t, s.Value, "T17", "closed from five on")
	}
	says, err := w.fills(mark, webforms.Filled{Name: " Aron  Pell ", Number: "413 555 0161", Text: "The pump hums."})
	require.NoError(t, err)
	assert.Equal(t, "Thank you. We will call you as soon as it is your turn.", says)
	says, err = w.fills(mark, webforms.Filled{Name: "Berit", Number: mobileNumber, When: "2026-03-02T10:30"})
	require.NoError(t, err)
	assert.Equal(t, "Thank you. We will call you on Monday, March 2 at 10:30 AM.", says)
	// Sent again, it changes the time; there is one callback for a number.
	_, err = w.fills(mark, webforms.Filled{Name: "Berit", Number: mobileNumber, When: "2026-03-02T12:00"})
	require.NoError(t, err)
	waits := w.waiting(w.ines)
	require.Len(t, waits, 2)
	assert.Equal(t, "Aron Pell", waits[0].Name)
	assert.Equal(t, "The pump hums.", *waits[0].About)
	assert.Equal(t, "Berit Osterlund", waits[1].Name, "who is known is called as the firm knows them")
	assert.WithinDuration(t, time.Date(2026, 3, 2, 17, 0, 0, 0, time.UTC), *waits[1].Due, 0)
	w.sits(w.ines)
	w.passes("it is her turn", func() bool { return *w.waiting(w.ines)[0].Turn })
	c, err := w.Queues.TakeWait(t.Context(), w.ines, key(), *waits[0].WaitID)
	require.NoError(t, err)
	assert.Equal(t, "413 555 0161", c.Display)

	require.Equal(t, contract.ErasureStateDone, w.erases(w.admin(), w.berit).State)
	assert.Len(t, w.waiting(w.odile), 0)
}

func TestWhoWritesInAFormIsAnsweredByMail(t *testing.T) {
	w := newWorld(t)
	_, err := w.store.Pool.Exec(t.Context(), `UPDATE records SET email = 'berit@vesper.example' WHERE id = $1`, w.berit)
	require.NoError(t, err)
	q := w.queue("Service", nil, w.ines)
	_, mark := w.form(*q.ID, func(f *contract.WebForm) { f.MakesCase = true })
	says, err := w.fills(mark, webforms.Filled{Write: true, Name: "A stranger", Mail: "stranger@elsewhere.example",
		Text: "Do you also repair taps? My card is 4111 1111 1111 1111."})
	require.NoError(t, err)
	assert.Equal(t, "Thank you. We will answer by mail.", says)
	waits := w.waiting(w.ines)
	require.Len(t, waits, 1)
	assert.Contains(t, *waits[0].Message, "Talk to us: Do you also repair taps?")
	assert.Equal(t, "stranger@elsewhere.example", *waits[0].Address)
	assert.NotContains(t, w.everything(), "4111 1111 1111 1111", "the number of a card is not kept")
	count := func() (n int) {
		require.NoError(t, w.store.Pool.QueryRow(t.Context(), `SELECT count(*) FROM records WHERE kind = 'case'`).Scan(&n))
		return n
	}
	before := count()
	_, err = w.fills(mark, webforms.Filled{Write: true, Name: "Berit", Mail: "berit@vesper.example",
		Text: "The pump leaks."})
	require.NoError(t, err)
	assert.Equal(t, before+1, count(), "one of a known person is a case of theirs")
	var name, note string
	var person uuid.UUID
	require.NoError(t, w.store.Pool.QueryRow(t.Context(),
		`SELECT name, person_id, note FROM records WHERE kind = 'case' ORDER BY created_at DESC LIMIT 1`).Scan(&name, &person, &note))
	assert.Equal(t, "The pump leaks.", name)
	assert.Equal(t, w.berit, person)
}

func TestAFormThatIsFilledInWrongly(t *testing.T) {
	w := newWorld(t)
	q := w.queue("Service", func(q *contract.QueueSettings) { q.Hours = "Mon-Fri 09:00-17:00" }, w.ines)
	_, mark := w.form(*q.ID, nil)
	good := webforms.Filled{Name: "Aron Pell", Number: "413 555 0161", Mail: "aron@elsewhere.example", Text: "Hello"}
	for name, x := range map[string]struct {
		field  string
		change func(*webforms.Filled)
	}{
		"no name":           {"name", func(f *webforms.Filled) { f.Name = " \n" }},
		"no number":         {"number", func(f *webforms.Filled) { f.Number = "" }},
		"no telephone":      {"number", func(f *webforms.Filled) { f.Number = "12" }},
		"emergency":         {"number", func(f *webforms.Filled) { f.Number = "911" }},
		"the firm's own":    {"number", func(f *webforms.Filled) { f.Number = mainNumber }},
		"when it is closed": {"when", func(f *webforms.Filled) { f.When = "2026-03-02T20:00" }},
		"in the past":       {"when", func(f *webforms.Filled) { f.When = "2026-03-02T09:30" }},
		"in a year":         {"when", func(f *webforms.Filled) { f.When = "2027-03-02T10:30" }},
		"no time":           {"when", func(f *webforms.Filled) { f.When = "soon" }},
		"long":              {"text", func(f *webforms.Filled) { f.Text = strings.Repeat("x", 501) }},
		"no mail":           {"mail", func(f *webforms.Filled) { f.Write, f.Mail = true, "aron" }},
		"a mail with more": {"mail", func(f *webforms.Filled) {
			f.Write, f.Mail = true,
				"Aron <aron@elsewhere.example>"
		}},
		"nothing":  {"text", func(f *webforms.Filled) { f.Write, f.Text = true, " " }},
		"too much": {"text", func(f *webforms.Filled) { f.Write, f.Text = true, strings.Repeat("x", 10_001) }},
	} {
		in := good
		x.change(&in)
		_, err := w.fills(mark, in)
		var wrong *firm.FieldError
		if assert.ErrorAs(t, err, &wrong, name) {
			assert.Equal(t, x.field, wrong.Field, name)
		}
	}
	assert.Empty(t, w.waiting(w.ines))

	// A program that fills in what nobody sees learns nothing, and nothing comes of it.
	in := good
	in.Trap = "https://elsewhere.example"
	says, err := w.fills(mark, in)
	require.NoError(t, err)
	assert.NotEmpty(t, says)
	assert.Empty(t, w.waiting(w.ines))

	// A page is filled in by a person: not in a moment, not for ever after, and not with what was made for another form.
	p, err := w.Forms.Page(t.Context(), mark)
	require.NoError(t, err)
	_, other := w.form(*q.ID, func(f *contract.WebForm) { f.Name = "Other" })
	in = good
	in.Token = p.Token
	_, err = w.Forms.FillIn(t.Context(), mark, in)
	require.Error(t, err, "at once")
	w.clock.Advance(time.Minute)
	_, err = w.Forms.FillIn(t.Context(), other, in)
	require.Error(t, err, "of another form")
	w.clock.Advance(13 * time.Hour)
	_, err = w.Forms.FillIn(t.Context(), mark, in)
	require.Error(t, err, "too old")
	in.Token = "1." + p.Token
	_, err = w.Forms.FillIn(t.Context(), mark, in)
	require.Error(t, err, "made up")
	assert.Empty(t, w.waiting(w.ines))
}

func TestAFormIsThereOnlyAtItsAddressAndWhileItIsOn(t *testing.T) {
	w := newWorld(t)
	ctx := t.Context()
	q := w.queue("Service", nil, w.ines)
	f, mark := w.form(*q.ID, nil)
	there := func(mark string) bool {
		w.clock.Advance(2 * time.Second) // a form is read again after a moment
		_, err := w.Forms.Page(ctx, mark)
		if err != nil {
			require.ErrorIs(t, err, firm.ErrNotFound)
		}
		return err == nil
	}
	assert.True(t, there(mark))
	for _, wrong := range []string{"", ".", mark[:len(mark)-1], mark + "x", mark[:22], strings.ToUpper(mark), "%00"} {
		assert.False(t, there(wrong), wrong)
	}
	renewed, err := w.Forms.RenewWebForm(ctx, w.admin(), *f.ID)
	require.NoError(t, err)
	assert.False(t, there(mark), "its address is void")
	mark = strings.TrimPrefix(*renewed.Path, webforms.FormPath)
	assert.True(t, there(mark))
	_, err = w.Forms.PutWebForm(ctx, w.admin(), f.ID, f)
	require.ErrorIs(t, err, firm.ErrChangedElse, "somebody has renewed it")
	renewed.Active = false
	off, err := w.Forms.PutWebForm(ctx, w.admin(), f.ID, renewed)
	require.NoError(t, err)
	assert.False(t, there(mark))
	off.Active = true
	_, err = w.Forms.PutWebForm(ctx, w.admin(), f.ID, off)
	require.NoError(t, err)
	assert.True(t, there(mark))
	q.Active = false
	_, err = w.Queues.PutQueue(ctx, w.admin(), q.ID, q)
	require.NoError(t, err)
	assert.False(t, there(mark), "nobody would call")
}

func TestAFormThatCannotBe(t *testing.T) {
	w := newWorld(t)
	q := w.queue("Service", nil, w.ines)
	f, _ := w.form(*q.ID, nil)
	for name, change := range map[string]func(*contract.WebForm){
		"name":     func(f *contract.WebForm) { f.Name = "" },
		"title":    func(f *contract.WebForm) { f.Title = " " },
		"calls":    func(f *contract.WebForm) { f.Calls, f.Messages = false, false },
		"queue_id": func(f *contract.WebForm) { f.QueueID = uuid.New() },
		"line_id":  func(f *contract.WebForm) { f.LineID = new(uuid.New()) },
		"sites":    func(f *contract.WebForm) { f.Sites = []string{"https://a.example; script-src *"} },
	} {
		v := f
		change(&v)
		_, err := w.Forms.PutWebForm(t.Context(), w.admin(), f.ID, v)
		var wrong *firm.FieldError
		if assert.ErrorAs(t, err, &wrong, name) {
			assert.Equal(t, name, wrong.Field)
		}
	}
	_, err := w.Forms.PutWebForm(t.Context(), w.admin(), nil, f)
	require.ErrorContains(t, err, "there is a form of this name already")
	_, err = w.Forms.WebForms(t.Context(), w.odile)
	require.ErrorIs(t, err, firm.ErrForbidden)
	_, err = w.Forms.RenewWebForm(t.Context(), w.odile, *f.ID)
	require.ErrorIs(t, err, firm.ErrForbidden)
	_, err = w.Forms.PutWebForm(t.Context(), w.odile, nil, f)
	require.ErrorIs(t, err, firm.ErrForbidden)
	for entered, origin := range map[string]string{"www.a.example": "https://www.a.example",
		" HTTPS://A.example/page?x=1 ": "https://a.example", "http://a.example:8080/": "http://a.example:8080"} {
		v := f
		v.Name, v.Sites = entered, []string{entered}
		v, err := w.Forms.PutWebForm(t.Context(), w.admin(), nil, v)
		require.NoError(t, err)
		assert.Equal(t, []string{origin}, v.Sites)
	}
}
