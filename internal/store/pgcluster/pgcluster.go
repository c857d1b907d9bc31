// Package pgcluster runs a private PostgreSQL cluster from Debian's packages on loopback: for the demo, for
// development and for tests. It must not know what the database is for.
package pgcluster

import (
	"context"
	"crypto/rand"
	"encoding/hex"
	"errors"
	"fmt"
	"net"
	"net/url"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"regexp"
	"sort"
	"strconv"
	"strings"
	"syscall"
	"time"

	"github.com/jackc/pgx/v5"
)

// Options say where a cluster lives and how careful it is.
type Options struct {
	Dir  string // its folder, made where it is missing
	Port int    // 0 picks a free one
	Fast bool   // gives durability up for speed: tests only
}

// Cluster is a running server.
type Cluster struct {
	dir      string
	port     int
	bin      string
	own      bool     // this process ends it
	lock     *os.File // held by the process that ends it
	password string   // of its owner; empty where everybody on this machine is let in, which tests do
}

// owner is the account the server runs under: PostgreSQL refuses root.
const owner = "postgres"

// Start makes the cluster where it is missing and starts it where it is not running. Each error is one
// sentence that says what to do.
func Start(ctx context.Context, o Options) (*Cluster, error) {
	bin, err := findBinaries()
	if err != nil {
		return nil, err
	}
	dir, err := place(o.Dir)
	if err != nil {
		return nil, err
	}
	c := &Cluster{dir: dir, bin: bin}
	if _, err := os.Stat(filepath.Join(dir, "PG_VERSION")); errors.Is(err, os.ErrNotExist) {
		args := []string{"-D", dir, "-U", owner, "--auth=trust", "-E", "UTF8", "--locale=C.UTF-8"}
		if o.Fast {
			args = append(args, "--no-sync") // and no password, which costs every connection some milliseconds
		}
		if out, err := c.run(ctx, "initdb", args...); err != nil {
			return nil, fmt.Errorf("the database cluster could not be made in %s: %s", dir, lastLine(out))
		}
	}
	c.claim()
	if port, ok := c.running(ctx); ok {
		// An earlier program was killed and left it, unless another one lives that holds it.
		c.port, c.own = port, c.lock != nil
		return c, c.guard(ctx, o)
	}
	// What a crash left behind would keep the server from starting.
	_ = os.Remove(filepath.Join(dir, "postmaster.pid"))
	if c.port = o.Port; c.port == 0 {
		if c.port, err = freePort(); err != nil {
			return nil, err
		}
	}
	options := fmt.Sprintf("-p %d -c listen_addresses=127.0.0.1 -c unix_socket_directories='' -c max_connections=200",
		c.port)
	if o.Fast {
		options += " -c fsync=off -c full_page_writes=off -c wal_level=minimal -c max_wal_senders=0 -c autovacuum=off"
	} else {
		options += " -c shared_buffers=512MB" // the indexes of a large book; taken only as it is used
	}
	// The server must not die with the terminal's Ctrl-C before its program has finished with it.
	out, err := c.run(ctx, "pg_ctl", "-D", dir, "-l", filepath.Join(dir, "server.log"), "-w", "-t", "60", "-o", options,
		"start")
	if err != nil {
		return nil, fmt.Errorf("the database did not start: %s (see %s)", lastLine(out),
			filepath.Join(dir, "server.log"))
	}
	c.own = true
	return c, c.guard(ctx, o)
}

// claim takes the lock of the cluster for this process, if no other one holds it: whoever has it ends the server.
func (c *Cluster) claim() {
	f, err := os.OpenFile(c.dir+".lock", os.O_CREATE|os.O_RDWR, 0o600)
	if err != nil {
		return
	}
	if syscall.Flock(int(f.Fd()), syscall.LOCK_EX|syscall.LOCK_NB) != nil {
		_ = f.Close()
		return
	}
	c.lock = f
}

// guard gives the cluster's owner a password, so that not everybody on this machine is let in, and reads it where it
// has one.
func (c *Cluster) guard(ctx context.Context, o Options) error {
	if o.Fast {
		return nil
	}
	file := c.dir + ".password"
	if text, err := os.ReadFile(file); err == nil {
		c.password = strings.TrimSpace(string(text))
		return nil
	} else if !errors.Is(err, os.ErrNotExist) {
		return fmt.Errorf("the database's password: %w", err)
	}
	secret := make([]byte, 24)
	_, _ = rand.Read(secret)
	password := hex.EncodeToString(secret)
	conn, err := pgx.Connect(ctx, c.URL("postgres"))
	if err != nil {
		return fmt.Errorf("the database does not let its owner in: %w", err)
	}
	defer func() { _ = conn.Close(ctx) }()
	if err := os.WriteFile(file, []byte(password+"\n"), 0o600); err != nil {
		return fmt.Errorf("the database's password: %w", err)
	}
	rules := filepath.Join(c.dir, "pg_hba.conf")
	text, err := os.ReadFile(rules)
	if err != nil {
		return err
	}
	// The password is hex: nothing in it has to be quoted.
	if _, err := conn.Exec(ctx, "ALTER ROLE "+owner+" PASSWORD '"+password+"'"); err != nil {
		return fmt.Errorf("the database's password: %w", err)
	}
	if err := os.WriteFile(rules, []byte(trusted.ReplaceAllString(string(text), "${1}scram-sha-256")),
		0o600); err != nil {
		return err
	}
	c.password = password
	_, err = conn.Exec(ctx, "SELECT pg_reload_conf()")
	return err
}

// trusted is a rule of pg_hba.conf that lets everybody in.
var trusted = regexp.MustCompile(`(?m)^((?:local|host)[^#\n]*\s)trust\s*$`)

// URL is the address of a database of this cluster.
func (c *Cluster) URL(database string) string {
	who := url.User(owner)
	if c.password != "" {
		who = url.UserPassword(owner, c.password)
	}
	return fmt.Sprintf("postgres://%s@127.0.0.1:%d/%s?sslmode=disable", who, c.port, database)
}

// Dir is the folder of its data.
func (c *Cluster) Dir() string { return c.dir }

// Port is where the server listens.
func (c *Cluster) Port() int { return c.port }

// Stop ends the server if this process started it, closing its connections.
func (c *Cluster) Stop() error {
	if !c.own {
		return nil
	}
	c.own = false
	defer func() {
		if c.lock != nil {
			_ = c.lock.Close()
		}
	}()
	out, err := c.run(context.Background(), "pg_ctl", "-D", c.dir, "-m", "fast", "-w", "-t", "30", "stop")
	if err != nil {
		return fmt.Errorf("the database did not stop: %s", lastLine(out))
	}
	return nil
}

// Halt stops the server at once, as a crash would, and Resume starts it again on the same port. They are
// for tests of what happens while the database is away.
func (c *Cluster) Halt() error {
	out, err := c.run(context.Background(), "pg_ctl", "-D", c.dir, "-m", "immediate", "-w", "stop")
	if err != nil {
		return fmt.Errorf("halting: %s", lastLine(out))
	}
	return nil
}

// Resume: see Halt.
func (c *Cluster) Resume(ctx context.Context) error {
	if c.lock != nil {
		_ = c.lock.Close()
	}
	again, err := Start(ctx, Options{Dir: c.dir, Port: c.port, Fast: true})
	if err == nil {
		c.own, c.lock = again.own, again.lock
	}
	return err
}

// Remove deletes a stopped cluster's folder.
func (c *Cluster) Remove() error {
	return errors.Join(os.RemoveAll(c.dir), os.RemoveAll(c.dir+".lock"), os.RemoveAll(c.dir+".password"))
}

// running tells the port of a server that answers from this folder.
func (c *Cluster) running(ctx context.Context) (int, bool) {
	pid, err := os.ReadFile(filepath.Join(c.dir, "postmaster.pid"))
	if err != nil {
		return 0, false
	}
	lines := strings.Split(string(pid), "\n")
	if len(lines) < 4 {
		return 0, false
	}
	port, err := strconv.Atoi(strings.TrimSpace(lines[3]))
	if err != nil {
		return 0, false
	}
	// pg_ctl's status can lie just after a crash, so the server itself is asked too.
	if _, err := c.run(ctx, "pg_ctl", "-D", c.dir, "status"); err != nil {
		return 0, false
	}
	for range 50 {
		if exec.CommandContext(ctx, filepath.Join(c.bin, "pg_isready"), "-q", "-h", "127.0.0.1", "-p",
			strconv.Itoa(port)).Run() == nil {
			return port, true
		}
		select {
		case <-ctx.Done():
			return 0, false
		case <-time.After(100 * time.Millisecond):
		}
	}
	return 0, false
}

func (c *Cluster) run(ctx context.Context, tool string, args ...string) (string, error) {
	path := filepath.Join(c.bin, tool)
	cmd := exec.CommandContext(ctx, path, args...)
	if os.Getuid() == 0 {
		cmd = exec.CommandContext(ctx, "runuser", append([]string{"-u", owner, "--", path}, args...)...)
	}
	cmd.Dir = "/"
	// A server started by pg_ctl inherits the output, so it must be a file and not a pipe.
	out, err := os.CreateTemp("", "trundo-pg-*.log")
	if err != nil {
		return "", err
	}
	defer os.Remove(out.Name())
	defer out.Close()
	cmd.Stdout, cmd.Stderr = out, out
	detach(cmd)
	runErr := cmd.Run()
	text, _ := os.ReadFile(out.Name())
	return string(text), runErr
}

func findBinaries() (string, error) {
	found, _ := filepath.Glob("/usr/lib/postgresql/*/bin/initdb")
	if len(found) > 0 {
		sort.Slice(found, func(i, j int) bool { return version(found[i]) < version(found[j]) })
		return filepath.Dir(found[len(found)-1]), nil
	}
	if path, err := exec.LookPath("initdb"); err == nil {
		return filepath.Dir(path), nil
	}
	return "", errors.New("PostgreSQL is missing: run `make setup`, which installs Debian's packages postgresql and " +
		"postgresql-contrib")
}

func version(path string) int {
	n, _ := strconv.Atoi(strings.Split(path, "/")[4])
	return n
}

// place makes the cluster's folder with the rights PostgreSQL asks for. As root the server runs under an
// account of its own, which may be kept out by a parent folder: then another place is taken.
func place(dir string) (string, error) {
	dir, err := filepath.Abs(dir)
	if err != nil {
		return "", err
	}
	if os.Getuid() == 0 && !reachable(dir) {
		dir = filepath.Join("/var/lib/trundo", strings.ReplaceAll(strings.Trim(dir, "/"), "/", "-"))
	}
	if err := os.MkdirAll(filepath.Dir(dir), 0o755); err != nil {
		return "", fmt.Errorf("the folder for the database could not be made: %w", err)
	}
	if err := os.Mkdir(dir, 0o700); err != nil && !errors.Is(err, os.ErrExist) {
		return "", fmt.Errorf("the folder for the database could not be made: %w", err)
	}
	if os.Getuid() == 0 {
		account, err := user.Lookup(owner)
		if err != nil {
			return "", errors.New("the account postgres is missing: run `make setup`, which installs Debian's " +
				"package postgresql")
		}
		uid, _ := strconv.Atoi(account.Uid)
		gid, _ := strconv.Atoi(account.Gid)
		if err := os.Chown(dir, uid, gid); err != nil {
			return "", fmt.Errorf("the folder for the database could not be handed to its account: %w", err)
		}
	}
	return dir, nil
}

// reachable tells whether everybody may pass every folder above dir.
func reachable(dir string) bool {
	for parent := filepath.Dir(dir); parent != "/"; parent = filepath.Dir(parent) {
		if info, err := os.Stat(parent); err == nil && info.Mode().Perm()&0o001 == 0 {
			return false
		}
	}
	return true
}

func freePort() (int, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return 0, fmt.Errorf("no free port for the database: %w", err)
	}
	defer l.Close()
	return l.Addr().(*net.TCPAddr).Port, nil
}

func lastLine(out string) string {
	lines := strings.Split(strings.TrimSpace(out), "\n")
	return strings.TrimSpace(lines[len(lines)-1])
}
