// Package program builds and runs the real binary for tests that kill it. It must not know what is tested.
package program

import (
	"fmt"
	"io"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

// Build builds the binary, once for a run of tests; BuildForDrill one whose clock may be wrong. Errors: what the
// compiler says.
var (
	Build         = sync.OnceValues(func() (string, error) { return build("") })
	BuildForDrill = sync.OnceValues(func() (string, error) { return build("drill") })
)

func build(tags string) (string, error) {
	dir, err := os.MkdirTemp("", "trundo-program-*")
	if err != nil {
		return "", err
	}
	path := filepath.Join(dir, "trundo")
	if out, err := exec.Command("go", "build", "-ldflags=-w", "-tags="+tags, "-o", path,
		"trundo/cmd/trundo").CombinedOutput(); err != nil {
		return "", fmt.Errorf("building the program: %s", out)
	}
	return path, nil
}

// Log is where programs write what they log.
var Log io.Writer = os.Stderr

// Program is the binary as it runs.
type Program struct {
	URL  string
	cmd  *exec.Cmd
	over chan struct{}
}

// Begin starts "trundo serve" at addr with a database and a folder for its data, and does not wait until it serves. env
// are more settings, as "NAME=value".
func Begin(binary, database, data, addr string, env ...string) (*Program, error) {
	cmd := exec.Command(binary, "serve")
	cmd.Env = append(os.Environ(), "DATABASE_URL="+database, "TRUNDO_ADDR="+addr, "TRUNDO_METRICS_ADDR=off",
		"TRUNDO_DATA="+data, "TRUNDO_LOG=error",
		"TRUNDO_SOUND_ADDR=127.0.0.1:0", "TRUNDO_CALLING_HOURS=0:00-24:00")
	cmd.Env = append(cmd.Env, env...)
	cmd.Stderr = Log
	if err := cmd.Start(); err != nil {
		return nil, err
	}
	p := &Program{URL: "http://" + addr, cmd: cmd, over: make(chan struct{})}
	go func() {
		_ = cmd.Wait()
		close(p.over)
	}()
	return p, nil
}

// Start is Begin, and waits until the program serves. It ends with the test.
func Start(t testing.TB, binary, database, data, addr string, env ...string) *Program {
	t.Helper()
	p, err := Begin(binary, database, data, addr, env...)
	require.NoError(t, err)
	t.Cleanup(p.Kill)
	require.Eventually(t, p.Ready, 30*time.Second, 50*time.Millisecond, "the program serves")
	return p
}

// Ready tells whether it serves, and can save.
func (p *Program) Ready() bool {
	r, err := http.Get(p.URL + "/readyz")
	if err != nil {
		return false
	}
	_ = r.Body.Close()
	return r.StatusCode == http.StatusOK
}

// Kill ends it as a power cut would, and waits until it is gone.
func (p *Program) Kill() {
	_ = p.cmd.Process.Kill()
	<-p.over
}

// Signal sends it a signal.
func (p *Program) Signal(s os.Signal) error { return p.cmd.Process.Signal(s) }

// Over is closed when it has ended.
func (p *Program) Over() <-chan struct{} { return p.over }
