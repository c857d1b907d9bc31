package main

import (
	"context"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"time"

	"trundo/internal/desk/firm"

	"github.com/chromedp/chromedp"
	"github.com/coder/websocket"
	"github.com/google/uuid"

	"trundo/internal/carrier/sim"
	"trundo/internal/contract"
	"trundo/internal/core/call"
	"trundo/internal/demo"
	"trundo/internal/desk"
	"trundo/internal/httpapi"
	"trundo/internal/store"
	"trundo/web"
)

// ringFigures are measured with the large book.
type ringFigures struct {
	connected []int
	// ms from the carrier's event to the ring drawn in Chromium, for each of connected; bare: a pushed word
	drawn    []pair
	asked    []float64 // ms from a rep's asking a colleague in a call to the ring drawn in Chromium, all connected
	freed    []float64 // ms from a rep's being free to the ring of who waited in a queue, drawn in Chromium, all connected
	cores    float64   // busy with 200 windows at 40 addressed events a minute each
	arrived  int       // calls that came in within a minute
	recorded int
	twice    int
}

const (
	drawings     = 40
	showNumber   = "+14135550130" // a line that goes by its own rule
	burst        = 1000
	eventsMinute = 40
)

// ringing measures from the carrier's event to the screen, with one browser and many other windows, and a minute full
// of calls.
func ringing(ctx context.Context, s *store.Store, d *desk.Desk, network *sim.Sim) (ringFigures, error) {
	f := ringFigures{connected: []int{1, 50, 200}}
	handler, err := httpapi.New(httpapi.Config{Desk: d, Sessions: s.Sessions(0), Web: web.Dist(),
		Log: slog.New(slog.DiscardHandler), Outside: network})
	if err != nil {
		return f, err
	}
	bare := &barePush{}
	mux := http.NewServeMux()
	mux.Handle("/bare/", bare)
	mux.Handle("/", handler)
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return f, err
	}
	server := &http.Server{Handler: mux, ReadHeaderTimeout: time.Second}
	defer server.Close()
	go func() { _ = server.Serve(l) }()
	w := &ringer{desk: d, network: network, base: "http://" + l.Addr().String(), bare: bare}
	reps, err := w.reps(ctx, s, 200)
	if err != nil {
		return f, err
	}
	alloc, stop := chromedp.NewExecAllocator(ctx, chromedp.Headless, chromedp.NoSandbox, chromedp.DisableGPU,
		chromedp.NoFirstRun,
		chromedp.ExecPath("chromium-headless-shell"), chromedp.Flag("disable-dev-shm-usage", true))
	defer stop()
	if err := w.open(alloc); err != nil {
		return f, err
	}
	windows := &sockets{base: w.base}
	defer windows.close()
	for _, n := range f.connected {
		if err := windows.upTo(ctx, n-1, reps); err != nil {
			return f, err
		}
		var p pair
		for range drawings {
			ours, err := w.ring()
			if err != nil {
				return f, err
			}
			reference, err := w.push(ctx)
			if err != nil {
				return f, err
			}
			p.ours, p.bare = append(p.ours, ours), append(p.bare, reference)
		}
		f.drawn = append(f.drawn, p)
	}
	if f.asked, err = w.asks(ctx, reps[0]); err != nil {
		return f, err
	}
	if f.freed, err = w.freed(ctx, s, reps); err != nil {
		return f, fmt.Errorf("from free to the ring: %w", err)
	}
	f.cores = w.events(reps)
	err = f.minute(ctx, s, network)
	return f, err
}

// ringer is what rings, and the one browser that draws it.
type ringer struct {
	desk    *desk.Desk
	network *sim.Sim
	base    string
	bare    *barePush
	ours    context.Context
	bareTab context.Context
}

// reps adds so many reps to the firm and signs each of them in.
func (w *ringer) reps(ctx context.Context, s *store.Store, count int) ([]signed, error) {
	var all []signed
	for i := range count {
		login := fmt.Sprintf("rep%d", i)
		id, err := firm.AddUser(ctx, s.Queries,
			firm.NewUser{Login: login, Name: login, Password: firm.DemoPassword, Role: firm.Rep,
				Zone: "America/New_York"})
		if err != nil {
			return nil, err
		}
		all = append(all, signed{id: id, login: login})
	}
	var group sync.WaitGroup
	errs := make([]error, 2)
	for half := range 2 {
		group.Go(func() {
			for i := half; i < len(all); i += 2 {
				// A busy machine may be too slow for a sign-in, which is not what is measured.
				for range 5 {
					if all[i].cookie, errs[half] = signIn(w.base, all[i].login); errs[half] == nil {
						break
					}
				}
				if errs[half] != nil {
					return
				}
			}
		})
	}
	group.Wait()
	for _, err := range errs {
		if err != nil {
			return nil, err
		}
	}
	return all, nil
}

type signed struct {
	id     uuid.UUID
	login  string
	cookie *http.Cookie
}

func signIn(base, login string) (*http.Cookie, error) {
	r, err := http.NewRequest(http.MethodPost, base+"/api/session",
		strings.NewReader(`{"login":"`+login+`","password":"`+firm.DemoPassword+`"}`))
	if err != nil {
		return nil, err
	}
	r.Header.Set("Origin", base)
	r.Header.Set("Content-Type", "application/json")
	answer, err := http.DefaultClient.Do(r)
	if err != nil {
		return nil, err
	}
	defer answer.Body.Close()
	if len(answer.Cookies()) == 0 {
		return nil, fmt.Errorf("signing %s in: %s", login, answer.Status)
	}
	return answer.Cookies()[0], nil
}

// open signs a rep of the sales line in with the browser, and opens the bare page in another window.
func (w *ringer) open(alloc context.Context) error {
	w.ours, _ = chromedp.NewContext(alloc)
	if err := chromedp.Do(w.ours, chromedp.Navigate(w.base+"/sign-in")); err != nil {
		return err
	}
	if err := until(w.ours, `(() => { const b = [...document.querySelectorAll('button')].find((x) => x.textContent.includes('Ines')); b?.click(); return !!b; })()`); err != nil {
		return err
	}
	if err := until(w.ours, `!!document.querySelector('[data-testid=lane]')`); err != nil {
		return err
	}
	w.bareTab, _ = chromedp.NewContext(w.ours)
	if err := chromedp.Do(w.bareTab, chromedp.Navigate(w.base+"/bare/page")); err != nil {
		return err
	}
	return until(w.bareTab, `window.ready === true`)
}

func until(ctx context.Context, expression string) error {
	for deadline := time.Now().Add(30 * time.Second); time.Now().Before(deadline); time.Sleep(20 * time.Millisecond) {
		if ok, err := chromedp.Run(ctx, chromedp.Evaluate[bool](expression)); err == nil && ok {
			return nil
		}
	}
	return fmt.Errorf("the browser never showed %s", expression)
}

// drawn resolves with the time at which something that fits a selector has been drawn: after the frame that follows its
// coming.
const drawn = `window.drawn = new Promise((resolve) => { const look = () => { if (!document.querySelector(%q)) return false;
	requestAnimationFrame(() => { const c = new MessageChannel(); c.port1.onmessage = () => resolve(performance.timeOrigin + performance.now()); c.port2.postMessage(0); }); return true; };
	const o = new MutationObserver(() => { if (look()) o.disconnect(); }); o.observe(document, {subtree: true, childList: true}); }); true`

// measure arms a page, lets something happen, and gives the milliseconds until it was drawn.
func measure(page context.Context, selector string, happen func() error) (float64, error) {
	if _, err := chromedp.Run(page, chromedp.Evaluate[bool](fmt.Sprintf(drawn, selector))); err != nil {
		return 0, err
	}
	began := time.Now()
	if err := happen(); err != nil {
		return 0, err
	}
	at, err := chromedp.Run(page, chromedp.Evaluate[float64](`window.drawn`, chromedp.EvalAwaitPromise))
	return at - float64(began.UnixMicro())/1000, err
}

func (w *ringer) ring() (float64, error) {
	var ref string
	took, err := measure(w.ours, "[data-testid=ring]", func() (err error) {
		ref, err = w.network.CallIn(demo.AnswersSoon, showNumber)
		return err
	})
	w.network.OutsideHangsUp(ref)
	if err != nil {
		return 0, err
	}
	return took, until(w.ours, `!document.querySelector('[data-testid=ring]')`)
}

// asks lets a rep, who is in a call, ask whoever sits before the browser, again and again.
func (w *ringer) asks(ctx context.Context, rep signed) ([]float64, error) {
	asker, err := w.desk.Actor(ctx, rep.id)
	if err != nil {
		return nil, err
	}
	var asked uuid.UUID
	if err := w.desk.Store.Pool.QueryRow(ctx, `SELECT id FROM users WHERE login = 'ines'`).Scan(&asked); err != nil {
		return nil, err
	}
	who, err := w.desk.Actor(ctx, asked)
	if err != nil {
		return nil, err
	}
	typed := demo.AnswersSoon
	c, err := w.desk.Calls.PlaceCall(ctx, asker, uuid.NewString(), contract.NewCall{Typed: &typed})
	if err != nil {
		return nil, err
	}
	for w.desk.Calls.PhaseOf(c.ID) != call.PhaseSpeaking {
		w.network.TheyAnswer(demo.AnswersSoon)
		time.Sleep(10 * time.Millisecond)
	}
	var all []float64
	for range drawings {
		took, err := measure(w.ours, "[data-testid=ring]", func() error {
			_, err := w.desk.Calls.Parties.Ask(ctx, asker, c.ID,
				contract.Ask{As: contract.AskAsConsult, ColleagueID: &who.ID})
			return err
		})
		if err != nil {
			return nil, err
		}
		all = append(all, took)
		if err := w.desk.Arrivals.DeclineCall(ctx, who, c.ID, ""); err != nil {
			return nil, err
		}
		if err := until(w.ours, `!document.querySelector('[data-testid=ring]')`); err != nil {
			return nil, err
		}
		if _, err := w.desk.Calls.Parties.Turn(ctx, asker, c.ID, contract.TurnActBack); err != nil {
			return nil, err
		}
	}
	return all, w.desk.Calls.HangUp(ctx, asker, c.ID)
}

func (w *ringer) push(ctx context.Context) (float64, error) {
	took, err := measure(w.bareTab, "#word", func() error { return w.bare.push(ctx) })
	if err != nil {
		return 0, err
	}
	_, err = chromedp.Run(w.bareTab, chromedp.Evaluate[bool](`document.querySelector('#word').remove(), true`))
	return took, err
}

// barePush is the bare reference: a page that draws each word that its WebSocket brings.
type barePush struct {
	mu   sync.Mutex
	conn *websocket.Conn
}

func (b *barePush) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	if r.URL.Path == "/bare/page" {
		w.Header().Set("Content-Type", "text/html")
		_, _ = w.Write(
			[]byte(
				`<body><script>const s = new WebSocket(location.origin.replace('http', 'ws') + '/bare/socket'); s.onopen = () => { window.ready = true; };
			s.onmessage = (m) => { const e = document.createElement('p'); e.id = 'word'; e.textContent = m.data; document.body.append(e); };</script></body>`,
			),
		)
		return
	}
	conn, err := websocket.Accept(w, r, nil)
	if err != nil {
		return
	}
	b.mu.Lock()
	b.conn = conn
	b.mu.Unlock()
	<-conn.CloseRead(context.WithoutCancel(r.Context())).Done()
}

func (b *barePush) push(ctx context.Context) error {
	b.mu.Lock()
	defer b.mu.Unlock()
	return b.conn.Write(ctx, websocket.MessageText, []byte(`{"kind":"ring"}`))
}

// sockets are the windows of the other reps.
type sockets struct {
	base     string
	open     []*websocket.Conn
	received atomic.Int64
}

func (s *sockets) upTo(ctx context.Context, count int, reps []signed) error {
	for len(s.open) < count {
		header := http.Header{"Cookie": {reps[len(s.open)].cookie.String()}, "Origin": {s.base}}
		conn, _, err := websocket.Dial(ctx, strings.Replace(s.base, "http", "ws", 1)+"/api/live",
			&websocket.DialOptions{HTTPHeader: header})
		if err != nil {
			return err
		}
		s.open = append(s.open, conn)
		go func() {
			for {
				if _, _, err := conn.Read(ctx); err != nil {
					return
				}
				s.received.Add(1)
			}
		}()
	}
	return nil
}

func (s *sockets) close() {
	for _, c := range s.open {
		_ = c.CloseNow()
	}
}

// events sends each rep 40 addressed events a minute for ten seconds, and gives how much of a core this process used
// more than at rest.
func (w *ringer) events(reps []signed) float64 {
	const long = 10 * time.Second
	rest := used(func() { time.Sleep(long) })
	busy := used(func() {
		ticker := time.NewTicker(time.Minute / time.Duration(eventsMinute*len(reps)))
		defer ticker.Stop()
		for i, end := 0, time.Now().Add(long); time.Now().Before(end); i++ {
			<-ticker.C
			call := uuid.New()
			w.desk.Hub.Publish(contract.LiveEvent{Kind: contract.LiveEventKindCall, CallID: &call,
				Call: &contract.CallState{CallID: call, Phase: contract.PhaseSpeaking, StartedAt: time.Now()}},
				reps[i%len(reps)].id)
		}
	})
	return busy - rest
}

// used is how many cores of this process something took (getrusage).
func used(what func()) float64 {
	cpu := func() time.Duration {
		var u syscall.Rusage
		_ = syscall.Getrusage(syscall.RUSAGE_SELF, &u)
		return time.Duration(u.Utime.Nano() + u.Stime.Nano())
	}
	began, before := time.Now(), cpu()
	what()
	return float64(cpu()-before) / float64(time.Since(began))
}

// minute lets a thousand calls come in within a minute, each hung up after a second, and counts what was written down.
func (f *ringFigures) minute(ctx context.Context, s *store.Store, network *sim.Sim) error {
	ticker := time.NewTicker(time.Minute / burst)
	defer ticker.Stop()
	var group sync.WaitGroup
	for i := range burst {
		<-ticker.C
		ref, err := network.CallIn(fmt.Sprintf("+9998%08d", i), showNumber)
		if err != nil {
			return err
		}
		f.arrived++
		group.Go(func() {
			time.Sleep(time.Second)
			network.OutsideHangsUp(ref)
		})
	}
	group.Wait()
	for deadline := time.Now().Add(time.Minute); time.Now().Before(deadline); time.Sleep(100 * time.Millisecond) {
		if err := s.Pool.QueryRow(ctx, `SELECT count(DISTINCT remote_typed), count(*) - count(DISTINCT remote_typed) FROM calls
			WHERE ended_at IS NOT NULL AND remote_typed LIKE '+9998%'`).Scan(&f.recorded, &f.twice); err != nil {
			return err
		}
		if f.recorded == f.arrived {
			return nil
		}
	}
	return nil
}

func (f ringFigures) report(p func(string, ...any)) {
	if len(f.drawn) == 0 {
		return
	}
	for i, n := range f.connected {
		goal := ""
		if n == 200 {
			goal = "p95 under 150 ms"
		}
		x := f.drawn[i]
		row(p, fmt.Sprintf("carrier's event to ring drawn, %d reps connected, p50", n), "ms", quantile(x.ours, 0.5),
			quantile(x.bare, 0.5), "")
		row(p, fmt.Sprintf("carrier's event to ring drawn, %d reps connected, p95", n), "ms", quantile(x.ours, 0.95),
			quantile(x.bare, 0.95), goal)
	}
	p(
		"| a colleague is asked in a call, until the ring is drawn, 200 reps connected, p95 of %d | %.1f ms (p50 %.1f) | | | p95 under 100 ms |",
		len(f.asked),
		quantile(f.asked, 0.95),
		quantile(f.asked, 0.5),
	)
	p(
		"| a rep files and is free, until the ring of who waited is drawn, 200 members, p95 of %d | %.1f ms (p50 %.1f) | | | "+
			"p95 under 100 ms |",
		len(f.freed),
		quantile(f.freed, 0.95),
		quantile(f.freed, 0.5),
	)
	p("| 200 reps, 40 addressed events a minute each | %.3f cores | | | less than 0.5 |", f.cores)
	p("| calls that came in within a minute | %d, recorded %d, twice %d | | | all, none twice |", f.arrived, f.recorded,
		f.twice)
	p(`
- **Ring**: from the stand-in's telling of a call until Chromium has drawn the ring with who it is: written down, matched among all numbers, routed to the
  three reps of a line, pushed, read, drawn. Bare: a word pushed through a WebSocket and drawn by the same Chromium, by turns, %d each. The other reps are Go sockets.
- **Events**: processor time of this process (getrusage), the reading sockets included, more than at rest, over ten seconds.
- **A minute of calls**: %d calls evenly over a minute, each hung up after a second of ringing.`, drawings, burst)
}
