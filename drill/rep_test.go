package drill_test

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"net/http/cookiejar"
	"net/url"
	"strings"
	"time"

	"github.com/coder/websocket"
	"github.com/google/uuid"

	"trundo/internal/contract"
)

// entry is what one call of a rep was acknowledged to be.
type entry struct {
	rep, key    string
	id          uuid.UUID
	slip        uuid.UUID
	asked       time.Time // when it was first asked for
	said        []string  // notes that were acknowledged, in their order; each holds the one before
	ended       time.Time // when its end was acknowledged; zero: never
	filed       bool
	more        bool // somebody else was asked, or has it now
	number      uuid.UUID
	record      uuid.UUID
	followUpKey string
	followUp    string // its text, once acknowledged
}

// rep works as somebody of the firm.
type rep struct {
	d      *drill
	login  string
	id     uuid.UUID
	client *http.Client
	rand   *rand.Rand
	ledger []*entry
	heard  int // how often listening to a colleague was acknowledged
}

// answer is what came back. A status of 0: nothing did.
type answer struct {
	status int
	body   []byte
}

func (a answer) ok() bool { return a.status/100 == 2 }

// again tells whether the same wish may be sent once more: nothing came back, or it was said that it is not possible
// now.
func (a answer) again() bool {
	return a.status == 0 || a.status == http.StatusServiceUnavailable || a.status == http.StatusTooManyRequests
}

func (d *drill) newRep(login string, seed uint64) *rep {
	jar, err := cookiejar.New(nil)
	d.must(err)
	return &rep{d: d, login: login, rand: rand.New(rand.NewPCG(seed, 7)),
		client: &http.Client{Jar: jar, Timeout: 15 * time.Second}}
}

// ask sends one request, once.
func (r *rep) ask(ctx context.Context, method, path, key string, body any) answer {
	var text io.Reader
	if body != nil {
		b, err := json.Marshal(body)
		r.d.must(err)
		text = bytes.NewReader(b)
	}
	q, err := http.NewRequestWithContext(ctx, method, r.d.url+path, text)
	r.d.must(err)
	q.Header.Set("Content-Type", "application/json")
	q.Header.Set("Origin", r.d.url)
	if key != "" {
		q.Header.Set("Idempotency-Key", key)
	}
	got, err := r.client.Do(q)
	if err != nil {
		return answer{}
	}
	defer got.Body.Close()
	b, err := io.ReadAll(got.Body)
	if err != nil {
		return answer{}
	}
	if got.StatusCode == http.StatusInternalServerError {
		r.d.fault("%s %s was answered with our fault: %s", method, path, b)
	}
	return answer{got.StatusCode, b}
}

// insist sends a request until it is answered, the same each time: what was not answered may have been done. Now and
// then the asker leaves before the answer, or loses it, though all is well. Where two answers come, they have to be the
// same.
func (r *rep) insist(method, path, key string, body any) answer {
	var lost []byte
	for until := time.Now().Add(patience); ; {
		ctx, cancel := context.WithCancel(context.Background())
		if key != "" && r.rand.IntN(8) == 0 {
			leaves := time.AfterFunc(time.Duration(r.rand.IntN(12_000))*time.Microsecond, cancel)
			defer leaves.Stop()
		}
		a := r.ask(ctx, method, path, key, body)
		cancel()
		switch {
		case a.ok() && key != "" && lost == nil && r.rand.IntN(8) == 0:
			lost = a.body // the answer is lost on its way
			continue
		case a.ok() && lost != nil && idOf(lost) != idOf(a.body):
			r.d.fault("%s %s with the same key: %s, then %s", method, path, lost, a.body)
			return a
		case !a.again():
			return a
		case time.Now().After(until):
			return a
		}
		r.pause(50, 250)
	}
}

// idOf is the id in an answer.
func idOf(body []byte) string {
	var v struct{ ID string }
	_ = json.Unmarshal(body, &v)
	return v.ID
}

func (r *rep) pause(from, to int) {
	timer := time.NewTimer(time.Duration(from+r.rand.IntN(to-from)) * time.Millisecond)
	defer timer.Stop()
	<-timer.C
}

func (r *rep) signIn() error {
	a := r.insist("POST", "/api/session", "", contract.SignIn{Login: r.login, Password: password})
	r.id = r.d.people[r.login]
	if !a.ok() {
		return fmt.Errorf("%s does not sign in: %d %s", r.login, a.status, a.body)
	}
	return nil
}

// watches keeps a window open, which comes back whenever it is cut off.
func (r *rep) watches(ctx context.Context) {
	for ctx.Err() == nil {
		header := http.Header{"Origin": {r.d.url}}
		u, err := url.Parse(r.d.url)
		r.d.must(err)
		for _, c := range r.client.Jar.Cookies(u) {
			header.Add("Cookie", c.String())
		}
		c, _, err := websocket.Dial(ctx, strings.Replace(r.d.url, "http", "ws", 1)+"/api/live",
			&websocket.DialOptions{HTTPHeader: header})
		for err == nil {
			_, _, err = c.Read(ctx)
		}
		if c != nil {
			_ = c.CloseNow()
		}
		select {
		case <-ctx.Done():
		case <-time.After(200 * time.Millisecond):
		}
	}
}

// works makes calls, one after the other.
func (r *rep) works(ctx context.Context) {
	for ctx.Err() == nil {
		r.answers()
		r.listens()
		r.call()
		r.pause(20, 200)
	}
}

// call is one call, from the click to its filing, as far as it can be done.
func (r *rep) call() {
	number := r.d.numbers[r.rand.IntN(len(r.d.numbers))]
	e := &entry{rep: r.login, key: uuid.NewString(), asked: time.Now(), number: number.id, record: number.record}
	wish := contract.NewCall{NumberID: &number.id}
	a := r.insist("POST", "/api/calls", e.key, wish)
	if a.status == http.StatusConflict { // a call that was not known to have been made
		var p contract.Problem
		_ = json.Unmarshal(a.body, &p)
		if p.Code == "in_call" && p.CallID != nil {
			r.insist("POST", "/api/calls/"+p.CallID.String()+"/hang-up", "", nil)
			return
		}
	}
	if !a.ok() {
		if a.status != 0 && !a.again() && a.status != http.StatusConflict {
			r.d.fault("%s calls: %d %s", r.login, a.status, a.body)
		}
		return
	}
	var c contract.Call
	r.d.must(json.Unmarshal(a.body, &c))
	e.id, e.slip = c.ID, c.Slip.ID
	r.ledger = append(r.ledger, e)
	for range 1 + r.rand.IntN(3) {
		r.writes(e)
		r.pause(20, 400)
	}
	if r.rand.IntN(2) == 0 {
		r.waits(e)
	}
	if r.rand.IntN(2) == 0 {
		r.gives(e)
	} else {
		r.brings(e)
	}
	r.leaves(e)
	r.writes(e)
	if r.rand.IntN(2) == 0 {
		r.noteFollowUp(e)
	}
	r.files(e)
}

// waits lets them answer, as they do within some ten seconds, and talks for a moment; or they do not.
func (r *rep) waits(e *entry) {
	for until := time.Now().Add(10 * time.Second); time.Now().Before(until); r.pause(100, 300) {
		c, err := r.read(e.id)
		if err == nil && c.State.Phase == contract.PhaseEnded {
			return
		}
		if err == nil && c.State.Phase == contract.PhaseSpeaking {
			r.pause(200, 2000)
			return
		}
	}
}

// gives hands a call over unasked.
func (r *rep) gives(e *entry) {
	to := r.d.people[taker]
	a := r.ask(context.Background(), "POST", "/api/calls/"+e.id.String()+"/asks", "",
		contract.Ask{As: contract.AskAsHanded, ColleagueID: &to})
	e.more = e.more || a.ok() || a.again()
}

// team are the colleagues as they stand; none where they are not told.
func (r *rep) team() (team []contract.Colleague) {
	if a := r.ask(context.Background(), "GET", "/api/team", "", nil); a.ok() {
		_ = json.Unmarshal(a.body, &team)
	}
	return team
}

// takes is free for what others hand over.
func (r *rep) takes(ctx context.Context) {
	for ctx.Err() == nil {
		r.answers()
		r.pause(50, 200)
	}
}

// answers takes or declines what rings for a rep, and files what was taken.
func (r *rep) answers() {
	var rings []contract.Ring
	if a := r.ask(context.Background(), "GET", "/api/rings", "", nil); !a.ok() ||
		json.Unmarshal(a.body, &rings) != nil {
		return
	}
	for _, x := range rings {
		path := "/api/calls/" + x.CallID.String()
		if r.rand.IntN(3) == 0 {
			r.ask(context.Background(), "POST", path+"/decline", "", nil)
			continue
		}
		a := r.ask(context.Background(), "POST", path+"/answer", "", nil)
		var c contract.Call
		if !a.ok() || json.Unmarshal(a.body, &c) != nil {
			continue
		}
		e := &entry{rep: r.login, id: c.ID, slip: c.Slip.ID, more: true}
		e.said = said(c.Slip.Notes.Body)
		r.ledger = append(r.ledger, e)
		r.writes(e)
		r.pause(20, 400)
		r.leaves(e)
		if c.Slip.State == contract.SlipStateOpen { // not one's own that came back after it was filed
			r.writes(e)
			r.files(e)
		}
	}
}

// said are the notes with which a slip begins.
func said(body string) []string {
	if body == "" {
		return nil
	}
	return []string{body}
}

// listens hears a colleague's conversation for a moment, where one goes on that the rep may listen to.
func (r *rep) listens() {
	for _, c := range r.team() {
		if c.ListenCallID == nil {
			continue
		}
		path := "/api/calls/" + c.ListenCallID.String() + "/listening"
		how := []contract.ListeningHow{contract.ListeningHowListen, contract.ListeningHowWhisper}[r.rand.IntN(2)]
		if r.ask(context.Background(), "PUT", path, "", contract.Listening{How: how, ColleagueID: &c.ID}).ok() {
			r.heard++
			r.pause(20, 800)
			r.insist("PUT", path, "", contract.Listening{How: contract.ListeningHowStop})
		}
		return
	}
}

// brings asks somebody else of the book while the first waits, now and then, and turns the call this way and that. What
// cannot be done now is let be.
func (r *rep) brings(e *entry) {
	path := "/api/calls/" + e.id.String()
	other := r.d.numbers[r.rand.IntN(len(r.d.numbers))]
	if r.rand.IntN(2) == 0 || !r.ask(context.Background(), "POST", path+"/asks", "",
		contract.Ask{As: contract.AskAsConsult, NumberID: &other.id}).ok() {
		return
	}
	e.more = true
	for range r.rand.IntN(4) {
		r.pause(50, 800)
		act := []contract.TurnAct{contract.TurnActSwap, contract.TurnActBack, contract.TurnActJoin,
			contract.TurnActPark}[r.rand.IntN(4)]
		a := r.ask(context.Background(), "POST", path+"/turn", "", contract.Turn{Act: act})
		if act == contract.TurnActPark && (a.ok() || a.again()) {
			r.pause(50, 400)
			r.insist("POST", path+"/take", "", nil)
		}
		r.writes(e)
	}
}

// leaves hangs up: where somebody else was asked, until nobody is left.
func (r *rep) leaves(e *entry) {
	path := "/api/calls/" + e.id.String() + "/hang-up"
	a := r.insist("POST", path, "", nil)
	switch {
	case e.more:
		for range 3 {
			r.insist("POST", path, "", nil)
		}
	case a.ok():
		e.ended = time.Now()
	case !a.again() && a.status != http.StatusConflict:
		r.d.fault("%s hangs up %s: %d %s", r.login, e.id, a.status, a.body)
	}
}

// writes adds a word to the notes of a call. What is answered counts, wherever it is kept.
func (r *rep) writes(e *entry) {
	text := fmt.Sprintf("word %d", len(e.said)+1)
	if len(e.said) > 0 {
		text = e.said[len(e.said)-1] + " " + text
	}
	edit := contract.NotesEdit{Body: text, Writer: "drill"}
	for until := time.Now().Add(patience); time.Now().Before(until); {
		a := r.ask(context.Background(), "PUT", "/api/slips/"+e.slip.String()+"/notes", "", edit)
		switch {
		case a.ok():
			e.said = append(e.said, text)
			return
		case a.status == http.StatusConflict:
			var p contract.Problem
			if json.Unmarshal(a.body, &p) != nil || p.Notes == nil {
				return // filed
			}
			edit.Base = p.Notes.Version
		case !a.again():
			r.d.fault("%s writes: %d %s", r.login, a.status, a.body)
			return
		default:
			r.pause(30, 150)
		}
	}
}

func (r *rep) noteFollowUp(e *entry) {
	e.followUpKey = uuid.NewString()
	text := "follow " + e.followUpKey
	if a := r.insist("POST", "/api/records/"+e.record.String()+"/follow-ups", e.followUpKey,
		contract.NewFollowUp{Text: text}); a.ok() {
		e.followUp = text
	}
}

// files says what came of a call and files it.
func (r *rep) files(e *entry) {
	var problem answer
	for until := time.Now().Add(patience); time.Now().Before(until); r.pause(30, 200) {
		c, err := r.read(e.id)
		if err != nil {
			continue
		}
		if c.Slip.OutcomeID == nil {
			r.ask(context.Background(), "PATCH", "/api/slips/"+e.slip.String(), "",
				contract.SlipChange{Version: c.Slip.Version, OutcomeID: &r.d.outcome})
			continue
		}
		if problem = r.insist("POST", "/api/slips/"+e.slip.String()+"/file", e.slip.String()+"-file",
			contract.FileSlip{}); problem.ok() {
			e.filed = true
			return
		}
	}
	if problem.status == http.StatusConflict {
		r.d.fault("%s is stuck with %s: %s", r.login, e.id, problem.body)
	}
}

var errNotRead = errors.New("not read")

// read reads a call.
func (r *rep) read(id uuid.UUID) (contract.Call, error) {
	var page contract.CallPageDetail
	a := r.ask(context.Background(), "GET", "/api/calls/"+id.String(), "", nil)
	if !a.ok() {
		return page.Call, fmt.Errorf("%w: %d %s", errNotRead, a.status, a.body)
	}
	err := json.Unmarshal(a.body, &page)
	return page.Call, err
}

// followUps is how often the follow-up of an entry is there.
func (r *rep) followUps(e *entry) int {
	a := r.insist("GET", "/api/records/"+e.record.String(), "", nil)
	var sheet contract.Record
	if err := json.Unmarshal(a.body, &sheet); err != nil {
		return -1
	}
	n := 0
	for _, f := range sheet.FollowUps {
		if f.Text == "follow "+e.followUpKey {
			n++
		}
	}
	return n
}
