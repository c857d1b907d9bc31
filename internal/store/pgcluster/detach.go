package pgcluster

import (
	"os/exec"
	"syscall"
)

// detach gives the command a process group of its own, so that a Ctrl-C in the terminal reaches the
// program, which stops the database in its own time, and not the database.
func detach(cmd *exec.Cmd) { cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true} }
