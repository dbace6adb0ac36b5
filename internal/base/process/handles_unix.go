//go:build unix

package process

import (
	"math"
	"syscall"
)

// Handles gives how many files and connections this process may have open at once.
func Handles() int {
	var limit syscall.Rlimit
	if syscall.Getrlimit(syscall.RLIMIT_NOFILE, &limit) != nil || limit.Cur > math.MaxInt32 {
		return math.MaxInt32
	}
	return int(limit.Cur)
}
