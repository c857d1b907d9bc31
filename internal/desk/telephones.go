package desk

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

// StandTelephone calls a's telephone to stay with them between calls. Errors: ErrNoTelephone, ErrNotVerified, ErrTelephoneBusy, those of the carrier.
func (d *Desk) StandTelephone(ctx context.Context, a Actor) (contract.Sound, error) {
	row, err := d.verifiedTelephone(ctx, a.ID)
	if err != nil {
		return contract.Sound{}, err
	}
	err = d.ringTelephone(ctx, &telephoneLeg{user: a.ID, forWhat: "your calls", standing: true}, row.E164, row.PressOne)
	return d.Sound(a), err
}

// LeaveTelephone hangs up a's telephone, or stops it from ringing; a call that it was spoken by goes on by the browser.
func (d *Desk) LeaveTelephone(ctx context.Context, a Actor) contract.Sound {
	if leg := d.telephoneOf(a.ID); leg != nil {
		d.mu.Lock()
		leg.state = contract.TelephoneStateLeft
		d.mu.Unlock()
		d.board.HangUpTelephone(leg.ref)
		select {
		case <-leg.ended:
		case <-ctx.Done():
		}
	}
	return d.Sound(a)
}

// dropRoundsTelephone hangs up a telephone that was rung for a round, once nobody is spoken with by it.
func (d *Desk) dropRoundsTelephone(ctx context.Context, a Actor) {
	leg := d.telephoneOf(a.ID)
	if leg == nil || !leg.round {
		return
	}
	if len(d.calls.of(a.ID)) > 0 {
		d.mu.Lock()
		leg.standing = false // it ends with the call
		d.mu.Unlock()
		return
	}
	d.LeaveTelephone(ctx, a)
}

func (d *Desk) telephoneOf(user uuid.UUID) *telephoneLeg {
	d.mu.Lock()
	defer d.mu.Unlock()
	return d.telephones[user]
}

// telephoneView is how a's telephone stands just now.
func (d *Desk) telephoneView(user uuid.UUID) contract.TelephoneInUse {
	d.mu.Lock()
	defer d.mu.Unlock()
	leg := d.telephones[user]
	if leg == nil {
		return contract.TelephoneInUse{State: contract.TelephoneStateDown, Trouble: d.telephoneTrouble[user]}
	}
	return contract.TelephoneInUse{State: leg.state, Number: leg.number, For: leg.forWhat, Standing: leg.standing}
}

// speaksBy is the device by which a call of a's is spoken: their telephone if it is up. Where it has to be rung first that is begun, and the call is
// placed when it is answered. Errors: ErrTelephoneRings, ErrTelephoneBusy, those of the carrier.
func (d *Desk) speaksBy(ctx context.Context, a Actor, key string, r contract.NewCall, t target, whom string, placement Placement) (device string, err error) {
	if leg := d.telephoneOf(a.ID); leg != nil {
		if d.telephoneView(a.ID).State == contract.TelephoneStateUp {
			return "telephone", nil
		}
		return "", ErrTelephoneBusy
	}
	if !a.ByTelephone || len(d.calls.of(a.ID)) > 0 { // a call in progress is asked about before anything rings
		return "browser", nil
	}
	row, err := d.verifiedTelephone(ctx, a.ID)
	if err != nil {
		return "", err
	}
	if len(t.links) > 0 {
		if row, err := d.Store.RecordName(ctx, uuid.MustParse(t.links[0].Record)); err == nil {
			whom = row.Name
		}
	}
	// In a round it stays until that pauses: nobody is rung for each person.
	leg := &telephoneLeg{user: a.ID, forWhat: whom, standing: placement != nil, round: placement != nil}
	leg.then = func(ctx context.Context) {
		if _, err := d.placeFor(ctx, a, key, r, placement); err != nil {
			d.troubleOf(a.ID, err.Error())
			d.board.HangUpTelephone(leg.ref)
		}
	}
	if err := d.ringTelephone(ctx, leg, row.E164, row.PressOne); err != nil {
		return "", err
	}
	return "", ErrTelephoneRings
}

// ringTelephones rings, besides their windows, the telephones of reps for whom a call rings: one on a line, or of a colleague.
func (d *Desk) ringTelephones(ctx context.Context, id uuid.UUID, what string, users []string) {
	for _, u := range users {
		user, err := uuid.Parse(u)
		if err != nil || d.telephoneOf(user) != nil {
			continue
		}
		row, err := d.verifiedTelephone(ctx, user)
		if err != nil || !row.Rings {
			continue
		}
		leg := &telephoneLeg{user: user, forWhat: what, call: id}
		leg.then = func(ctx context.Context) {
			a, err := d.Actor(ctx, user)
			if err == nil {
				_, err = d.AnswerCall(ctx, a, id)
			}
			if err != nil {
				d.board.HangUpTelephone(leg.ref)
			}
		}
		if err := d.ringTelephone(ctx, leg, row.E164, row.PressOne); err != nil {
			d.Log.Warn("a rep's telephone", "user", user, "error", err)
		}
	}
}

// ringTelephone rings a telephone for its user; what comes of it is followed in the background.
func (d *Desk) ringTelephone(ctx context.Context, leg *telephoneLeg, e164 string, press bool) error {
	f, err := d.firm(ctx)
	if err != nil {
		return err
	}
	leg.number, leg.state = phone.Format(e164, "", f.region, phone.National), contract.TelephoneStateRinging
	if press {
		leg.key = "1"
	}
	events, told, err := d.expectTelephone(leg)
	if err != nil {
		return err
	}
	ref, err := d.board.RingTelephone(e164, f.mainLine(), told)
	d.mu.Lock()
	if leg.ref = ref; err != nil {
		delete(d.telephones, leg.user)
		close(leg.ended)
	}
	d.mu.Unlock()
	if err != nil {
		return err
	}
	d.seatChanged(leg.user.String())
	d.inBackground(func(ctx context.Context) { d.followTelephone(ctx, leg, events) })
	return nil
}

// expectTelephone makes a leg its user's telephone, and gives where its events come and who is told of them. Error: ErrTelephoneBusy.
func (d *Desk) expectTelephone(leg *telephoneLeg) (chan carrier.Event, func(carrier.Event), error) {
	d.mu.Lock()
	defer d.mu.Unlock()
	if d.telephones[leg.user] != nil {
		return nil, nil, ErrTelephoneBusy
	}
	leg.ended = make(chan struct{})
	d.telephones[leg.user] = leg
	delete(d.telephoneTrouble, leg.user)
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

// DialIn expects a's own telephone to call any line of the firm and to press a code, to stay between calls then. Errors: ErrNoTelephone, ErrNotVerified,
// ErrTelephoneBusy.
func (d *Desk) DialIn(ctx context.Context, a Actor) (contract.DialIn, error) {
	row, err := d.verifiedTelephone(ctx, a.ID)
	if err != nil {
		return contract.DialIn{}, err
	}
	if d.telephoneOf(a.ID) != nil {
		return contract.DialIn{}, ErrTelephoneBusy
	}
	f, err := d.firm(ctx)
	if err != nil {
		return contract.DialIn{}, err
	}
	code, err := fourDigits()
	if err != nil {
		return contract.DialIn{}, err
	}
	v := contract.DialIn{Code: code, Number: phone.Format(f.mainLine(), "", f.region, a.Style)}
	d.mu.Lock()
	d.expected[row.E164] = dialIn{a.ID, code, d.Clock.Now().Add(dialInFor)}
	d.mu.Unlock()
	return v, nil
}

// dialsIn takes a leg that came in from a telephone that is expected; false: it is a call like any other.
func (d *Desk) dialsIn(ref carrier.Ref, from string) bool {
	d.mu.Lock()
	e, there := d.expected[from]
	delete(d.expected, from)
	d.mu.Unlock()
	if !there || d.Clock.Now().After(e.until) {
		return false
	}
	leg := &telephoneLeg{ref: ref, user: e.user, number: from, state: contract.TelephoneStatePress, forWhat: "your calls", standing: true, key: e.code}
	events, told, err := d.expectTelephone(leg)
	if err != nil {
		return false
	}
	d.board.TakeTelephone(ref, told)
	d.seatChanged(e.user.String())
	d.inBackground(func(ctx context.Context) { d.followTelephone(ctx, leg, events) })
	return true
}

// followTelephone follows a rep's telephone from its ring to its end.
func (d *Desk) followTelephone(ctx context.Context, leg *telephoneLeg, events chan carrier.Event) {
	defer close(leg.ended)
	patience := d.Clock.NewTimer(ringsFor)
	defer func() { patience.Stop() }()
	for {
		select {
		case <-ctx.Done():
			d.board.HangUpTelephone(leg.ref)
			d.telephoneEnds(leg, "")
			return
		case <-patience.Chan():
			d.board.HangUpTelephone(leg.ref)
		case e := <-events:
			switch {
			case e.Kind == carrier.Ended:
				d.telephoneEnds(leg, troubles[e.Reason])
				return
			case e.Kind == carrier.Answered:
				patience.Stop()
				d.mu.Lock()
				leg.voice = e.Voice
				d.mu.Unlock()
				if leg.key == "" {
					d.telephoneUp(leg)
					continue
				}
				patience = d.Clock.NewTimer(pressIn)
				d.setTelephone(leg, contract.TelephoneStatePress)
				d.inBackground(func(ctx context.Context) { d.sayTo(ctx, leg, leg.prompt()) })
			case e.Kind == carrier.Digits && d.telephoneView(leg.user).State == contract.TelephoneStatePress:
				if leg.pressed += e.Digits; strings.HasSuffix(leg.pressed, leg.key) {
					patience.Stop()
					d.telephoneUp(leg)
				}
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
var troubles = map[carrier.Reason]string{carrier.Busy: "Your telephone is busy.", carrier.NoAnswer: "Your telephone was not answered.", carrier.Declined: "Your telephone declined.",
	carrier.OutOfService: "Your telephone cannot be reached.", carrier.Lost: "The line to your telephone was lost.", carrier.HungUp: "Your telephone was not answered."}

func (d *Desk) troubleOf(user uuid.UUID, trouble string) {
	d.mu.Lock()
	if trouble != "" {
		d.telephoneTrouble[user] = trouble
	}
	d.mu.Unlock()
	d.seatChanged(user.String())
}

func (d *Desk) setTelephone(leg *telephoneLeg, state contract.TelephoneState) {
	d.mu.Lock()
	leg.state = state
	d.mu.Unlock()
	d.seatChanged(leg.user.String())
}

// sayTo lets a telephone that is in no call yet hear a text, in a room of its own.
func (d *Desk) sayTo(ctx context.Context, leg *telephoneLeg, text string) {
	codes, err := d.spoken(ctx, text)
	if err != nil || len(codes) == 0 || leg.voice == nil {
		return
	}
	id := uuid.New()
	room := d.Studio.Open(id, nil)
	d.mu.Lock()
	spoken := leg.state == contract.TelephoneStateUp && leg.forWhat != forCode // its voice is the seat's by now
	leg.room = id
	d.mu.Unlock()
	if spoken {
		d.Studio.Shut(id)
		return
	}
	room.SetOutside(leg.voice)
	said := make(chan struct{})
	room.PlayToThem(media.Codes(codes, false), func() { close(said) })
	select {
	case <-said:
	case <-ctx.Done():
	case <-leg.ended:
	}
	d.Studio.Shut(id)
}

// telephoneUp lets a rep speak by their telephone, and does what it rang for.
func (d *Desk) telephoneUp(leg *telephoneLeg) {
	d.mu.Lock()
	room, voice := leg.room, leg.voice
	leg.state = contract.TelephoneStateUp
	d.mu.Unlock()
	if room != uuid.Nil {
		d.Studio.Shut(room)
	}
	if leg.forWhat != forCode && voice != nil {
		d.Studio.Seat(leg.user.String()).Phone(voice)
	}
	d.seatChanged(leg.user.String())
	if leg.then != nil {
		d.inBackground(leg.then)
	}
}

// telephoneEnds is told that a rep's telephone was hung up, or was not to be had. With it ends the call that was spoken by it.
func (d *Desk) telephoneEnds(leg *telephoneLeg, trouble string) {
	d.mu.Lock()
	state := leg.state
	if d.telephones[leg.user] == leg {
		delete(d.telephones, leg.user)
	}
	d.mu.Unlock()
	if state == contract.TelephoneStateUp || state == contract.TelephoneStateLeft {
		d.Studio.Seat(leg.user.String()).Phone(nil)
		trouble = ""
	}
	if leg.call != uuid.Nil {
		trouble = "" // it rang beside the windows
	}
	d.troubleOf(leg.user, trouble)
	if state != contract.TelephoneStateUp {
		return
	}
	for _, id := range d.calls.of(leg.user) {
		if s, there := d.board.Snapshot(id); there && !s.OnHold && s.Phase() != call.PhaseEnded {
			_ = d.board.HangUp(context.Background(), id, leg.user.String())
		}
	}
}

// telephonesFollow hangs up telephones that have nothing left to do: of reps whose last call has ended, or for whom a call rings no more.
func (d *Desk) telephonesFollow(id uuid.UUID, state call.State) {
	rung := state.RungNow()
	c := d.calls.call(id)
	var hang []carrier.Ref
	d.mu.Lock()
	for user, leg := range d.telephones {
		switch {
		case leg.state == contract.TelephoneStateUp:
			if leg.standing || state.Phase() != call.PhaseEnded || leg.forWhat == forCode || c == nil {
				continue
			}
			if _, part := c.parts[user]; !part {
				continue
			}
			if others := slices.DeleteFunc(d.calls.of(user), func(other uuid.UUID) bool { return other == id }); len(others) == 0 {
				leg.state = contract.TelephoneStateLeft
				hang = append(hang, leg.ref)
			}
		case leg.call == id && (state.Phase() != call.PhaseRinging || !slices.Contains(rung, user.String())):
			hang = append(hang, leg.ref)
		}
	}
	d.mu.Unlock()
	for _, ref := range hang {
		d.board.HangUpTelephone(ref)
	}
}

// ownTelephone tells whether a leg is of user's own telephone.
func (d *Desk) ownTelephone(user uuid.UUID, ref carrier.Ref) bool {
	d.mu.Lock()
	defer d.mu.Unlock()
	leg := d.telephones[user]
	return leg != nil && leg.ref == ref
}
