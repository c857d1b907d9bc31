package main

import (
	"bytes"
	"compress/gzip"
	"context"
	"encoding/json"
	"fmt"
	"io/fs"
	"log/slog"
	"net"
	"net/http"
	"path/filepath"
	"regexp"
	"strings"
	"sync"
	"sync/atomic"
	"testing/fstest"
	"time"

	"trundo/internal/desk/firm"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"
	"github.com/jonboulle/clockwork"

	"trundo/internal/carrier"
	"trundo/internal/carrier/sim"
	"trundo/internal/contract"
	"trundo/internal/desk"
	"trundo/internal/httpapi"
	"trundo/internal/store"
	"trundo/web"
)

// workshop is a running server, and a bare one beside it over the same database.
type workshop struct {
	store   *store.Store
	desk    *desk.Desk
	dialed  chan time.Time // when the carrier was asked; only listened to while clicks are measured
	timing  atomic.Bool
	ours    string
	bare    string
	done    chan time.Time // when the bare handler had committed
	servers []*http.Server
	users   []uuid.UUID
	numbers []uuid.UUID
	outcome uuid.UUID
	line    uuid.UUID
	linked  []uuid.UUID // a person and their company
}

// timed is a carrier that tells when it is asked to dial.
type timed struct {
	carrier.Carrier
	w *workshop
}

func (t timed) Dial(d carrier.Dialing) error {
	if t.w.timing.Load() {
		t.w.dialed <- time.Now()
	}
	return t.Carrier.Dial(d)
}

func newWorkshop(ctx context.Context, s *store.Store, dir string) (*workshop, error) {
	w := &workshop{store: s, dialed: make(chan time.Time, 1), done: make(chan time.Time, 1)}
	log := slog.New(slog.DiscardHandler)
	// they answer at once
	people := sim.New(clockwork.NewRealClock(), "US", func(string) sim.Behaviour { return sim.Behaviour{} })
	var err error
	if w.desk, err = desk.Open(ctx,
		firm.Config{Store: s, Carrier: timed{people, w}, Clock: clockwork.NewRealClock(), Log: log, Server: "bench",
			JournalFile: filepath.Join(dir, "journal"), FilesDir: dir, Demo: true}); err != nil {
		return nil, err
	}
	handler, err := httpapi.New(httpapi.Config{Desk: w.desk, Sessions: s.Sessions(0), Web: fstest.MapFS{}, Log: log})
	if err != nil {
		return nil, err
	}
	if w.ours, err = w.serve(handler); err != nil {
		return nil, err
	}
	gin.SetMode(gin.ReleaseMode)
	e := gin.New()
	e.POST("/call", w.bareClick)
	if w.bare, err = w.serve(e); err != nil {
		return nil, err
	}
	return w, w.read(ctx)
}

func (w *workshop) serve(h http.Handler) (string, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return "", err
	}
	server := &http.Server{Handler: h, ReadHeaderTimeout: time.Second}
	w.servers = append(w.servers, server)
	go func() { _ = server.Serve(l) }()
	return "http://" + l.Addr().String(), nil
}

func (w *workshop) close() {
	for _, s := range w.servers {
		_ = s.Close()
	}
	w.desk.Close()
}

// read finds eight reps, the numbers that may be called, an outcome and a line.
func (w *workshop) read(ctx context.Context) error {
	ids := func(sql string) (found []uuid.UUID, err error) {
		rows, err := w.store.Pool.Query(ctx, sql)
		if err != nil {
			return nil, err
		}
		defer rows.Close()
		for rows.Next() {
			var id uuid.UUID
			if err := rows.Scan(&id); err != nil {
				return nil, err
			}
			found = append(found, id)
		}
		return found, rows.Err()
	}
	var err error
	if w.users, err = ids(`SELECT id FROM users WHERE role = 'rep' ORDER BY login LIMIT 8`); err != nil {
		return err
	}
	if w.numbers, err = ids(`SELECT p.id FROM phone_numbers p JOIN records r ON r.id = p.record_id
		WHERE p.e164 IS NOT NULL AND p.dnc_at IS NULL AND r.dnc_at IS NULL AND r.company_id IS NOT NULL ORDER BY p.id LIMIT 100`); err != nil {
		return err
	}
	outcomes, err := ids(`SELECT id FROM outcomes WHERE NOT needs_notes AND effects = '[]' ORDER BY position LIMIT 1`)
	if err != nil {
		return err
	}
	lines, err := ids(`SELECT id FROM lines WHERE main`)
	if err != nil {
		return err
	}
	w.outcome, w.line = outcomes[0], lines[0]
	person, err := ids(`SELECT id FROM records WHERE kind = 'contact' AND company_id IS NOT NULL ORDER BY id LIMIT 1`)
	if err != nil {
		return err
	}
	company, err := ids(`SELECT company_id FROM records WHERE kind = 'contact' AND company_id IS NOT NULL ORDER BY id LIMIT 1`)
	if err != nil {
		return err
	}
	w.linked = []uuid.UUID{person[0], company[0]}
	return nil
}

// clicks measures, by turns, ours and bare, from the request until the carrier is asked (until the commit).
func (w *workshop) clicks(ctx context.Context, count int) (pair, error) {
	w.timing.Store(true)
	defer w.timing.Store(false)
	client := &http.Client{}
	cookie, err := w.signIn(client)
	if err != nil {
		return pair{}, err
	}
	var p pair
	const warm = 40
	for i := range count + warm {
		number := w.numbers[i%len(w.numbers)]
		body := fmt.Sprintf(`{"number_id":%q}`, number)
		start := time.Now()
		answer, err := post(ctx, client, w.ours, "/api/calls", body, cookie)
		if err != nil {
			return p, err
		}
		ours := (<-w.dialed).Sub(start)
		var c contract.Call
		if err := json.Unmarshal(answer, &c); err != nil {
			return p, err
		}
		if _, err := post(ctx, client, w.ours, "/api/calls/"+c.ID.String()+"/hang-up", "", cookie); err != nil {
			return p, err
		}
		// lets the end be saved
		if _, err := post(ctx, client, w.ours, "/api/slips/"+c.Slip.ID.String()+"/nobody", "", cookie); err != nil {
			return p, err
		}
		start = time.Now()
		if _, err := post(ctx, client, w.bare, "/call", body, nil); err != nil {
			return p, err
		}
		bare := (<-w.done).Sub(start)
		if i >= warm {
			p.ours = append(p.ours, ours.Seconds()*1000)
			p.bare = append(p.bare, bare.Seconds()*1000)
		}
	}
	return p, nil
}

func (w *workshop) signIn(client *http.Client) (*http.Cookie, error) {
	r, err := http.NewRequest(http.MethodPost, w.ours+"/api/session",
		strings.NewReader(`{"login":"ines","password":"`+firm.DemoPassword+`"}`))
	if err != nil {
		return nil, err
	}
	r.Header.Set("Origin", w.ours)
	r.Header.Set("Content-Type", "application/json")
	answer, err := client.Do(r)
	if err != nil {
		return nil, err
	}
	defer answer.Body.Close()
	if len(answer.Cookies()) == 0 {
		return nil, fmt.Errorf("signing in: %s", answer.Status)
	}
	return answer.Cookies()[0], nil
}

func post(ctx context.Context, client *http.Client, base, path, body string, cookie *http.Cookie) ([]byte, error) {
	r, err := http.NewRequestWithContext(ctx, http.MethodPost, base+path, strings.NewReader(body))
	if err != nil {
		return nil, err
	}
	r.Header.Set("Origin", base)
	r.Header.Set("Content-Type", "application/json")
	r.Header.Set("Idempotency-Key", uuid.NewString())
	if cookie != nil {
		r.AddCookie(cookie)
	}
	answer, err := client.Do(r)
	if err != nil {
		return nil, err
	}
	defer answer.Body.Close()
	var text bytes.Buffer
	if _, err := text.ReadFrom(answer.Body); err != nil {
		return nil, err
	}
	if answer.StatusCode >= 300 {
		return nil, fmt.Errorf("%s: %s %s", path, answer.Status, text.String())
	}
	return text.Bytes(), nil
}

// throughput runs 8 clients for a while, by turns ours and bare; calls filed a second.
func (w *workshop) throughput(ctx context.Context, runs int, length time.Duration) (pair, error) {
	var p pair
	for i := range 2 * runs {
		one, into := w.deskCall, &p.ours
		if i%2 == 1 {
			one, into = w.bareCall, &p.bare
		}
		rate, err := w.atOnce(ctx, length, one)
		if err != nil {
			return p, err
		}
		*into = append(*into, rate)
	}
	return p, nil
}

func (w *workshop) atOnce(ctx context.Context, length time.Duration,
	one func(context.Context, uuid.UUID, int) error) (float64, error) {
	ctx, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	var group sync.WaitGroup
	var filed atomic.Int64
	start := time.Now()
	for _, user := range w.users {
		group.Add(1)
		go func() {
			defer group.Done()
			for n := 0; time.Since(start) < length && ctx.Err() == nil; n++ {
				if err := one(ctx, user, n); err != nil {
					cancel(err)
					return
				}
				filed.Add(1)
			}
		}()
	}
	group.Wait()
	if err := context.Cause(ctx); err != nil {
		return 0, err
	}
	return float64(filed.Load()) / time.Since(start).Seconds(), nil
}

// deskCall is a whole call through the use cases.
func (w *workshop) deskCall(ctx context.Context, user uuid.UUID, n int) error {
	a, err := w.desk.Actor(ctx, user)
	if err != nil {
		return err
	}
	number := w.numbers[n%len(w.numbers)]
	c, err := w.desk.Calls.PlaceCall(ctx, a, uuid.NewString(), contract.NewCall{NumberID: &number})
	if err != nil {
		return fmt.Errorf("placing: %w", err)
	}
	for w.desk.Calls.PhaseOf(c.ID) != "speaking" {
		time.Sleep(50 * time.Microsecond) // they answer at once, on a goroutine of their own
	}
	if _, err := w.desk.Filing.ChangeSlip(ctx, a, c.Slip.ID,
		contract.SlipChange{Version: c.Slip.Version, OutcomeID: &w.outcome}); err != nil {
		return fmt.Errorf("outcome: %w", err)
	}
	if err := w.desk.Calls.HangUp(ctx, a, c.ID); err != nil {
		return fmt.Errorf("hanging up: %w", err)
	}
	if _, err := w.desk.Filing.File(ctx, a, c.Slip.ID, uuid.NewString(), nil); err != nil {
		return fmt.Errorf("filing: %w", err)
	}
	return nil
}

// firstLoad is the JavaScript that index.html loads, in bytes after gzip.
func firstLoad() (int, error) {
	index, err := fs.ReadFile(web.Dist(), "index.html")
	if err != nil {
		return 0, err
	}
	var packed bytes.Buffer
	z := gzip.NewWriter(&packed)
	for _, s := range regexp.MustCompile(`"/(assets/[^"]+\.js)"`).FindAllSubmatch(index, -1) {
		text, err := fs.ReadFile(web.Dist(), string(s[1]))
		if err != nil {
			return 0, err
		}
		if _, err := z.Write(text); err != nil {
			return 0, err
		}
	}
	err = z.Close()
	return packed.Len(), err
}
