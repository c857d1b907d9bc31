package calls

import (
	"context"
	"errors"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"

	"trundo/internal/carrier"
	"trundo/internal/contract"
	"trundo/internal/core/call"
	"trundo/internal/core/phone"
	"trundo/internal/desk/firm"
	"trundo/internal/media"
)

const (
	// pressIn is how long a rep's telephone waits for the key that says that somebody is there.
	pressIn = 15 * time.Second
	// dialInFor is for how long a telephone is expected to call in.
	dialInFor = 5 * time.Minute
	// forCode is what a telephone rings for that is to be confirmed.
	forCode = "a code"
	// ringsFor is how long a rep's telephone rings for a call of their own.
	ringsFor = 40 * time.Second
)

// Errors about a rep's own telephone.
var (
	ErrTelephoneRings = errors.New("your telephone rings first: answer it, and they are called")
	ErrNotVerified    = errors.New("this number has to be confirmed with a code first")
	ErrNoTelephone    = errors.New("there is no telephone of yours yet")
	ErrTelephoneBusy  = errors.New("your telephone is in use already")
)

// telephoneLeg is a rep's telephone while it rings or is spoken by. Its fields are guarded by Desk.mu.
type telephoneLeg struct {
	ref      carrier.Ref
	user     uuid.UUID
	number   string // as it is read
	state    contract.TelephoneState
	forWhat  string    // what it rings for, in words
	call     uuid.UUID // the call that came in and that it rings for
	standing bool      // it stays between calls
	round    bool      // it was rung for a round, and goes with it
	key      string    // what has to be pressed; empty: nothing
	pressed  string
	voice    carrier.Voice
	room     uuid.UUID // where it hears what to press
	then     func(context.Context)
	ended    chan struct{}
}

// StandTelephone calls a's telephone to stay with them between calls. Errors: ErrNoTelephone, ErrNotVerified,
// ErrTelephoneBusy, those of the carrier.
func (ts *Telephones) StandTelephone(ctx context.Context, a firm.Actor) (contract.Sound, error) {
	row, err := ts.verifiedTelephone(ctx, a.ID)
	if err != nil {
		return contract.Sound{}, err
	}
	err = ts.ringTelephone(ctx, &telephoneLeg{user: a.ID, forWhat: "your calls", standing: true}, row.E164,
		row.PressOne)
	return ts.Voices.Sound(a), err
}

// LeaveTelephone hangs up a's telephone, or stops it from ringing; a call that it was spoken by goes on by the browser.
func (ts *Telephones) LeaveTelephone(ctx context.Context, a firm.Actor) contract.Sound {
	if leg := ts.telephoneOf(a.ID); leg != nil {
		ts.mu.Lock()
		leg.state = contract.TelephoneStateLeft
		ts.mu.Unlock()
		ts.board.HangUpTelephone(leg.ref)
		select {
		case <-leg.ended:
		case <-ctx.Done():
		}
	}
	return ts.Voices.Sound(a)
}

// DropRoundsTelephone hangs up a telephone that was rung for a round, once nobody is spoken with by it.
func (ts *Telephones) DropRoundsTelephone(ctx context.Context, a firm.Actor) {
	leg := ts.telephoneOf(a.ID)
	if leg == nil || !leg.round {
		return
	}
	if len(ts.registry.of(a.ID)) > 0 {
		ts.mu.Lock()
		leg.standing = false // it ends with the call
		ts.mu.Unlock()
		return
	}
	ts.LeaveTelephone(ctx, a)
}

func (ts *Telephones) telephoneOf(user uuid.UUID) *telephoneLeg {
	ts.mu.Lock()
	defer ts.mu.Unlock()
	return ts.telephones[user]
}

// telephoneView is how a's telephone stands just now.
func (ts *Telephones) telephoneView(user uuid.UUID) contract.TelephoneInUse {
	ts.mu.Lock()
	defer ts.mu.Unlock()
	leg := ts.telephones[user]
	if leg == nil {
		return contract.TelephoneInUse{State: contract.TelephoneStateDown, Trouble: ts.telephoneTrouble[user]}
	}
	return contract.TelephoneInUse{State: leg.state, Number: leg.number, For: leg.forWhat, Standing: leg.standing}
}

// speaksBy is the device by which a call of a's is spoken: their telephone if it is up. Where it has to be rung first
// that is begun, and the call is placed when it is answered. Errors: ErrTelephoneRings, ErrTelephoneBusy, those of the
// carrier.
func (ts *Telephones) speaksBy(ctx context.Context, a firm.Actor, key string, r contract.NewCall, t target, whom string,
	placement Placement) (device string, err error) {
	if leg := ts.telephoneOf(a.ID); leg != nil {
		if ts.telephoneView(a.ID).State == contract.TelephoneStateUp {
			return "telephone", nil
		}
		return "", ErrTelephoneBusy
	}
	byTelephone := a.ByTelephone
	if r.Device != nil {
		byTelephone = *r.Device == contract.NewCallDeviceTelephone
	}
	if !byTelephone || len(ts.registry.of(a.ID)) > 0 { // a call in progress is asked about before anything rings
		return "browser", nil
	}
	row, err := ts.verifiedTelephone(ctx, a.ID)
	if err != nil {
		return "", err
	}
	if len(t.links) > 0 {
		if row, err := ts.Store.RecordName(ctx, uuid.MustParse(t.links[0].Record)); err == nil {
			whom = row.Name
		}
	}
	// In a round it stays until that pauses: nobody is rung for each person.
	leg := &telephoneLeg{user: a.ID, forWhat: whom, standing: placement != nil, round: placement != nil}
	leg.then = func(ctx context.Context) {
		if _, err := ts.PlaceFor(ctx, a, key, r, placement); err != nil {
			ts.troubleOf(a.ID, err.Error())
			ts.board.HangUpTelephone(leg.ref)
		}
	}
	if err := ts.ringTelephone(ctx, leg, row.E164, row.PressOne); err != nil {
		return "", err
	}
	return "", ErrTelephoneRings
}

// ringTelephones rings, besides their windows, the telephones of reps for whom a call rings: one on a line, or of a
// colleague.
func (ts *Telephones) ringTelephones(ctx context.Context, id uuid.UUID, what string, users []string) {
	for _, u := range users {
		user, err := uuid.Parse(u)
		if err != nil || ts.telephoneOf(user) != nil {
			continue
		}
		row, err := ts.verifiedTelephone(ctx, user)
		if err != nil || !row.Rings {
			continue
		}
		leg := &telephoneLeg{user: user, forWhat: what, call: id}
		leg.then = func(ctx context.Context) {
			a, err := ts.Actor(ctx, user)
			if err == nil {
				_, err = ts.Arrivals.AnswerCall(ctx, a, id)
			}
			if err != nil {
				ts.board.HangUpTelephone(leg.ref)
			}
		}
		if err := ts.ringTelephone(ctx, leg, row.E164, row.PressOne); err != nil {
			ts.Log.Warn("a rep's telephone", "user", user, "error", err)
		}
	}
}

// ringTelephone rings a telephone for its user; what comes of it is followed in the background.
func (ts *Telephones) ringTelephone(ctx context.Context, leg *telephoneLeg, e164 string, press bool) error {
	f, err := ts.Settings(ctx)
	if err != nil {
		return err
	}
	leg.number, leg.state = phone.Format(e164, "", f.Region, phone.National), contract.TelephoneStateRinging
	if press {
		leg.key = "1"
	}
	events, told, err := ts.expectTelephone(leg)
	if err != nil {
		return err
	}
	ref, err := ts.board.RingTelephone(e164, f.MainLine(), told)
	ts.mu.Lock()
	if leg.ref = ref; err != nil {
		delete(ts.telephones, leg.user)
		close(leg.ended)
	}
	ts.mu.Unlock()
	if err != nil {
		return err
	}
	ts.Voices.seatChanged(leg.user.String())
	ts.InBackground(func(ctx context.Context) { ts.followTelephone(ctx, leg, events) })
	return nil
}

// expectTelephone makes a leg its user's telephone, and gives where its events come and who is told of them. Error:
// ErrTelephoneBusy.
func (ts *Telephones) expectTelephone(leg *telephoneLeg) (chan carrier.Event, func(carrier.Event), error) {
	ts.mu.Lock()
	defer ts.mu.Unlock()
	if ts.telephones[leg.user] != nil {
		return nil, nil, ErrTelephoneBusy
	}
	leg.ended = make(chan struct{})
	ts.telephones[leg.user] = leg
	delete(ts.telephoneTrouble, leg.user)
	events := make(chan carrier.Event, 16)
	return events, func(e carrier.Event) {
		select {
		case events <- e:
		default: // keys, faster than anybody presses them
			if e.Kind == carrier.Ended {
				go func() { events <- e }()
			}
		}
	}, nil
}

// dialIn is a telephone that is expected to call in.
type dialIn struct {
	user  uuid.UUID
	code  string
	until time.Time
}

// DialIn expects a's own telephone to call any line of the firm and to press a code, to stay between calls then.
// Errors: ErrNoTelephone, ErrNotVerified, ErrTelephoneBusy.
func (ts *Telephones) DialIn(ctx context.Context, a firm.Actor) (contract.DialIn, error) {
	row, err := ts.verifiedTelephone(ctx, a.ID)
	if err != nil {
		return contract.DialIn{}, err
	}
	if ts.telephoneOf(a.ID) != nil {
		return contract.DialIn{}, ErrTelephoneBusy
	}
	f, err := ts.Settings(ctx)
	if err != nil {
		return contract.DialIn{}, err
	}
	code, err := fourDigits()
	if err != nil {
		return contract.DialIn{}, err
	}
	v := contract.DialIn{Code: code, Number: phone.Format(f.MainLine(), "", f.Region, a.Style)}
	ts.mu.Lock()
	ts.expected[row.E164] = dialIn{a.ID, code, ts.Clock.Now().Add(dialInFor)}
	ts.mu.Unlock()
	return v, nil
}

// dialsIn takes a leg that came in from a telephone that is expected; false: it is a call like any other.
func (ts *Telephones) dialsIn(ref carrier.Ref, from string) bool {
	ts.mu.Lock()
	e, there := ts.expected[from]
	delete(ts.expected, from)
	ts.mu.Unlock()
	if !there || ts.Clock.Now().After(e.until) {
		return false
	}
	leg := &telephoneLeg{ref: ref, user: e.user, number: from, state: contract.TelephoneStatePress,
		forWhat: "your calls", standing: true, key: e.code}
	events, told, err := ts.expectTelephone(leg)
	if err != nil {
		return false
	}
	ts.board.TakeTelephone(ref, told)
	ts.Voices.seatChanged(e.user.String())
	ts.InBackground(func(ctx context.Context) { ts.followTelephone(ctx, leg, events) })
	return true
}

// followTelephone follows a rep's telephone from its ring to its end.
func (ts *Telephones) followTelephone(ctx context.Context, leg *telephoneLeg, events chan carrier.Event) {
	defer close(leg.ended)
	patience := ts.Clock.NewTimer(ringsFor)
	defer func() { patience.Stop() }()
	for {
		select {
		case <-ctx.Done():
			ts.board.HangUpTelephone(leg.ref)
			ts.telephoneEnds(leg, "")
			return
		case <-patience.Chan():
			ts.board.HangUpTelephone(leg.ref)
		case e := <-events:
			switch {
			case e.Kind == carrier.Ended:
				ts.telephoneEnds(leg, troubles[e.Reason])
				return
			case e.Kind == carrier.Answered:
				patience.Stop()
				ts.mu.Lock()
				leg.voice = e.Voice
				ts.mu.Unlock()
				if leg.key == "" {
					ts.telephoneUp(leg)
					continue
				}
				patience = ts.Clock.NewTimer(pressIn)
				ts.setTelephone(leg, contract.TelephoneStatePress)
				ts.InBackground(func(ctx context.Context) { ts.sayTo(ctx, leg, leg.prompt()) })
			case e.Kind == carrier.Digits && ts.telephoneView(leg.user).State == contract.TelephoneStatePress:
				if leg.pressed += e.Digits; strings.HasSuffix(leg.pressed, leg.key) {
					patience.Stop()
					leg.pressed = ""
					ts.telephoneUp(leg)
				}
			case e.Kind == carrier.Digits && ts.telephoneView(leg.user).State == contract.TelephoneStateUp:
				leg.pressed = ts.Parties.keys(ctx, leg.user, leg.pressed+e.Digits)
			}
		}
	}
}

// prompt is what a telephone hears that is to press something.
func (l *telephoneLeg) prompt() string {
	if l.key == "1" {
		return "Trundo rings for " + l.forWhat + ". Press 1."
	}
	return "This is Trundo. Enter your code."
}

// troubles say why a rep's telephone could not be spoken by.
var troubles = map[carrier.Reason]string{carrier.Busy: "Your telephone is busy.",
	carrier.NoAnswer: "Your telephone was not answered.", carrier.Declined: "Your telephone declined.",
	carrier.OutOfService: "Your telephone cannot be reached.", carrier.Lost: "The line to your telephone was lost.",
	carrier.HungUp: "Your telephone was not answered."}

func (ts *Telephones) troubleOf(user uuid.UUID, trouble string) {
	ts.mu.Lock()
	if trouble != "" {
		ts.telephoneTrouble[user] = trouble
	}
	ts.mu.Unlock()
	ts.Voices.seatChanged(user.String())
}

func (ts *Telephones) setTelephone(leg *telephoneLeg, state contract.TelephoneState) {
	ts.mu.Lock()
	leg.state = state
	ts.mu.Unlock()
	ts.Voices.seatChanged(leg.user.String())
}

// sayTo lets a telephone that is in no call yet hear a text, in a room of its own.
func (ts *Telephones) sayTo(ctx context.Context, leg *telephoneLeg, text string) {
	codes, err := ts.Voices.spoken(ctx, text)
	if err != nil || len(codes) == 0 || leg.voice == nil {
		return
	}
	id := uuid.New()
	room := ts.Studio.Open(id, nil)
	ts.mu.Lock()
	spoken := leg.state == contract.TelephoneStateUp && leg.forWhat != forCode // its voice is the seat's by now
	leg.room = id
	ts.mu.Unlock()
	if spoken {
		ts.Studio.Shut(id)
		return
	}
	room.SetVoice(0, leg.voice)
	ts.Studio.Arrange(id, media.Alone())
	said := make(chan struct{})
	room.PlayToThem(media.Codes(codes, false), func() { close(said) })
	select {
	case <-said:
	case <-ctx.Done():
	case <-leg.ended:
	}
	ts.Studio.Shut(id)
}

// telephoneUp lets a rep speak by their telephone, and does what it rang for.
func (ts *Telephones) telephoneUp(leg *telephoneLeg) {
	ts.mu.Lock()
	room, voice := leg.room, leg.voice
	leg.state = contract.TelephoneStateUp
	ts.mu.Unlock()
	if room != uuid.Nil {
		ts.Studio.Shut(room)
	}
	if leg.forWhat != forCode && voice != nil {
		ts.Studio.Seat(leg.user.String()).Phone(voice)
	}
	ts.Voices.seatChanged(leg.user.String())
	if leg.then != nil {
		ts.InBackground(leg.then)
	}
}

// telephoneEnds is told that a rep's telephone was hung up, or was not to be had. With it ends the call that was spoken
// by it.
func (ts *Telephones) telephoneEnds(leg *telephoneLeg, trouble string) {
	ts.mu.Lock()
	state := leg.state
	if ts.telephones[leg.user] == leg {
		delete(ts.telephones, leg.user)
	}
	ts.mu.Unlock()
	if state == contract.TelephoneStateUp || state == contract.TelephoneStateLeft {
		ts.Studio.Seat(leg.user.String()).Phone(nil)
		trouble = ""
	}
	if leg.call != uuid.Nil {
		trouble = "" // it rang beside the windows
	}
	ts.troubleOf(leg.user, trouble)
	if state != contract.TelephoneStateUp {
		return
	}
	for _, id := range ts.registry.of(leg.user) {
		if s, there := ts.board.Snapshot(id); there && s.Speaks(leg.user.String()) {
			_ = ts.board.HangUp(context.Background(), id, leg.user.String())
		}
	}
}

// telephonesFollow hangs up telephones that have nothing left to do: of reps whose last call has ended, or was left to
// others, or for whom a call rings no more.
func (ts *Telephones) telephonesFollow(id uuid.UUID, state call.State) {
	rung := state.RungNow()
	c := ts.registry.call(id)
	var hang []carrier.Ref
	ts.mu.Lock()
	for user, leg := range ts.telephones {
		switch {
		case leg.state == contract.TelephoneStateUp:
			over := state.Phase() == call.PhaseEnded || state.LeftAt(user.String()) != nil
			if leg.standing || !over || leg.forWhat == forCode || c == nil {
				continue
			}
			if _, part := c.parts[user]; !part {
				continue
			}
			if others := slices.DeleteFunc(ts.registry.of(user),
				func(other uuid.UUID) bool { return other == id }); len(others) == 0 {
				leg.state = contract.TelephoneStateLeft
				hang = append(hang, leg.ref)
			}
		case leg.call == id && !slices.Contains(rung, user.String()):
			hang = append(hang, leg.ref)
		}
	}
	ts.mu.Unlock()
	for _, ref := range hang {
		ts.board.HangUpTelephone(ref)
	}
}

// ownTelephone tells whether a leg is of user's own telephone.
func (ts *Telephones) ownTelephone(user uuid.UUID, ref carrier.Ref) bool {
	ts.mu.Lock()
	defer ts.mu.Unlock()
	leg := ts.telephones[user]
	return leg != nil && leg.ref == ref
}
