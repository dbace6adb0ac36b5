//go:build unix

package ocr

import (
	"os/exec"
	"syscall"
)

// killAll makes the end of a command the end of all that it started.
func killAll(cmd *exec.Cmd) {
	cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true}
	cmd.Cancel = func() error { return syscall.Kill(-cmd.Process.Pid, syscall.SIGKILL) }
}
