//go:build unix

package needs

import (
	"os"
	"syscall"
	"time"
)

// ProcessorTime gives the time that all cores have worked for this process.
func ProcessorTime() time.Duration {
	var u syscall.Rusage
	if syscall.Getrusage(syscall.RUSAGE_SELF, &u) != nil {
		return 0
	}
	return time.Duration(u.Utime.Nano() + u.Stime.Nano())
}

// PeakMemory gives the most memory that a process had which has ended, in the system's unit.
func PeakMemory(ended *os.ProcessState) int64 {
	return int64(ended.SysUsage().(*syscall.Rusage).Maxrss)
}
