package drill_test

import (
	"io"
	"net"
	"sync"
)

// proxy stands between the reps and the server, so that every connection can be cut at once.
type proxy struct {
	listener net.Listener
	to       string
	mu       sync.Mutex
	open     map[net.Conn]bool
}

func newProxy(to string) (*proxy, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return nil, err
	}
	p := &proxy{listener: l, to: to, open: map[net.Conn]bool{}}
	go func() {
		for {
			c, err := l.Accept()
			if err != nil {
				return
			}
			go p.pass(c)
		}
	}()
	return p, nil
}

func (p *proxy) pass(c net.Conn) {
	out, err := net.Dial("tcp", p.to)
	if err != nil {
		_ = c.Close()
		return
	}
	p.mu.Lock()
	p.open[c], p.open[out] = true, true
	p.mu.Unlock()
	var both sync.WaitGroup
	for _, way := range [][2]net.Conn{{c, out}, {out, c}} {
		both.Go(func() {
			_, _ = io.Copy(way[0], way[1])
			_, _ = way[0].Close(), way[1].Close()
		})
	}
	both.Wait()
	p.mu.Lock()
	delete(p.open, c)
	delete(p.open, out)
	p.mu.Unlock()
}

// cut ends every connection in the middle of what is said.
func (p *proxy) cut() {
	p.mu.Lock()
	defer p.mu.Unlock()
	for c := range p.open {
		if t, ok := c.(*net.TCPConn); ok {
			_ = t.SetLinger(0) // a reset, not an orderly end
		}
		_ = c.Close()
	}
}
