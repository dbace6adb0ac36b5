//go:build unix

package process

import (
	"errors"
	"os"
	"syscall"
)

// lockFile takes the lock on an open file; false where another process has it. The system gives it
// back when the process ends, however it does.
func lockFile(f *os.File) (bool, error) {
	err := syscall.Flock(int(f.Fd()), syscall.LOCK_EX|syscall.LOCK_NB)
	if errors.Is(err, syscall.EWOULDBLOCK) {
		return false, nil
	}
	return err == nil, err
}
