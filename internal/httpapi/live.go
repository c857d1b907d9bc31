package httpapi

import (
	"context"
	"errors"
	"strconv"
	"sync"
	"time"

	"trundo/internal/desk/firm"

	"github.com/coder/websocket"
	"github.com/gin-gonic/gin"

	"trundo/internal/contract"
	"trundo/internal/live"
)

const (
	livePing  = 20 * time.Second
	liveCheck = 3 * time.Second // how soon a session that was ended elsewhere ends its windows
	liveWrite = 10 * time.Second
)

// signedOut closes the stream of a window whose session is over.
const signedOut = websocket.StatusCode(4401)

// live is a window's stream of events. The query's epoch and after tell what it has seen.
func (s *Server) live(c *gin.Context) {
	a := actor(c)
	cookie, _ := c.Cookie(s.sessions.Cookie.Name)
	after, err := strconv.ParseInt(c.DefaultQuery("after", "0"), 10, 64)
	if err != nil {
		after = -1 // nothing is known of that: everything is to be fetched again
	}
	over := make(chan struct{})
	leave, err := s.windows.add(&openWindow{user: a.ID, cookie: cookie, session: s.sessionID(c),
		end: sync.OnceFunc(func() { close(over) })})
	if err != nil {
		s.fail(c, err)
		return
	}
	defer leave()
	conn, err := websocket.Accept(c.Writer, c.Request, nil)
	if err != nil {
		s.log.Debug("live", "error", err)
		return
	}
	defer func() { _ = conn.CloseNow() }()
	sub := s.desk.Hub.Subscribe(a.ID, c.Query("epoch"), after)
	defer sub.Close()
	// Not the request's context: it holds the session as it was when the window came, and would never hear of its end.
	ctx, gone := context.WithCancel(context.Background())
	defer gone()
	asked := make(chan struct{}, 1)
	go s.listen(ctx, gone, conn, asked)
	beat := time.NewTicker(livePing)
	defer beat.Stop()
	check := time.NewTicker(liveCheck)
	defer check.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-over:
			_ = conn.Close(signedOut, "signed out")
			return
		case <-check.C:
			if _, _, err := s.session(ctx, cookie); errors.Is(err, firm.ErrSignedOut) {
				_ = conn.Close(signedOut, "signed out")
				return
			}
		case <-beat.C:
			if err := within(ctx, conn.Ping); err != nil {
				return
			}
		case <-asked:
			if err := within(ctx, func(ctx context.Context) error {
				return conn.Write(ctx, websocket.MessageText,
					[]byte(pong))
			}); err != nil {
				return
			}
		case e, ok := <-sub.Events():
			if ok && e.Kind == contract.LiveEventKindRing {
				go stillThere(ctx, gone, conn)
			}
			if !ok {
				_ = conn.Close(websocket.StatusTryAgainLater, "resume")
				return
			}
			if err := within(ctx, func(ctx context.Context) error { return send(ctx, conn, e) }); err != nil {
				return
			}
		}
	}
}

func send(ctx context.Context, conn *websocket.Conn, e live.Event) error {
	text, err := e.JSON()
	if err != nil {
		return err
	}
	return conn.Write(ctx, websocket.MessageText, text)
}

// What a window says, and what it hears back: a way that is half open carries nothing, and says nothing of it.
const (
	ping = `{"kind":"ping"}`
	pong = `{"kind":"pong","n":0}`
)

// listen reads what the window says until it goes; reading also answers the protocol's own pings.
func (s *Server) listen(ctx context.Context, gone func(), conn *websocket.Conn, asked chan<- struct{}) {
	defer gone()
	conn.SetReadLimit(1 << 10)
	for {
		_, text, err := conn.Read(ctx)
		if err != nil {
			return
		}
		if string(text) != ping {
			_ = conn.Close(websocket.StatusPolicyViolation, "only signs of life are taken here")
			return
		}
		select {
		case asked <- struct{}{}:
		default: // the last one is not answered yet
		}
	}
}

// liveRing is how soon a window that a call rings in must show that it is there: else the caller would ring at nobody.
const liveRing = 2 * time.Second

// stillThere asks a window for a sign of life, and lets it go where none comes.
func stillThere(ctx context.Context, gone func(), conn *websocket.Conn) {
	ctx, cancel := context.WithTimeout(ctx, liveRing)
	defer cancel()
	if conn.Ping(ctx) != nil {
		gone()
	}
}

func within(ctx context.Context, do func(context.Context) error) error {
	ctx, cancel := context.WithTimeout(ctx, liveWrite)
	defer cancel()
	return do(ctx)
}
