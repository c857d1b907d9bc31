package httpapi

import (
	"sync"
	"time"

	"golang.org/x/time/rate"
)

// throttle slows down who tries to sign in. Each try is counted before its password is looked at: by the login as it is
// compared together with the address, by the login from wherever, by the address, and in all; who gets in has what was
// counted taken back.
type throttle struct {
	mu  sync.Mutex
	who map[string]*rate.Limiter
	all *rate.Limiter
}

// pace is how many tries may come at once, and after how long the next.
type pace struct {
	atOnce int
	every  time.Duration
}

// A person who has forgotten the password tries a few times; a firm behind one address comes in the morning all at
// once; somebody else's guesses at a login must not keep its owner out for long.
var (
	paceOfPair    = pace{8, 15 * time.Second}
	paceOfLogin   = pace{40, 5 * time.Second}
	paceOfAddress = pace{60, 2 * time.Second}
	paceOfAll     = pace{200, 200 * time.Millisecond}
)

func newThrottle() *throttle {
	return &throttle{who: map[string]*rate.Limiter{},
		all: rate.NewLimiter(rate.Every(paceOfAll.every), paceOfAll.atOnce)}
}

// newOffers bounds how often sound is offered: it costs a handshake, and a person's browser does it once in a while.
func newOffers() *throttle {
	return &throttle{who: map[string]*rate.Limiter{}, all: rate.NewLimiter(50, 300)}
}

// offer counts an offer of somebody's, and tells whether it is taken.
func (t *throttle) offer(who string, now time.Time) bool {
	t.mu.Lock()
	defer t.mu.Unlock()
	return t.limiter(who, pace{20, 3 * time.Second}).AllowN(now, 1) && t.all.AllowN(now, 1)
}

func (t *throttle) limiter(key string, p pace) *rate.Limiter {
	l := t.who[key]
	if l == nil {
		if len(t.who) > 30_000 {
			t.forgetSome()
		}
		l = rate.NewLimiter(rate.Every(p.every), p.atOnce)
		t.who[key] = l
	}
	return l
}

// forgetSome leaves out who has waited long enough; the caller holds the lock.
func (t *throttle) forgetSome() {
	for key, l := range t.who {
		if l.Tokens() >= float64(l.Burst()) || len(t.who) > 60_000 {
			delete(t.who, key)
		}
	}
}

// counted are what a try counts against. A way in that begins without saying as whom has no login ("").
func (t *throttle) counted(login, address string) []*rate.Limiter {
	limiters := []*rate.Limiter{t.limiter("address\n"+address, paceOfAddress), t.all}
	if login != "" {
		limiters = append(limiters, t.limiter("login\n"+login, paceOfLogin))
	}
	return limiters
}

// try counts a try, and tells whether it may be made, or after how long.
func (t *throttle) try(login, address string, now time.Time) (time.Duration, bool) {
	t.mu.Lock()
	defer t.mu.Unlock()
	limiters := t.counted(login, address)
	if login != "" {
		limiters = append(limiters, t.limiter(pairKey(login, address), paceOfPair))
	}
	for _, l := range limiters {
		if l.TokensAt(now) < 1 {
			return time.Duration((1 - l.TokensAt(now)) / float64(l.Limit()) * float64(time.Second)), false
		}
	}
	for _, l := range limiters {
		l.AllowN(now, 1)
	}
	return 0, true
}

// in takes back what was counted for somebody who has got in: a firm behind one address comes in the morning all at
// once, and is no guesser. Where no login was said, it began with a question and ended with its answer: two tries.
func (t *throttle) in(login, address string, now time.Time) {
	t.mu.Lock()
	defer t.mu.Unlock()
	tries := 2
	if login != "" {
		tries = 1
		delete(t.who, pairKey(login, address))
	}
	for _, l := range t.counted(login, address) {
		l.AllowN(now, -tries)
	}
}

func pairKey(login, address string) string { return "pair\n" + login + "\n" + address }
