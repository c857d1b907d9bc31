package httpapi

import (
	"context"
	"errors"
	"strconv"
	"sync"
	"time"

	"github.com/coder/websocket"
	"github.com/coder/websocket/wsjson"
	"github.com/gin-gonic/gin"

	"trundo/internal/desk"
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
	leave, err := s.windows.add(&openWindow{a.ID, cookie, sync.OnceFunc(func() { close(over) })})
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
	// The browser sends nothing; reading answers its pings and notices when it goes.
	ctx := conn.CloseRead(context.WithoutCancel(c.Request.Context()))
	ping := time.NewTicker(livePing)
	defer ping.Stop()
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
			if _, _, err := s.session(ctx, cookie); errors.Is(err, desk.ErrSignedOut) {
				_ = conn.Close(signedOut, "signed out")
				return
			}
		case <-ping.C:
			if err := within(ctx, conn.Ping); err != nil {
				return
			}
		case e, ok := <-sub.Events():
			if !ok {
				_ = conn.Close(websocket.StatusTryAgainLater, "resume")
				return
			}
			if err := within(ctx, func(ctx context.Context) error { return wsjson.Write(ctx, conn, e) }); err != nil {
				return
			}
		}
	}
}

func within(ctx context.Context, do func(context.Context) error) error {
	ctx, cancel := context.WithTimeout(ctx, liveWrite)
	defer cancel()
	return do(ctx)
}
