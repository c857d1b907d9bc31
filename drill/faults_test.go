package drill_test

import (
	"context"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/require"

	"trundo/internal/program"
)

// fault is something that goes wrong around the server, and is well again when it returns.
type fault struct {
	name string
	do   func(d *drill)
}

func faults() []fault {
	return []fault{
		{"kill -9 of the server", func(d *drill) { d.kill("") }},
		{"kill -9 of the server, and a torn line in its journal",
			func(d *drill) { d.kill(`00000099 0badc0de {"kind":"notes","va`) }},
		{"PostgreSQL stops", func(d *drill) {
			d.must(d.cluster.Halt())
			d.lasts(500*time.Millisecond, 3*time.Second)
			d.resume()
		}},
		{"PostgreSQL is killed", func(d *drill) {
			d.signalPostgres(syscall.SIGKILL, true)
			d.lasts(100*time.Millisecond, time.Second)
			_ = d.cluster.Halt()
			d.resume()
		}},
		{"the server is killed while PostgreSQL is away", func(d *drill) {
			d.must(d.cluster.Halt())
			d.lasts(200*time.Millisecond, time.Second)
			d.server.Kill()
			d.resume()
			d.begin()
		}},
		{"PostgreSQL freezes", func(d *drill) {
			d.signalPostgres(syscall.SIGSTOP, false)
			d.lasts(300*time.Millisecond, 3*time.Second)
			d.signalPostgres(syscall.SIGCONT, false)
		}},
		{"the database takes no writes", func(d *drill) {
			d.sql(`ALTER SYSTEM SET default_transaction_read_only = on`, `SELECT pg_reload_conf()`)
			d.lasts(500*time.Millisecond, 3*time.Second)
			d.sql(`SET default_transaction_read_only = off`, `ALTER SYSTEM RESET default_transaction_read_only`,
				`SELECT pg_reload_conf()`)
		}},
		{"all connections to the database end", func(d *drill) {
			d.sql(
				`SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE pid <> pg_backend_pid() AND backend_type = 'client backend'`,
			)
		}},
		{"the folder of recordings takes nothing", func(d *drill) {
			folder := filepath.Join(d.data, "recordings")
			if os.Rename(folder, folder+".away") != nil {
				return
			}
			d.must(os.WriteFile(folder, nil, 0o600))
			d.lasts(500*time.Millisecond, 2*time.Second)
			d.must(os.Remove(folder))
			_ = os.Rename(folder+".away", folder)
		}},
		{"the server's clock is wrong", func(d *drill) {
			d.clock = (rand.N(20*time.Minute) - 10*time.Minute).Truncate(time.Second)
			d.skew = max(d.skew, d.clock.Abs())
			d.kill("")
			d.lasts(time.Second, 3*time.Second)
			d.clock = 0
			d.kill("")
		}},
		{"every socket is cut", func(d *drill) { d.proxy.cut() }},
	}
}

// lasts waits for some time between two bounds: a fault takes time, whatever else happens.
func (d *drill) lasts(from, to time.Duration) {
	timer := time.NewTimer(from + rand.N(to-from))
	defer timer.Stop()
	<-timer.C
}

func (d *drill) must(err error) { require.NoError(d.t, err) }

// kill ends the server as a power cut would, in the middle of what it writes, and starts it again.
func (d *drill) kill(torn string) {
	d.server.Kill()
	if torn != "" {
		if f, err := os.OpenFile(filepath.Join(d.data, "journal.jsonl"), os.O_APPEND|os.O_WRONLY, 0o600); err == nil {
			_, err = f.WriteString(torn)
			d.must(err)
			d.must(f.Close())
		}
	}
	d.begin()
}

// begin starts the server until it stays.
func (d *drill) begin() {
	for try := 0; ; try++ {
		p, err := program.Begin(d.binary, d.database, d.data, d.addr, "TRUNDO_DRILL_CLOCK="+d.clock.String())
		d.must(err)
		d.server = p
		ended := false
		for until := time.Now().Add(30 * time.Second); time.Now().Before(until) && !ended && !p.Ready(); {
			select {
			case <-p.Over():
				ended = true
			case <-time.After(50 * time.Millisecond):
			}
		}
		if !ended {
			return
		}
		require.Less(d.t, try, 10, "the server does not start again")
	}
}

func (d *drill) resume() {
	ctx, cancel := context.WithTimeout(context.Background(), time.Minute)
	defer cancel()
	d.must(d.cluster.Resume(ctx))
}

// sql runs statements over a connection of its own.
func (d *drill) sql(statements ...string) {
	ctx, cancel := context.WithTimeout(context.Background(), 20*time.Second)
	defer cancel()
	c, err := pgx.Connect(ctx, d.database)
	d.must(err)
	defer c.Close(ctx)
	for _, s := range statements {
		_, err := c.Exec(ctx, s)
		d.must(err)
	}
}

// signalPostgres sends a signal to the postmaster, and to what it has begun.
func (d *drill) signalPostgres(s syscall.Signal, onlyMain bool) {
	text, err := os.ReadFile(filepath.Join(d.cluster.Dir(), "postmaster.pid"))
	d.must(err)
	main, err := strconv.Atoi(strings.TrimSpace(strings.SplitN(string(text), "\n", 2)[0]))
	d.must(err)
	children, _ := os.ReadFile(fmt.Sprintf("/proc/%d/task/%d/children", main, main))
	_ = syscall.Kill(main, s)
	if onlyMain {
		return
	}
	for _, c := range strings.Fields(string(children)) {
		if pid, err := strconv.Atoi(c); err == nil {
			_ = syscall.Kill(pid, s)
		}
	}
}
