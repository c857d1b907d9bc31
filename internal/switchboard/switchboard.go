// Package switchboard holds the calls in progress: one goroutine a call owns its state, applies core/call
// and drives the carrier and the sound. Neither the carrier nor a hang-up ever waits for the database.
//
// It must not know records, slips, rights, HTTP or the database. Whoever wants to know what happens is a Listener.
package switchboard

import (
	"context"
	"fmt"
	"log/slog"
	"strings"
	"sync"

	"github.com/google/uuid"
	"github.com/jonboulle/clockwork"

	"trundo/internal/carrier"
	"trundo/internal/core/call"
	"trundo/internal/media"
)

// Listener is told of every change of a call, in order, from the call's own goroutine. It must not block.
type Listener interface {
	CallChanged(id uuid.UUID, facts []call.Fact, state call.State)
	// Voices tells the heights of a call's voice trace as they come, five a second of each side, and in a call of more than
	// two how loud each leg is, from the studio's goroutine. It must not block.
	Voices(id uuid.UUID, ours, theirs []byte, loud map[int]int)
	// Keyed tells of keys that the outside has pressed, as they are: what is kept of them is with the facts. It must not
	// block.
	Keyed(id uuid.UUID, digits string)
	// CallIncoming tells of a leg that rings us. Whoever wants the call takes it over with Take. It must not block.
	CallIncoming(ref carrier.Ref, from, to string)
}

// Switchboard is the set of calls in progress.
type Switchboard struct {
	carrier  carrier.Carrier
	studio   *media.Studio
	clock    clockwork.Clock
	listener Listener
	log      *slog.Logger

	mu    sync.Mutex
	calls map[uuid.UUID]*active
	// refs are the references that do not say to which leg they belong: those that the carrier chose, of outside legs that
	// came in, and those of legs that were taken over from another call.
	refs map[carrier.Ref]legOf
	// arriving are legs that came in and were not taken over yet; true for those that have ended meanwhile.
	arriving map[carrier.Ref]bool
	// telephones are legs of reps' own telephones, which belong to no call, to who is told of them.
	telephones map[carrier.Ref]func(carrier.Event)
	all        sync.WaitGroup
}

// legOf is a leg of a call.
type legOf struct {
	call uuid.UUID
	leg  call.LegNo
}

// active is one call in progress. Only its goroutine touches state.
type active struct {
	id     uuid.UUID
	inbox  chan request
	over   chan struct{}
	state  call.State
	sounds sound // what is played

	mu       sync.Mutex // guards what follows
	snapshot call.State
	refs     map[call.LegNo]carrier.Ref // of legs whose reference does not follow from the call; as in Switchboard.refs
}

type request struct {
	in    call.Input
	reply chan error // nil where nobody waits
}

// New makes a switchboard over c, whose calls sound in studio. It sets c's handler.
func New(c carrier.Carrier, studio *media.Studio, clock clockwork.Clock, l Listener, log *slog.Logger) *Switchboard {
	s := &Switchboard{carrier: c, studio: studio, clock: clock, listener: l, log: log, calls: map[uuid.UUID]*active{},
		refs: map[carrier.Ref]legOf{}, arriving: map[carrier.Ref]bool{},
		telephones: map[carrier.Ref]func(carrier.Event){}}
	c.Handle(s.fromCarrier)
	return s
}

// Start takes over a call that has been placed: state is what its stored facts make, effects are what
// is still to be asked of the carrier. The carrier has been asked when it returns.
func (s *Switchboard) Start(id uuid.UUID, state call.State, effects []call.Effect) {
	a := &active{id: id, inbox: make(chan request, 16), over: make(chan struct{}), state: state, snapshot: state}
	s.mu.Lock()
	s.calls[id] = a
	s.mu.Unlock()
	s.opens(a)
	refused := s.perform(a, effects)
	s.all.Add(1)
	go s.run(a, refused)
}

// Take takes over a call that came in on the carrier's leg ref: state is what its stored facts make. If the outside has
// hung up meanwhile, the call ends at once.
func (s *Switchboard) Take(id uuid.UUID, ref carrier.Ref, state call.State) {
	a := &active{id: id, inbox: make(chan request, 16), over: make(chan struct{}), state: state,
		snapshot: state, refs: map[call.LegNo]carrier.Ref{1: ref}}
	var pending []call.Input
	s.mu.Lock()
	s.calls[id], s.refs[ref] = a, legOf{id, 1}
	if s.arriving[ref] {
		pending = append(pending, call.CarrierEnded{Leg: 1, Reason: call.EndedByThem})
	}
	delete(s.arriving, ref)
	s.mu.Unlock()
	s.opens(a)
	s.all.Add(1)
	go s.run(a, pending)
}

// Do lets a call in progress decide on a command. It returns when the call's state says so. Errors: those of
// call.Decide; call.ErrOver for a call that is not in progress here.
func (s *Switchboard) Do(ctx context.Context, id uuid.UUID, in call.Input) error {
	return s.do(ctx, id, in)
}

// Refuse ends a leg that came in and that nobody takes over.
func (s *Switchboard) Refuse(ref carrier.Ref) {
	s.mu.Lock()
	delete(s.arriving, ref)
	s.mu.Unlock()
	s.carrier.HangUp(ref)
}

// HangUp takes user out of the call. It returns when the call's state says so. Errors: those of
// call.Decide; call.ErrOver for a call that is not in progress here.
func (s *Switchboard) HangUp(ctx context.Context, id uuid.UUID, user string) error {
	return s.do(ctx, id, call.HangUp{By: user})
}

// Snapshot is the newest state of a call in progress; false if it is not here, or over.
func (s *Switchboard) Snapshot(id uuid.UUID) (call.State, bool) {
	a := s.find(id)
	if a == nil {
		return call.State{}, false
	}
	a.mu.Lock()
	defer a.mu.Unlock()
	return a.snapshot, true
}

// CallOf is the call in progress to which a carrier's leg belongs; false if there is none here.
func (s *Switchboard) CallOf(ref carrier.Ref) (uuid.UUID, bool) {
	id, _, err := s.whose(carrier.Event{Ref: ref})
	return id, err == nil && s.find(id) != nil
}

// Count is the number of calls in progress.
func (s *Switchboard) Count() int {
	s.mu.Lock()
	defer s.mu.Unlock()
	return len(s.calls)
}

// Close ends every call as cut off and waits until each has told its listener.
func (s *Switchboard) Close() {
	s.mu.Lock()
	ids := make([]uuid.UUID, 0, len(s.calls))
	for id := range s.calls {
		ids = append(ids, id)
	}
	s.mu.Unlock()
	for _, id := range ids {
		_ = s.do(context.Background(), id, call.Lost{})
	}
	s.all.Wait()
	s.carrier.Close()
}

func (s *Switchboard) find(id uuid.UUID) *active {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.calls[id]
}

func (s *Switchboard) do(ctx context.Context, id uuid.UUID, in call.Input) error {
	a := s.find(id)
	if a == nil {
		return call.ErrOver
	}
	r := request{in: in, reply: make(chan error, 1)}
	select {
	case a.inbox <- r:
	case <-a.over:
		return call.ErrOver
	case <-ctx.Done():
		return ctx.Err()
	}
	select {
	case err := <-r.reply:
		return err
	case <-a.over:
		// The call may have ended with this very request.
		select {
		case err := <-r.reply:
			return err
		default:
			return call.ErrOver
		}
	}
}

// run owns a call until it ends.
func (s *Switchboard) run(a *active, pending []call.Input) {
	defer s.all.Done()
	defer close(a.over)
	defer func() {
		s.mu.Lock()
		delete(s.calls, a.id)
		a.mu.Lock()
		for _, ref := range a.refs {
			if s.refs[ref].call == a.id { // else another call has taken it over
				delete(s.refs, ref)
			}
		}
		a.mu.Unlock()
		s.mu.Unlock()
	}()
	for _, in := range pending {
		_ = s.apply(a, in)
	}
	defer s.shut(a)
	for a.state.Phase() != call.PhaseEnded {
		r := <-a.inbox
		err := s.apply(a, r.in)
		if r.reply != nil {
			r.reply <- err
		}
	}
}

// apply decides, tells, and performs; what the carrier refuses at once is applied in turn.
func (s *Switchboard) apply(a *active, in call.Input) error {
	facts, effects, err := call.Decide(a.state, in, s.clock.Now())
	if err != nil {
		return err
	}
	if len(facts) > 0 {
		for _, f := range facts {
			a.state = call.Evolve(a.state, f)
		}
		a.mu.Lock()
		a.snapshot = a.state
		a.mu.Unlock()
		s.arrange(a)
		s.comesIn(a, facts)
		s.listener.CallChanged(a.id, facts, a.state)
	}
	for _, more := range s.perform(a, effects) {
		if err := s.apply(a, more); err != nil {
			return err
		}
	}
	return nil
}

// perform asks the carrier and gives the inputs that follow from its refusals.
func (s *Switchboard) perform(a *active, effects []call.Effect) (refused []call.Input) {
	for _, e := range effects {
		switch e := e.(type) {
		case call.Dial:
			err := s.carrier.Dial(carrier.Dialing{Ref: refOf(a.id, e.Leg), To: e.Address, CallerID: e.CallerID})
			if err != nil {
				s.log.Info("the carrier refused", "call", a.id, "error", err)
				refused = append(refused, call.CarrierEnded{Leg: e.Leg, Reason: call.Refused})
			}
		case call.Release:
			s.carrier.HangUp(a.refOf(e.Leg))
		case call.Pick:
			s.carrier.Answer(a.refOf(e.Leg))
		case call.SendDigits:
			s.carrier.SendDigits(a.refOf(e.Leg), e.Digits)
		}
	}
	return refused
}

// fromCarrier hands an event to its call. One for a call that is over has nothing left to change.
func (s *Switchboard) fromCarrier(e carrier.Event) {
	if e.Kind == carrier.Incoming {
		s.mu.Lock()
		s.arriving[e.Ref] = false
		s.mu.Unlock()
		s.listener.CallIncoming(e.Ref, e.From, e.To)
		return
	}
	if s.ofTelephone(e) {
		return
	}
	id, leg, err := s.whose(e)
	if err != nil {
		s.log.Debug("an event for no call of ours", "ref", e.Ref, "kind", e.Kind)
		return
	}
	var in call.Input
	switch e.Kind {
	case carrier.Ringing:
		in = call.CarrierRinging{Leg: leg}
	case carrier.Answered:
		in = call.CarrierAnswered{Leg: leg}
	case carrier.Digits:
		in = call.CarrierDigits{Leg: leg, Digits: e.Digits, Hidden: s.paused(id)}
		s.keysSound(id, e.Digits)
		s.listener.Keyed(id, e.Digits)
	case carrier.Ended:
		in = call.CarrierEnded{Leg: leg, Reason: reasons[e.Reason]}
	}
	a := s.find(id)
	if a != nil && e.Kind == carrier.Answered && e.Voice != nil {
		if room := s.studio.Room(id); room != nil {
			room.SetVoice(int(leg), e.Voice)
		}
	}
	if a == nil {
		s.log.Debug("an event for a call that has ended", "call", id, "kind", e.Kind)
		return
	}
	select {
	case a.inbox <- request{in: in}:
	case <-a.over:
	default:
		// The inbox is full, or it is the call's own goroutine that made the carrier speak: neither may wait.
		go func() {
			select {
			case a.inbox <- request{in: in}:
			case <-a.over:
			}
		}()
	}
}

// reasons puts the carrier's reasons into the words of a call.
var reasons = map[carrier.Reason]call.Reason{
	carrier.HungUp: call.EndedByThem, carrier.Busy: call.Busy, carrier.NoAnswer: call.NoAnswer,
	carrier.Declined: call.Declined, carrier.OutOfService: call.OutOfService, carrier.Lost: call.CutOff,
}

// whose finds the call and the leg that an event is about. The end of a leg that nobody has taken over yet is
// remembered.
func (s *Switchboard) whose(e carrier.Event) (uuid.UUID, call.LegNo, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if l, there := s.refs[e.Ref]; there {
		return l.call, l.leg, nil
	}
	id, leg, err := parseRef(e.Ref)
	if _, there := s.arriving[e.Ref]; there && e.Kind == carrier.Ended {
		s.arriving[e.Ref] = true
	}
	return id, leg, err
}

// refOf is the carrier's reference of a call's leg.
func (a *active) refOf(leg call.LegNo) carrier.Ref {
	a.mu.Lock()
	defer a.mu.Unlock()
	if ref := a.refs[leg]; ref != "" {
		return ref
	}
	return refOf(a.id, leg)
}

func refOf(id uuid.UUID, leg call.LegNo) carrier.Ref {
	return carrier.Ref(fmt.Sprintf("%s/%d", id, leg))
}

func parseRef(ref carrier.Ref) (uuid.UUID, call.LegNo, error) {
	text, no, _ := strings.Cut(string(ref), "/")
	id, err := uuid.Parse(text)
	if err != nil {
		return id, 0, err
	}
	var leg call.LegNo
	_, err = fmt.Sscan(no, &leg)
	return id, leg, err
}
