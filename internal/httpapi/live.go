package httpapi

import (
	"context"
	"strconv"
	"time"

	"github.com/coder/websocket"
	"github.com/coder/websocket/wsjson"
	"github.com/gin-gonic/gin"
)

const (
	livePing  = 20 * time.Second
	liveWrite = 10 * time.Second
)

// live is a window's stream of events. The query's epoch and after tell what it has seen.
func (s *Server) live(c *gin.Context) {
	a := actor(c)
	cookie, _ := c.Cookie(cookieName)
	after, err := strconv.ParseInt(c.DefaultQuery("after", "0"), 10, 64)
	if err != nil {
		after = -1 // nothing is known of that: everything is to be fetched again
	}
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
	for {
		select {
		case <-ctx.Done():
			return
		case <-ping.C:
			if s.sessionGone(ctx, cookie) {
				_ = conn.Close(4401, "signed out")
				return
			}
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
